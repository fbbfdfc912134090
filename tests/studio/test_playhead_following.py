# SPDX-License-Identifier: GPL-3.0-or-later
"""What else shows a thing follows when it changes: panels, the overview, the dials."""

from __future__ import annotations

import unittest

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage

from tests.present import present
from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.construction import curve, flat
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.studio.views.panels.shape_panel import ShapePanel


class Following(WindowTest):
    def miniature(self) -> QImage:
        self.until(lambda: not self.window.overview.later.isActive())
        return self.window.overview.grab().toImage()

    def on_drawn(self) -> None:
        """A focus lane with two points at hand, both selected."""
        self.session.focus.on("mallet.transpose")
        self.view.show(80.0, 24.0)
        self.session.edit_curve("Draw", curve([(84.0, 0.3), (92.0, 0.6)]))
        self.wait()
        self.key(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier, self.lane)
        self.assertEqual(self.session.points.chosen.tolist(), [0, 1])

    def test_the_shape_panel_says_where_the_selection_is_while_it_is_dragged(self) -> None:
        self.do("step-shape")
        self.on_drawn()
        panel = self.window.rail.findChild(ShapePanel)
        text = self.session.project.meter.text
        QTest.mouseClick(panel.preview, LEFT)
        self.assertIsNotNone(self.session.preview.curve)
        for move in (4.0, -2.0):
            first, last = self.curve().beat
            self.drag((first, float(self.curve().value[0])), (first + move, 0.3))
            self.assertEqual(self.curve().beat.tolist(), [first + move, last + move])
            self.assertIn(f"{text(first + move)} to {text(last + move)}", panel.scope.text())
            self.assertIsNone(self.session.preview.curve, "what was previewed is of another curve")
        self.do("undo")
        self.assertIn(f"{text(88.0)} to {text(96.0)}", panel.scope.text())

    def test_the_overview_follows_edits_hiding_and_the_focus(self) -> None:
        overview, start = self.window.overview, self.miniature()
        self.assertEqual(self.miniature(), start)
        kept = overview.lanes
        self.view.show(40.0, 16.0)
        self.assertNotEqual(self.miniature(), start, "the frame has moved")
        self.assertIs(overview.lanes, kept, "and the lanes are not drawn again for it")
        self.view.show(0.0, self.view.length)
        pictures = [self.miniature()]
        for change in (
            lambda: self.session.edit_curve("Down", flat(0.02)),
            lambda: self.session.edit_curve("Up", flat(0.98)),
            lambda: self.do("hide-lane"),
            lambda: self.session.focus.on("echo.mix"),
            lambda: self.do("theme"),
            lambda: self.window.resize(1_400, 800),
        ):
            change()
            self.wait()
            pictures.append(self.miniature())
            self.assertNotEqual(pictures[-1], pictures[-2])

    def test_a_drag_in_the_overview_scrolls_and_its_edges_zoom(self) -> None:
        overview = self.window.overview
        self.view.show(40.0, 40.0)
        middle = QPoint(round(overview.whole.x(60.0)), 40)
        self.drag_on(overview, middle, middle + QPoint(60, 0))
        moved = overview.whole.beat(overview.whole.x(40.0) + 60)
        self.assertAlmostEqual(self.view.first, moved, delta=0.5)
        self.assertAlmostEqual(self.view.beats, 40.0, places=6)
        edge = QPoint(round(overview.whole.x(self.view.last)), 40)
        self.drag_on(overview, edge, edge + QPoint(40, 0))
        self.assertAlmostEqual(self.view.first, moved, delta=0.5)
        self.assertGreater(self.view.beats, 44.0)

    def test_dials_show_what_their_lane_comes_to_at_every_place(self) -> None:
        self.session.focus.on("horn.cutoff")
        dial = next(d for d in self.window.bench.dials if d.parameter.id == "cutoff")
        for beat in (0.0, 40.0, 63.9, 64.0, 120.5):
            self.session.playhead.go(beat)
            lane = self.session.project.lane("horn.cutoff")
            self.assertEqual(present(dial.shown)[0], float(played(lane, self.session.project).at(beat)))
        before = present(dial.shown)[0]
        self.session.edit_curve("Level", flat(0.125))
        lane = self.session.project.lane("horn.cutoff")
        self.assertEqual(present(dial.shown)[0], float(lane.to_position(0.125)))
        self.do("undo")
        self.assertEqual(present(dial.shown)[0], before)
        self.do("bypass")
        self.assertEqual(present(dial.shown)[0], dial.own, "a lane that is bypassed moves nothing")


if __name__ == "__main__":
    unittest.main()
