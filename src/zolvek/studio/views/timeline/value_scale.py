# SPDX-License-Identifier: GPL-3.0-or-later
"""Which values of a parameter get a line on a scale: the round ones, in its own unit."""

from __future__ import annotations

import numpy as np

from zolvek.core.value.parameter import Parameter
from zolvek.core.value.reach import Reach, from_position, to_position

NICE = (1.0, 2.0, 5.0)


def marks(parameter: Parameter, reach: Reach, height: float, least: float = 30.0) -> list[tuple[float, str]]:
    """Curve values 0..1 and their labels, at least `least` pixels apart on `height`."""
    most = max(int(height / least), 2)
    low, high = sorted(reach)
    values = _candidates(parameter, most)
    position = parameter.position(values)
    inside = (position >= low - 1e-9) & (position <= high + 1e-9)
    result: list[tuple[float, str]] = []
    ends = [float(from_position(reach, p)) for p in (low, high)]
    rows = [(float(from_position(reach, p)), parameter.text(float(p))) for p in position[inside]]
    for value, text in sorted(rows):
        if all(abs(value - other) * height >= least for other, _ in result):
            result.append((value, text))
    if not result:
        result = [(v, parameter.text(float(to_position(reach, v)))) for v in ends]
    return result


def _candidates(parameter: Parameter, most: int) -> np.ndarray:
    if parameter.steps:
        return np.arange(parameter.steps, dtype=float)
    if parameter.taper == "exponential":
        decades = np.arange(np.floor(np.log10(parameter.low)), np.log10(parameter.high) + 1)
        values = (10.0 ** decades[:, None] * np.array(NICE)).ravel()
        if len(values) > 1.5 * most:
            values = 10.0**decades
    else:
        span = parameter.high - parameter.low
        rough = 10.0 ** np.floor(np.log10(span / most))
        step = next(n * rough for n in (1.0, 2.0, 5.0, 10.0) if span / (n * rough) <= most)
        if parameter.unit == "st":
            step = next(n for n in (1.0, 2.0, 3.0, 6.0, 12.0, 24.0) if span / n <= most)
        first = np.ceil(parameter.low / step) * step
        values = np.arange(first, parameter.high + step / 2, step)
    values = values[(values >= parameter.low) & (values <= parameter.high)]
    return np.append(values, -np.inf) if parameter.taper == "decibel" else values
