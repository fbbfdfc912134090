# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits: what they must never do, and what each of them promises."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.core.curves import curves
from zolvek.core.curve import point_edits
from zolvek.core.curve.construction import curve
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.errors import ZolvekError
from zolvek.core.history.history import History
from zolvek.core.limits import CLOSEST_POINTS_BEATS
from zolvek.core.model.project import Project
from zolvek.demo.night_regatta import build

picks = st.sets(st.integers(0, 11), min_size=1)


def picked(drawn: Curve, chosen: set[int]) -> np.ndarray:
    return np.array(sorted({i % len(drawn) for i in chosen}))


class Moves(unittest.TestCase):
    @given(curves(), picks, st.floats(-6, 6), st.floats(-1, 1))
    def test_stopping_loses_and_reorders_nothing(
        self, drawn: Curve, chosen: set[int], beats: float, value: float
    ) -> None:
        which = picked(drawn, chosen)
        moved, where = point_edits.move(drawn, which, beats, value)
        self.assertEqual(len(moved), len(drawn))
        np.testing.assert_array_equal(where, which)
        rest = np.setdiff1d(np.arange(len(drawn)), which)
        np.testing.assert_array_equal(moved.beat[rest], drawn.beat[rest])
        np.testing.assert_array_equal(moved.value[rest], drawn.value[rest])
        np.testing.assert_allclose(np.diff(moved.beat[which]), np.diff(drawn.beat[which]), atol=1e-9)
        np.testing.assert_allclose(np.diff(moved.value[which]), np.diff(drawn.value[which]), atol=1e-9)
        way = moved.beat[which[0]] - drawn.beat[which[0]]
        self.assertLessEqual(abs(way), abs(beats) + 1e-9)

    @given(curves(), picks, st.floats(-6, 6).map(lambda beats: round(beats, 6)), st.floats(-1, 1))
    def test_replacing_drops_only_what_it_lands_on(
        self, drawn: Curve, chosen: set[int], beats: float, value: float
    ) -> None:
        which = picked(drawn, chosen)
        moved, where = point_edits.move(drawn, which, beats, value, point_edits.REPLACE)
        way = max(beats, -drawn.beat[which[0]])
        np.testing.assert_allclose(moved.beat[where], drawn.beat[which] + way, atol=1e-9)
        rest = np.setdiff1d(np.arange(len(drawn)), which)
        lost = len(drawn) - len(moved)
        landed = [i for i in rest if any(run[0] <= drawn.beat[i] <= run[1] for run in _runs(moved.beat[where], which))]
        self.assertEqual(lost, len(landed))

    def test_a_group_stops_a_tick_before_a_jump(self) -> None:
        drawn = curve([(0.0, 0.2), (2.0, 0.3), (2.0, 0.8), (4.0, 0.5)])
        moved, _ = point_edits.move(drawn, [0], 9.0, 0.0)
        self.assertEqual(moved.beat[0], 2.0 - 1.0 / 960)
        met, _ = point_edits.move(drawn, [3], -9.0, 0.0)
        self.assertEqual(met.beat[3], 2.0 + 1.0 / 960)
        alone, _ = point_edits.move(curve([(0.0, 0.2), (2.0, 0.3)]), [0], 9.0, 0.0)
        self.assertEqual(alone.beat.tolist(), [2.0, 2.0], "one neighbour makes a jump")

    def test_a_typed_place_is_exact_or_refused(self) -> None:
        drawn = curve([(0.0, 0.2), (2.0, 0.3), (4.0, 0.5)])
        self.assertEqual(point_edits.place(drawn, [1], 3.3)[0].beat[1], 3.3)
        with self.assertRaises(ZolvekError):
            point_edits.place(drawn, [1], 5.0)
        self.assertEqual(
            point_edits.place(drawn, [1], 5.0, point_edits.REPLACE)[0].beat.tolist(),
            [0.0, 4.0, 5.0],
        )


def _runs(beat: np.ndarray, which: np.ndarray) -> list[tuple[float, float]]:
    parts = np.split(beat, np.flatnonzero(np.diff(which) > 1) + 1)
    return [(part[0], part[-1]) for part in parts]


class PointsAndSegments(unittest.TestCase):
    @given(curves(), st.floats(0, 20), st.floats(0, 1))
    def test_added_points_are_there_and_the_rest_stays(self, drawn: Curve, beat: float, value: float) -> None:
        added, index = point_edits.add(drawn, beat, value)
        self.assertEqual(added.value[index], value)
        self.assertAlmostEqual(added.beat[index], beat, delta=CLOSEST_POINTS_BEATS)
        if len(added) > len(drawn):
            back = point_edits.delete(added, [index])
            np.testing.assert_array_equal(back.beat, drawn.beat)
            np.testing.assert_array_equal(back.value, drawn.value)

    @given(st.floats(-0.99, 0.99), st.floats(0.01, 0.99))
    def test_a_point_put_on_a_bend_leaves_it_as_it_was(self, amount: float, u: float) -> None:
        drawn = curve([(0.0, 0.1, "bend", amount), (1.0, 0.9)])
        split, _ = point_edits.add(drawn, u, float(drawn.at(u)))
        beats = np.linspace(0, 1, 60)
        np.testing.assert_allclose(split.at(beats), drawn.at(beats), atol=1e-7)

    @given(st.floats(0.05, 0.95), st.floats(0.05, 0.95), st.booleans(), st.booleans())
    def test_a_dragged_bend_passes_through_the_pointer(self, u: float, y: float, falling: bool, s: bool) -> None:
        ends = (0.9, 0.1) if falling else (0.1, 0.9)
        drawn = curve([(0.0, ends[0], "s-curve" if s else "line"), (2.0, ends[1])])
        if s and (u - 0.5) * (y - 0.5) <= 0.02:
            return  # an S-curve passes through its middle, so it never reaches the other quarters
        value = 0.1 + 0.8 * y
        if s and falling:
            value = 1.0 - value
        bent = point_edits.bend_through(drawn, 0, 2.0 * u, value)
        near = 1e-5 if bent.amount[0] else point_edits.LEAST_BEND  # a bend that is hardly one is a line
        self.assertAlmostEqual(float(bent.at(2.0 * u)), value, delta=near)

    def test_shapes_and_amounts_go_to_the_segments_meant(self) -> None:
        drawn = curve([(0.0, 0.0), (1.0, 1.0), (2.0, 0.0), (3.0, 1.0)])
        self.assertEqual(point_edits.segments_of(drawn, [1, 2]).tolist(), [1])
        self.assertEqual(point_edits.segments_of(drawn, [0, 2]).tolist(), [0, 2])
        for row in SHAPES:
            shaped = point_edits.set_shape(drawn, [0, 2], row.key)
            self.assertEqual([SHAPES[c].key for c in shaped.shape], [row.key, "line", row.key, "line"])
        bent = point_edits.set_amount(point_edits.set_shape(drawn, [0], "bend"), [0, 1], 0.5)
        self.assertEqual(bent.amount.tolist(), [0.5, 0.0, 0.0, 0.0])
        with self.assertRaises(ZolvekError):
            point_edits.set_amount(bent, [0], 1.5)

    def test_the_last_point_stays(self) -> None:
        drawn = curve([(1.0, 0.4), (2.0, 0.9)])
        self.assertEqual(point_edits.delete(drawn, [0, 1]), curve([(1.0, 0.4)]))


class TheHistory(unittest.TestCase):
    def test_undo_gives_back_the_very_same_projects(self) -> None:
        history = History.start(build())
        seen = [history.project]
        for name in "abc":
            history = history.edited(Project(name=name, length=8.0), name)
            seen.append(history.project)
        for project in reversed(seen[:-1]):
            history = history.undone()
            self.assertIs(history.project, project)
        self.assertEqual(history.redo_label, "a")
        self.assertIs(history.redone().project, seen[1])

    def test_a_gesture_is_one_step_and_can_be_cancelled(self) -> None:
        history, gesture = History.start(Project()), object()
        for n in range(5):
            history = history.edited(Project(name=str(n)), "drag", gesture)
        self.assertEqual(len(history.steps), 2)
        self.assertEqual(history.cancelled().project, Project())
        history = history.ended().edited(Project(name="next"), "drag", gesture)
        self.assertEqual(len(history.steps), 3)
