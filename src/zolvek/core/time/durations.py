# SPDX-License-Identifier: GPL-3.0-or-later
"""Lengths of time as users write them: note values, bars and beats, seconds."""

from __future__ import annotations

import re

from zolvek.core.time.meter import MeterMap
from zolvek.core.time.tempo import TempoMap

HELP = "Type a note value such as 1/4, 1/8t or 1/8d, 2 bars, 3 beats, 50 ms, or none."
FRACTION = re.compile(r"(\d{1,4})/(\d{1,4})\s*(\.|d|t)?")
COUNTED = re.compile(r"(\d*\.?\d+)\s*([a-z]+(?: notes?)?)")
UNITS = {  # word -> unit, and how many of it
    **dict.fromkeys(("bar", "bars"), ("bar", 1.0)),
    **dict.fromkeys(("beat", "beats", "quarter", "quarters", "crotchet", "crotchets"), ("beat", 1.0)),
    **dict.fromkeys(("half", "halves", "minim", "minims"), ("beat", 2.0)),
    **dict.fromkeys(("eighth", "eighths", "quaver", "quavers"), ("beat", 0.5)),
    **dict.fromkeys(("sixteenth", "sixteenths"), ("beat", 0.25)),
    **dict.fromkeys(("ms", "msec", "milliseconds"), ("ms", 1.0)),
    **dict.fromkeys(("s", "sec", "secs", "second", "seconds"), ("s", 1.0)),
    **dict.fromkeys(("min", "minute", "minutes"), ("s", 60.0)),
}
NOTHING = ("", "none", "0")


def note_beats(text: str) -> float | None:
    """The length in beats of a note value such as "1/8", "1/8d" (dotted) or "1/8t" (triplet)."""
    clean = text.strip().lower().replace(" dotted", "d").replace(" triplet", "t")
    match = FRACTION.fullmatch(clean)
    if not match or int(match[1]) == 0 or int(match[2]) == 0:
        return None
    factor = {None: 1.0, ".": 1.5, "d": 1.5, "t": 2.0 / 3.0}[match[3]]
    return 4.0 * int(match[1]) / int(match[2]) * factor


def counted(text: str) -> tuple[float, str] | None:
    """The number and the unit ("bar", "beat", "ms" or "s") of such a text as "2 bars" or "8 quarters"."""
    match = COUNTED.fullmatch(text.strip().lower().replace(",", "."))
    word = match[2].removesuffix("s").removesuffix(" note") if match and "note" in match[2] else None
    if match is None or (word or match[2]) not in UNITS:
        return None
    unit, worth = UNITS[word or match[2]]
    return float(match[1]) * worth, unit


def beats_of(text: str, tempo: TempoMap | None = None, meter: MeterMap | None = None, at: float = 0.0) -> float | None:
    """The beats that "1/4", "2 bars", "3 beats", "50 ms" or "none" last at beat `at`; None when it
    can't be read. Without a tempo seconds can't, and a bar has four beats without a meter."""
    if text.strip().lower() in NOTHING:
        return 0.0
    beats = note_beats(text)
    length = counted(text)
    if beats is not None or length is None:
        return beats
    number, unit = length
    if unit == "beat":
        return number
    if unit == "bar":
        meter_point = meter.meter_at(at) if meter is not None else None
        return number * (meter_point.count * 4.0 / meter_point.unit if meter_point else 4.0)
    if tempo is None:
        return None
    seconds = number / 1_000.0 if unit == "ms" else number
    return seconds * float(tempo.bpm(at)) / 60.0
