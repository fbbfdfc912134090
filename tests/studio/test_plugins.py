# SPDX-License-Identifier: GPL-3.0-or-later
"""Installed plugins in the real window: found, added, their presets morphed, heard, and opened again."""

from __future__ import annotations

import shutil
import subprocess
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton

from benchmarks.evil_plugins import HEAD, PORT, RANGE, SEE
from tests.present import present
from tests.sound.test_vst3 import CAN, compiled, virtual_display
from tests.studio.driver import WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.construction import lines
from zolvek.core.edits.replacement import set_dial, with_curve, with_track
from zolvek.core.model.source import Note
from zolvek.core.records import replace
from zolvek.sound.hosting.plugin import plugin_folders
from zolvek.sound.hosting.plugin.plugin_entry import PluginEntry
from zolvek.sound.jobs.plugin_listing import PluginListing
from zolvek.sound.processes.job_messages import Done, Progress
from zolvek.studio.services.files.audio_export import SoundExport
from zolvek.studio.services.plugins.plugin_list import LISTING_JOB
from zolvek.studio.session import chosen

THERE = Path("/usr/lib/lv2/mda.lv2").is_dir()


@unittest.skipUnless(THERE, "mda-lv2 is not installed")
class Hosted(WindowTest):
    def test_a_synth_of_one_s_own_is_added_by_name_and_its_presets_move(self) -> None:
        session = self.session
        self.ask.words = "Keys"
        self.do("add-track")
        self.ask.accepts = True

        def pick(dialog: Any) -> None:
            self.until(lambda: self.studio.plugins.found is not None)
            QTest.keyClicks(dialog.search, "jx10")
            assert dialog.chosen is not None
            self.assertEqual(dialog.chosen[:2], ("http://drobilla.net/plugins/mda/JX10", "MDA JX10"))

        self.ask.fill = pick
        self.do("add-plugin")
        self.until(lambda: session.project.tracks[-1].devices[0].row.plugin is not None)
        track = session.project.tracks[-1]
        device = track.devices[0]
        self.assertEqual(session.settings.plugins.recent, [present(device.row.plugin).uri])
        self.assertGreater(len([s for s in session.project.states if s.of(device.id)]), 8)
        notes = tuple(Note(float(b), 0.9, 50) for b in range(16))
        session.document.edit("Notes", with_track(session.project, replace(track, notes=notes)))
        session.touch(device.id, "vcf_freq")
        self.do("add-lane")
        self.click(8.0, 0.2)
        self.do("play")
        self.until(lambda: session.playhead.beat > 0.5)
        self.do("stop")
        self.window.rail.show_step("step-devices")
        panel: Any = self.window.rail.shown["step-devices"].widget()
        self.wait()
        session.shown.show(device.id)
        panel.presets.setCurrentIndex(panel.presets.findText("303 Saw Bass"))
        panel.presets.activated.emit(panel.presets.currentIndex())
        panel.star.click()
        self.assertEqual(panel.presets.itemText(1), "★ 303 Saw Bass", "favourites come first")
        self.assertEqual((panel.presets.currentData(), panel.star.isChecked()), ("303 Saw Bass", True))
        panel.star.click()
        self.assertEqual(session.settings.plugins.favourite_presets, [])
        session.settings.audio.tail = False
        session.span.choose((0.0, 4.0))
        session.settings.audio.selection = True
        out, saved = self.folder / "keys.wav", self.folder / "keys.zolvek"
        SoundExport(self.studio.exports, out).start()
        self.until(lambda: out.exists() and self.studio.exports.working is None)
        self.assertGreater(abs(soundfile.read(out)[0]).max(), 0.01)
        self.assertTrue(self.studio.files.save_to(saved))
        with mock.patch.object(self.studio.plugins, "background") as background:
            background.busy = False
            self.studio.files.open_path(saved)
            background.start.assert_called_with(LISTING_JOB, (device.row,))
        self.studio.plugins._take(PluginListing([], [("Keys", ["Cutoff is no longer there."])]))
        self.assertIn("Cutoff is no longer there.", self.errors.pop().where)
        self.assertIn("not installed", self.errors.pop().what)
        self.assertEqual(session.project.device_track(device.id).device(device.id).row, device.row)
        self.assertEqual(self.errors, [])


class InAndOut(WindowTest):
    def add(self, word: str) -> Any:
        """The plugin that a word finds, on the shown track."""
        count = len(self.session.project.tracks[-1].devices)

        def pick(dialog: Any) -> None:
            self.until(lambda: self.studio.plugins.found is not None)
            QTest.keyClicks(dialog.search, word)

        self.ask.accepts, self.ask.fill = True, pick
        self.do("add-plugin")
        self.until(lambda: len(self.session.project.tracks[-1].devices) > count)
        shown = self.session.shown.device or ""
        return self.session.project.device_track(shown).device(shown)

    @unittest.skipUnless(Path("/usr/lib/lv2/eg-sampler.lv2").is_dir(), "lv2-examples is not installed")
    def test_a_file_a_midi_plugin_and_a_wheel(self) -> None:
        """A sampler gets its file from the Devices panel, a MIDI plugin comes before it, a lane moves its wheel."""
        session, path = self.session, self.folder / "hit.wav"
        soundfile.write(path, [0.5, -0.5] * 4_800, 48_000, subtype="FLOAT")
        self.ask.words = "Hits"
        self.do("add-track")
        sampler = self.add("exampler")
        self.window.rail.show_step("step-devices")
        panel: Any = self.window.rail.shown["step-devices"].widget()
        self.wait()
        self.assertTrue(panel.further.isVisible())
        self.assertFalse(self.studio.action("output-tracks").isEnabled())
        self.ask.path = path
        next(b for b in panel.further.findChildren(QPushButton) if b.text() == "Plugin file…").click()
        self.until(lambda: session.project.tracks[-1].devices[0].files)
        self.assertIn("hit.wav", panel.about.text())
        fifths = self.add("fifths")
        chain = session.project.tracks[-1].devices
        self.assertEqual([d.id for d in chain[:2]], [fifths.id, sampler.id])
        self.assertFalse(panel.further.isVisible())
        session.touch(sampler.id, "midi-cc-1")
        self.do("add-lane")
        self.click(4.0, 0.6)
        lane = present(session.lane)
        self.assertEqual((lane.parameter, lane.midi.kind, lane.midi.controller), ("midi-cc-1", "cc", 1))
        bad = self.folder / "bad.wav"
        bad.write_text("no sound")
        self.ask.row, self.ask.path = "Replace hit.wav…", bad
        session.shown.show(sampler.id)
        self.do("plugin-file")
        self.until(lambda: self.errors)
        self.assertIn("can't be read", self.errors.pop().what)
        self.ask.row = "No file"
        self.do("plugin-file")
        self.assertEqual(session.project.tracks[-1].devices[1].files, {})
        self.do("undo")
        self.assertEqual(list(session.project.tracks[-1].devices[1].files.values()), [str(path)])
        self.assertEqual(self.errors, [])


class Listed(WindowTest):
    def test_the_list_fills_and_is_searched_while_bundles_are_read(self) -> None:
        found = [
            PluginEntry(f"urn:{n}", f"De-esser {n}" if n % 2 else f"Reed {n}", left_out=("files",)) for n in range(9)
        ]

        def pick(dialog: Any) -> None:
            plugins = self.studio.plugins
            self.until(lambda: plugins.found is not None)  # what is installed here
            plugins.found, plugins.listed = None, []
            news = plugins.background
            news.found.disconnect()
            news.found.connect(plugins.listed.extend)
            number = news.number
            for done in range(1, 4):
                news._pass_on(number, Progress(done, 4, found[(done - 1) * 3 : done * 3]))
                self.assertEqual(dialog.rows.topLevelItemCount(), done * 3)
                self.assertIn(f"{done} of 4 bundles", dialog.status.text())
            self.assertEqual(dialog.rows.topLevelItem(0).text(4), "files")
            QTest.keyClicks(dialog.search, "deesser 5")
            self.assertEqual(dialog.chosen, ("urn:5", "De-esser 5"))
            dialog.search.clear()
            self.assertEqual(dialog.chosen, ("urn:5", "De-esser 5"), "stays picked while others come")
            news._pass_on(number, Progress(4, 4, [PluginEntry("urn:a", "Aerial")]))
            self.assertEqual(dialog.chosen, ("urn:5", "De-esser 5"))
            news._pass_on(number, Done(PluginListing(found, [])))
            self.assertEqual(dialog.rows.topLevelItemCount(), 9)

        self.ask.fill, self.ask.accepts = pick, False
        self.do("add-plugin")
        self.assertEqual(self.errors, [])


@unittest.skipUnless(
    CAN and shutil.which("Xvfb"),
    "VST3's interface headers, a C++ compiler or Xvfb are not installed",
)
class OwnWindow(WindowTest):
    def test_what_is_moved_in_its_own_window_comes_up_as_touched(self) -> None:
        """From the folder it lies in to a lane of what its window moves: undone in one step, its settings
        kept, the window gone with the project."""
        bundle = compiled(self.folder)
        session, windows = self.session, self.studio.plugin_windows
        self.ask.words = "Tone"
        self.do("add-track")
        self.ask.path, self.ask.accepts = bundle, True

        def pick(dialog: Any) -> None:
            self.until(lambda: self.studio.plugins.found is not None)
            button = next(b for b in dialog.findChildren(QPushButton) if "folder" in b.text())
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)
            self.until(lambda: bool(self.studio.plugins.newest))
            QTest.keyClicks(dialog.search, "tone instrument")
            self.assertEqual(dialog.chosen and dialog.chosen[1], "Test tone")

        self.ask.fill = pick
        self.do("add-plugin")
        self.until(lambda: bool(session.project.tracks[-1].devices[0].row.plugin))
        device = session.project.tracks[-1].devices[0]
        self.assertIn(bundle.resolve(), plugin_folders.added())
        session.shown.show(device.id)
        with virtual_display():
            self.do("plugin-window")
            self.until(lambda: session.shown.control == (device.id, "level"))
            now = session.project.device_track(device.id).device(device.id)
            self.assertAlmostEqual(now.position("level"), 0.75, 6)
            self.do("add-lane")
            self.assertEqual(present(session.focus.lane).parameter, "level")
            self.do("plugin-window")
            self.until(lambda: not windows.open)
            self.assertTrue(session.project.device_track(device.id).device(device.id).state)
            for _ in range(3):  # its settings, the lane, the move
                self.do("undo")
            now = session.project.device_track(device.id).device(device.id)
            self.assertEqual((now.position("level"), now.state), (device.position("level"), ""))
            self.do("plugin-window")
            self.until(lambda: session.project.device_track(device.id).device(device.id) != now)
            self.do("new")
            self.until(lambda: not windows.open)
        self.assertEqual(self.errors, [])


@unittest.skipUnless(shutil.which("cc") and shutil.which("Xvfb"), "a C compiler or Xvfb is not installed")
class OwnWindowOfLv2(WindowTest):
    def add(self, hangs: int) -> Any:
        """A plugin with a window of its own, on a new track."""
        from zolvek.sound.hosting.catalogue import installed, loading

        uri, bundle = f"urn:zolvek:test:window{hangs}", self.folder / f"window{hangs}.lv2"
        self.log = bundle / "log"
        bundle.mkdir()
        source = Path(__file__).parents[1] / "sound" / "own_window.c"
        options = [f"-DHANGS={hangs}", f'-DURI="{uri}"', f'-DLOG="{self.log}"', str(source), "-o", str(bundle / "w.so")]
        subprocess.run(["cc", "-w", "-shared", "-fPIC", *options, "-l:libX11.so.6"], check=True)
        ui = "http://lv2plug.in/ns/extensions/ui#"
        (bundle / "manifest.ttl").write_text(
            f"{HEAD}<{uri}> a lv2:Plugin ; lv2:binary <w.so> ; <{ui}ui> <{uri}#window> ; {SEE} <w.ttl> .\n"
            f"<{uri}#window> a <{ui}X11UI> ; <{ui}binary> <w.so> ; lv2:requiredFeature <{ui}idleInterface> .\n"
        )
        ports = (
            PORT.format(kinds="ControlPort, lv2:InputPort", n=0, s="level", more=RANGE),
            PORT.format(kinds="AudioPort, lv2:InputPort", n=1, s="in", more=""),
            PORT.format(kinds="AudioPort, lv2:OutputPort", n=2, s="out", more=""),
        )
        (bundle / "w.ttl").write_text(f'{HEAD}<{uri}> a lv2:Plugin ; doap:name "Pane" ; {" ; ".join(ports)} .\n')
        installed.add(lambda *_: None, str(bundle / "manifest.ttl"))
        self.ask.words = f"Pane {hangs}"
        self.do("add-track")
        track = self.session.project.tracks[-1].id
        chosen.add_device(self.session, track, loading.kind_of(uri))
        return self.session.project.tracks[-1].devices[0]

    def seen(self) -> list[float]:
        return [float(row.split()[1]) for row in self.log.read_text().splitlines()] if self.log.exists() else []

    def test_both_ways_without_echoes_and_with_what_lanes_play(self) -> None:
        device, session, windows = self.add(0), self.session, self.studio.plugin_windows
        self.assertTrue(self.studio.action("plugin-window").isEnabled())
        with virtual_display():
            self.do("plugin-window")
            self.until(lambda: session.shown.control == (device.id, "level"))
            kept = session.project.device_track(device.id).device(device.id)
            self.assertAlmostEqual(kept.position("level"), 0.75, delta=1e-6)
            self.assertEqual(self.seen(), [0.0], "what it moved itself is not given back")
            session.document.edit("Turned", set_dial(session.project, device.id, "level", 0.25))
            self.until(lambda: self.seen()[-1] == 0.25)
            self.do("add-lane")
            lane = present(session.lane)
            session.document.edit("Rise", with_curve(session.project, lane.id, lines([0.0, 8.0], [0.0, 1.0])))
            self.do("play")
            self.until(lambda: session.playhead.beat > 2.0)
            self.do("play")
            moved = np.array(self.seen()[2:])
            self.assertGreater(len(set(moved.tolist())), 5)
            self.assertAlmostEqual(float(moved[-1]), session.playhead.beat / 8.0, delta=0.1)
            self.do("plugin-window")
            self.until(lambda: device.id not in windows.open)
        self.assertEqual(self.errors, [])

    def test_a_window_that_never_opens_is_said_and_ended(self) -> None:
        device, windows = self.add(1), self.studio.plugin_windows
        with virtual_display(), mock.patch("zolvek.studio.services.plugins.plugin_windows.OPENS_MS", 3_000):
            self.do("plugin-window")
            process = windows.open[device.id].process
            self.until(lambda: self.errors)
            self.assertIn("did not open", self.errors.pop().what)
            self.assertNotIn(device.id, windows.open)
            self.assertIsNotNone(process.poll())


if __name__ == "__main__":
    unittest.main()
