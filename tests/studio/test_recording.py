# SPDX-License-Identifier: GPL-3.0-or-later
"""Passes of a hand, takes and thinning in the real window."""

from __future__ import annotations

import time
import unittest
from typing import Any

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt

from tests.present import present
from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.shapes import HOLD
from zolvek.core.edits.replacement import with_lane
from zolvek.core.records import replace
from zolvek.formats.project import project_file
from zolvek.studio.views.panels.record.record_panel import RecordPanel
from zolvek.studio.views.panels.record.take_pages import RecordPage, TakesPage
from zolvek.studio.views.panels.thin_panel import ThinPanel

SHIFT = Qt.KeyboardModifier.ShiftModifier


class Performing(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.settings = self.session.settings
        self.settings.recording.count_in, self.settings.recording.mode = 0, "touch"
        self.do("step-perform")
        self.recorder = self.studio.recorder
        self.studio.player.ready().warm_up()

    def dial(self, key: str) -> Any:
        return next(d for d in self.window.bench.dials if d.parameter.id == key)

    def test_touch_writes_what_was_played_and_returns(self) -> None:
        self.key(Qt.Key.Key_E)
        self.assertEqual(self.session.passes.armed, {"horn.cutoff"}, "arms no other")
        self.assertIn("armed", self.window.head.note.whole)
        before, held = self.curve(), self.session.project
        for left in reversed(range(5)):
            self.settings.recording.mode = "touch"
            beats, values, released = self.performed(before)
            # Where sound came late its time stood still, and several moves were made at once.
            apart = (np.diff(beats, prepend=-1.0) > 1e-3) & (np.diff(beats, append=999.0) > 1e-3)
            apart[:5] = apart[-5:] = False
            if apart.sum() > 30 or not left:
                break
            self.do("undo")
        after = self.curve()
        # 5 ms of a hand that rises by 0.225 a second, and what thinning may take.
        slope = np.polyfit(beats, values, 1)[0]
        slack = 0.005 * 112 / 60 * slope + self.settings.recording.tolerance
        self.assertGreater(apart.sum(), 5, "the machine has no time for sound")
        np.testing.assert_allclose(after.at(beats[apart]), values[apart], atol=slack + 0.002)
        outside = np.concatenate((np.linspace(0, 32.2, 50), np.linspace(released + 0.4, 190, 90)))
        np.testing.assert_allclose(after.at(outside), before.at(outside), atol=1e-9)
        self.assertEqual(self.settings.recording.mode, "read", "back to read")
        self.assertEqual(len(present(self.session.lane).takes), 1)
        self.do("undo")
        self.assertEqual(self.session.project.tracks[0].lanes[0].curve, held.tracks[0].lanes[0].curve, "one step")

    def performed(self, before: Any) -> tuple[np.ndarray, np.ndarray, float]:
        """A dial turned up during a pass: beats and values of its moves, and when it was let go."""
        self.session.playhead.go(32.0)
        self.do("record")
        self.until(lambda: self.session.playhead.beat > 32.3)
        dial, playback = self.dial("cutoff"), self.studio.player.ready()
        start = dial.state()[0]
        QTest.mousePress(dial, LEFT, pos=QPoint(40, 60))
        made: list[tuple[float, float]] = []
        for step in range(60):
            self.move_held(dial, QPointF(40, 60 - 0.6 * step))
            made.append((playback.beat_at(time.perf_counter()), start + 0.6 * step / 160.0))
            self.wait(8)
        QTest.mouseRelease(dial, LEFT, pos=QPoint(40, 20))
        released = playback.beat_at(time.perf_counter())
        self.wait(250)
        self.assertIs(self.session.project.lane("horn.cutoff").curve, before, "nothing is written yet")
        self.do("record")
        beats, values = np.array(made).T
        return beats, values, released

    def test_the_next_pass_is_in_the_last_mode_and_its_count_in_is_counted(self) -> None:
        self.do("arm")
        settings, player = self.settings.recording, self.studio.player
        settings.mode, settings.last_mode, settings.count_in = "latch", "touch", 3
        counted: list[str] = []
        position = self.window.transport.position
        player.changed.connect(lambda: counted.append(position.text()))
        for mode in ("latch", "read"):
            self.assertEqual(settings.mode, mode, "read after a pass")
            self.session.playhead.go(16.0)
            self.key(Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier, self.lane)
            self.assertTrue(self.recorder.recording)
            self.assertEqual(self.recorder.mode, "latch")
            self.until(lambda: self.session.playhead.beat > 16.2)
            self.key(Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier, self.lane)
            self.assertFalse(self.recorder.recording)
            self.assertTrue(self.session.passes.armed)
        shown = list(dict.fromkeys(counted))
        self.assertEqual([text for text in shown if text.startswith("−")], ["−3", "−2", "−1"])
        self.assertEqual(self.errors, [])

    def test_loops_keep_takes_and_spans_of_them_are_chosen(self) -> None:
        self.session.focus.on("horn.resonance")
        self.do("arm")
        self.settings.recording.mode, self.settings.recording.keep_mode = "write", True
        self.session.span.choose((32.0, 33.0))
        self.do("loop")
        self.session.playhead.go(32.0)
        self.do("record")
        for value in (0.8, 0.6):
            self.until(lambda: self.session.playhead.beat > 32.2)
            self.recorder.move("horn", "resonance", value, None)
            self.until(lambda: self.session.playhead.beat > 32.8)
            self.until(lambda: self.session.playhead.beat < 32.5)
        self.do("stop")
        self.assertEqual(self.settings.recording.mode, "write", "asked to stay")
        lane = self.session.lane
        self.assertGreaterEqual(len(present(lane).takes), 2)
        self.assertAlmostEqual(float(present(lane).takes[0].curve.at(32.7)), 0.8, places=6)
        page = self.window.rail.findChild(TakesPage)
        self.window.rail.findChild(RecordPanel).show_page("Takes")
        self.assertEqual(page.list.count(), len(present(lane).takes))
        # Dragging across the first take's strip chooses that span of it.
        view = self.window.takes_view
        self.view.show(31.0, 4.0)
        self.settings.recording.return_beats = 0.0
        self.wait()
        row = (len(present(lane).takes) - 1) * 34 + 15
        x = [int(64 + self.view.x(b)) for b in (32.5, 32.75)]
        self.drag_on(view, QPoint(x[0], row), QPoint(x[1], row))
        choice = present(present(self.session.lane).comp).choices[0]
        self.assertEqual((choice.first, choice.last, choice.take), (32.5, 32.75, "take-1"))
        self.assertAlmostEqual(float(self.curve().at(32.6)), 0.8, delta=0.01)
        page.list.setCurrentRow(0)
        self.do("take-rate")
        self.do("take-hear")
        self.assertIsNotNone(self.session.audition.listening.tried)
        self.do("take-hear")
        self.assertIsNone(self.session.audition.listening.tried)
        self.do("take-delete")
        self.assertEqual(len(present(self.session.lane).takes), len(present(lane).takes) - 1)

    def test_the_depth_of_a_layer_is_played_by_hand(self) -> None:
        self.session.focus.on("lantern-strip.pan")
        base = present(self.session.lane).curve
        self.do("layer-depth")
        self.do("arm")
        self.settings.recording.mode = "latch"
        self.session.playhead.go(140.0)
        self.do("record")
        self.until(lambda: self.session.playhead.beat > 140.4)
        self.recorder.move("lantern-strip", "pan", 0.1, None)
        moved = self.session.playhead.beat
        self.until(lambda: self.session.playhead.beat > 141.8)
        held = (moved + self.session.playhead.beat) / 2.0  # far from both ends, which a busy machine shifts
        self.do("stop")
        layer = present(self.session.lane).layers[0]
        self.assertIs(present(self.session.lane).curve, base, "the base stays")
        depth = layer.amount * (2.0 * float(present(layer.amount_way).at(held)) - 1.0)
        self.assertAlmostEqual(depth, -0.8, delta=0.01)
        self.assertIn("Record pass", self.session.document.history.undo_label)

    def test_count_in_stop_disarm_and_a_device_that_goes(self) -> None:
        with_none = self.session.project
        self.do("record")
        self.assertIn("armed", self.errors.pop().what)
        self.do("arm")
        self.settings.recording.count_in = 16  # a click is short: on a busy machine some are looked past
        self.do("record")
        self.until(lambda: max(present(self.studio.player.playback).peaks) > 0.1)
        self.assertEqual(self.session.playhead.beat, 0.0, "it counts in where it begins")
        self.do("stop")
        self.assertIs(self.session.project, with_none, "stopped in the count-in: nothing is written")
        self.settings.recording.count_in, self.settings.recording.mode = 0, "latch"
        self.do("record")
        self.until(lambda: self.session.playhead.beat > 0.2)
        self.recorder.move("horn", "cutoff", 0.9, None)
        self.wait(60)
        self.do("disarm-all")
        self.wait(60)
        self.studio.files.save_to(self.folder / "halfway.zolvek")
        self.do("stop")
        self.assertGreater(float(self.curve().value.max()), 0.85, "what was set stays")
        self.session.passes.arm("horn.cutoff")
        self.settings.recording.mode = "latch"
        self.do("record")
        self.until(lambda: self.session.playhead.beat > 0.2)
        self.recorder.move("horn", "cutoff", 0.1, None)
        self.ask.yes = True
        self.do("remove-device")
        self.do("stop")
        self.assertNotIn("horn.cutoff", [x.id for x in self.session.project.lanes()])
        self.assertFalse(self.errors)

    def test_a_long_pass_is_written_beside_the_interface(self) -> None:
        """More moves than are written while one waits: the window goes on, and saving waits."""
        recorder = self.studio.recorder
        lane = self.session.lane
        self.session.passes.arm(present(lane).id)
        self.session.settings.recording.count_in, self.session.settings.recording.mode = 0, "latch"
        recorder.begin()
        self.until(lambda: present(recorder.player.playback).pulls)
        passed = recorder.passes[present(lane).id]
        for number in range(6_000):
            passed.add(number * 0.004, 0.5 + 0.4 * np.sin(number / 300.0))
        self.session.playhead.go(24.0)
        before = self.session.project
        recorder.finish()
        self.assertIsNotNone(recorder.writing)
        self.assertIs(self.session.project, before, "nobody waits for it")
        # An edit of another lane meanwhile stays; saving takes the pass with it.
        other = next(x for x in self.session.project.lanes() if x.id != present(lane).id)
        self.session.document.edit("Hide", with_lane(self.session.project, replace(other, hidden=True)))
        target = self.folder / "pass.zolvek"
        self.assertTrue(self.studio.files.save_to(target))
        self.assertIsNone(recorder.writing)
        saved = project_file.load(target)
        self.assertTrue(saved.lane(other.id).hidden)
        made = saved.lane(present(lane).id)
        self.assertEqual(len(made.takes), len(present(lane).takes) + 1)
        beats = np.linspace(0.1, 23.0, 400)
        wanted = 0.5 + 0.4 * np.sin(beats / 0.004 / 300.0)
        self.assertLess(np.abs(made.curve.at(beats) - wanted).max(), 0.02)
        self.studio.player.stop()

    def test_a_switch_records_as_holds_and_a_hidden_lane_is_shown(self) -> None:
        self.session.touch("horn", "mute")
        self.key(Qt.Key.Key_A)
        self.do("hide-lane")
        self.session.passes.arm("horn.mute")
        self.session.playhead.go(32.0)
        self.do("record")
        self.assertFalse(self.session.project.lane("horn.mute").hidden, "shown while it records")
        self.until(lambda: self.session.playhead.beat > 32.3)
        mute = self.session.project.device_track("horn")
        self.assertIsNotNone(mute.lane_on("horn", "mute"))
        self.recorder.press("horn", "mute", 0.0, None)
        self.goes_on(0.2)
        self.recorder.move("horn", "mute", 1.0, None)
        self.goes_on(0.2)
        self.recorder.release("horn", "mute", None)
        self.do("stop")
        curve = self.session.project.lane("horn.mute").curve
        self.assertEqual(set(np.unique(curve.value)), {0.0, 1.0})
        self.assertIn(HOLD, curve.shape)

    def goes_on(self, beats: float) -> None:
        """Until the song has gone on for so long from now, however late it is seen."""
        since = self.session.playhead.beat
        self.until(lambda: self.session.playhead.beat > since + beats)

    def test_thinning_is_seen_before_it_is_done(self) -> None:
        beats = np.linspace(0.0, 100.0, 2_000)
        from tests.core.test_thinning import lines

        self.session.edit_curve("x", lines(beats, 0.5 + 0.3 * np.sin(beats / 5.0)))
        self.do("step-thin")
        panel = self.window.rail.findChild(ThinPanel)
        dense = self.curve()
        self.type_in("Thinning tolerance", "1 %")
        panel.preview()
        self.assertIs(self.curve(), dense)
        self.assertIn("after", panel.result.text())
        self.assertIsNotNone(self.session.preview.errors)
        panel.apply()
        self.assertLess(len(self.curve()), 20)
        self.assertLess(np.abs(self.curve().at(beats) - dense.at(beats)).max(), 0.0101)
        self.do("undo")
        self.session.points.choose(np.array([700]))
        self.key(Qt.Key.Key_P)
        panel.apply()
        self.assertIn("no length", self.errors.pop().what, "one point has no span to thin")
        self.key(Qt.Key.Key_Escape, widget=self.lane)
        panel.kind.setCurrentIndex(1)
        panel.count.setValue(12)
        panel.apply()
        self.assertLessEqual(len(self.curve()), 12)
        self.assertIn(dense.beat[700], self.curve().beat, "a pinned point stays")
        self.do("undo")
        panel.all.setChecked(True)
        panel.kind.setCurrentIndex(0)
        panel.apply()
        self.assertIn("Thin all shown lanes", self.session.document.history.undo_label)
        self.session.span.choose((10.0, 60.0))
        panel.straighten()
        inside = (self.curve().beat > 10.0) & (self.curve().beat < 60.0)
        self.assertFalse(inside.any())
        self.assertTrue(self.window.rail.findChild(RecordPage))


if __name__ == "__main__":
    unittest.main()
