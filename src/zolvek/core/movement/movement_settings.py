# SPDX-License-Identifier: GPL-3.0-or-later
"""What can be set of movements, as tables: the panels' fields and the commands' options are made of
them."""

from __future__ import annotations

import random

from zolvek.core.records import Record

MOST_SEED = 1_000_000  # of those that are rolled


class Setting(Record, frozen=True):
    """One of them: `unit` "%" is typed in percent and used in 0..1, "s" in s or ms and used in seconds;
    "rate" is a length of notes, bars, seconds or Hz; "list" percents with spaces between. One that is
    `optional` may be left empty."""

    key: str
    label: str
    default: str
    unit: str = "%"
    tip: str = ""
    optional: bool = False


LFO_SETTINGS = (
    Setting("rate", "Rate", "1/4", "rate", "A cycle: 1/8, 1/4t, 2 bars, 0.5 s, 3 Hz"),
    Setting(
        "rate_end",
        "Rate at the end",
        "",
        "rate",
        "Empty: constant; otherwise it changes to this over the span",
        True,
    ),
    Setting("amount", "Depth", "60 %", "%", "In % of the lane's height, from lowest to highest"),
    Setting(
        "amount_end",
        "Depth at the end",
        "",
        "%",
        "Empty: constant; otherwise it changes to this over the span; below 0 inverted",
        True,
    ),
    Setting("centre", "Centre", "50 %", "%", "The level around which it moves"),
    Setting("phase", "Phase", "0 %", "%", "In % of a cycle; a sine starts at its centre, rising"),
    Setting("width", "Width", "50 %", "%", "How long a pulse is high"),
    Setting("skew", "Skew", "0 %", "%", "How late the middle of the cycle is; negative for early"),
    Setting("smooth", "Smoothing", "0 %", "%", "Rounds jumps and corners"),
    Setting("soften", "Edge smoothing", "0 ms", "s", "Length of a jump"),
)
RANDOM_SETTINGS = (
    Setting("every", "Rate", "1/8", "rate", "Rate of new values: 1/8, 2 bars, 0.5 s"),
    Setting("amount", "Depth", "10 %", "%", "Largest deviation from the curve, either way"),
    Setting("offset", "Offset", "0 %", "%", "Moves the middle of the new values: −100 to 100 %"),
    Setting("density", "Density", "100 %", "%", "Probability of a new value at each step"),
    Setting("smoothness", "Smoothness", "0 %", "%", "Rounds steps and smooths the other types"),
    Setting(
        "levels",
        "Levels",
        "0 25 50 75 100",
        "list",
        "Percent of the height, for the spread “A few levels”",
    ),
)
HAND_SETTINGS = (Setting("strength", "Strength", "50 %", "%", "Strength of the deviations"),)
JITTER_SETTINGS = (
    Setting("value", "In value", "3 %", "%", "Largest change of a value, either way"),
    Setting("time", "In time", "10 ms", "s", "Largest move of a point in time, never past a neighbour"),
)


def new_seed() -> int:
    """One that has hardly been there."""
    return random.SystemRandom().randrange(1, MOST_SEED)
