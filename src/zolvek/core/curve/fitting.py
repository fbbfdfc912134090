"""Fitting: few shaped points for many samples, within a tolerance.

Greedy: from each sample on, the longest run that one segment follows. A bend is found from the
run's own middle, y(½) = (1 + a)/2, so each try costs one look at the run.
"""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import BENT, COSINE, LINE, S_CURVE, SHAPES

STEEPEST_FIT = 0.995
SHORTER = 0.75  # how much of a run is tried next
CANDIDATES = (LINE, BENT, COSINE, S_CURVE)


def fit(beats: Floats, values: Floats, tolerance: float) -> Curve:
    """A curve within `tolerance` of the samples (`beats` increasing, `values` 0..1), its points
    at samples. At least the first and last sample are points."""
    if len(beats) == 1:
        return Curve(beats, values, np.array([LINE], np.uint8), np.zeros(1))
    points, shapes, amounts = [0], [], []
    while points[-1] < len(beats) - 1:
        end, code, amount = _longest(beats, values, points[-1], tolerance)
        points.append(end)
        shapes.append(code)
        amounts.append(amount)
    shape = np.array([*shapes, LINE], np.uint8)
    return Curve(beats[points], values[points], shape, np.array([*amounts, 0.0]))


def _longest(beats: Floats, values: Floats, start: int, tolerance: float) -> tuple[int, int, float]:
    """The furthest sample that one segment from `start` reaches.

    From long runs to short: a cosine is followed to its end, but not to three quarters of it.
    Then halving between the run that was followed and the shortest that was not.
    """
    last = len(beats) - 1
    good, found, bad = start + 1, (start + 1, LINE, 0.0), last + 1
    length = last - start
    while length > 1:
        row = _segment(beats, values, start, start + length, tolerance)
        if row is not None:
            good, found = start + length, (start + length, *row)
            break
        bad, length = start + length, int(length * SHORTER)
    while bad - good > 1:
        middle = (good + bad) // 2
        row = _segment(beats, values, start, middle, tolerance)
        if row is None:
            bad = middle
        else:
            good, found = middle, (middle, *row)
    return found


def _segment(
    beats: Floats, values: Floats, start: int, end: int, tolerance: float
) -> tuple[int, float] | None:
    """The shape and amount with which one segment follows the samples, if any does."""
    run = slice(start + 1, end)
    if end - start < 2:
        return LINE, 0.0
    span = beats[end] - beats[start]
    low, rise = values[start], values[end] - values[start]
    if span <= 0.0:
        return None
    u = (beats[run] - beats[start]) / span
    aimed = values[run]
    for code in CANDIDATES if abs(rise) > 1e-12 else (LINE,):
        amount = _amount(code, u, (aimed - low) / rise) if code in (BENT, S_CURVE) else 0.0
        y = SHAPES[code].rise(u, np.full(len(u), amount))
        if np.abs(low + rise * y - aimed).max() <= tolerance:
            return code, amount
    return None


def _amount(code: int, u: Floats, y: Floats) -> float:
    """The amount with which a bend passes through the run's middle, or an S-curve's first
    half through its own."""
    if code == BENT:
        return float(np.clip(2.0 * np.interp(0.5, u, y) - 1.0, -STEEPEST_FIT, STEEPEST_FIT))
    quarter = 0.5 * (np.interp(0.25, u, y) + 1.0 - np.interp(0.75, u, y))
    return float(np.clip(1.0 - 4.0 * quarter, -STEEPEST_FIT, STEEPEST_FIT))
