# SPDX-License-Identifier: GPL-3.0-or-later
"""Time put together again out of stretches of the old: what bars that are inserted or removed, and
sections that are moved or doubled, have in common."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from zolvek.core.arrays import Bools, Floats
from zolvek.core.curve.construction import joined
from zolvek.core.curve.curve import NO_PARTS, WHOLE, Curve
from zolvek.core.curve.discontinuities import SAME
from zolvek.core.curve.shapes import HOLD, LINE
from zolvek.core.curve.spans import cut
from zolvek.core.limits import MOST_BEATS
from zolvek.core.records import Record

END = MOST_BEATS  # of the last stretch, which has none


class Stretch(Record, frozen=True):
    """The old time from beat `first` to `last`; or new, empty time of that length, where `empty`."""

    first: float
    last: float
    empty: bool = False

    @property
    def length(self) -> float:
        """How many beats the stretch has."""
        return self.last - self.first


class Order(Record, frozen=True):
    """Stretches one after another."""

    stretches: tuple[Stretch, ...]

    @cached_property
    def begins(self) -> list[float]:
        """The new beat at which each stretch begins."""
        begins = [0.0]
        for stretch in self.stretches[:-1]:
            begins.append(begins[-1] + stretch.length)
        return begins

    def old(self) -> Iterator[tuple[Stretch, float]]:
        """The stretches of old time, each with its shift."""
        for stretch, begin in zip(self.stretches, self.begins, strict=True):
            if not stretch.empty:
                yield stretch, begin - stretch.first

    def events(self, beat: float) -> list[float]:
        """Where what happens at a beat happens now: nowhere, once, or several times."""
        return [beat + shift for item, shift in self.old() if item.first <= beat < item.last]

    def start(self, beat: float) -> float:
        """Where something that begins at a beat begins now; what was taken out, at what follows it."""
        result = self.events(beat)
        if result:
            return result[0]
        later = [item.first + shift for item, shift in self.old() if item.first >= beat]
        return min(later, default=self.end(beat))

    def end(self, beat: float) -> float:
        """Where something that ends at a beat ends now; what was taken out, at what came before it."""
        for item, shift in self.old():
            if item.first < beat <= item.last:
                return beat + shift
        earlier = [item.last + shift for item, shift in self.old() if item.last <= beat]
        return max(earlier, default=0.0)

    def span(self, first: float, last: float) -> tuple[float, float] | None:
        """Where a span lies now: as a whole where it lay in one stretch, else from where its start is to
        where its end is; None where nothing of it is left."""
        for item, shift in self.old():
            if item.first <= first and last <= item.last:
                return first + shift, last + shift
        result = self.start(first), self.end(last)
        return result if result[1] > result[0] else None

    def after(self, index: int) -> Stretch | None:
        """The stretch after the one at `place`, if any."""
        return self.stretches[index + 1] if index + 1 < len(self.stretches) else None

    def curve(self, curve: Curve) -> Curve:
        """The curve in the new order, holding its level through empty time; points that say nothing where
        stretches meet are left out."""
        if len(curve) == 1:
            only = curve.beat[0] == 0.0
            return curve if only else curve.having(beat=np.array([self.start(float(curve.beat[0]))]))
        pieces = [_rows(curve, item) for item, _ in self.old()]
        shifts = [shift for _, shift in self.old()]
        sizes = [len(piece.beat) for piece in pieces]
        beat, value, shape, amount = (np.concatenate([piece[i] for piece in pieces]) for i in range(4))
        beat = np.maximum.accumulate(beat + np.repeat(shifts, sizes))
        part = NO_PARTS
        if any(len(piece.part) for piece in pieces):
            whole = (np.tile(WHOLE, (size, 1)) for size in sizes)
            part = np.concatenate([p.part if len(p.part) else w for p, w in zip(pieces, whole, strict=True)])
        needed = _needed(beat, value, shape, np.concatenate([piece.own for piece in pieces]))
        return joined(beat[needed], value[needed], shape[needed], amount[needed], part[needed] if len(part) else part)


class Rows(NamedTuple):
    """A part of a curve as columns, and which of its points are the curve's own."""

    beat: Floats
    value: Floats
    shape: Any
    amount: Floats
    part: Floats
    own: Bools


def _rows(curve: Curve, each: Stretch) -> Rows:
    """A stretch of a curve with a point at both of its ends. The one at the end holds, as far as there is
    empty time after it."""
    beat = curve.beat
    start = int(np.searchsorted(beat, each.first, side="right")) - 1
    end = int(np.searchsorted(beat, each.last, side="left"))
    on_start = start >= 0 and beat[start] == each.first
    inside = slice(start if on_start else start + 1, end)
    pieces = [_plain(curve, inside)] if inside.stop > inside.start else []
    edges = [edge for edge in (each.first, each.last) if beat[0] < edge < beat[-1]]
    if not on_start:
        pieces.insert(0, _seam(curve, each.first, start, edges))
    last = inside.stop - 1
    if pieces and last >= inside.start and last + 1 < len(beat) and beat[last + 1] > each.last:
        # The segment that is cut off at the end runs through a part of its shape only.
        cut_off = _seam(curve, float(beat[last]), last, edges)
        kept = _plain(curve, slice(inside.start, last))
        pieces[-1:] = [kept, cut_off._replace(own=np.ones(1, bool))]
    if each.last < END:
        level, level_after = float(curve.before(each.last)), float(curve.at(each.last))
        between = end == len(beat) or beat[end] > each.last
        if between and abs(level_after - level) > SAME:  # cut on a jump inside a shape, which its end says of
            pieces.append(_point(each.last, level_after, LINE, True))
        elif not between and end and curve.shape[end - 1] != HOLD and abs(float(curve.value[end]) - level) > SAME:
            # A part of a shape that was cut on a jump before ends in the value that it leaps to.
            pieces.append(_point(each.last, float(curve.value[end]), LINE, True))
        pieces.append(_point(each.last, level, HOLD, False))
    if len(pieces) == 1:
        return pieces[0]
    part = NO_PARTS
    if any(len(piece.part) for piece in pieces):
        whole = (np.tile(WHOLE, (len(piece.beat), 1)) for piece in pieces)
        part = np.concatenate([p.part if len(p.part) else w for p, w in zip(pieces, whole, strict=True)])
    beats, values, shapes, amounts, drawn = (np.concatenate([piece[i] for piece in pieces]) for i in (0, 1, 2, 3, 5))
    return Rows(beats, values, shapes, amounts, part, drawn)


def _point(beat: float, value: float, shape: int, drawn: bool) -> Rows:
    return Rows(
        np.array([beat]), np.array([value]), np.array([shape], np.uint8), np.zeros(1), NO_PARTS, np.array([drawn])
    )


def _plain(curve: Curve, which: slice) -> Rows:
    part = curve.part[which] if len(curve.part) else NO_PARTS
    count = len(curve.beat[which])
    return Rows(
        curve.beat[which], curve.value[which], curve.shape[which], curve.amount[which], part, np.ones(count, bool)
    )


def _seam(curve: Curve, beat: float, owner: int, edges: list[float]) -> Rows:
    """The curve's row at a beat inside the segment that begins at point `owner`, as cutting it at `edges`
    makes it; before the first point and after the last it holds."""
    if not 0 <= owner < len(curve) - 1:
        return _point(beat, float(curve.at(beat)), LINE, False)
    if curve.shape[owner] in (LINE, HOLD) and not len(curve.part):  # parts of such are such
        at = curve.beat[owner] == beat
        level = float(curve.value[owner] if at else curve.at(beat))
        return _point(beat, level, int(curve.shape[owner]), False)
    small = cut(curve.rows(slice(owner, owner + 2)), _edges_in(curve, owner, edges))
    at = int(np.searchsorted(small.beat, beat, side="right")) - 1
    result = _plain(small, slice(at, at + 1))
    return result._replace(own=np.zeros(1, bool))


def _edges_in(curve: Curve, owner: int, edges: list[float]) -> list[float]:
    low, high = curve.beat[owner], curve.beat[owner + 1]
    return [edge for edge in edges if low < edge < high]


def _needed(beat: Floats, value: Floats, shape: Any, drawn: Bools) -> Bools:
    """Which points are needed: the curve's own, and those at seams that change what is heard."""
    needed = drawn.copy()
    last = len(beat) - 1
    for i in np.flatnonzero(~drawn).tolist():
        before = next((j for j in range(i - 1, -1, -1) if needed[j]), None)
        still = before is None or abs(value[before] - value[i]) <= SAME
        level = still and (before is None or shape[before] in (LINE, HOLD))
        if i == last:
            needed[i] = before is None or not level
            continue
        on = abs(value[i + 1] - value[i]) <= SAME
        held = before is not None and still and shape[before] == shape[i] == HOLD
        twin = on and beat[i + 1] == beat[i]
        needed[i] = not (held or twin or (level and on and shape[i] in (LINE, HOLD)))
    return needed


def ordered(parts: Sequence[Stretch]) -> Order:
    """The order, with stretches that follow one another as before made one."""
    stretches: list[Stretch] = []
    for part in parts:
        if part.last <= part.first:
            continue
        before = stretches[-1] if stretches else None
        if before and not before.empty and not part.empty and before.last == part.first:
            stretches[-1] = Stretch(before.first, part.last)
        else:
            stretches.append(part)
    return Order(tuple(stretches))
