# SPDX-License-Identifier: GPL-3.0-or-later
"""How far two curves are apart."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import knots
from zolvek.core.curve.shapes import HOLD, SHAPES

DENSE = 24  # places between neighbouring knots where errors are looked for
CLOSE = 64  # places in a whole smooth segment, where that is fewer
ZOOM = np.linspace(0.0, 1.0, 17)
ZOOMS = 2
STEADY = np.array([row.steady for row in SHAPES])
LINES = np.array([row.straight for row in SHAPES])
STRAIGHT = LINES | (np.arange(len(SHAPES)) == HOLD)


def deviation(curve: Curve, other: Curve) -> tuple[float, float]:
    """The largest difference of two curves in value, and the beat it is at, looked for closely
    between all their points."""
    if is_lines(curve) and is_lines(other):
        # Between points both run straight: the largest difference is at a point of either.
        far = np.abs(curve.value - other.at(curve.beat)), np.abs(curve.at(other.beat) - other.value)
        jump = curve.jumps().any() or other.jumps().any()
        if not jump:
            side = int(far[1].max() > far[0].max())
            at = int(np.argmax(far[side]))
            return float(far[side][at]), float((curve, other)[side].beat[at])
    beats, difference = differences(curve, other, 0.0)
    at = int(np.argmax(difference))
    return float(difference[at]), float(beats[at])


def is_lines(curve: Curve) -> bool:
    """Whether every segment of the curve is a line or a hold."""
    return bool(np.all(LINES[curve.shape[:-1]]))


def differences(curve: Curve, other: Curve, bound: float | None = None) -> tuple[Floats, Floats]:
    """Beats, and how far apart the two curves are there; both sides of a jump are looked at.

    Where they are about as far apart as `bound`, or furthest (0), the very peak is looked for.
    """
    at = np.union1d(knots(curve), knots(other))
    if len(at) == 1:
        return at, np.abs(curve.at(at) - other.at(at))
    first, length = at[:-1], np.diff(at)
    counts = np.maximum(_places(curve, first, length), _places(other, first, length))
    ends = np.cumsum(counts)
    step = np.repeat(length / counts, counts)
    within = np.arange(ends[-1]) - np.repeat(ends - counts, counts)
    beats = np.append(np.repeat(first, counts) + step * within, at[-1])
    far = np.abs(curve.at(beats) - other.at(beats))
    # What each stretch comes to at its end, in case that is a jump.
    limit = np.abs(curve.before(at[1:]) - other.before(at[1:]))
    beats, far = np.insert(beats, ends, at[1:]), np.insert(far, ends, limit)
    return (beats, far) if bound is None else _peaks(curve, other, beats, far, bound)


def _peaks(curve: Curve, other: Curve, beats: Floats, far: Floats, bound: float) -> tuple[Floats, Floats]:
    """The places, and with them the peaks between them that may be beyond what was seen: round every
    place that stands out, closer and closer."""
    if len(far) < 3:
        return beats, far
    # Between three places a smooth difference rises above the middle one by an eighth of what it
    # bends there at most: twice that is allowed for.
    reach = far[1:-1] + np.abs(np.diff(far, 2)) / 4.0
    open_ = reach >= bound if bound else reach >= far.max()
    open_ &= far[1:-1] >= np.minimum(far[:-2], far[2:])
    top = np.flatnonzero(open_ & (far[1:-1] <= bound) if bound else open_) + 1
    if not top.size:
        return beats, far
    low, high = beats[top - 1], beats[top + 1]
    for _ in range(ZOOMS):
        at = low[:, None] + (high - low)[:, None] * ZOOM
        result = np.abs(curve.at(at.ravel()) - other.at(at.ravel())).reshape(at.shape)
        best = np.argmax(result, axis=1)
        rows = np.arange(len(top))
        low, high = (
            at[rows, np.maximum(best - 1, 0)],
            at[rows, np.minimum(best + 1, at.shape[1] - 1)],
        )
    peak, height = at[rows, best], result[rows, best]
    where = np.argsort(np.concatenate((beats, peak)), kind="stable")
    return np.concatenate((beats, peak))[where], np.concatenate((far, height))[where]


def _places(curve: Curve, first: Floats, length: Floats) -> Ints:
    """At how many places of each stretch between knots errors are looked for: one where the curve
    runs straight; fewer where a stretch is a small part of a smooth segment."""
    index = np.searchsorted(curve.beat, first, side="right") - 1
    inside = (index >= 0) & (index < len(curve) - 1)
    index = np.clip(index, 0, max(len(curve) - 2, 0))
    whole = curve.beat[index + 1] - curve.beat[index] if len(curve) > 1 else np.ones(len(first))
    part = np.ceil(CLOSE * length / np.where(whole > 0.0, whole, 1.0))
    counts = np.where(STEADY[curve.shape[index]], np.clip(part, 1, DENSE), DENSE)
    return np.where(~inside | STRAIGHT[curve.shape[index]], 1, counts).astype(np.intp)
