# SPDX-License-Identifier: GPL-3.0-or-later
"""Places of a curve: where it jumps, and where it is not smooth."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, distinct
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import SHAPES

SAME = 1e-12  # values closer than this make no jump


def leaps(curve: Curve) -> Floats:
    """The beats, increasing, at which a curve jumps: two points on one beat, a segment that does not
    end where the next point is, as a hold, and the steps inside stairs and pulses."""
    twin = curve.beat[1:][np.diff(curve.beat) == 0.0]
    early = np.array([row.ends_early or row.before is not None for row in SHAPES])
    ends = curve.beat[1:][early[curve.shape[:-1]] & (np.diff(curve.beat) > 0.0)]
    ends = ends[np.abs(curve.before(ends) - curve.at(ends)) > SAME] if ends.size else ends
    return distinct(np.concatenate((twin, ends, inner_jumps(curve))))


def inner_jumps(curve: Curve) -> Floats:
    """The beats inside segments at which they jump, increasing."""
    return _inside(curve, tuple(row.jumps for row in SHAPES))


def inner_knots(curve: Curve) -> Floats:
    """The beats inside segments at which they jump, turn back or bend sharply, increasing."""
    return np.union1d(inner_jumps(curve), _inside(curve, tuple(row.turns for row in SHAPES)))


def knots(curve: Curve) -> Floats:
    """The beats of all points, and of the steps and turns inside segments that have such: between two
    of them the curve is smooth and does not turn back."""
    return distinct(np.concatenate((curve.beat, inner_knots(curve))))


def _inside(curve: Curve, places: tuple) -> Floats:
    """The beats of each segment's places, given by its shape for its amount."""
    jumping = np.array([find_jumps is not SHAPES[0].jumps for find_jumps in places])  # not "none"
    segments = np.flatnonzero(jumping[curve.shape[:-1]] & (np.diff(curve.beat) > 0.0))
    if not segments.size:
        return np.empty(0)
    result = []
    kinds = np.stack((curve.shape[segments].astype(float), curve.amount[segments]), axis=1)
    for code, amount in np.unique(kinds, axis=0).tolist():
        segment = segments[(kinds[:, 0] == code) & (kinds[:, 1] == amount)]
        u = places[int(code)](amount)
        if len(curve.part):
            begin, end, _ = curve.part[segment].T
            u = (u[None, :] - begin[:, None]) / (end - begin)[:, None]
        else:
            u = np.broadcast_to(u, (len(segment), len(u)))
        length = (curve.beat[segment + 1] - curve.beat[segment])[:, None]
        beats = curve.beat[segment][:, None] + u * length
        # One that lies on a point is that point's.
        inside = (u > 1e-12) & (u < 1.0 - 1e-12)
        inside &= (beats > curve.beat[segment][:, None]) & (beats < curve.beat[segment + 1][:, None])
        result.append(beats[inside])
    return np.sort(np.concatenate(result))
