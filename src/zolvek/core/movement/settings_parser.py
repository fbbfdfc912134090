# SPDX-License-Identifier: GPL-3.0-or-later
"""Parses what is typed for the settings of movements, and makes the movements."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from zolvek.core.curve.construction import curve
from zolvek.core.curve.curve import Curve
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.movement.generators.randomness import STREAMS, RandomMove
from zolvek.core.movement.generators.waves import WAVES
from zolvek.core.movement.movement_settings import Setting
from zolvek.core.records import replace
from zolvek.core.time.rates import parse_rate
from zolvek.core.value.units import read

EVEN, EQUAL = "", "equal"  # ways that a rate changes by; any other is a pattern's name


def read_setting(setting: Setting, text: str) -> Any:
    """What a text stands for; None when it is empty. Raises ZolvekError naming the setting."""
    clean = text.strip()
    if not clean and setting.optional:
        return None
    if setting.unit == "rate":
        return parse_rate(clean)
    if setting.unit == "list":
        return _percents(clean, setting)
    unit = "s" if setting.unit == "s" else "%"
    number = read(clean, unit)
    if number is None or not np.isfinite(number):
        raise ZolvekError(f"“{text}” can't be read.", setting.label, f"Type a value such as {setting.default}.")
    return number if unit == "s" else number / 100.0


def _percents(text: str, setting: Setting) -> tuple[float, ...]:
    """Percents with spaces between."""
    result = [read(part, "%") for part in text.removesuffix("%").split()]
    if len(result) < 2 or any(n is None or not 0.0 <= n <= 100.0 for n in result):
        raise ZolvekError(
            f"“{text}” can't be read.",
            setting.label,
            f"Type two or more percentages, such as {setting.default}.",
        )
    return tuple((n or 0.0) / 100.0 for n in result)


def lfo_of(wave: str, values: Mapping[str, Any], path: str = EVEN, unit: Curve | None = None, **more: Any) -> Lfo:
    """The LFO with what `LFO_SETTINGS` were read as. Where there is a `rate_end`, the rate goes there by
    `way`, or by the curve `unit` over beats 0..1. Raises ZolvekError for what can't be."""
    given = {key: value for key, value in values.items() if value is not None}
    rate_end, amount_end = given.pop("rate_end", None), given.pop("amount_end", None)
    stream = list(WAVES).index(wave) + 1 if WAVES[wave].random else 0  # each kind its own
    lfo = Lfo(wave, **given, stream=stream, **more)
    if rate_end is not None:
        lfo = replace(lfo, rate_end=rate_end, by_equal_steps=path == EQUAL, rate_way=unit)
    if amount_end is not None:
        most = min(max(abs(lfo.amount), abs(amount_end), 1e-9), 1.0)
        ends = [min(max(item / most, -1.0), 1.0) for item in (lfo.amount, amount_end)]
        both = min(ends) < 0.0  # through zero, or the other way up all along
        levels = [0.5 + 0.5 * end for end in ends] if both else ends
        along = curve(list(zip((0.0, 1.0), levels, strict=True)))
        lfo = replace(lfo, amount=most, amount_way=along, both_ways=both)
    return lfo


def random_of(kind: str, values: Mapping[str, Any], spread: str, seed: int) -> tuple[RandomMove, float]:
    """The random movement with what `RANDOM_SETTINGS` were read as, and its amount."""
    given = {key: value for key, value in values.items() if value is not None}
    amount = given.pop("amount", 0.0)
    random_move = RandomMove(kind, spread=spread, seed=seed, stream=STREAMS.get(kind, 0), **given)
    return random_move, min(max(amount, 0.0), 1.0)
