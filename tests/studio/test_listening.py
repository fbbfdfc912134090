# SPDX-License-Identifier: GPL-3.0-or-later
"""Choosing, listening and comparing in the real window."""

from __future__ import annotations

import json
import threading
import unittest
from typing import Any

import numpy as np
import soundfile
from PyQt6.QtCore import QPoint, Qt

from tests.core.test_devices import OWN
from tests.present import present
from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.construction import flat
from zolvek.core.edits import plugins
from zolvek.core.edits.replacement import with_curve
from zolvek.core.model.device_kind import DeviceKind, DeviceRole
from zolvek.core.model.plugin import Binding, Plugin
from zolvek.core.model.project import Clip
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter
from zolvek.formats.project import project_file
from zolvek.sound.engine import clip_playback
from zolvek.sound.hosting.plugin.name_groups import groups_of
from zolvek.studio.session import settings as stored
from zolvek.studio.session.favourite_controls import kept
from zolvek.studio.views.bench.dial_choice import MOST
from zolvek.studio.views.index.index_panel import LETTERS
from zolvek.studio.views.panels.devices_panel import DevicesPanel
from zolvek.studio.views.panels.listen_panel import ListenPanel
from zolvek.studio.views.panels.record.record_panel import RecordPanel

SHIFT = Qt.KeyboardModifier.ShiftModifier


def crowded() -> DeviceKind:
    """A plugin with 160 controls in 40 groups."""
    names = [f"Filter {number} {what}" for number in range(1, 41) for what in ("gain", "freq", "width", "mode")]
    parameters = tuple(
        Parameter(f"p{number}", name, group)
        for number, (name, group) in enumerate(zip(names, groups_of(names), strict=True))
    )
    ports = {parameter.id: Binding(f"s{parameter.id}", number) for number, parameter in enumerate(parameters)}
    return DeviceKind("crowd", "Crowd", DeviceRole.EFFECT, parameters, plugin=Plugin("lv2", "urn:crowd", ports=ports))


class Listening(WindowTest):
    def dial(self, key: str) -> Any:
        return next(d for d in self.window.bench.dials if d.parameter.id == key)

    def test_devices_are_added_set_and_removed_by_hand(self) -> None:
        self.do("step-devices")
        panel = self.window.rail.findChild(DevicesPanel)
        panel.kinds.setCurrentIndex(panel.kinds.findData("tremolo"))
        panel.kinds.activated.emit(panel.kinds.currentIndex())
        self.wait()
        chain = [d.kind for d in self.session.project.tracks[0].devices]
        self.assertEqual(chain, ["synth", "tremolo", "strip"])
        self.assertIn("Tremolo", self.window.bench.heading.whole)
        panel.presets.setCurrentIndex(panel.presets.findText("Flutter"))
        panel.presets.activated.emit(panel.presets.currentIndex())
        self.assertIn("9", self.dial("rate").parameter.text(self.dial("rate").own))
        QTest.mouseClick(self.dial("depth"), LEFT)
        self.key(Qt.Key.Key_A)
        self.assertIn("Tremolo", self.session.project.label_of(present(self.session.focus.id)))
        self.do("bypass-device")
        self.assertTrue(self.session.project.tracks[0].devices[1].bypassed)
        self.ask.yes = True
        held = self.session.project
        self.do("remove-device")
        self.assertIn("Depth", self.ask.asked[0], "says which lanes go")
        self.assertEqual([d.kind for d in self.session.project.tracks[0].devices], ["synth", "strip"])
        self.do("undo")
        self.assertIs(self.session.project, held, "undo brings all back")
        path = self.folder / "bass.json"
        path.write_text(json.dumps(OWN))
        self.assertTrue(self.studio.media.import_device_file(path))
        path.write_text("{}")
        self.assertFalse(self.studio.media.import_device_file(path))
        self.assertIn("bass.json", self.errors.pop().where)

    def test_searching_marks_following_and_favourites(self) -> None:
        search = self.field("Find a parameter")
        for words, wanted in (
            ("fil res", {("horn", "resonance"), ("fog-filter", "resonance")}),
            ("echo mix", {("echo", "mix")}),
        ):
            search.setText(words)
            leaves = self.window.index.leaves
            shown = {key for key, leaf in leaves.items() if not leaf.isHidden()}
            self.assertLessEqual(wanted, shown)
            self.assertNotIn(("horn", "wave"), shown)
        search.clear()
        # Every label names its device: two cutoffs on one track can't be confused.
        labels = [self.session.project.label_of(x.id) for x in self.session.project.lanes()]
        self.assertEqual(len(set(labels)), len(labels))
        self.key(Qt.Key.Key_F)
        QTest.mouseClick(self.dial("resonance"), LEFT)
        self.assertEqual(self.session.focus.id, "horn.cutoff", "following is off")
        self.key(Qt.Key.Key_F)
        QTest.mouseClick(self.dial("resonance"), LEFT)
        self.assertEqual(self.session.focus.id, "horn.resonance")
        self.do("learn-favourites")
        QTest.mouseClick(self.dial("level"), LEFT)
        self.wait()
        QTest.mouseClick(self.dial("pan"), LEFT)
        self.wait()
        self.do("learn-favourites")
        self.assertEqual([d.parameter.id for d in self.window.bench.dials][:3], ["level", "pan", "wave"])

    def test_a_device_with_many_controls_shows_a_group_at_a_time(self) -> None:
        many = crowded()
        project, device = plugins.added(self.session.project, self.session.project.tracks[0].id, many)
        self.session.document.edit("Add Crowd", project)
        self.session.shown.show(device)
        self.wait()
        bench, choice = self.window.bench, self.window.bench.choice

        def shown() -> list[str]:
            self.wait()
            return [dial.name for dial in bench.dials]

        self.assertEqual(len(shown()), MOST, "of all")
        rows = [choice.box.itemText(row) for row in range(choice.box.count())]
        self.assertEqual(rows, ["All · 161", *(f"Filter {n} · 4" for n in range(1, 41)), "Device · 1"])
        field = present(choice.box.lineEdit())
        field.selectAll()
        QTest.keyClicks(field, "filter 40")
        QTest.keyClick(present(present(choice.box.completer()).popup()), Qt.Key.Key_Down)
        QTest.keyClick(present(present(choice.box.completer()).popup()), Qt.Key.Key_Return)
        self.assertEqual(shown(), ["gain", "freq", "width", "mode"], "without what the group says already")
        QTest.keyClicks(choice.words, "3 wid")
        self.assertEqual(shown()[0], "Filter 3 width")
        self.assertEqual(len(bench.dials), 13, "3, 13, 23, 30 to 39")
        QTest.keyClicks(choice.words, "x")
        self.assertEqual(shown(), [])
        self.assertTrue(bench.nothing.isVisible())
        self.window.activateWindow()  # a list that opens takes it where no window manager is
        self.until(self.window.isActiveWindow)
        QTest.mouseClick(choice.words, LEFT)
        QTest.keyClick(choice.words, Qt.Key.Key_Escape)
        self.assertEqual(len(shown()), 4, "the group again")
        self.session.touch(device, "p85")  # from elsewhere: its group comes up
        self.assertEqual(shown(), ["gain", "freq", "width", "mode"])
        self.assertEqual(choice.choice.group, "Filter 22")
        self.session.shown.show("horn")
        self.wait()
        self.assertFalse(choice.isVisible(), "a device with few controls has no choice")
        self.session.shown.show(device)
        self.wait()
        self.assertEqual(choice.choice.group, "Filter 22", "as it was left")
        self.do("learn-favourites")
        QTest.mouseClick(bench.dials[2], LEFT)
        self.wait()
        self.do("learn-favourites")
        stored.save(self.session.settings)
        again, second = plugins.added(
            self.session.project, self.session.project.tracks[1].id, many, kept(stored.load().plugins, many)
        )
        self.assertEqual(again.device_track(second).device(second).favourites, ("p86",), "kept for every project")
        self.session.document.edit("Add Crowd", again)
        self.session.shown.show(second)
        self.wait()
        self.assertEqual(bench.dials[0].parameter.id, "p86")
        self.assertEqual(choice.box.itemText(1), "Favourites · 1")

    def test_dials_turn_flip_and_type(self) -> None:
        mute = self.dial("mute")
        QTest.mouseClick(mute, LEFT)
        self.assertEqual(self.dial("mute").own, 1.0, "a press flips a switch")
        pan = self.dial("pan")
        self.drag_on(pan, QPoint(40, 40), QPoint(40, 0))
        self.assertGreater(pan.own, 0.6)
        QTest.mouseDClick(pan, LEFT)
        self.assertEqual(pan.own, 0.5, "a double press returns it")
        self.ask.words = "20 % L"
        pan.setFocus()
        self.key(Qt.Key.Key_Return, widget=pan)
        self.assertAlmostEqual(pan.own, 0.4)
        # As a point is dragged the dial shows what it becomes at the playhead.
        self.session.playhead.go(32.0)
        self.session.focus.on("horn.cutoff")
        before = self.dial("cutoff").state()[0]
        self.view.show(28.0, 40.0)
        value = float(self.curve().value[2])
        self.drag((32.0, value), (32.0, value + 0.2), SHIFT)
        self.assertAlmostEqual(self.dial("cutoff").state()[0], before + 0.2, delta=0.02)

    def test_mute_solo_alone_and_versions_are_heard(self) -> None:
        tree = self.window.index.tree
        row = tree.visualItemRect(tree.topLevelItem(0))
        for letter, away in LETTERS:
            QTest.mouseClick(tree.viewport(), LEFT, pos=QPoint(row.right() - away, row.center().y()))
            self.wait()
            if letter == "M":
                self.assertTrue(self.session.project.tracks[0].muted)
        self.assertEqual(self.session.audition.listening.solo, {"hull"})
        self.do("undo")
        self.key(Qt.Key.Key_W)
        self.assertEqual(self.session.audition.listening.alone, "horn.cutoff")
        self.key(Qt.Key.Key_W)
        self.session.audition.listen(solo=frozenset())
        # A and B: the kept version against silence, switched while it plays.
        self.session.span.choose((32.0, 40.0))
        self.do("keep-version")
        silent = with_curve(self.session.project, "fog-strip.level", flat(0.0))
        for _track in silent.tracks:
            silent = replace(silent, tracks=tuple(replace(t, muted=True) for t in silent.tracks))
        self.session.document.edit("Silence", silent)
        self.session.settings.playback.pre_roll = 2.0
        self.do("play-selection")
        playback = self.studio.player.ready()
        self.until(lambda: self.session.playhead.beat > 30.2)
        self.assertLess(self.session.playhead.beat, 33.0, "begins with the lead")
        self.assertLess(max(playback.peaks), 1e-4)
        beat = self.session.playhead.beat
        self.key(Qt.Key.Key_X)
        self.until(lambda: max(playback.peaks) > 0.01)
        self.assertGreater(self.session.playhead.beat, beat, "no jump of place")
        self.until(lambda: not self.window.transport.meter.quiet)
        self.key(Qt.Key.Key_X)
        self.until(lambda: max(playback.peaks) < 1e-3)
        self.do("metronome")
        self.until(lambda: max(playback.peaks) > 0.1)
        self.do("stop")

    def test_the_useful_reach_is_measured_set_and_evened(self) -> None:
        self.session.span.choose((32.0, 34.0))
        self.do("step-listen")
        panel = self.window.rail.findChild(ListenPanel)
        QTest.mouseClick(panel.measure, LEFT)
        self.assertTrue(panel.cancel.isVisible())
        QTest.mouseClick(panel.cancel, LEFT)
        self.wait()
        self.assertFalse(panel.cancel.isVisible())
        QTest.mouseClick(panel.measure, LEFT)
        self.until(lambda: panel.measured is not None)
        before = self.curve()
        QTest.mouseClick(panel.even, LEFT)
        self.assertIsNotNone(self.session.preview.curve)
        self.assertIs(self.curve(), before, "a preview first")
        QTest.mouseClick(panel.even, LEFT)
        self.assertNotEqual(self.curve(), before)
        QTest.mouseClick(panel.set_reach, LEFT)
        self.assertLess(present(self.session.lane).reach[1], 1.0)
        # By ear: while the end of the reach is dragged, the curve is held there.
        top = QPoint(30, int(self.lane.plot.area.top()))
        QTest.mousePress(self.lane, LEFT, pos=top)
        self.assertEqual(self.session.held.values, (("horn.cutoff", 1.0),))
        QTest.mouseRelease(self.lane, LEFT, pos=top)
        self.assertEqual(self.session.held.values, ())

    def test_the_sound_lies_behind_the_lane(self) -> None:
        small = replace(self.session.project, length=16.0)
        self.show(small, None)
        plain = self.lane.grab().toImage()
        self.lane.backdrops.begin()
        self.until(lambda: self.lane.backdrops.shown() is not None)
        self.wait()
        self.assertNotEqual(self.lane.grab().toImage(), plain)
        self.lane.backdrops.set_kind("waveform")
        self.until(lambda: self.lane.backdrops.shown() is not None)
        self.assertEqual(present(self.lane.backdrops.shown()).kind, "waveform")

    def test_the_controller_learns_moves_and_is_monitored(self) -> None:
        self.do("step-perform")
        panel = self.window.rail.findChild(RecordPanel).controller
        self.do("learn-controls")
        self.drag_on(panel.dials[0], QPoint(20, 30), QPoint(20, 10))
        QTest.mouseClick(self.dial("drive"), LEFT)
        self.wait()
        self.assertEqual(self.session.project.mappings[0].control, "dial-1")
        panel.dials[0].setFocus()
        steps = len(self.session.document.history.steps)
        before = self.dial("drive").own
        for _ in range(3):
            QTest.keyClick(panel.dials[0], Qt.Key.Key_Up)
        self.assertNotEqual(self.dial("drive").own, before)
        self.assertEqual(len(self.session.document.history.steps), steps + 1, "one gesture, one step")
        # A message from outside, learned the other way round: the dial first.
        self.do("learn-controls")
        QTest.mouseClick(self.dial("pan"), LEFT)
        self.studio.midi_io.came.emit((0xB0, 20, 64), 0.0)
        self.studio.midi_io.came.emit((0xB0, 20, 127), 0.0)
        self.assertEqual(self.dial("pan").own, 1.0)
        # Twenty thousand in a rush from another thread, in a pair of rising controllers and notes among them.
        incoming, keys = self.studio.midi_io.incoming, list[int]()
        self.studio.midi_io.key_moved.connect(lambda pitch, strength, at: keys.append(pitch))
        rush = [(0xB0, 20, n % 128) for n in range(19_900)] + [(0x90, 60, n % 2 * 90) for n in range(99)]
        rush += [(0xB0, 99, 1), (0xB0, 98, 2), (0xB0, 6, 77), (0xB0, 20, 32)]

        def send() -> None:
            for message in rush:
                incoming.put(message, 0.0)

        sender = threading.Thread(target=send)
        sender.start()
        self.until(lambda: len(keys) == 99 and not incoming.waiting)
        sender.join()
        self.assertAlmostEqual(self.dial("pan").own, 32 / 127, places=6)
        self.assertGreater(incoming.replaced, 10_000, "the newest counts, and how many gave way to it")
        self.do("monitor")
        monitor = self.window.monitor_window
        self.session.playhead.go(31.9)
        self.do("play")
        self.until(lambda: present(monitor).model.rowCount() > 8)
        present(monitor).words.setText("cutoff channel 1")
        self.wait()
        rows = present(monitor).model.shown
        self.assertTrue(rows and all(row[1].startswith("Hull") for row in rows))
        present(monitor).frozen.setChecked(True)
        self.wait(300)
        self.assertEqual(present(monitor).model.shown, rows)
        self.assertIn("messages per second", present(monitor).rate.text())
        self.do("stop")

    def test_sounds_come_go_missing_and_are_found(self) -> None:
        path = self.folder / "tone.wav"
        soundfile.write(path, np.sin(np.arange(44_100) / 9.0), 44_100)
        self.session.shown.show("riser")
        self.assertTrue(self.studio.media.import_sound_file(path))
        self.until(lambda: self.studio.exports.working is None)
        held = self.session.project
        (self.folder / "bad.ogg").write_bytes(b"no")
        self.studio.media.import_sound_file(self.folder / "bad.ogg")
        self.until(lambda: self.studio.exports.working is None)
        self.assertIn("bad.ogg", self.errors.pop().where)
        self.assertIs(self.session.project, held)
        target = self.folder / "with sound.zolvek"
        self.studio.files.save_to(target)
        self.assertIn(b'"file": "tone.wav"', target.read_bytes(), "the folder can be moved")
        self.assertEqual(replace(project_file.load(target), sounds={}), held)
        path.rename(self.folder / "moved.wav")
        self.assertTrue(self.studio.files.open_path(target), "the project opens all the same")
        self.assertIn("tone.wav", self.errors.pop().where)
        soundfile.write(self.folder / "other.wav", np.zeros(44_100), 44_100)
        self.ask.path = self.folder
        self.do("find-sounds")
        self.until(lambda: self.studio.exports.working is None)
        flare = self.session.project.tracks[3]
        self.assertEqual(flare.clips, (Clip(0.0, str(self.folder / "moved.wav")),))
        self.assertEqual(clip_playback.missing(self.session.project), [])


if __name__ == "__main__":
    unittest.main()
