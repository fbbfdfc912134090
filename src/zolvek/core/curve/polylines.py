# SPDX-License-Identifier: GPL-3.0-or-later
"""Polylines: a curve as samples joined by lines, in stretches without a jump."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.deviation import LINES
from zolvek.core.curve.discontinuities import inner_jumps
from zolvek.core.curve.shapes import SHAPES

ROUNDING = 1e-9  # of the height: less is no jump


def runs_of(curve: Curve, tolerance: float, keep: Any) -> list[tuple[Floats, Floats]]:
    """Stretches without a jump, as samples joined by lines within `tolerance` of the curve."""
    beats, values, fixed = sampled_lines(curve, tolerance, keep)
    cuts = np.flatnonzero(fixed)
    runs = []
    for first, last in itertools.pairwise(cuts.tolist()):
        if beats[last] > beats[first]:
            runs.append((beats[first : last + 1], values[first : last + 1]))
    if not runs:
        runs.append((beats[:1], values[:1]))
    return runs


def sampled_lines(curve: Curve, tolerance: float, keep: Any = None) -> tuple[Floats, Floats, Bools]:
    """Samples of a curve (jumps as two on one beat) whose lines stay within `tolerance` of it,
    and which of them are to stay: ends, jumps and kept points."""
    count = len(curve)
    kept = np.zeros(count, bool)
    if keep is not None:
        kept[keep] = True
    jump = curve.jumps()
    kept |= jump | np.append(False, jump[:-1])
    kept[[0, -1]] = True
    plain = LINES[curve.shape[:-1]] | (np.diff(curve.beat) == 0.0)
    if plain.all():
        return curve.beat, curve.value, kept
    parts_beat, parts_value, parts_kept = [], [], []
    start = 0
    for index in np.flatnonzero(~plain).tolist():
        inner, values = _inside(curve, index, tolerance)
        stop = index + 1
        parts_beat += [curve.beat[start:stop], inner]
        parts_value += [curve.value[start:stop], values]
        exact = np.zeros(len(inner), bool)
        twins = np.diff(inner) == 0.0
        exact[:-1] |= twins
        exact[1:] |= twins
        if len(inner) and inner[-1] == curve.beat[stop]:
            exact[-1] = kept[stop] = True  # a hold ends in a jump
        parts_kept += [kept[start:stop], exact]
        start = stop
    parts_beat.append(curve.beat[start:])
    parts_value.append(curve.value[start:])
    parts_kept.append(kept[start:])
    beats, values = np.concatenate(parts_beat), np.concatenate(parts_value)
    fixed = np.concatenate(parts_kept)
    # Three on a beat add nothing to two: a hold that runs into a jump.
    middle = np.zeros(len(beats), bool)
    middle[1:-1] = (beats[1:-1] == beats[:-2]) & (beats[1:-1] == beats[2:])
    return beats[~middle], values[~middle], fixed[~middle]


def _inside(curve: Curve, index: int, tolerance: float) -> tuple[Floats, Floats]:
    """Samples between a segment's two points; jumps as two on one beat."""
    ends = np.array([curve.beat[index], curve.beat[index + 1]])
    inner = inner_jumps(curve.rows(slice(index, index + 2)))
    last = float(curve.before(ends[1]))
    at_end = abs(last - float(curve.value[index + 1])) > ROUNDING
    edges = np.concatenate((ends[:1], inner, ends[1:]))
    beats, values = [], []
    for start, stop in itertools.pairwise(edges.tolist()):
        x, y = _between_jumps(curve, index, start, stop, tolerance)
        beats.append(x)
        values.append(y)
    beat, value = np.concatenate(beats), np.concatenate(values)
    return beat[1 : None if at_end else -1], value[1 : None if at_end else -1]


def _between_jumps(curve: Curve, index: int, first: float, last: float, tolerance: float) -> tuple[Floats, Floats]:
    """Samples of a stretch without a jump, both its ends among them."""
    row = SHAPES[curve.shape[index]]
    count = 1 if row.ends_early or row.before is not None else 8
    while True:
        grid = np.linspace(first, last, count + 1)
        values = np.append(curve.at(grid[:-1]), curve.before(grid[-1:]))
        middle = curve.at(0.5 * (grid[1:] + grid[:-1]))
        if np.abs(middle - 0.5 * (values[1:] + values[:-1])).max() <= tolerance or count > 4_096:
            return grid, values
        count *= 2
