# SPDX-License-Identifier: GPL-3.0-or-later
"""Curves made of rows, of lines, and of other curves one after another."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints, floats
from zolvek.core.curve.curve import COLUMNS, NO_PARTS, Curve
from zolvek.core.curve.shapes import CODES, LINE, SHAPES

Row = tuple[float, float] | tuple[float, float, str] | tuple[float, float, str, float]


def curve(points: Iterable[Row]) -> Curve:
    """A curve from rows of beat, value and, if not a line, shape key and amount."""
    rows = []
    for point in points:
        key = str(point[2]) if len(point) > 2 else "line"
        code = CODES[key]
        amount = float(point[3]) if len(point) > 3 else SHAPES[code].amount.default
        rows.append((point[0], point[1], code, amount))
    beat, value, shape, amount_ = zip(*rows, strict=True)
    return Curve(floats(beat), floats(value), np.array(shape, np.uint8), floats(amount_))


def lines(beats: Any, values: Any, shape: int = LINE) -> Curve:
    """Points joined by lines, or by another shape that needs no amount."""
    count = len(beats)
    return Curve(floats(beats), floats(values), np.full(count, shape, np.uint8), np.zeros(count))


def flat(value: float, beat: float = 0.0) -> Curve:
    """A curve that stays at `value`."""
    return lines([beat], [value])


def joined(beat: Floats, value: Floats, shape: Any, amount: Floats, part: Floats = NO_PARTS) -> Curve:
    """A curve from columns whose beats were computed: where rounding has brought three or more
    points onto one beat, only the first and the last of them stay."""
    keep = first_and_last(beat)
    if keep.all():
        return Curve(beat, value, shape, amount, part)
    part = part[keep] if len(part) else part
    return Curve(beat[keep], value[keep], shape[keep], amount[keep], part)


def first_and_last(beat: Floats) -> Bools:
    """Which of the points stay where no more than two may share a beat."""
    keep = np.ones(len(beat), bool)
    keep[1:-1] = ~((beat[1:-1] == beat[:-2]) & (beat[1:-1] == beat[2:]))
    return keep


def columns_of(curves: Sequence[Curve]) -> list[Any]:
    """The columns of several curves, one after another."""
    names = COLUMNS[:-1]
    columns: list[Any] = [np.concatenate([getattr(c, name) for c in curves]) for name in names]
    cut = any(len(item.part) for item in curves)
    return [*columns, np.concatenate([item.parts for item in curves]) if cut else NO_PARTS]


def chained(curves: Sequence[Curve]) -> Curve:
    """Curves one after another as they are, in order of time. Where one begins on the beat and value
    that the one before ended with the point is one, with what follows it; where values differ there
    it is a jump."""
    columns = columns_of(curves)
    ends = np.cumsum([len(item) for item in curves])[:-1] - 1
    same = (columns[0][ends] == columns[0][ends + 1]) & (columns[1][ends] == columns[1][ends + 1])
    keep = np.ones(len(columns[0]), bool)
    keep[ends[same]] = False
    return joined(*(column[keep] if len(column) else column for column in columns))


def merged(kept: Curve, added: Curve) -> tuple[Curve, Ints]:
    """The points of two curves in order of time, and where the added ones are: after the kept ones on
    their beats."""
    columns = columns_of((kept, added))
    order = np.argsort(columns[0], kind="stable")
    places = np.empty(len(order), np.intp)
    places[order] = np.arange(len(order))
    result = Curve(*(column[order] if len(column) else column for column in columns))
    return result, places[len(kept) :]
