# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of points and segments: plain functions from a curve to a new curve.

Those that move, add or drop points also return where the points of interest are afterwards,
as increasing indices. No edit ever makes beats decrease, leaves 0..1 or breaks a jump.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints, Numbers, among, distinct, floats
from zolvek.core.curve.construction import merged
from zolvek.core.curve.curve import WHOLE, Curve
from zolvek.core.curve.shapes import BENT, CODES, LINE, SHAPES
from zolvek.core.curve.spans import cut, on_points
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_POINTS_BEATS
from zolvek.core.time.meter import TICKS

TICK = 1.0 / TICKS
STOP, REPLACE = "stop", "replace"  # what a moved group does when it meets other points
ON_IT = 1e-9  # of the height, within which a point lies on a curve
LEAST_BEND = 1e-3  # amount below which a bend that is dragged is a line


def indices(curve: Curve, chosen: Any) -> Ints:
    """`chosen` (indices or booleans) as increasing indices, each once."""
    array = np.asarray(chosen)
    result = np.flatnonzero(array) if array.dtype == bool else array.astype(np.intp)
    if np.any(result[1:] <= result[:-1]):
        result = distinct(result)
    if result.size and (result[0] < 0 or result[-1] >= len(curve)):
        raise ZolvekError("There is no such point.", f"point {result[-1] + 1}")
    return result


def add(curve: Curve, beat: float, value: float, holds: bool = False) -> tuple[Curve, int]:
    """A point put in at `beat`; on a beat that has a point already, that point takes the value
    (the later one of a jump). The segment there is cut, so that a point put on the curve leaves it
    as it was. With `holds`, as choices want it, segments that are new hold: those beyond the ends."""
    beat = float(on_points(curve, floats([beat]))[0])
    at, count = curve.segment_at(beat), len(curve)
    if not (at >= 0 and curve.beat[at] == beat):
        curve = cut(curve, [beat])
        at = curve.segment_at(beat)
    new = {0, 1} if count == 1 else {0} if at == 0 else {at - 1, at} if at == len(curve) - 1 else set()
    if holds and len(curve) > count and new:
        curve = set_shape(curve, sorted(new), "hold")
    return set_value(curve, [at], value), at


def delete(curve: Curve, chosen: Any) -> Curve:
    """The curve without the chosen points; of all of them the first stays, as a flat line."""
    gone = indices(curve, chosen)
    keep = np.ones(len(curve), bool)
    keep[gone] = False
    if not keep.any():
        keep[0] = True
    return _rejoined(curve, keep)


def _rejoined(curve: Curve, keep: Bools) -> Curve:
    """Only the points to keep. Segments that were one before they were cut are one again."""
    amounts, parts = curve.amount.copy(), curve.parts.copy()
    begin, end, swing = parts.T
    # Whether a segment goes on with what the one before it left off.
    follows = np.zeros(len(curve), bool)
    follows[1:-1] = (
        (begin[1:-1] == end[:-2])
        & (swing[1:-1] == swing[:-2])
        & (curve.shape[1:-1] == curve.shape[:-2])
        & (amounts[1:-1] == amounts[:-2])
    )
    rows = np.flatnonzero(keep)
    gaps = np.flatnonzero(np.diff(rows) > 1)
    for row, after in zip(rows[gaps].tolist(), rows[gaps + 1].tolist(), strict=True):
        joined = SHAPES[curve.shape[row]].joined
        if joined is not None:
            amounts[row] = _joined_amount(curve, row, after, joined)
        elif follows[row + 1 : after].all():
            parts[row, 1] = end[after - 1]
    return curve.having(amount=amounts, part=parts).rows(keep)


def _joined_amount(curve: Curve, row: int, after: int, joined: Callable[[Floats], float]) -> float:
    """The amount of the segment from point `row` to point `after` when those between them go: where they
    lie on the one segment whose parts theirs are, its amount; else that of the first."""
    shape, amounts = SHAPES[curve.shape[row]], curve.amount[row : after + 1]
    beat, value = curve.beat[row : after + 1], curve.value[row : after + 1]
    alike = np.all(curve.shape[row:after] == curve.shape[row]) and np.all(np.diff(beat) > 0.0)
    if not alike:
        return float(amounts[0])
    amount = joined(amounts[:-1])
    risen = shape.rise((beat - beat[0]) / (beat[-1] - beat[0]), np.full(len(beat), amount))
    on_it = np.abs(value[0] + risen * (value[-1] - value[0]) - value) <= ON_IT
    return amount if on_it.all() else float(amounts[0])


def take(curve: Curve, keep: Any) -> Curve:
    """Only the points chosen by `keep` (indices or booleans)."""
    return curve.rows(keep)


def set_value(curve: Curve, chosen: Any, value: Numbers) -> Curve:
    """The chosen points at `value` (one, or one for each), kept to 0..1."""
    values = curve.value.copy()
    values[indices(curve, chosen)] = np.clip(floats(value), 0.0, 1.0)
    return curve.having(value=values)


def set_shape(curve: Curve, chosen: Any, key: str, amount: float | None = None) -> Curve:
    """The segments that begin at the chosen points take shape `key`, the whole of it, with `amount` or
    its usual one."""
    code = CODES[key]
    which = indices(curve, chosen)
    wanted = SHAPES[code].amount
    amounts, shapes, parts = curve.amount.copy(), curve.shape.copy(), curve.parts.copy()
    if amount is None:
        same_kind = np.array([SHAPES[c].amount.kind == wanted.kind for c in shapes[which]], bool)
        amounts[which] = np.where(same_kind, amounts[which], wanted.default)
    else:
        amounts[which] = amount
    shapes[which], parts[which] = code, WHOLE
    return curve.having(shape=shapes, amount=amounts, part=parts)


def set_amount(curve: Curve, chosen: Any, amount: float) -> Curve:
    """The amount of the segments that begin at the chosen points; those without one are left."""
    which = indices(curve, chosen)
    codes = curve.shape[which]
    has = np.array([SHAPES[c].amount.kind != "none" for c in codes], bool)
    amounts = curve.amount.copy()
    amounts[which[has]] = amount
    return curve.having(amount=amounts)


def bend_through(curve: Curve, segment: int, beat: float, value: float) -> Curve:
    """Segment `segment` bent so that it passes through `value` at `beat`: by its own amount where its
    shape has one that does, else as a bend. Where the point can't be reached (outside the segment's
    own range) it goes as near as it can."""
    if not 0 <= segment < len(curve) - 1:
        return curve
    own = SHAPES[curve.shape[segment]]
    shape = own if own.through is not None else SHAPES[BENT]
    low, rise = curve.value[segment], curve.value[segment + 1] - curve.value[segment]
    u = float(curve.progress(np.array([segment]), floats([beat]))[0])
    if rise == 0.0 or not 0.0 < u < 1.0 or shape.through is None:
        return curve
    amount = shape.through(u, float((value - low) / rise))
    return set_shape(curve, [segment], shape.key, 0.0 if abs(amount) < LEAST_BEND else amount)


def bend_amount(ratio: float, u: float = 0.5) -> float:
    """The amount of a bend from v0 to v1 = ratio·v0 that is the exponential v0·ratio^u."""
    # e^k = ratio for a rise written as (ratio^u − 1)/(ratio − 1); k = −4·artanh(a).
    return float(np.tanh(-np.log(ratio) / 4.0))


def move(curve: Curve, chosen: Any, beats: float, value: float, when_met: str = STOP) -> tuple[Curve, Ints]:
    """The chosen points moved by `beats` and `value` as one group that keeps its form.

    STOP: the group stops where it would pass a neighbour that stays (a point may come to lie
    on one neighbour's beat, a jump; where a jump is already, it stops a tick before it).
    REPLACE: it goes where it is moved, and what lay in the span it lands on is replaced.
    Values stop at 0 and 1 together. Returns the curve and where the moved points are.
    """
    which = indices(curve, chosen)
    if not which.size:
        return curve, which
    value = float(np.clip(value, -curve.value[which].min(), 1.0 - curve.value[which].max()))
    beats = max(beats, -float(curve.beat[which[0]]))
    if when_met == STOP:
        beats = stopped(curve, which, beats)
        moved_beat, moved_value = curve.beat.copy(), curve.value.copy()
        moved_beat[which] = _kept_between(curve, which, curve.beat[which] + beats)
        moved_value[which] = np.clip(moved_value[which] + value, 0.0, 1.0)
        _settle(moved_beat, which, curve)
        for column in (moved_beat, moved_value):
            column.flags.writeable = False  # nobody else has them: the curve keeps them as they are
        return curve.having(beat=moved_beat, value=moved_value), which
    return _drop(curve, which, curve.beat[which] + beats, curve.value[which] + value)


def stopped(curve: Curve, which: Ints, beats: float) -> float:
    """How far of `beats` the group can go before it would pass a point that stays."""
    step = 1 if beats > 0 else -1
    neighbour = which + step
    free = (neighbour >= 0) & (neighbour < len(curve)) & ~among(neighbour, which)
    mine, other = which[free], neighbour[free]
    if not mine.size:
        return beats
    gap = np.abs(curve.beat[other] - curve.beat[mine])
    # Two may share a beat, three may not: keep a tick off a jump, or when a jump itself moves.
    full = (_in_jump(curve, other) | _in_jump(curve, mine)) & (gap > 0.0)
    room = np.where(full, np.maximum(gap - TICK, 0.0), gap)
    return step * min(abs(beats), float(room.min()))


def _in_jump(curve: Curve, which: Ints) -> Bools:
    """Whether points share their beat with the one before or after."""
    beat, last = curve.beat, len(curve) - 1
    after = (which < last) & (beat[np.minimum(which + 1, last)] == beat[which])
    return after | ((which > 0) & (beat[np.maximum(which - 1, 0)] == beat[which]))


def _kept_between(curve: Curve, which: Ints, beats: Floats) -> Floats:
    """Where the chosen points come to lie: rounding takes none past one that stays, nor leaves it a hair
    off."""
    first = np.diff(which, prepend=which[0] - 2) > 1  # of a run of neighbours
    run, starts = np.cumsum(first) - 1, np.flatnonzero(first)
    ends = np.append(starts[1:], len(which)) - 1
    before, after = which[starts] - 1, which[ends] + 1
    low = np.where(before >= 0, curve.beat[before], -np.inf)[run]
    high = np.where(after < len(curve), curve.beat[np.minimum(after, len(curve) - 1)], np.inf)[run]
    beats = np.where(high - beats < CLOSEST_POINTS_BEATS, high, beats)
    return np.where(beats - low < CLOSEST_POINTS_BEATS, low, beats)


def _settle(beat: Floats, which: Ints, before: Curve) -> None:
    """Take out what rounding did to beats that meet: order, and the two of a jump as one."""
    moved = beat[which[0] : which[-1] + 1]
    np.maximum.accumulate(moved, out=moved)
    pairs = which[:-1][(np.diff(which) == 1) & (np.diff(before.beat[which]) == 0.0)]
    beat[pairs + 1] = beat[pairs]


def _drop(curve: Curve, which: Ints, beat: Floats, value: Floats) -> tuple[Curve, Ints]:
    """The chosen points put at new places; unchosen ones in the spans they land on go."""
    runs = np.split(np.arange(len(which)), np.flatnonzero(np.diff(which) > 1) + 1)
    staying = np.ones(len(curve), bool)
    staying[which] = False
    for run in runs:
        staying &= ~((curve.beat >= beat[run[0]]) & (curve.beat <= beat[run[-1]]))
    staying[which] = False
    kept = curve.rows(staying) if staying.any() else None
    moved = curve.rows(which).having(beat=beat, value=np.clip(value, 0.0, 1.0))
    return merged(kept, moved) if kept is not None else (moved, np.arange(len(which)))


def place(curve: Curve, chosen: Any, beat: float, when_met: str = STOP) -> tuple[Curve, Ints]:
    """The chosen points moved as a group so that the first one lies on `beat`.

    Raises ZolvekError when STOP holds it back from there: a typed value must be exact.
    """
    which = indices(curve, chosen)
    moved, where = move(curve, which, beat - float(curve.beat[which[0]]), 0.0, when_met)
    reached = float(moved.beat[where[0]])
    if abs(reached - beat) > 1e-9:
        raise ZolvekError(
            "Another point is in the way.",
            remedy="Move it first, or set Collisions to overwrite.",
        )
    return moved, where


def points_in(curve: Curve, first: float, last: float, low: float = 0.0, high: float = 1.0) -> Ints:
    """The points inside a span and a range of values, edges included."""
    inside = (curve.beat >= first) & (curve.beat <= last)
    return np.flatnonzero(inside & (curve.value >= low) & (curve.value <= high))


def segments_of(curve: Curve, chosen: Any) -> Ints:
    """The segments that a choice of points means: those with both ends chosen, or where
    there are none such, those that begin at a chosen point."""
    which = indices(curve, chosen)
    which = which[which < len(curve) - 1]
    both = which[among(which + 1, indices(curve, chosen))]
    return both if both.size else which


def toggle_jump(curve: Curve, index: int) -> Curve:
    """A jump made at a point, by a second point on its beat; or the jump there closed, the
    later value staying."""
    jumps = curve.jumps()
    if jumps[index]:
        return delete(curve, [index])
    if index and jumps[index - 1]:
        return delete(curve, [index - 1])
    twin = np.repeat(np.arange(len(curve)), np.where(np.arange(len(curve)) == index, 2, 1))
    doubled = take(curve, twin)
    shape, amount, parts = doubled.shape.copy(), doubled.amount.copy(), doubled.parts.copy()
    shape[index], amount[index], parts[index] = LINE, 0.0, WHOLE
    return doubled.having(shape=shape, amount=amount, part=parts)
