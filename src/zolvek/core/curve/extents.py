# SPDX-License-Identifier: GPL-3.0-or-later
"""The exact lowest and highest value of a curve in spans of time."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np

from zolvek.core.arrays import Floats, Ints, Numbers
from zolvek.core.curve.rules import present
from zolvek.core.curve.shapes import HOLD, SHAPES

DENSE = 60  # spans for each point from which on most of them hold none


class Columns(Protocol):
    """A curve, as far as it is looked at here."""

    @property
    def beat(self) -> Floats:
        """Beats of the points, non-decreasing."""
        ...

    @property
    def value(self) -> Floats:
        """Values of the points, 0..1."""
        ...

    @property
    def shape(self) -> Any:
        """Codes of the segments' shapes."""
        ...

    @property
    def amount(self) -> Floats:
        """Amounts of the segments' shapes."""
        ...

    @property
    def part(self) -> Floats:
        """The parts of shapes that segments run through, (n, 3) or empty."""
        ...

    def __len__(self) -> int: ...
    def at(self, beats: Numbers) -> Floats:
        """Values at beats."""
        ...

    def before(self, beats: Numbers) -> Floats:
        """Limits from the left at beats."""
        ...

    def progress(self, index: Ints, beats: Floats) -> Floats:
        """How far along their shapes segments are at beats, 0..1."""
        ...

    def swing(self, index: Ints) -> tuple[Floats, Floats, Floats]:
        """What of their shapes segments run through: start, end and height."""
        ...


def extents(curve: Columns, edges: Floats) -> tuple[Floats, Floats]:
    """The exact lowest and highest value in each span edges[i] <= beat < edges[i+1].

    `edges` float64, increasing, of n + 1; returns two arrays of n.
    """
    if len(edges) > DENSE * len(curve):
        return _dense(curve, edges)
    return _exact(curve, edges)


def _dense(curve: Columns, edges: Floats) -> tuple[Floats, Floats]:
    """As `extents`, where most spans are a small part of a segment: what counts there are the
    values at both ends, if it is a segment that does not turn back. Only spans that hold a
    point, or lie in a segment that turns or jumps, are looked at closely."""
    at = curve.at(edges)
    low, high = np.minimum(at[:-1], at[1:]), np.maximum(at[:-1], at[1:])
    count = len(low)
    close = np.zeros(count + 1, bool)
    index = np.searchsorted(edges, curve.beat, side="left") - 1  # a point at a span's very end too
    close[index[(index >= 0) & (index < count)]] = True
    steady = np.array([shape.steady for shape in SHAPES])[curve.shape[:-1]]
    if len(curve.part):
        steady = steady & (curve.part[:-1, 0] == 0.0) & (curve.part[:-1, 1] == 1.0)
    first = np.clip(index[:-1][~steady], 0, count)
    last = np.clip(index[1:][~steady] + 1, 0, count)
    change = np.bincount(first, minlength=count + 1) - np.bincount(last, minlength=count + 1)
    close |= np.cumsum(change) > 0
    close[count] = False
    if close[:count].any():
        # All of them in one go: what lies between two is one long span that nobody asks for.
        needed = np.flatnonzero(close | np.concatenate(([False], close[:count])))
        wanted = close[needed[:-1]] & (np.diff(needed) == 1)
        least, most = _exact(curve, edges[needed])
        low[needed[:-1][wanted]], high[needed[:-1][wanted]] = least[wanted], most[wanted]
    return low, high


def _exact(curve: Columns, edges: Floats) -> tuple[Floats, Floats]:
    if not len(curve.part) and all(SHAPES[code].steady for code in present(curve.shape)):
        return _steady(curve, edges)
    inside = curve.beat[(curve.beat > edges[0]) & (curve.beat < edges[-1])]
    cuts = np.concatenate((edges, inside))
    cuts.sort(kind="stable")
    left, right = cuts[:-1], cuts[1:]
    index = _before(curve.beat, left) - 1
    low = curve.value[np.clip(index, 0, len(curve) - 1)]
    high = low.copy()
    inner = (index >= 0) & (index < len(curve) - 1) & (right > left)
    i = index[inner]
    if i.size:
        low[inner], high[inner] = _run_through(curve, i, left[inner], right[inner])
    if not len(inside):
        return low, high
    groups = np.searchsorted(cuts, edges[:-1], side="left")
    return np.minimum.reduceat(low, groups), np.maximum.reduceat(high, groups)


def _run_through(curve: Columns, index: Ints, left: Floats, right: Floats) -> tuple[Floats, Floats]:
    """The lowest and highest value of segments from `left` up to, but not at, `right`. Where the
    ends of a cut segment have been moved apart from its swing it is a bound, as near as that."""
    u0, u1 = curve.progress(index, left), curve.progress(index, right)
    codes, amount = curve.shape[index], curve.amount[index]
    base, swing = curve.value[index], curve.value[index + 1] - curve.value[index]
    lean: tuple[Floats | float, Floats | float] = (0.0, 0.0)
    if len(curve.part):
        begin, end, _ = curve.part[index].T
        start, swing, tilt = curve.swing(index)
        base = base - swing * start
        lean = tilt * u0, tilt * u1
        ends = begin + u0 * (end - begin), begin + u1 * (end - begin)
        u0, u1 = np.minimum(*ends), np.maximum(*ends)
    y0, y1 = np.empty_like(u0), np.empty_like(u0)
    for code in present(codes):
        mine = codes == code
        y0[mine], y1[mine] = SHAPES[code].extent(u0[mine], u1[mine], amount[mine])
    a, b = base + swing * y0, base + swing * y1
    low = np.minimum(a, b) + np.minimum(*lean)
    high = np.maximum(a, b) + np.maximum(*lean)
    return np.clip(low, 0.0, 1.0), np.clip(high, 0.0, 1.0)


def _steady(curve: Columns, edges: Floats) -> tuple[Floats, Floats]:
    """As `extents`, where no segment turns back: what counts is the points inside a span
    and the value at its ends, the last one as a limit."""
    first, last = curve.at(edges[:-1]), curve.before(edges[1:])
    low, high = np.minimum(first, last), np.maximum(first, last)
    index = np.searchsorted(curve.beat, edges, side="left")
    after = np.searchsorted(curve.beat, edges, side="right")
    some = np.flatnonzero(index[1:] > after[:-1])
    if some.size:
        # Points on the edges themselves are given by the ends; they must not count twice, for the two of a jump lie on
        # different sides: each run ends before those, and what lies between two runs is left out.
        start, stop = int(after[some[0]]), int(index[-1])
        reached = _reached(curve, start, stop)
        runs = np.stack((after[some], index[some + 1]), 1).ravel() - start
        runs = runs[:-1] if runs[-1] == len(reached) else runs
        low[some] = np.minimum(low[some], np.minimum.reduceat(reached, runs)[::2])
        high[some] = np.maximum(high[some], np.maximum.reduceat(reached, runs)[::2])
    return low, high


def _reached(curve: Columns, start: int, stop: int) -> Floats:
    """The values of some points, but for one at the end of a hold that a jump leaves at
    once, which the curve never takes: the held value."""
    value = curve.value[start:stop]
    first, last = max(start, 1), min(stop, len(curve) - 1)
    held = np.flatnonzero(curve.shape[first - 1 : max(last, first) - 1] == HOLD) + first
    passed = held[curve.beat[held] == curve.beat[held + 1]]
    if passed.size:
        value = value.copy()
        value[passed - start] = curve.value[passed - 1]
    return value


def _before(few: Floats, many: Floats) -> Ints:
    """How many of `few` lie at or before each of `many`, both increasing: quicker than looking
    each of many up among few."""
    index = np.searchsorted(many, few, side="left")
    return np.cumsum(np.bincount(index, minlength=len(many) + 1))[: len(many)]
