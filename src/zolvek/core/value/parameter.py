# SPDX-License-Identifier: GPL-3.0-or-later
"""A parameter: one control of a device, its range and taper, its value as text and back."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from zolvek.core.arrays import Floats, Numbers, floats
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Real
from zolvek.core.records import Record
from zolvek.core.time.durations import note_beats
from zolvek.core.value.tapers import TAPERS, Taper
from zolvek.core.value.units import UNITS, read, write

LABELLED = 1e-6  # of a value, within which it is the one that a label is for
SWITCH_WORDS = {"on": 1.0, "yes": 1.0, "1": 1.0, "off": 0.0, "no": 0.0, "0": 0.0}


def _rounding(end: float) -> float:
    """More than what is written of an end may be away from it: three digits, or a place or two."""
    return 0.06 + 0.01 * abs(end)


class Parameter(Record, frozen=True):
    """One control. `low`, `high` and `default` are real values in `unit`; for the decibel
    taper `low` is the floor above silence; stepped ones count choices from 0.

    Positions are 0..1 of the control's travel. Raises ZolvekError when it contradicts itself.
    """

    id: str
    name: str
    group: str = ""
    unit: str = ""
    low: Real = 0.0
    high: Real = 1.0
    default: Real = 0.0
    taper: str = "linear"
    choices: tuple[str, ...] = ()
    sends: str = ""  # the message it is known by outside, such as "cc 74", "bend", "pressure"
    labels: tuple[tuple[float, str], ...] = ()  # real values that are called something

    def __post_init__(self) -> None:
        faults = (
            (self.taper not in TAPERS, f"There is no taper “{self.taper}”."),
            (self.unit not in UNITS, f"There is no unit “{self.unit}”."),
            (not self.low < self.high, "The lowest value is not below the highest."),
            (
                self.taper == "exponential" and self.low <= 0.0,
                "An exponential range starts above 0.",
            ),
            (self.taper == "from-zero" and self.low != 0.0, "A range from zero starts at 0."),
            (self.taper == "stepped" and len(self.choices) < 2, "A stepped control needs choices."),
        )
        for wrong, what in faults:
            if wrong:
                raise ZolvekError(what, f"parameter {self.id}")

    @property
    def kind(self) -> Taper:
        """The taper."""
        return TAPERS[self.taper]

    @property
    def steps(self) -> int:
        """How many values it can take: 0 when there is no end of them."""
        return {"stepped": len(self.choices), "switch": 2}.get(self.taper, 0)

    @property
    def is_pan(self) -> bool:
        """Whether it is written as sides: "20 % L", "Centre"."""
        return self.unit == "±%" and self.name.lower().endswith("pan")

    def value(self, position: Numbers) -> Floats:
        """The real value at each position."""
        n = np.clip(floats(position), 0.0, 1.0)
        return self.kind.to_value(n, self.low, self.high, len(self.choices))

    def position(self, value: Numbers) -> Floats:
        """The position of each real value, kept to 0..1."""
        n = self.kind.to_position(floats(value), self.low, self.high, len(self.choices))
        return np.clip(n, 0.0, 1.0)

    @cached_property
    def default_position(self) -> float:
        """The position 0..1 of the default value."""
        return float(self.position(self.default))

    def text(self, position: float) -> str:
        """The value at `position` as a person would write it."""
        value = float(self.value(position))
        if self.taper == "switch":
            return "On" if value else "Off"
        if self.choices:
            return self.choices[int(value)]
        named = next((label for at, label in self.labels if abs(value - at) <= LABELLED * max(abs(at), 1.0)), "")
        if named:
            return named
        if self.is_pan:
            return "Centre" if abs(value) < 0.05 else write(abs(value), "%") + (" L" if value < 0 else " R")
        return write(value, self.unit)

    def parse(self, text: str, bpm: float | None = None) -> float:
        """The position that `text` names. A note value such as "1/8" is a time at `bpm`.

        Raises ZolvekError when it can't be read or is out of range.
        """
        return float(self.position(self.parse_value(text, bpm)))

    def parse_value(self, text: str, bpm: float | None = None) -> float:
        """As `parse`, but the real value."""
        if self.taper == "switch":
            word = SWITCH_WORDS.get(text.strip().lower())
            if word is None:
                raise self._unreadable(text, "On or Off")
            return word
        if self.choices:
            return self._choice(text)
        named = [at for at, label in self.labels if label.casefold() == text.strip().casefold()]
        if named:
            return named[0]
        value = self._side(text) if self.is_pan else None
        beats = note_beats(text)
        if value is None and beats is not None and self.unit == "s":
            if bpm is None:
                raise ZolvekError(f"“{text}” needs a tempo.", self.name, "Type it in ms or s.")
            value = beats * 60.0 / bpm
        value = read(text, self.unit) if value is None else value
        value = self._otherwise(text) if value is None else value
        if value is None:
            raise self._unreadable(text, f"a value such as {self.text(self.default_position)}")
        return self._in_range(value, text)

    def _otherwise(self, text: str) -> float | None:
        """ "15 %" of the travel where the unit is another; "−10 dB" of the amplitude for a share."""
        share = read(text, "%") if text.strip().endswith("%") else None
        if share is not None and self.unit not in ("%", "±%"):
            if not 0.0 <= share <= 100.0:
                raise ZolvekError(f"“{text}” is out of range.", self.name, "Use 0 % to 100 %.")
            return float(self.value(share / 100.0))
        level = read(text, "dB") if text.strip().lower().endswith("db") else None
        if level is not None and self.unit == "%" and self.low == 0.0:
            return 100.0 * 10.0 ** (level / 20.0)
        return None

    def _side(self, text: str) -> float | None:
        word = text.strip().lower()
        if word in ("c", "centre", "center"):
            return 0.0
        side = {"l": -1.0, "r": 1.0}.get(word[-1:])
        size = read(word[:-1], "%") if side else None
        return None if side is None or size is None else side * size

    def _choice(self, text: str) -> float:
        word = text.strip().lower()
        labels = [choice.lower() for choice in self.choices]
        result = [i for i, label in enumerate(labels) if label == word]
        result = result or [i for i, label in enumerate(labels) if word and label.startswith(word)]
        if len(result) != 1:
            raise self._unreadable(text, "one of " + ", ".join(self.choices))
        return float(result[0])

    def _in_range(self, value: float, text: str) -> float:
        if self.taper == "decibel" and value == -np.inf:
            return value
        low, high = self.low, self.high
        if low + _rounding(low) < value < high - _rounding(high):
            return value
        # What this very parameter writes for its ends must be readable: it is rounded.
        for end in (low, high):
            shown = read(write(end, self.unit), self.unit)
            if shown is not None and value == shown:
                return end
        if not low <= value <= high:
            raise ZolvekError(
                f"“{text}” is out of range.",
                self.name,
                f"Use {write(low, self.unit)} to {write(high, self.unit)}.",
            )
        return value

    def _unreadable(self, text: str, wanted: str) -> ZolvekError:
        return ZolvekError(f"“{text}” can't be read.", self.name, f"Type {wanted}.")
