# SPDX-License-Identifier: GPL-3.0-or-later
"""The points of what is drawn on as a table: position, value, shape and amount, read and written as text.

Rows are points in order of time, and nothing else: a position that is typed puts its row where it belongs.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import IntEnum
from typing import Any, NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import CODES, SHAPES
from zolvek.core.edits.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.value.adjustment import parse_change
from zolvek.core.value.number_entry import number_of


class Column(IntEnum):
    """The columns, from left to right."""

    POSITION = 0
    VALUE = 1
    SHAPE = 2
    AMOUNT = 3


HEADERS = ("Position", "Value", "Shape", "Amount")
Cells = Mapping[tuple[int, int], str]  # row and column -> text


class Edited(NamedTuple):
    """A curve, and where rows of the table before have gone: row `rows[i]` is row `where[i]` now."""

    curve: Curve
    rows: Ints
    where: Ints


def cell_text(project: Project, target: Target, row: int, column: int) -> str:
    """What is written in a cell: bar.beat.tick, the value in the parameter's unit, the shape's label, its amount, ""
    where it has none."""
    curve = target.curve
    if column == Column.POSITION:
        return project.meter.text(float(curve.beat[row]))
    if column == Column.VALUE:
        return target.parameter.text(float(target.to_position(curve.value[row])))
    shape = SHAPES[int(curve.shape[row])]
    if column == Column.SHAPE:
        return shape.label
    amount = float(curve.amount[row])
    if shape.amount.kind == "none":
        return ""
    return (f"{amount:+.3f}" if shape.amount.kind == "bend" else f"{amount:.0f}").replace("-", "−")


def with_cells(project: Project, target: Target, cells: Cells) -> Edited:
    """The curve with what is typed into cells. Raises ZolvekError naming the first that can't be read or used, or a
    position on which more than two points would lie."""
    curve = target.curve
    beat, value = curve.beat.copy(), curve.value.copy()
    shape, amount, parts = curve.shape.copy(), curve.amount.copy(), curve.parts.copy()
    for (row, column), text in cells.items():
        try:
            if column == Column.POSITION:
                beat[row] = _position(project, text)
            elif column == Column.VALUE:
                value[row] = _value(project, target, float(beat[row]), text)
            elif column == Column.SHAPE:
                code = _shape(text)
                if SHAPES[code].amount.kind != SHAPES[int(shape[row])].amount.kind:
                    amount[row] = SHAPES[code].amount.default
                shape[row], parts[row] = code, (0.0, 1.0, 1.0)
            elif text.strip():
                amount[row] = number_of(text, "", -1e6, 1e6, "Amount")
        except ZolvekError as error:
            where = project.meter.text(float(curve.beat[row]))
            raise ZolvekError(error.what, f"{HEADERS[column]} of the point at {where}", error.remedy) from error
    rows = np.array(sorted({row for row, _ in cells}), np.intp)
    return _sorted(project, curve, rows, beat, value, shape, amount, parts)


def _sorted(
    project: Project, curve: Curve, rows: Ints, beat: Floats, value: Floats, shape: Any, amount: Floats, parts: Floats
) -> Edited:
    order = np.argsort(beat, kind="stable")
    beat = beat[order]
    crowded = np.flatnonzero(beat[2:] - beat[:-2] <= 0.0) if len(beat) > 2 else np.empty(0, np.intp)
    if crowded.size:
        at = project.meter.text(float(beat[crowded[0]]))
        raise ZolvekError("Three points can't lie on one beat.", at, "Type another position.")
    back = np.empty(len(order), np.intp)
    back[order] = np.arange(len(order))
    part = parts[order] if len(curve.part) else curve.part
    new_curve = curve.having(beat=beat, value=value[order], shape=shape[order], amount=amount[order], part=part)
    return Edited(new_curve, rows, back[rows])


def _position(project: Project, text: str) -> float:
    beat = project.meter.parse(text, project.tempo)
    if not 0.0 <= beat <= project.length:
        last = project.meter.text(project.length)
        raise ZolvekError(f"“{text.strip()}” is outside the song.", remedy=f"The song ends at {last}.")
    return beat


def _value(project: Project, target: Target, beat: float, text: str) -> float:
    position = target.parameter.parse(text, float(project.tempo.bpm(beat)))
    low, high = sorted(target.reach)
    if not low - 1e-12 <= position <= high + 1e-12:
        words = target.parameter.text
        raise ZolvekError(
            f"“{text.strip()}” is outside the lane's reach.", remedy=f"The reach is {words(low)} to {words(high)}."
        )
    return float(target.from_position(position))


def _shape(text: str) -> int:
    word = " ".join(text.lower().split())
    for shape in SHAPES:
        if word in (shape.key, shape.label.lower()):
            return CODES[shape.key]
    known = ", ".join(shape.label for shape in SHAPES)
    raise ZolvekError(f"There is no shape “{text.strip()}”.", remedy=f"Type one of {known}.")


def filled_down(project: Project, target: Target, rows: Sequence[int], column: int) -> Edited:
    """What is in the first of the rows, in all of them. Raises ZolvekError for positions, which can't be equal."""
    first, *rest = sorted(rows)
    if column == Column.POSITION or not rest:
        what = "Points can't share a position." if rest else "Only one point is selected."
        raise ZolvekError(what, "Fill down", "Select several points, and a cell of another column.")
    curve, which = target.curve, np.array([first, *rest], np.intp)
    names = {Column.VALUE: ("value",), Column.SHAPE: ("shape", "amount"), Column.AMOUNT: ("amount",)}[Column(column)]
    columns = {name: getattr(curve, name).copy() for name in names}
    if column == Column.AMOUNT:  # only to segments that take the same kind of amount
        kind = SHAPES[int(curve.shape[first])].amount.kind
        which = which[[SHAPES[int(code)].amount.kind == kind for code in curve.shape[which]]]
    for array in columns.values():
        array[which] = array[first]
    if column == Column.SHAPE and len(curve.part):
        columns["part"] = curve.parts.copy()
        columns["part"][which] = (0.0, 1.0, 1.0)
    return Edited(curve.having(**columns), which, which)


def in_series(project: Project, target: Target, rows: Sequence[int], column: int, step: str) -> Edited:
    """From the first of the rows on, each a step further than the one before: values by a change such as "+1 st",
    positions by a length such as "1/8". Raises ZolvekError for other columns, or what can't be read or used."""
    order = sorted(rows)
    curve, meter = target.curve, project.meter
    if len(order) < 2 or column not in (Column.POSITION, Column.VALUE):
        raise ZolvekError("There is no series to make.", "Series", "Select several points, and a position or a value.")
    if column == Column.POSITION:
        length = _length(step)
        begin = float(curve.beat[order[0]])
        cells = {(row, int(column)): meter.text(begin + number * length) for number, row in enumerate(order)}
        return with_cells(project, target, cells)
    change = parse_change(target.parameter, step)
    position = float(target.to_position(curve.value[order[0]]))
    before: float | None = None
    values = curve.value.copy()
    low, high = sorted(target.reach)
    for row in order[1:]:
        further = float(np.asarray(change(np.array([position]))).ravel()[0])
        at_end = further in (0.0, 1.0)  # a change stops there: then its step is shorter than the one before
        cut = at_end and before is not None and abs(further - position) < abs(position - before) - 1e-9
        before, position = position, further
        if cut or not low - 1e-9 <= position <= high + 1e-9:
            where = meter.text(float(curve.beat[row]))
            raise ZolvekError("The series leaves the lane's reach.", where, "Choose a smaller step, or fewer points.")
        values[row] = float(target.from_position(position))
    which = np.array(order, np.intp)
    return Edited(curve.having(value=values), which, which)


def _length(text: str) -> float:
    from zolvek.core.time.durations import note_beats

    beats = note_beats(text.strip().lstrip("+"))
    if beats is None or beats <= 0.0:
        raise ZolvekError(f"“{text.strip()}” is not a length.", "Series", "Type a note value such as 1/8.")
    return beats


def as_text(project: Project, target: Target, rows: Sequence[int], columns: Sequence[int]) -> str:
    """Cells as a spreadsheet takes them: a line a row, tabs between the cells."""
    lines = ("\t".join(cell_text(project, target, row, column) for column in columns) for row in rows)
    return "\n".join(lines) + "\n"


def cells_of(text: str, row: int, column: int, count: int) -> dict[tuple[int, int], str]:
    """What a spreadsheet gives, from a cell on, for a table of `count` rows. Raises ZolvekError for more rows or
    columns than there are from there on."""
    rows = [line.split("\t") for line in text.replace("\r", "").rstrip("\n").split("\n")]
    widest = max(len(cells) for cells in rows)
    if row + len(rows) > count or column + widest > len(HEADERS):
        raise ZolvekError(
            f"The clipboard has {len(rows):,} rows and {widest} columns.",
            "Paste",
            "Choose a cell with room for them, or add points first.",
        )
    return {(row + down, column + right): cell for down, cells in enumerate(rows) for right, cell in enumerate(cells)}
