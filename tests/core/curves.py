# SPDX-License-Identifier: GPL-3.0-or-later
"""Random curves for the tests, and the shapes table of the design written out a second time."""

from __future__ import annotations

import math

import numpy as np
from hypothesis import strategies as st

from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import SHAPES


def rise(key: str, u: float, a: float) -> float:
    """One shape at one u, straight from the design's table."""
    if key == "hold":
        return 1.0 if u >= 1 else 0.0
    if key == "bend":
        k = -4 * math.atanh(a)
        return u if abs(a) < 1e-12 else math.expm1(k * u) / math.expm1(k)
    if key == "s-curve":
        return 0.5 * rise("bend", 2 * u, -a) if u < 0.5 else 1 - 0.5 * rise("bend", 2 - 2 * u, -a)
    if key == "cosine":
        return (1 - math.cos(math.pi * u)) / 2
    if key == "stairs":
        return min(math.floor(u * (a + 1)), a) / a
    if key == "pulses":
        return 1.0 if u >= 1 or (u * a) % 1 >= 0.5 else 0.0
    if key == "waves":
        return (1 - math.cos(math.pi * (2 * a + 1) * u)) / 2
    return u


def value_at(curve: Curve, beat: float) -> float:
    """The curve at one beat by its definition."""
    if beat < curve.beat[0]:
        return float(curve.value[0])
    i = max(j for j in range(len(curve)) if curve.beat[j] <= beat)
    if i == len(curve) - 1:
        return float(curve.value[i])
    u = (beat - curve.beat[i]) / (curve.beat[i + 1] - curve.beat[i])
    low, high = curve.value[i], curve.value[i + 1]
    return float(low + (high - low) * rise(SHAPES[curve.shape[i]].key, u, curve.amount[i]))


@st.composite
def curves(draw: st.DrawFn, most: int = 12) -> Curve:
    """Curves of every shape, with jumps, on and off a sixteenth grid."""
    count = draw(st.integers(1, most))
    steps = draw(st.lists(st.sampled_from([0.0, 0.25, 0.5, 1.0, 0.37, 1 / 3, 3.0]), min_size=count, max_size=count))
    beat, last_jump = [draw(st.sampled_from([0.0, 1.0, 0.4]))], False
    for step in steps[1:]:
        step = 0.25 if step == 0.0 and last_jump else step
        last_jump = step == 0.0
        beat.append(beat[-1] + step)
    unit = st.floats(0, 1, allow_subnormal=False)
    value = draw(st.lists(unit, min_size=count, max_size=count))
    shape = draw(st.lists(st.integers(0, len(SHAPES) - 1), min_size=count, max_size=count))
    bends = st.floats(-0.95, 0.95, allow_subnormal=False)
    amount = [float(draw(st.integers(1, 5))) if s >= 5 else draw(bends) if s in (2, 3) else 0.0 for s in shape]
    return Curve(np.array(beat), np.array(value), np.array(shape, np.uint8), np.array(amount))
