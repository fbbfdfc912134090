# SPDX-License-Identifier: GPL-3.0-or-later
"""Undo over many steps of a large lane: the same projects come back, in little memory."""

from __future__ import annotations

import tracemalloc
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests import few, trials
from tests.projects import many_lanes
from zolvek.core.curve.curve import COLUMNS, Curve
from zolvek.core.edits.replacement import with_curve
from zolvek.core.history import history
from zolvek.core.history.history import History
from zolvek.core.model.project import Project


def large(count: int = 1_000_000) -> Project:
    project = many_lanes(2)
    lane = next(project.lanes())
    beats = np.linspace(0.0, 100.0, count)
    drawn = Curve(beats, np.full(count, 0.5), np.ones(count, np.uint8), np.zeros(count))
    return with_curve(project, lane.id, drawn)


def moved(project: Project, place: int, value: float) -> Project:
    """One point of the first lane at another value."""
    lane = next(project.lanes())
    values = lane.curve.value.copy()
    values[place] = value
    return with_curve(project, lane.id, lane.curve.having(value=values))


class Undo(unittest.TestCase):
    def test_a_large_lane_is_edited_many_times_in_little_memory(self) -> None:
        made = History.start(large())
        first, key = made.project, made.key
        tracemalloc.start()
        count = trials(60)
        for step in range(count):
            made = made.edited(moved(made.project, 1_000 * step, 0.25), f"Move {step}")
        grown, _ = tracemalloc.get_traced_memory()
        tracemalloc.stop()
        self.assertLess(grown, 120_000_000)  # 60 of them whole: 480 MB and more
        self.assertLess(made.size, 120_000_000)
        last = made.project
        for step in range(count):
            made = made.undone()
            values = next(made.project.lanes()).curve.value
            self.assertEqual(np.count_nonzero(values == 0.25), count - 1 - step)
        self.assertEqual(made.project, first)
        self.assertEqual(made.key, key)
        while made.redo_label:
            made = made.redone()
        self.assertEqual(made.project, last)
        self.assertEqual(np.count_nonzero(next(made.project.lanes()).curve.value == 0.25), count)

    def test_beyond_its_bytes_the_oldest_go_and_it_is_counted(self) -> None:
        made = History.start(large(100_000), most=8_000_000)
        for step in range(20):
            values = np.full(100_000, (step + 1) / 40.0)  # all of them: nothing to share
            lane = next(made.project.lanes())
            made = made.edited(with_curve(made.project, lane.id, lane.curve.having(value=values)), f"{step}")
        self.assertGreater(made.gone, 0)
        self.assertEqual(made.gone + len(made.steps), 21)
        self.assertLessEqual(made.size, 8_000_000)
        while made.undo_label:
            made = made.undone()
        self.assertAlmostEqual(float(next(made.project.lanes()).curve.value[0]), made.gone / 40.0)

    @given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 4_999), st.integers(0, 300)), max_size=24))
    @few
    def test_any_way_through_the_steps_gives_the_very_projects(self, ways: list[tuple[int, int, int]]) -> None:
        """Inserting, deleting, changing, undoing and redoing in any order, against plain copies."""
        made = History.start(large(5_000))
        plain, here = [made.project], 0
        copies = [columns(made.project)]
        for kind, place, count in ways:
            lane = next(made.project.lanes())
            c = lane.curve
            at = min(place, len(c) - 1)
            if kind == 0 and here:
                made, here = made.undone(), here - 1
            elif kind == 1 and here < len(plain) - 1:
                made, here = made.redone(), here + 1
            elif kind >= 2:
                cut = slice(at, at + (count if len(c) > count + 10 else 0))
                kept = np.ones(len(c), bool)
                kept[cut] = kind != 3
                value = np.where(kept | (kind == 3), c.value, 0.125) if kind == 2 else c.value
                if kind == 2:
                    value = c.value.copy()
                    value[at] = count / 300.0
                elif kind == 4:
                    value = np.full(len(c), count / 300.0)
                curve = Curve(c.beat[kept], value[kept], c.shape[kept], c.amount[kept])
                after = made.edited(with_curve(made.project, lane.id, curve), "Edit")
                if after is not made:
                    made = after
                    plain, copies = [*plain[: here + 1], made.project], copies[: here + 1]
                    copies.append(columns(made.project))
                    here += 1
            self.assertEqual(made.project, plain[here])
            for column, other in zip(columns(made.project), copies[here], strict=True):
                np.testing.assert_array_equal(column, other)
        for project, copy in zip(plain, copies, strict=True):  # nobody has touched what was there
            for column, other in zip(columns(project), copy, strict=True):
                np.testing.assert_array_equal(column, other)
        for place, project in enumerate(plain):  # from far away too
            self.assertEqual(made.project_at(place), project)

    def test_many_steps_are_found_again_without_stepping(self) -> None:
        made = History.start(large(5_000))
        for step in range(min(trials(2_000), history.DEEPEST - 10)):
            made = made.edited(moved(made.project, step, 0.25), "Move")
        values = next(made.project_at(5).lanes()).curve.value  # a chain of nearly 2,000
        self.assertEqual(np.count_nonzero(values == 0.25), 5)


def columns(project: Project) -> list[np.ndarray]:
    curve = next(project.lanes()).curve
    return [getattr(curve, name).copy() for name in COLUMNS]


if __name__ == "__main__":
    unittest.main()
