# SPDX-License-Identifier: GPL-3.0-or-later
"""Quantising: points pulled to the grid, their order and jumps kept."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.point_edits import indices
from zolvek.core.time.grid import Grid
from zolvek.core.time.meter import MeterMap


def quantised(
    curve: Curve,
    grid: Grid,
    meter: MeterMap,
    strength: float = 1.0,
    chosen: Any = None,
    offset: float = 0.0,
) -> tuple[Curve, Ints]:
    """The chosen points (all by default) moved by `strength` (0..1) of their way to the
    nearest line, shifted by `offset` beats.

    A line takes two points at most, the nearest ones, which stand there as a jump; further ones
    stay where they are. Points that are not chosen stay, and are not passed. Returns the curve
    and the points that could not be placed.
    """
    which = np.arange(len(curve)) if chosen is None else indices(curve, chosen)
    if not which.size:
        return curve, which
    target = np.maximum(grid.snap(curve.beat[which] - offset, meter) + offset, 0.0)
    placed = np.ones(len(which), bool)
    if strength >= 1.0:
        placed = _two_nearest(curve.beat[which], target)
    beat = curve.beat.copy()
    moved = which[placed]
    # Onto a line means on it: computed from where a point was, it would be a rounding next to it.
    whole = strength >= 1.0
    beat[moved] = target[placed] if whole else beat[moved] + strength * (target[placed] - beat[moved])
    beat, left = _in_order(beat, curve.beat, moved)
    left[which[~placed]] = True
    return curve.having(beat=beat), np.flatnonzero(left)


def _two_nearest(beat: Floats, target: Floats) -> Bools:
    """Which points their line has room for: the nearest one and the nearer one next to it, or
    the nearest jump, whose two points never part."""
    count = len(beat)
    starts = np.flatnonzero(np.append(True, np.diff(target) > 0.0))
    sizes = np.diff(np.append(starts, count))
    if sizes.max() <= 2:
        return np.ones(count, bool)
    distance = np.abs(target - beat)
    group = np.repeat(np.arange(len(starts)), sizes)
    least = np.minimum.reduceat(distance, starts)
    at_least = np.flatnonzero(distance == least[group])
    nearest = at_least[np.append(True, np.diff(group[at_least]) > 0)]
    with_next = np.append(np.diff(beat) == 0.0, False)
    paired = with_next | np.append(False, with_next[:-1])
    placed = np.zeros(count, bool)
    placed[nearest] = True
    jumps = nearest[with_next[nearest]]
    placed[jumps + 1] = True
    single = nearest[~paired[nearest]]
    far = np.full(count + 2, np.inf)  # a place before the first point and after the last
    far[1:-1] = np.where(paired, np.inf, distance)
    lone = group[single]
    left = np.where(np.append(-1, group)[single] == lone, far[single], np.inf)
    right = np.where(np.append(group, -1)[single + 1] == lone, far[single + 2], np.inf)
    beside = np.where(left <= right, single - 1, single + 1)[np.isfinite(np.minimum(left, right))]
    placed[beside] = True
    return placed


def _in_order(beat: Floats, before: Floats, moved: Ints) -> tuple[Floats, Bools]:
    """Send back moved points until none has passed another and no three share a beat."""
    stuck = np.zeros(len(beat), bool)
    is_moved = np.zeros(len(beat), bool)
    is_moved[moved] = True
    for _ in range(len(beat)):
        wrong = np.flatnonzero(np.diff(beat) < 0.0)
        triple = np.flatnonzero(beat[2:] == beat[:-2]) if len(beat) > 2 else wrong[:0]
        faulty = np.concatenate((wrong, wrong + 1, triple, triple + 1, triple + 2))
        faulty = faulty[is_moved[faulty] & ~stuck[faulty]]
        if not faulty.size:
            break
        stuck[faulty] = True
        beat[faulty] = before[faulty]
    return beat, stuck
