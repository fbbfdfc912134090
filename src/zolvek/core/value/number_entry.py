# SPDX-License-Identifier: GPL-3.0-or-later
"""Numbers as users type them into a field, with bounds: parsed, or refused with a reason."""

from __future__ import annotations

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.value.units import UNITS, read, write


def number_of(text: str, unit: str, low: float, high: float, name: str) -> float:
    """The number, counted in `unit` (a key of UNITS, or any word that may follow it), within its
    bounds. Raises ZolvekError saying what would do."""
    key, clean = unit, text.strip()
    if unit not in UNITS:
        key, clean = "", clean.lower().removesuffix(unit.lower()).strip()
    number = read(clean, key)
    ends = f"from {words(low, unit)} to {words(high, unit)}"
    if number is None or not np.isfinite(number):
        raise ZolvekError(f"“{text}” can't be read.", name, f"Type a number {ends}.")
    if not low - 1e-9 <= number <= high + 1e-9:
        raise ZolvekError(f"“{text}” is out of range.", name, f"Use a number {ends}.")
    return min(max(number, low), high)


def whole_of(text: str, unit: str, low: float, high: float, name: str) -> float:
    """As `number_of`, for whole numbers."""
    number = number_of(text, unit, low, high, name)
    if number != round(number):
        raise ZolvekError(f"“{text}” is not a whole number.", name, f"Type {round(number)}.")
    return number


def words(number: float, unit: str, decimals: int = 6) -> str:
    """A number as a field shows it."""
    if unit in UNITS and unit and decimals >= 6 and unit not in ("%", "±%"):
        return write(number, unit)
    digits = f"{number:.{decimals}f}"
    digits = digits.rstrip("0").rstrip(".") if "." in digits else digits
    sign = "%" if unit == "±%" else unit
    return f"{'0' if digits in ('-0', '') else digits} {sign}".strip().replace("-", "−")
