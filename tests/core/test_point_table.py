# SPDX-License-Identifier: GPL-3.0-or-later
"""The table of points: what is read is what is written, sorted by time alone; filled, in series, and with a
spreadsheet."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests import few
from zolvek.core.curve.construction import curve, lines
from zolvek.core.edits import point_table, targets
from zolvek.core.edits.point_table import HEADERS, Column
from zolvek.core.edits.replacement import with_lane
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build

TUNED, OPEN = "mallet.transpose", "horn.cutoff"


def project_with(lane: str = TUNED, count: int = 8) -> Project:
    project = build()
    steps = lines(np.arange(count) * 1.0, np.linspace(0.3, 0.7, count))
    return with_lane(project, replace(project.lane(lane), curve=steps, layers=(), takes=(), comp=None))


class Table(unittest.TestCase):
    def test_what_is_read_can_be_written_and_changes_nothing(self) -> None:
        project = build()
        for lane in project.lanes():
            target = targets.base(project, lane.id)
            rows = range(len(target.curve))
            cells = {
                (row, column): point_table.cell_text(project, target, row, column)
                for row in rows
                for column in range(len(HEADERS))
            }
            again = point_table.with_cells(project, target, cells)
            moved = targets.base(with_lane(project, replace(lane, curve=again.curve)), lane.id)
            texts = {key: point_table.cell_text(project, moved, *key) for key in cells}
            self.assertEqual(texts, cells, lane.id)
            np.testing.assert_array_equal(again.where, again.rows)

    @few
    @given(st.permutations(range(6)))
    def test_rows_are_sorted_by_time_and_take_their_shapes_along(self, order: list[int]) -> None:
        project = project_with(count=6)
        target = targets.base(project, TUNED)
        shaped = curve([(float(n), 0.3 + 0.05 * n, "bend" if n % 2 else "line", 0.1 * (n % 2)) for n in range(6)])
        target = target._replace(curve=shaped)
        cells = {(row, int(Column.POSITION)): project.meter.text(8.0 + to) for row, to in enumerate(order)}
        result = point_table.with_cells(project, target, cells)
        self.assertTrue(np.all(np.diff(result.curve.beat) > 0.0))
        for row, to in enumerate(order):
            now = int(result.where[row])
            self.assertEqual(now, to)
            for name in ("value", "shape", "amount"):
                self.assertEqual(getattr(result.curve, name)[now], getattr(shaped, name)[row])

    def test_a_column_is_filled_and_a_series_goes_on(self) -> None:
        """Semitones from 0 up by one each: exact values in the parameter's unit."""
        project = project_with()
        target = targets.base(project, TUNED)
        start = point_table.with_cells(project, target, {(0, int(Column.VALUE)): "0 st"}).curve
        target = target._replace(curve=start)
        rows = range(8)
        series = point_table.in_series(project, target, rows, Column.VALUE, "+1 st").curve
        heard = [target.parameter.text(float(target.to_position(value))) for value in series.value]
        self.assertEqual(heard, ["0 st", *(f"+{n} st" for n in range(1, 8))])
        filled = point_table.filled_down(project, target._replace(curve=series), [3, 4, 5], Column.VALUE).curve
        np.testing.assert_array_equal(filled.value[3:6], series.value[3])
        np.testing.assert_array_equal(filled.value[[0, 1, 2, 6, 7]], series.value[[0, 1, 2, 6, 7]])
        eighths = point_table.in_series(project, target, rows, Column.POSITION, "1/8").curve
        np.testing.assert_allclose(eighths.beat, np.arange(8) * 0.5)
        shapes = point_table.with_cells(project, target, {(0, int(Column.SHAPE)): "s-curve"}).curve
        shapes = point_table.filled_down(project, target._replace(curve=shapes), rows, Column.SHAPE).curve
        self.assertEqual(set(shapes.shape.tolist()), {shapes.shape[0]})

    def test_a_spreadsheets_cells_go_in_and_out(self) -> None:
        project = project_with()
        target = targets.base(project, TUNED)
        text = point_table.as_text(project, target, range(8), range(4))
        self.assertEqual([len(line.split("\t")) for line in text.splitlines()], [4] * 8)
        back = point_table.with_cells(project, target, point_table.cells_of(text.replace("\n", "\r\n"), 0, 0, 8))
        self.assertEqual(point_table.as_text(project, target._replace(curve=back.curve), range(8), range(4)), text)
        cells = point_table.cells_of("+3 st\n+5 st", 2, 1, 8)
        self.assertEqual(cells, {(2, 1): "+3 st", (3, 1): "+5 st"})
        for wrong in ("a\nb", "1\t2\t3\t4"):
            with self.assertRaises(ZolvekError):
                point_table.cells_of(wrong, 7, 1, 8)

    def test_what_cannot_be_used_is_refused_by_name_and_changes_nothing(self) -> None:
        project = project_with()
        target = targets.base(project, TUNED)
        for (row, column), text, part in (
            ((2, Column.VALUE), "loud", "Value of the point at"), ((2, Column.VALUE), "+99 st", "Value of"),
            ((1, Column.POSITION), "999.1.0", "Position of"), ((1, Column.POSITION), "soon", "Position of"),
            ((3, Column.SHAPE), "zigzag", "Shape of"), ((3, Column.AMOUNT), "much", "Amount of"),
        ):  # fmt: skip
            with self.assertRaises(ZolvekError) as caught:
                point_table.with_cells(project, target, {(row, int(column)): text})
            self.assertIn(part, caught.exception.where)
            self.assertTrue(caught.exception.remedy)
        third = {(row, int(Column.POSITION)): "3.1.0" for row in (0, 1, 2)}
        with self.assertRaises(ZolvekError):
            point_table.with_cells(project, target, third)
        for work in (
            lambda: point_table.filled_down(project, target, [1], Column.VALUE),
            lambda: point_table.filled_down(project, target, [1, 2], Column.POSITION),
            lambda: point_table.in_series(project, target, range(8), Column.VALUE, "+20 st"),
            lambda: point_table.in_series(project, target, range(8), Column.SHAPE, "+1 st"),
            lambda: point_table.in_series(project, target, range(8), Column.POSITION, "never"),
        ):
            with self.assertRaises(ZolvekError):
                work()


if __name__ == "__main__":
    unittest.main()
