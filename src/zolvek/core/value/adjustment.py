# SPDX-License-Identifier: GPL-3.0-or-later
"""Changing values that are there: by a unit, by a typed amount, by a factor."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.errors import ZolvekError
from zolvek.core.value.parameter import Parameter
from zolvek.core.value.units import read

Change = Callable[[Floats], Floats]  # positions to positions
RATIO_UNITS = ("Hz", "s")  # what is felt in ratios: its unit of change is a semitone


def by_units(parameter: Parameter, count: float) -> Change:
    """A change by `count` units: a semitone, 1 dB, 1 %, a step; a semitone of frequency or
    time; a hundredth of the travel where there is no unit."""
    if parameter.steps:
        return lambda position: _stepped(parameter, position, count)
    if parameter.unit in RATIO_UNITS:
        return lambda position: parameter.position(parameter.value(position) * 2.0 ** (count / 12.0))
    if parameter.unit:
        return lambda position: _added(parameter, position, count)
    return lambda position: np.clip(position + count / 100.0, 0.0, 1.0)


def parse_change(parameter: Parameter, text: str) -> Change:
    """The change that "+2 st", "-3 dB", "+10 %" or "x0.5" names.

    A factor multiplies the real value; for levels in dB it multiplies the amplitude. On
    frequencies and times semitones are ratios. Raises ZolvekError when it can't be read.
    """
    clean = text.strip().replace("−", "-").replace(",", ".")
    factor = re.fullmatch(r"[x×*]\s*(\d*\.?\d+)", clean)
    if factor:
        return _multiplied(parameter, float(factor[1]))
    semitones = re.fullmatch(r"([+-]?\d*\.?\d+)\s*st", clean)
    if semitones and parameter.unit in RATIO_UNITS:
        return by_units(parameter, float(semitones[1]))
    amount = float(clean) if parameter.steps and re.fullmatch(r"[+-]?\d+", clean) else None
    amount = read(clean, parameter.unit) if amount is None and not parameter.steps else amount
    if amount is None or not np.isfinite(amount):
        raise ZolvekError(
            f"“{text}” is not a change.",
            parameter.name,
            f"Type one such as +1 {parameter.unit} or x0.5.",
        )
    if parameter.steps:
        return by_units(parameter, amount)
    change = amount
    return lambda position: _added(parameter, position, change)


def _added(parameter: Parameter, position: Floats, by: float) -> Floats:
    value = parameter.value(position)
    # Silence stays silence when it is turned down, and wakes at the floor when turned up.
    value = np.where(np.isneginf(value) & (by > 0.0), parameter.low, value)
    return parameter.position(np.clip(value + by, -np.inf, parameter.high))


def _multiplied(parameter: Parameter, factor: float) -> Change:
    if parameter.taper == "decibel":
        if factor <= 0.0:
            return lambda position: np.zeros_like(position)
        return lambda position: _added(parameter, position, 20.0 * np.log10(factor))
    return lambda position: parameter.position(
        np.clip(parameter.value(position) * factor, parameter.low, parameter.high)
    )


def _stepped(parameter: Parameter, position: Floats, count: float) -> Floats:
    value = np.clip(parameter.value(position) + round(count), 0, parameter.steps - 1)
    return parameter.position(value)
