# SPDX-License-Identifier: GPL-3.0-or-later
"""Rates of movement: in note values for music, in Hz or seconds for picture."""

from __future__ import annotations

import re

from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record
from zolvek.core.time.durations import counted, note_beats

HELP = "Type a note value such as 1/8, 1/8t or 1/4d, 2 bars, 3 beats, 0.5 s, or 3 Hz."
FASTEST_BEATS, FASTEST_HZ = 4.0 / 128.0, 100.0  # beyond these a warning is due


class Rate(Record, frozen=True):
    """One cycle takes `period`: beats, or with `timed` seconds. Raises ZolvekError for none."""

    period: float
    timed: bool = False

    def __post_init__(self) -> None:
        if not 1e-6 <= self.period <= 1e6:
            raise ZolvekError(f"A period of {self.period:g} can't be used.", "rate", HELP)

    @property
    def fast(self) -> bool:
        """Whether it bypasses a 1/128 note or 100 Hz."""
        return self.period < (1.0 / FASTEST_HZ if self.timed else FASTEST_BEATS) - 1e-12

    @property
    def text(self) -> str:
        """The rate as a user writes it: "1/8t", "2 bars", "3 Hz"."""
        if self.timed:
            return f"{self.period:g} s" if self.period >= 1.0 else f"{1.0 / self.period:g} Hz"
        for division in (1, 2, 4, 8, 16, 32, 64, 128):
            for mark, factor in (("", 1.0), ("t", 2.0 / 3.0), ("d", 1.5)):
                if abs(self.period - 4.0 / division * factor) < 1e-9:
                    return f"1/{division}{mark}"
        return f"{self.period:g} beats"


def parse_rate(text: str, bar: float = 4.0) -> Rate:
    """The rate that "1/8t", "2 bars", "3 beats", "0.5 s", "250 ms" or "3 Hz" names; `bar` is a
    bar's length in beats. Raises ZolvekError when it can't be read."""
    clean = text.strip().lower().replace(",", ".")
    beats = note_beats(clean)
    if beats is not None:
        return Rate(beats)
    hertz = re.fullmatch(r"(\d*\.?\d+)\s*hz", clean)
    number, unit = (float(hertz[1]), "hz") if hertz else counted(clean) or (0.0, "")
    if number <= 0.0:
        raise ZolvekError(f"“{text}” is not a rate.", remedy=HELP)
    period, timed = {
        "bar": (number * bar, False),
        "beat": (number, False),
        "s": (number, True),
        "ms": (number / 1000.0, True),
        "hz": (1.0 / number, True),
    }[unit]
    return Rate(period, timed)
