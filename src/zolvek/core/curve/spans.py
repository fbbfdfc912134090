# SPDX-License-Identifier: GPL-3.0-or-later
"""Spans of a curve: cut out whole, put back whole, with what lies outside left as it was.

A piece is a curve that begins at beat 0 and ends at the length of its span, with a point at
both ends.
"""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Ints, Numbers, among, distinct, floats
from zolvek.core.curve.construction import columns_of, joined, lines
from zolvek.core.curve.curve import NO_PARTS, WHOLE, Curve
from zolvek.core.curve.discontinuities import SAME
from zolvek.core.curve.rules import present, risen
from zolvek.core.curve.shapes import HOLD, LINE, SHAPES
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_POINTS_BEATS


def cut(curve: Curve, beats: Numbers) -> Curve:
    """The same curve with a point at each of `beats`: heard as before, to the last digits. A segment
    that is cut becomes several of its shape, each of which runs through a part of it. Where there is a
    point already, or one closer than points may be, that one is it."""
    wanted = distinct(floats(beats))
    missing = wanted[(on_points(curve, wanted) == wanted) & ~among(wanted, curve.beat)]
    missing = missing[np.diff(missing, prepend=-np.inf) >= CLOSEST_POINTS_BEATS]
    if not missing.size:
        return curve
    owner = np.searchsorted(curve.beat, missing, side="right") - 1
    index = owner + 1
    inside = (owner >= 0) & (owner < len(curve) - 1)
    clip = np.clip(owner, 0, len(curve) - 1)
    beat = np.insert(curve.beat, index, missing)
    value = np.insert(curve.value, index, curve.at(missing))
    source = np.insert(np.arange(len(curve)), index, np.where(inside, clip, -1))
    shape = np.where(source < 0, LINE, curve.shape[source]).astype(np.uint8)
    amount = np.where(source < 0, 0.0, curve.amount[source])
    part = np.insert(curve.part, index, WHOLE, axis=0) if len(curve.part) else NO_PARTS
    new = source >= 0
    new[:-1] &= source[1:] == source[:-1]  # cut at its end
    new[1:] |= (source[1:] == source[:-1]) & (source[1:] >= 0)  # or at its start
    new[-1] = False
    rows = np.flatnonzero(new)
    if rows.size:
        amount[rows], own, value[rows] = _parts(curve, source, beat, value, rows)
        if not len(part) and (own[:, :2] != WHOLE[:2]).any():
            part = np.tile(WHOLE, (len(beat), 1))
        if len(part):
            part[rows] = own
    return Curve(beat, value, shape, amount, part)


def on_points(curve: Curve, beats: Floats) -> Floats:
    """Beats, those that are closer to a point than points may be to each other on its beat."""
    after = np.searchsorted(curve.beat, beats)
    rows = np.clip(np.stack((after - 1, after)), 0, len(curve) - 1)
    near = curve.beat[rows]
    gaps = np.abs(near - beats)
    nearest = np.where(gaps[0] <= gaps[1], near[0], near[1])
    return np.where(gaps.min(axis=0) < CLOSEST_POINTS_BEATS, nearest, beats)


def _parts(curve: Curve, source: Ints, beat: Floats, value: Floats, rows: Ints) -> tuple[Floats, Floats, Floats]:
    """Amounts, parts and first values of the segments that begin at `rows`, each of which is a part of
    the segment `source` of the curve."""
    of = source[rows]
    length = curve.beat[of + 1] - curve.beat[of]
    begin, end, swing = curve.parts[of].T
    ends_inside = source[rows + 1] == of
    first = (beat[rows] - curve.beat[of]) / length
    last = np.where(ends_inside, (beat[rows + 1] - curve.beat[of]) / length, 1.0)
    u0 = _on_edges(curve, of, begin + first * (end - begin), beat[rows])
    u1 = np.where(ends_inside, begin + last * (end - begin), end)
    u1 = np.where(ends_inside, _on_edges(curve, of, u1, beat[rows + 1]), u1)
    whole = (begin == 0.0) & (end == 1.0)
    swing = np.where(whole, curve.value[of + 1] - curve.value[of], swing)
    steady = np.array([row.steady for row in SHAPES])[curve.shape[of]]
    part = np.stack((u0, u1, np.where(steady, 0.0, swing)), axis=1)
    amount, level = curve.amount[of].copy(), value[rows]
    moved = np.flatnonzero((first > 0.0) & (u0 != begin + first * (end - begin)))
    if moved.size:  # onto a jump: what it leaps to is the value there
        there = of[moved]
        y = risen(curve.shape[there], u0[moved], curve.amount[there])
        before = risen(curve.shape[there], begin[moved], curve.amount[there])
        level[moved] = np.clip(curve.value[there] + swing[moved] * (y - before), 0.0, 1.0)
    for code in present(curve.shape[of]):
        shared = SHAPES[code].part
        if shared is not None:
            mine = curve.shape[of] == code
            amount[mine], part[mine] = shared(amount[mine], u0[mine], u1[mine]), WHOLE
    return amount, part, level


def _on_edges(curve: Curve, of: Ints, u: Floats, beats: Floats) -> Floats:
    """Places in the shapes of segments; one that lies on a jump, as exactly as its beat can say, is the
    jump's own."""
    jumping = np.array([row.before is not None for row in SHAPES])
    result = u.copy()
    for row in np.flatnonzero(jumping[curve.shape[of]]).tolist():
        edges = SHAPES[curve.shape[of[row]]].jumps(float(curve.amount[of[row]]))
        if not edges.size:
            continue
        near = float(edges[np.argmin(np.abs(edges - u[row]))])
        length = curve.beat[of[row] + 1] - curve.beat[of[row]]
        if abs(near - u[row]) * length <= 4.0 * np.spacing(abs(beats[row])):
            result[row] = near
    return result


def _ends(curve: Curve, first: float, last: float) -> tuple[Curve, int, int]:
    """The curve with points at both ends of a span, and where they are: the last one on
    `first` and the first one on `last`, the sides of a jump that face the span."""
    if not last > first:
        raise ZolvekError("The span is empty.", remedy="Select a span that ends after it begins.")
    whole = cut(curve, [first, last])
    first, last = on_points(whole, floats([first, last])).tolist()
    start = int(np.searchsorted(whole.beat, first, side="right")) - 1
    end = int(np.searchsorted(whole.beat, last, side="left"))
    return whole, start, end


def piece(curve: Curve, first: float, last: float) -> Curve:
    """What the curve does from `first` to `last`, as a piece."""
    whole, start, end = _ends(curve, first, last)
    inner = whole.rows(slice(start, end + 1))
    value = inner.value.copy()
    if inner.shape[-2] == HOLD:
        value[-1] = value[-2]  # what is heard up to the end; the next value is beyond it
    beat = inner.beat - first
    beat[0], beat[-1] = 0.0, last - first
    shape, amount = inner.shape.copy(), inner.amount.copy()
    shape[-1], amount[-1] = LINE, 0.0
    return inner.having(beat=beat, value=value, shape=shape, amount=amount)


def splice(curve: Curve, first: float, put: Curve, last: float | None = None) -> Curve:
    """The curve with the span from `first` to `last` (default: the song's own length)
    replaced by the song; where levels differ at an edge there is a jump."""
    length = float(put.beat[-1])
    last = first + length if last is None else last
    whole, _, _ = _ends(curve, first, last)
    first, last = on_points(whole, floats([first, last])).tolist()
    left = int(np.searchsorted(whole.beat, first, side="left"))
    right = int(np.searchsorted(whole.beat, last, side="right")) - 1
    before = _limit_before(whole, first)
    edge = (left > 0 or first > 0.0) and before is not None and abs(before - put.value[0]) > SAME
    join_right = abs(float(whole.value[right]) - put.value[-1]) <= SAME
    parts = [
        whole.rows(slice(0, left)) if left else None,
        lines([first], [before]) if edge else None,
        put.rows(slice(0, -1 if join_right else None)).shifted(first),
        whole.rows(slice(right, None)),
    ]
    columns = columns_of([part for part in parts if part is not None])
    columns[0] = np.maximum.accumulate(columns[0])
    return joined(*columns)


def _limit_before(curve: Curve, beat: float) -> float | None:
    """The value that the curve comes to at a point's beat; None when a hold leads there, which needs no point."""
    at = int(np.searchsorted(curve.beat, beat, side="left"))
    if at == 0:
        return float(curve.value[0])
    return None if curve.shape[at - 1] == HOLD else float(curve.value[at])


def clear(curve: Curve, first: float, last: float) -> Curve:
    """A straight way from the level before the span to the level after it."""
    part = piece(curve, first, last)
    ends = [0, len(part) - 1]
    return splice(curve, first, lines(part.beat[ends], part.value[ends]))
