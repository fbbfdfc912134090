# SPDX-License-Identifier: GPL-3.0-or-later
"""Reach: the part of a parameter's travel that a curve's 0..1 covers, as the two positions that 0
and 1 stand for (low above high inverts)."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Numbers

Reach = tuple[float, float]
WHOLE: Reach = (0.0, 1.0)


def around(reach: Reach, present: float) -> Reach:
    """What a relative curve's 0 and 1 stand for about a control at `own`: its reach is counted from −1
    to 1 of the travel. Beyond 0..1 the control stays at its end."""
    return present - 1.0 + 2.0 * reach[0], present - 1.0 + 2.0 * reach[1]


def to_position(reach: Reach, value: Numbers) -> Floats:
    """The parameter's positions for values of the curve."""
    low, high = reach
    return low + (high - low) * np.asarray(value, float)


def from_position(reach: Reach, position: Numbers) -> Floats:
    """The curve's values for positions of the parameter, kept to 0..1."""
    low, high = reach
    return np.clip((np.asarray(position, float) - low) / (high - low), 0.0, 1.0)
