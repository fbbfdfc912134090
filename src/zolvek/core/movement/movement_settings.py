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
        "Empty: it stays; else it goes there over the span",
        True,
    ),
    Setting("amount", "Amount", "60 %", "%", "Of the lane's height, from lowest to highest"),
    Setting(
        "amount_end",
        "Amount at the end",
        "",
        "%",
        "Empty: it stays; else it goes there over the span; below 0 the other way up",
        True,
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


def new_seed() -> int:
    """One that has hardly been there."""
    return random.SystemRandom().randrange(1, MOST_SEED)
