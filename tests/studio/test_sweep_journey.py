# SPDX-License-Identifier: GPL-3.0-or-later
"""The main job in the real window: from the opened demo to the exported files."""

from __future__ import annotations

import re
import unittest

import mido
import numpy as np
import soundfile
from PyQt6.QtCore import Qt

from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.shapes import SHAPES
from zolvek.formats.project import project_file
from zolvek.formats.tables import curve_csv
from zolvek.studio.actions.action_table import ACTIONS
from zolvek.studio.services.files.audio_export import SoundExport

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class SweepJourney(WindowTest):
    def pick_fog_drive(self) -> None:
        """By the index: a parameter that has no lane yet."""
        search = self.field("Find a parameter")
        search.setFocus()
        QTest.keyClicks(search, "fog drive")
        QTest.keyClick(search, Qt.Key.Key_Return)
        self.wait()
        self.assertEqual(self.session.shown.control, ("fog-filter", "drive"))
        self.key(Qt.Key.Key_A)

    def test_draws_a_sweep_and_exports_it(self) -> None:
        self.pick_fog_drive()
        self.assertEqual(self.session.focus.id, "fog-filter.drive")
        self.assertEqual(len(self.curve()), 1, "a new lane is flat")
        self.assertEqual(self.curve().value[0], 0.0, "at the control's present value")

        self.view.show(32.0, 32.0)
        self.click(40.07, 0.1)  # snaps to the sixteenth grid
        self.click(48.05, 0.8)
        self.assertEqual(self.curve().beat.tolist(), [0.0, 40.0, 48.0])
        QTest.mouseMove(self.lane, self.spot(44.0, 0.45))
        QTest.keyPress(self.lane, Qt.Key.Key_B)
        self.drag((44.0, float(self.curve().at(44.0))), (44.0, 0.3))
        QTest.keyRelease(self.lane, Qt.Key.Key_B)
        self.assertEqual(SHAPES[self.curve().shape[1]].key, "bend")
        step = 1.0 / self.lane.plot.area.height()
        self.assertAlmostEqual(float(self.curve().at(44.0)), 0.3, delta=1.5 * step)

        bent = self.session.project
        self.assertIn("Bend", self.window.action("undo").text())
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(SHAPES[self.curve().shape[1]].key, "line")
        self.key(Qt.Key.Key_Z, CTRL | SHIFT)
        self.assertIs(self.session.project, bent)

        self.click(48.0, float(self.curve().value[2]))
        self.type_in("Value", "18 dB")
        self.type_in("Position", "13.3")
        self.assertEqual(self.curve().beat[2], 50.0)
        self.assertAlmostEqual(self.curve().value[2], 18.0 / 24.0, places=12)
        self.type_in("Value", "99 dB")
        refused = self.field("Value")
        self.assertIn("out of range", refused.words.text())
        self.assertTrue(refused.words.isVisible() and refused.hasFocus())
        self.key(Qt.Key.Key_Escape, widget=refused)
        self.assertEqual((refused.text(), refused.words.isVisible()), ("+18.0 dB", False))
        self.assertTrue(self.lane.hasFocus(), "Esc gives the keyboard back")
        self.assertAlmostEqual(self.curve().value[2], 18.0 / 24.0, places=12)

        target = self.folder / "sweep.zolvek"
        self.assertTrue(self.studio.files.save_to(target))
        self.assertFalse(self.session.document.modified)
        self.assertEqual(project_file.load(target), self.session.project)

        self.ask.path = self.folder / "sweep.mid"
        self.do("export-midi")
        self.until(lambda: self.studio.exports.working is None)
        self.ask.path = self.folder / "sweep.csv"
        self.do("export-csv")
        self.assertEqual(curve_csv.load(self.folder / "sweep.csv"), self.curve())
        self.read_back_midi()

    def read_back_midi(self) -> None:
        lane = self.session.lane
        assert lane is not None
        file = mido.MidiFile(self.folder / "sweep.mid")
        track = next(t for t in file.tracks if "Drive" in t.name)
        now, held = 0, []
        for message in track:
            now += message.time
            if message.type == "control_change":
                self.assertEqual(
                    (message.channel + 1, message.control),
                    (lane.midi.channel, lane.midi.controller),
                )
                held.append((now / 960.0, message.value))
        ticks = np.arange(0, 60 * 960) / 960.0
        place = np.searchsorted([beat for beat, _ in held], ticks, side="right") - 1
        stream = np.array([value for _, value in held])[place]
        self.assertLessEqual(np.abs(stream - 127.0 * lane.curve.at(ticks)).max(), 1.0)

    def test_renders_the_mix_to_wav(self) -> None:
        path = self.folder / "mix.wav"
        small = project_file.decode(project_file.encode(self.session.project))
        from zolvek.core.records import replace

        self.show(replace(small, length=8.0), None)
        self.session.settings.audio.tail = False
        SoundExport(self.studio.exports, path).start()
        for _ in range(400):
            self.wait(25)
            if self.studio.exports.working is None:
                break
        info = soundfile.info(path)
        self.assertEqual((info.samplerate, info.channels, info.subtype), (48_000, 2, "PCM_24"))
        self.assertEqual(info.frames, round(8 * 60 / 112 * 48_000))
        self.assertGreater(np.abs(soundfile.read(path)[0]).max(), 0.01)

    def test_moves_groups_boxes_axes_and_free_of_the_grid(self) -> None:
        self.view.show(28.0, 40.0)
        before = self.curve()
        low, high = before.value[2], before.value[3]
        # Free of the grid with Ctrl: a place no sixteenth has.
        self.drag((32.0, low), (33.13, low), CTRL)
        self.assertNotAlmostEqual(self.curve().beat[2] * 4 % 1, 0.0, places=3)
        self.do("undo")
        # One axis held with Shift: time moved more, the value stays to the bit.
        self.drag((32.0, low), (36.0, low + 0.05), SHIFT)
        self.assertEqual((self.curve().beat[2], self.curve().value[2]), (36.0, low))
        self.do("undo")
        self.assertEqual(self.curve(), before)
        # A box from empty space with Shift, then the group moves and keeps its form.
        self.drag((29.0, high + 0.1), (66.5, low - 0.15), SHIFT)
        self.assertEqual(self.session.points.chosen.tolist(), [2, 3, 4])
        self.drag((32.0, low), (34.0, low + 0.1))
        self.assertEqual((self.curve().beat[[2, 3, 4]] - before.beat[[2, 3, 4]]).tolist(), [2.0] * 3)
        rise = self.curve().value[[2, 3, 4]] - before.value[[2, 3, 4]]
        np.testing.assert_allclose(rise, rise[0], atol=1e-12)
        self.assertEqual(len(self.curve()), len(before))
        # Escape in the middle of a drag gives everything back.
        held = self.session.project
        QTest.mousePress(self.lane, LEFT, pos=self.spot(34.0, self.curve().value[2]))
        self.move_held(self.lane, self.lane.plot.point(40.0, 0.9))
        self.assertIsNot(self.session.project, held)
        self.key(Qt.Key.Key_Escape, widget=self.lane)
        self.assertIs(self.session.project, held)
        self.key(Qt.Key.Key_Delete, widget=self.lane)
        self.assertEqual(len(self.curve()), len(before) - 3)

    def test_a_drag_stops_or_replaces_as_the_setting_says(self) -> None:
        self.view.show(0.0, 64.0)
        value = self.curve().value[1]
        self.drag((16.0, value), (40.0, value))
        self.assertEqual(self.curve().beat[1], 32.0, "stopped at its neighbour")
        self.do("undo")
        self.session.tools.set_when_met("replace")
        self.drag((16.0, value), (32.0, value))
        self.assertEqual(self.curve().beat[:3].tolist(), [0.0, 32.0, 64.0], "replaced what it met")

    def test_segments_shapes_and_hover(self) -> None:
        self.view.show(28.0, 40.0)
        self.view.show(0.0, 64.0)
        on_line = (24.0, float(self.curve().at(24.0)))
        QTest.mouseMove(self.lane, self.spot(*on_line))
        self.assertIn("segment", self.session.notices.hint)
        self.click(*on_line)
        self.assertEqual(self.session.points.chosen.tolist(), [1, 2])
        for index, shape in enumerate(SHAPES):
            self.key(Qt.Key(Qt.Key.Key_1 + index))
            self.assertEqual(SHAPES[self.curve().shape[1]].key, shape.key)
        before = self.curve()
        self.key(Qt.Key.Key_2)
        on_line = (24.0, float(self.curve().at(24.0)))
        self.drag(on_line, (28.0, on_line[1] + 0.1))
        self.assertEqual(self.curve().beat[[1, 2]].tolist(), [20.0, 36.0])
        self.assertGreater(self.curve().value[1], before.value[1] + 0.05)

    def test_playing_silently_keeps_time_and_hears_edits(self) -> None:
        self.session.span.choose((0.0, 2.0))
        self.do("loop")
        self.key(Qt.Key.Key_Space, widget=self.lane)
        playback = self.studio.player.ready()
        for _ in range(300):
            self.wait(25)
            if self.session.playhead.beat > 0.2:
                break
        self.assertTrue(self.studio.player.playing)
        self.assertGreater(self.session.playhead.beat, 0.0)
        self.assertTrue(self.studio.player.silent)
        self.assertIn("silent", self.window.transport.note.whole)
        self.wait(1300)
        self.assertLess(self.session.playhead.beat, 2.01, "the loop holds")
        dial = next(d for d in self.window.bench.dials if d.parameter.id == "pan")
        QTest.keyClick(dial, Qt.Key.Key_Up)
        self.wait()
        self.assertIs(playback.project, self.session.project)
        self.key(Qt.Key.Key_Space, widget=self.lane)
        self.assertFalse(self.studio.player.playing)

    def test_a_dial_brings_its_lane_up_or_offers_one(self) -> None:
        dials = {dial.parameter.id: dial for dial in self.window.bench.dials}
        QTest.mouseClick(dials["resonance"], LEFT)
        self.wait()
        self.assertEqual(self.session.focus.id, "horn.resonance")
        QTest.mouseClick(dials["decay"], LEFT)
        self.wait()
        self.assertTrue(self.window.bench.add.isVisible())
        QTest.mouseClick(self.window.bench.add, LEFT)
        self.wait()
        self.assertEqual(self.session.focus.id, "horn.decay")

    def test_unsaved_work_is_asked_about(self) -> None:
        self.do("select-all")
        self.do("delete")
        self.ask.when_unsaved = "cancel"
        self.assertFalse(self.window.close())
        self.assertTrue(self.window.isVisible())

    def test_a_bad_file_leaves_the_open_project(self) -> None:
        held = self.session.project
        good = project_file.encode(held)
        cases = {
            "truncated": good[: len(good) // 2],
            "not JSON": b"curve, curve",
            "newer": good.replace(b'"version": 1', b'"version": 99'),
            "non-finite": re.sub(rb'("beat": \[\s+)0\.0', rb"\g<1>1e999", good, count=1),
        }
        for name, data in cases.items():
            self.assertFalse(data == good, name)
            path = self.folder / f"{name}.zolvek"
            path.write_bytes(data)
            self.studio.files.open_path(path)
            error = self.errors.pop()
            self.assertIn(str(path), error.where, name)
            self.assertTrue(error.remedy, name)
        self.studio.files.open_path(self.folder / "missing.zolvek")
        self.assertIn("missing.zolvek", self.errors.pop().where)
        self.assertIs(self.session.project, held)

    def test_every_action_is_safe_and_can_be_undone(self) -> None:
        modal = {"open", "new", "from-files", "demo", "save", "save-as", "export-midi", "export-sound",
            "export-control", "export-table", "export-picture", "export-csv", "import-midi", "import-curve",
                "import-csv", "guide",
                 "find-action", "shortcuts", "quit", "name-lane", "ghost", "link", "reach", "repeat-growing",
                 "clear-track", "clear-device", "sound-file", "find-sounds", "add-track", "add-return",
                 "remove-track", "describe-device", "write-device", "remove-device"}  # fmt: skip
        for row in ACTIONS:
            if row.id not in modal:
                self.do(row.id)
        for lane in list(self.session.project.lanes()):
            self.session.focus.on(lane.id)
            if lane.locked:
                self.assertFalse(self.window.action("remove-lane").isEnabled())
                self.do("lock")
            self.do("remove-lane")
        self.assertIsNone(self.session.lane)
        for error in self.errors:
            self.assertTrue(error.what and error.remedy, "a message says what to do")
        while self.window.action("undo").isEnabled():
            for _ in range(10):
                self.window.action("undo").trigger()
            self.wait()
        self.assertIs(self.session.project, self.session.document.saved)


if __name__ == "__main__":
    unittest.main()
