# SPDX-License-Identifier: GPL-3.0-or-later
"""What a hand does to curves, in the real window: each thing with mouse and keys."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QApplication

from tests.present import present
from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.construction import curve, lines
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.model.project import Pattern
from zolvek.core.records import replace
from zolvek.formats import pattern_library
from zolvek.formats.tables import clipboard
from zolvek.studio.session.session import NONE_CHOSEN
from zolvek.studio.views.panels.patterns_panel import PatternsPanel
from zolvek.studio.views.panels.shape_panel import OPERATIONS, ShapePanel
from zolvek.studio.views.timeline.selection_frame import HANDLES, frame_of

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
HANDLE = {handle.key: handle for handle in HANDLES}


class ByHand(WindowTest):
    def lane_key(self, key: Any, keys: Any = Qt.KeyboardModifier.NoModifier) -> None:
        self.lane.setFocus()
        self.key(key, keys, self.lane)

    def on_transpose(self) -> None:
        self.session.focus.on("mallet.transpose")
        self.view.show(80.0, 24.0)
        self.wait()

    def grab(self, key: str) -> QPointF:
        frame = frame_of(self.session)
        assert frame is not None
        return self.lane.plot.spot(HANDLE[key], frame)

    def test_1_a_new_lane_is_flat_and_the_first_form_fills_the_span(self) -> None:
        self.session.span.choose((32.0, 40.0))
        self.session.touch("mallet", "drive")
        self.key(Qt.Key.Key_A)
        before = self.session.project.device_of("mallet.drive").position("drive")
        self.assertEqual(self.curve().value.tolist(), [before])
        self.window.action("step-shape").trigger()
        panel = self.window.rail.findChild(ShapePanel)
        panel.choose("stamp-swell")
        QTest.mouseClick(panel.preview, LEFT)
        self.assertEqual(len(self.curve()), 1, "a preview changes nothing")
        self.assertIsNotNone(self.session.preview.curve)
        QTest.mouseClick(panel.apply, LEFT)
        self.assertAlmostEqual(float(self.curve().at(36.0)), 1.0, places=6)
        np.testing.assert_allclose(self.curve().at([31.9, 32.0, 40.0, 41.0]), before, atol=1e-9)
        # The curve goes along to another control, its form kept.
        drawn = self.curve()
        self.session.touch("mallet", "noise")
        self.do("retarget")
        self.assertEqual((present(self.session.lane).parameter, self.curve()), ("noise", drawn))

    def test_moves_keep_their_distance_from_the_grid(self) -> None:
        self.view.show(32.0, 32.0)
        self.session.edit_curve("Points", lines([0.0, 40.1, 60.0], [0.5, 0.5, 0.5]), NONE_CHOSEN)
        self.drag((40.1, 0.5), (43.02, 0.5), SHIFT)
        self.assertEqual(self.curve().beat[1], 43.0)
        self.do("undo")
        self.key(Qt.Key.Key_G, CTRL | SHIFT)
        self.drag((40.1, 0.5), (43.02, 0.5), SHIFT)
        self.assertAlmostEqual(float(self.curve().beat[1]), 43.1, places=9)
        self.do("undo")
        self.assertAlmostEqual(float(self.curve().beat[1]), 40.1, places=9)
        self.do("keep-distance")
        self.assertFalse(self.session.settings.editing.relative_snap)

    def test_2_freehand_lines_and_forms(self) -> None:
        self.view.show(32.0, 32.0)
        self.key(Qt.Key.Key_2, SHIFT)
        self.assertEqual(self.session.tools.tool, "freehand")
        beats = np.linspace(36.0, 52.0, 60)
        hand = 0.5 + 0.3 * np.sin((beats - 36.0) / 16.0 * 2 * np.pi)
        QTest.mousePress(self.lane, LEFT, pos=self.spot(beats[0], hand[0]))
        for beat, value in zip(beats[1:], hand[1:], strict=True):
            self.move_held(self.lane, self.lane.plot.point(beat, value))
        QTest.mouseRelease(self.lane, LEFT, pos=self.spot(beats[-1], hand[-1]))
        self.wait()
        drawn = self.curve()
        inside = (drawn.beat > 36.1) & (drawn.beat < 51.9)
        self.assertLess(inside.sum(), 12, "few points")
        np.testing.assert_allclose(drawn.at(beats[2:-2]), hand[2:-2], atol=0.03)
        self.assertEqual(self.session.document.history.undo_label, "Draw freehand")
        self.do("undo")
        self.do("tool-line")
        self.drag((40.0, 0.2), (44.05, 0.6))
        np.testing.assert_allclose(self.curve().at([40.0, 42.0]), [0.2, 0.4], atol=0.01)
        self.do("tool-stamp")
        self.drag((48.0, 0.3), (52.0, 0.9))
        self.assertAlmostEqual(float(self.curve().at(50.0)), 0.9, delta=0.01)

    def test_3_nudges_changes_jumps_and_the_dial(self) -> None:
        self.on_transpose()
        self.click(92.0, float(self.curve().at(92.0)))
        text = present(self.session.target).parameter.text
        self.lane_key(Qt.Key.Key_Up)
        self.assertEqual(text(self.curve().value[2]), "+8 st")
        self.lane_key(Qt.Key.Key_Down, SHIFT)
        self.assertEqual(text(self.curve().value[2]), "+7.9 st")
        self.type_in("Change by", "-0.9 st")
        self.type_in("Change by", "x0.5")
        self.assertEqual(text(self.curve().value[2]), "+3.5 st")
        self.type_in("Value", "+2 st")
        self.assertEqual(text(self.curve().value[2]), "+2 st")
        self.lane_key(Qt.Key.Key_Left)
        self.lane_key(Qt.Key.Key_Right, SHIFT)
        self.assertAlmostEqual(self.curve().beat[2], 91.75 + 10 / 960)
        self.key(Qt.Key.Key_J)
        self.assertEqual(self.curve().beat[2], self.curve().beat[3])
        self.session.points.choose(np.array([2]))
        self.key(Qt.Key.Key_J)
        self.assertEqual(len(self.curve()), 7)
        self.session.points.choose(np.array([2]))
        self.key(Qt.Key.Key_D, SHIFT)
        self.assertAlmostEqual(
            self.session.project.device_of("mallet.transpose").position("transpose"),
            self.curve().value[2],
        )
        self.do("reset")
        self.assertEqual(self.curve(), present(self.session.document.saved).lane("mallet.transpose").curve)

    def test_4_a_bar_is_lifted_by_a_fifth_and_frames_shape(self) -> None:
        self.on_transpose()
        self.session.span.choose((84.0, 88.0))
        self.wait()
        start = self.grab("level")
        fifth = self.lane.plot.area.height() * 7 / 48
        self.drag_on(self.lane, start.toPoint(), QPointF(start.x(), start.y() - fifth).toPoint())
        self.assertAlmostEqual(float(self.curve().at(86.0)), 0.5 + 7 / 48, delta=0.004)
        self.assertEqual(float(self.curve().at(83.9)), 0.5)
        self.assertAlmostEqual(float(self.curve().at(88.0)), 26 / 48, places=9)
        self.do("undo")
        self.assertIs(self.session.project, self.session.document.saved, "one step")
        self.session.focus.on("horn.cutoff")
        self.view.show(28.0, 40.0)
        self.session.span.choose((32.0, 64.0))
        self.wait()
        for key, way, beat in (("right", -0.1, 63.9), ("top", -0.1, 63.9), ("bottom", 0.05, 32.1)):
            before = float(self.curve().at(beat))
            start = self.grab(key)
            end = QPointF(start.x(), start.y() - way * self.lane.plot.area.height())
            self.drag_on(self.lane, start.toPoint(), end.toPoint())
            self.assertGreater((float(self.curve().at(beat)) - before) * np.sign(way), 0.02, key)
            self.do("undo")
        start = self.grab("length")
        self.drag_on(self.lane, start.toPoint(), self.lane.plot.point(48.0, 0.5).toPoint())
        peak = present(self.session.document.saved).lane("horn.cutoff").curve.at(63.999)
        self.assertAlmostEqual(float(self.curve().at(47.999)), float(peak), delta=0.01)

    def test_4_every_operation_of_the_panel_works_on_the_span_only(self) -> None:
        self.do("step-shape")
        panel = self.window.rail.findChild(ShapePanel)
        self.session.span.choose((40.0, 56.0))
        beats = np.concatenate((np.linspace(0, 39.9, 50), np.linspace(56.1, 190, 50)))
        before = self.curve()
        for operation in OPERATIONS:
            panel.choose(operation.key)
            QTest.mouseClick(panel.apply, LEFT)
            self.wait()
            self.assertNotEqual(self.curve(), before, operation.key)
            np.testing.assert_allclose(self.curve().at(beats), before.at(beats), atol=1e-9, err_msg=operation.key)
            self.do("undo")
            self.assertEqual(self.curve(), before)
        self.assertEqual(self.errors, [])

    def test_5_the_grid(self) -> None:
        self.view.show(28.0, 12.0)
        self.drag((32.0, float(self.curve().at(32.0))), (33.1, 0.4), CTRL)
        off = self.curve().beat[2]
        self.key(Qt.Key.Key_Comma)
        self.key(Qt.Key.Key_Period)
        self.assertEqual(self.curve().beat[2], off, "changing the grid moves nothing")
        self.session.points.choose(np.array([2]))
        self.key(Qt.Key.Key_Q, SHIFT)
        self.assertAlmostEqual(self.curve().beat[2], (off + 33.0) / 2, delta=0.02)
        self.key(Qt.Key.Key_Q)
        self.assertEqual(self.curve().beat[2], 33.0)
        self.type_in("Offset", "-15 t")
        self.assertAlmostEqual(self.session.tools.grid.offset, -1 / 64)
        self.key(Qt.Key.Key_Q)
        self.assertAlmostEqual(self.curve().beat[2], 33.0 - 1 / 64, msg="a 1/256 of a bar before the hit")
        self.type_in("Swing", "50 %")
        self.assertEqual(self.session.tools.grid.swing, 0.5)
        self.type_in("Swing", "400 %")
        self.assertIn("out of range", self.field("Swing").words.text())

    def test_5_the_value_grid(self) -> None:
        self.on_transpose()
        levels = self.field("Value grid")
        self.assertEqual(levels.currentText(), "Off")
        levels.setCurrentIndex(levels.findText("Whole units"))
        levels.activated.emit(levels.currentIndex())
        value = float(self.curve().at(92.0))
        self.drag((92.0, value), (92.0, value - 3.3 / 48))
        self.assertEqual(present(self.session.target).parameter.text(self.curve().value[2]), "+4 st")
        self.drag((92.0, float(self.curve().value[2])), (92.0, value + 0.4 / 48), CTRL)
        self.assertNotIn(present(self.session.target).parameter.text(self.curve().value[2]), ("+7 st", "+8 st"))

    def test_6_copies(self) -> None:
        self.lane.setFocus()
        self.session.span.choose((56.0, 64.0))
        self.lane_key(Qt.Key.Key_C, CTRL)
        pieces = clipboard.from_text(present(QApplication.clipboard()).text())
        self.assertEqual(pieces[0][1].beat[-1], 8.0)
        self.session.focus.on("echo.feedback")
        self.session.playhead.go(100.0)
        self.lane_key(Qt.Key.Key_V, CTRL)
        source = present(self.session.document.saved).lane("horn.cutoff").curve
        beats = np.linspace(0.1, 7.9, 30)
        np.testing.assert_allclose(self.curve().at(100.0 + beats), source.at(56.0 + beats), atol=1e-9)
        self.session.span.choose((120.0, 124.0))
        self.do("paste-scaled")
        np.testing.assert_allclose(self.curve().at(120.0 + beats / 2), source.at(56.0 + beats), atol=1e-9)
        self.session.span.choose((100.0, 108.0))
        self.do("duplicate")
        np.testing.assert_allclose(self.curve().at(108.0 + beats), source.at(56.0 + beats), atol=1e-9)
        self.session.span.choose((96.0, 100.0))
        self.do("repeat")
        self.do("copy-all")
        self.session.playhead.go(8.0)
        self.do("paste")
        for lane in self.session.project.lanes():
            first = present(self.session.span.beats)[0]
            np.testing.assert_allclose(lane.curve.at(8.5), lane.curve.at(first + 0.5), atol=1e-9)
        present(QApplication.clipboard()).setText("a shopping list")
        self.do("paste")
        self.assertIn("no curve", self.errors.pop().what)

    def test_7_patterns_and_slots(self) -> None:
        self.do("step-patterns")
        panel = present(self.window.rail.shown["step-patterns"].findChild(PatternsPanel))
        self.session.span.choose((64.0, 80.0))
        panel.save_as("Ripple")
        (pattern_library.folder() / "broken.json").write_text("{")
        self.addCleanup((pattern_library.folder() / "broken.json").unlink)
        panel.reload()
        self.assertIn("broken.json", panel.fault.text())
        self.assertEqual([p.name for p in panel.found], ["Ripple"])
        panel.list.setCurrentRow(0)
        self.session.span.choose((0.0, 32.0))
        self.do("pattern-place")
        source = present(self.session.document.saved).lane("horn.cutoff").curve
        np.testing.assert_allclose(self.curve().at([1.0, 17.0]), source.at([65.0, 65.0]), atol=1e-9)
        self.do("slot-add")
        self.session.playhead.go(100.0)
        panel.slots.setCurrentRow(1)
        panel.play_here()
        from zolvek.core.movement.evaluation.lane_evaluation import played

        lane = self.session.lane
        heard = played(present(lane), self.session.project).curve
        np.testing.assert_allclose(heard.at([97.0, 113.0]), source.at([65.0, 65.0]), atol=1e-9)
        self.assertEqual(float(heard.at(129.0)), float(present(lane).curve.at(129.0)))
        pattern_library.rename("Ripple", "Wavelet")
        panel.reload()
        panel.list.setCurrentRow(0)
        self.do("pattern-delete")
        self.assertEqual(panel.found, [])
        self.do("pattern-undo")
        self.assertEqual([p.name for p in panel.found], ["Wavelet"])
        self.ask.yes = False
        self.session.span.choose((0.0, 4.0))
        panel.save_as("Wavelet")
        self.assertEqual(panel.found[0].length, 16.0, "one that is there is not replaced unasked")

    def test_8_a_cycle_plays_on_once_and_then_repeats(self) -> None:
        from zolvek.core.movement.evaluation.lane_evaluation import played

        self.session.span.choose((64.0, 68.0))
        self.key(Qt.Key.Key_O)
        lane = self.session.lane
        heard = played(present(lane), self.session.project).curve
        beats = np.linspace(0.05, 3.95, 20)
        for start in (64.0, 68.0, 100.0, 184.0):
            np.testing.assert_allclose(heard.at(start + beats), present(lane).curve.at(64.0 + beats), atol=5e-4)
        self.assertEqual(float(heard.at(40.0)), float(present(lane).curve.at(40.0)))
        self.do("unroll")
        self.assertIsNone(present(self.session.lane).cycle)
        self.assertEqual(self.curve(), heard)

    def test_9_reach_by_dragging_typing_and_from_the_selection(self) -> None:
        lane = self.session.lane
        top = QPointF(30, self.lane.plot.area.top())
        self.drag_on(
            self.lane,
            top.toPoint(),
            QPointF(30, top.y() + self.lane.plot.area.height() * 0.3).toPoint(),
        )
        self.assertAlmostEqual(present(self.session.lane).reach[1], 0.7, delta=0.02)
        self.assertEqual(self.curve(), present(lane).curve, "the form stays")
        self.do("undo")
        self.session.span.choose((64.0, 80.0))
        self.key(Qt.Key.Key_R, SHIFT)
        new = self.session.lane
        text = present(self.session.target).parameter.text
        self.assertEqual([text(end) for end in present(new).reach], ["900 Hz", "1.9 kHz"])
        beats = np.linspace(64.5, 79.5, 20)
        np.testing.assert_allclose(present(new).at(beats), present(lane).at(beats), atol=1e-6)

    def test_10_lanes(self) -> None:
        ids = [lane.id for lane in self.session.project.lanes()]
        self.key(Qt.Key.Key_K)
        held = self.session.project
        self.click(50.0, 0.9)
        self.assertIs(self.session.project, held, "a locked lane stays")
        self.assertIn("locked", self.session.notices.hint)
        self.key(Qt.Key.Key_K)
        self.key(Qt.Key.Key_H)
        self.assertTrue(self.session.project.lane("horn.cutoff").hidden)
        self.assertNotEqual(self.session.focus.id, "horn.cutoff")
        self.key(Qt.Key.Key_H, SHIFT)
        self.session.focus.on("horn.cutoff")
        self.do("move-down")
        self.assertEqual(
            [x.id for x in self.session.project.tracks[0].lanes[:2]],
            ["horn.resonance", "horn.cutoff"],
        )
        from zolvek.studio.commands.lanes import link_to

        link_to(self.session, "echo.feedback", -0.5)
        self.view.show(28.0, 40.0)
        index = int(np.flatnonzero(self.curve().beat == 32.0)[0])
        value = float(self.curve().value[index])
        other = float(self.session.project.lane("echo.feedback").curve.at(32.0))
        self.drag((32.0, value), (32.0, value + 0.2), SHIFT)
        rise = float(self.curve().value[index]) - value
        followed = float(self.session.project.lane("echo.feedback").curve.at(32.0))
        self.assertAlmostEqual(followed, other - 0.5 * rise, places=9)
        self.do("undo")
        self.do("bypass-all")
        self.assertTrue(all(lane.bypassed for lane in self.session.project.lanes()))
        self.do("clear-lane")
        self.assertEqual(len(self.curve()), 1)
        self.ask.yes = True
        self.do("clear-device")
        self.assertIn("Remove 7 lanes of Horn?", self.ask.asked[0])
        self.assertEqual(len(list(self.session.project.lanes())), len(ids) - 7)
        while self.window.action("undo").isEnabled():
            self.do("undo")
        self.assertIs(self.session.project, self.session.document.saved)

    def test_11_all_of_it_while_playing(self) -> None:
        self.session.span.choose((32.0, 40.0))
        self.session.playhead.go(32.0)
        self.lane_key(Qt.Key.Key_Space)
        self.do("duplicate")
        self.do("quantise")
        self.key(Qt.Key.Key_O)
        self.assertTrue(self.studio.player.playing)
        self.assertIs(present(self.studio.player.playback).project, self.session.project)
        self.wait(120)
        self.lane_key(Qt.Key.Key_Space)
        self.assertEqual(self.errors, [])

    def test_slots_survive_the_file(self) -> None:
        from zolvek.formats.project import project_file

        lane = self.session.lane
        changed = replace(
            present(lane),
            slots=(
                Pattern(
                    "x",
                    4.0,
                    curve([(0.0, 0.1, "bend", 0.5), (2.0, 0.2)]),
                ),
            ),
        )
        self.session.edit_lane("slot", present(changed))
        self.assertEqual(project_file.decode(project_file.encode(self.session.project)), self.session.project)
        self.assertEqual(SHAPES[present(changed).slots[0].curve.shape[0]].key, "bend")


if __name__ == "__main__":
    unittest.main()
