# SPDX-License-Identifier: GPL-3.0-or-later
"""Every drag on the timeline in the real window: Esc gives back what was there, wherever the keyboard is; the button
coming up makes it one step."""

from __future__ import annotations

import itertools
import unittest
from typing import Any, NamedTuple

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt

from tests.present import present
from tests.studio.driver import LEFT, NO_KEY, WindowTest
from tests.studio.qtest import QTest
from zolvek.studio.views.timeline.other_lanes import OtherLanes
from zolvek.studio.views.timeline.plot import SCALE
from zolvek.studio.views.timeline.ruler import Ruler
from zolvek.studio.views.timeline.time_rows import METER, SECTIONS, TimeRows
from zolvek.studio.views.timeline.track_row import TrackRow

CANCELLING = ((Qt.Key.Key_Escape,), (Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
SHIFT = Qt.KeyboardModifier.ShiftModifier


class Case(NamedTuple):
    """A drag: where it begins and ends in a widget, the keys held, and whether it makes a step."""

    name: str
    widget: Any
    start: QPointF
    end: QPointF
    keys: Any = NO_KEY
    step: bool = True


class Drags(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.settings.put("window.time_rows", True)
        self.session.look.changed.emit()
        self.session.focus.on("horn.cutoff")
        self.view.show(0.0, 194.0)
        self.wait(20)

    def found(self, kind: Any) -> Any:
        return present(self.window.findChild(kind))

    def x(self, beat: float) -> float:
        return SCALE + self.view.x(beat)

    def cases(self) -> list[Case]:
        lane, rows, times = self.lane, self.found(OtherLanes), self.found(TimeRows)
        ruler, strip = self.found(Ruler), self.found(TrackRow)
        curve, project = self.curve(), self.session.project
        inside = np.flatnonzero((curve.beat > 4.0) & (curve.beat < 60.0))
        point = QPointF(self.spot(float(curve.beat[inside[0]]), float(curve.value[inside[0]])))
        other, top, height = next(
            row for row in rows._tops() if np.any((row[0].curve.beat > 2.0) & (row[0].curve.beat < 60.0))
        )
        number = int(np.flatnonzero((other.curve.beat > 2.0) & (other.curve.beat < 60.0))[0])
        low = QPointF(
            self.x(float(other.curve.beat[number])),
            top + 6 + (height - 13) * (1.0 - float(other.curve.value[number])),
        )
        note = strip.strip().track.notes[0]
        area = strip.strip().note_area(note)
        spans, tempo = project.section_spans(), project.tempo.points[0]
        border = QPointF(self.x(spans[1][1]), SECTIONS[1] / 2)
        meter = QPointF(self.x(project.meter.starts[1]) + 10.0, METER[0] + METER[1] / 2)
        bpm = QPointF(self.x(tempo.beat), times.scale().y(tempo.bpm))
        right, up = QPointF(70.0, 0.0), QPointF(0.0, -14.0)
        return [
            Case("a point", lane, point, point + QPointF(31.0, 20.0)),
            Case("an added point", lane, QPointF(self.spot(3.0, 0.02)), QPointF(self.spot(3.5, 0.1))),
            Case("a box", lane, QPointF(self.spot(1.0, 0.98)), QPointF(self.spot(50.0, 0.02)), SHIFT, False),
            Case("a point of another lane", rows, low, low + QPointF(40.0, 6.0)),
            Case("a sweep over lanes", rows, QPointF(low.x(), 6.0), QPointF(low.x() + 90.0, 60.0), SHIFT, False),
            Case("a span", ruler, QPointF(self.x(8.0), 30.0), QPointF(self.x(16.0), 30.0), NO_KEY, False),
            Case("a note", strip, area.center(), area.center() + right),
            Case("a section's border", times, border, border + right),
            Case("a meter", times, meter, meter - right),
            Case("a tempo", times, bpm, bpm + up),
        ]

    def selection(self) -> tuple[Any, ...]:
        session = self.session
        return session.points.chosen.tolist(), session.span.beats, session.span.also

    def hold(self, case: Case) -> None:
        QTest.mouseMove(case.widget, case.start.toPoint())
        QTest.mousePress(case.widget, LEFT, case.keys, case.start.toPoint())
        for part in (0.3, 0.6, 1.0):
            self.move_held(case.widget, case.start + (case.end - case.start) * part, case.keys)

    def let_go(self, case: Case) -> None:
        QTest.mouseRelease(case.widget, LEFT, case.keys, case.end.toPoint())
        self.wait()

    def test_escape_cancels_each_and_release_makes_one_step(self) -> None:
        session = self.session
        for index, press in itertools.product(range(len(self.cases())), CANCELLING):
            session.points.choose(np.array([0]))
            session.span.choose(None)
            case, before, selected = self.cases()[index], session.project, self.selection()
            steps = session.document.history.here
            with self.subTest(case.name):
                self.hold(case)
                self.assertIsNotNone(case.widget.dragging.drag)
                if case.step:
                    self.assertFalse(session.project == before, "it does something")
                QTest.keyClick(self.window, *press)
                self.assertIsNone(case.widget.dragging.drag)
                self.move_held(case.widget, case.end + QPointF(9.0, 3.0), case.keys)
                self.let_go(case)
                self.assertTrue(session.project == before, "as it was")
                self.assertEqual(self.selection(), selected)
                self.assertEqual(session.document.history.here, steps)
                self.hold(case)
                self.let_go(case)
                self.assertEqual(session.document.history.here, steps + case.step)
                if case.step:
                    self.do("undo")
                    self.assertTrue(session.project == before, "as it was")
                else:
                    self.assertNotEqual(self.selection(), selected)
                    session.span.take_along(frozenset())
        self.assertEqual(self.errors, [])

    def test_dials_overview_and_playhead_are_cancelled_too(self) -> None:
        session, window = self.session, self.window
        dial = window.bench.first_dial()
        project, heard = session.project, session.playhead.beat
        shown = self.view.first, self.view.beats
        self.view.show(16.0, 64.0)
        shown = self.view.first, self.view.beats
        overview, ruler = window.overview, window.ruler
        frame = QPointF(overview.whole.x(self.view.first + 20.0), 40.0)
        handle = QPointF(SCALE + self.view.x(20.0), 25.0 - ruler.lift)
        session.playhead.go(20.0)
        heard = session.playhead.beat
        cases = [
            Case("a dial", dial, QPointF(20.0, 20.0), QPointF(20.0, -40.0)),
            Case("the overview", overview, frame, frame + QPointF(80.0, 0.0)),
            Case("the playhead", ruler, handle, handle + QPointF(90.0, 0.0)),
        ]

        def state() -> tuple[Any, ...]:
            shown = self.view.first, self.view.beats
            return session.project, shown, session.playhead.beat

        before = state()
        self.assertEqual((before[0] == project, before[1], before[2]), (True, shown, heard))
        for case, press in itertools.product(cases, CANCELLING):
            with self.subTest(case.name):
                self.hold(case)
                self.wait()
                self.assertNotEqual(state(), before, "it does something")
                QTest.keyClick(window, *press)
                self.move_held(case.widget, case.end + QPointF(9.0, 3.0), case.keys)
                self.let_go(case)
                self.wait(300)
                self.assertEqual(state(), before)
        self.hold(cases[2])
        self.assertTrue(self.studio.player.playing, "it is heard where it is dragged to")
        self.let_go(cases[2])
        self.assertFalse(self.studio.player.playing)
        self.assertGreater(session.playhead.beat, 20.0)
        self.assertEqual(self.errors, [])

    def test_a_click_is_not_a_drag(self) -> None:
        steps = self.session.document.history.here
        case = self.cases()[0]
        self.session.points.choose(np.array([0]))
        QTest.mousePress(case.widget, LEFT, NO_KEY, case.start.toPoint())
        self.assertNotEqual(self.session.points.chosen.tolist(), [0], "a press selects")
        QTest.keyClick(self.window, Qt.Key.Key_Escape)
        self.assertEqual(self.session.points.chosen.tolist(), [0])
        self.let_go(case)
        QTest.mousePress(case.widget, LEFT, NO_KEY, case.start.toPoint())
        self.move_held(case.widget, case.start + QPointF(2.0, 1.0))
        QTest.mouseRelease(case.widget, LEFT, NO_KEY, case.start.toPoint() + QPoint(2, 1))
        self.assertEqual(self.session.document.history.here, steps)
        self.assertEqual(self.session.points.chosen.size, 1)

    def test_a_double_click_on_a_segment_adds_a_point_unless_the_lane_is_locked(self) -> None:
        session, curve = self.session, self.curve()
        at = self.spot(20.0, float(curve.at(20.0)))
        QTest.mouseDClick(self.lane, LEFT, NO_KEY, at)
        self.assertEqual(len(self.curve()), len(curve) + 1)
        self.do("undo")
        self.do("lock")
        steps = session.document.history.here
        QTest.mouseDClick(self.lane, LEFT, NO_KEY, at)
        self.assertEqual(self.errors.pop().what, "The lane is locked.")
        self.assertEqual(session.document.history.here, steps)


if __name__ == "__main__":
    unittest.main()
