"""What can be set of movements, as tables: the panels' fields and the commands' options are made of
them, and what is typed is read by them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from zolvek.core.curve.building import curve
from zolvek.core.curve.curve import Curve
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.lfo import Lfo
from zolvek.core.movement.randomness import RandomMove
from zolvek.core.records import record
from zolvek.core.time.rates import parse_rate
from zolvek.core.value.units import read

EVEN, EQUAL = "", "equal"  # ways that a rate changes by; any other is a pattern's name
MOST_SEED = 1_000_000


@record
class Setting:
    """One of them: `unit` "%" is typed in percent and used in 0..1, "s" in s or ms and used in seconds;
    "rate" is a length of notes, bars, seconds or Hz; "list" percents with spaces between."""

    key: str
    label: str
    default: str
    unit: str = "%"
    tip: str = ""


LFO_SETTINGS = (
    Setting("rate", "Rate", "1/4", "rate", "A cycle: 1/8, 1/4t, 2 bars, 0.5 s, 3 Hz"),
    Setting(
        "rate_end",
        "Rate at the end",
        "",
        "rate",
        "Empty: it stays; else it goes there over the span",
    ),
    Setting("amount", "Amount", "60 %", "%", "Of the lane's height, from lowest to highest"),
    Setting(
        "amount_end",
        "Amount at the end",
        "",
        "%",
        "Empty: it stays; else it goes there over the span",
    ),
    Setting("centre", "Centre", "50 %", "%", "About which it moves"),
    Setting("phase", "Phase", "0 %", "%", "Of a cycle; a sine is at its centre, rising, at 0"),
    Setting("width", "Width", "50 %", "%", "How long a pulse is high"),
    Setting("skew", "Skew", "0 %", "%", "How far the middle of the cycle is late; negative early"),
    Setting("smooth", "Smoothing", "0 %", "%", "Rounds jumps and corners"),
    Setting("soften", "Soft edges", "0 ms", "s", "How long a jump takes"),
)
RANDOM_SETTINGS = (
    Setting("every", "Every", "1/8", "rate", "How often a new value comes: 1/8, 2 bars, 0.5 s"),
    Setting("amount", "Amount", "10 %", "%", "How far it may go from the curve, either way"),
    Setting("offset", "Offset", "0 %", "%", "Moves the middle of the new values: −100 to 100 %"),
    Setting("density", "Density", "100 %", "%", "How often there really is a new one"),
    Setting("smoothness", "Smoothness", "0 %", "%", "Rounds steps, evens out the others"),
    Setting(
        "levels",
        "Levels",
        "0 25 50 75 100",
        "list",
        "Percent of the height, for the spread “A few levels”",
    ),
)
HAND_SETTINGS = (Setting("strength", "Strength", "50 %", "%", "How unsteady the hand is"),)
JITTER_SETTINGS = (
    Setting("value", "In value", "3 %", "%", "How far values may move, either way"),
    Setting("time", "In time", "10 ms", "s", "How far points may move, never past a neighbour"),
)


def read_setting(setting: Setting, text: str) -> Any:
    """What a text stands for; None when it is empty. Raises ZolvekError naming the setting."""
    clean = text.strip()
    if not clean:
        return None
    if setting.unit == "rate":
        return parse_rate(clean)
    if setting.unit == "list":
        numbers = [float(x) for x in re.findall(r"\d+(?:\.\d+)?", clean)]
        return tuple(min(n / 100.0, 1.0) for n in numbers)
    unit = "s" if setting.unit == "s" else "%"
    number = read(clean, unit)
    if number is None or not np.isfinite(number):
        raise ZolvekError(f"“{text}” can't be read.", setting.label, f"Write {setting.default}.")
    return number if unit == "s" else number / 100.0


def lfo_of(wave: str, values: Mapping[str, Any], way: str = EVEN, unit: Curve | None = None, **more: Any) -> Lfo:  # fmt: skip
    """The LFO with what `LFO_SETTINGS` were read as. Where there is a `rate_end`, the rate goes there by
    `way`, or by the curve `unit` over beats 0..1. Raises ZolvekError for what can't be."""
    given = {key: value for key, value in values.items() if value is not None}
    rate_end, amount_end = given.pop("rate_end", None), given.pop("amount_end", None)
    made = Lfo(wave, **given, **more)
    if rate_end is not None:
        made = replace(made, rate_end=rate_end, by_equal_steps=way == EQUAL, rate_way=unit)
    if amount_end is not None:
        most = max(abs(made.amount), abs(amount_end), 1e-9)
        ends = (min(abs(each) / most, 1.0) for each in (made.amount, amount_end))
        made = replace(
            made,
            amount=min(most, 1.0),
            amount_way=curve(list(zip((0.0, 1.0), ends, strict=True))),
        )
    return made


def random_of(
    kind: str, values: Mapping[str, Any], spread: str, seed: int
) -> tuple[RandomMove, float]:
    """The random movement with what `RANDOM_SETTINGS` were read as, and its amount."""
    given = {key: value for key, value in values.items() if value is not None}
    amount = given.pop("amount", 0.0)
    return RandomMove(kind, spread=spread, seed=seed, **given), min(max(amount, 0.0), 1.0)


def new_seed() -> int:
    """One that has hardly been there."""
    return int(np.random.default_rng().integers(1, MOST_SEED))
