# SPDX-License-Identifier: GPL-3.0-or-later
"""The value grid: levels that values snap to, as the time grid does for beats."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from zolvek.core.arrays import Floats, distinct
from zolvek.core.records import Record
from zolvek.core.value.parameter import Parameter
from zolvek.core.value.reach import Reach, from_position


class LevelKind(StrEnum):
    """Where the levels of a value grid are."""

    OFF = "off"
    UNITS = "units"
    DIVISIONS = "divisions"


LEVEL_KINDS: dict[str, str] = {
    LevelKind.OFF: "Off",
    LevelKind.UNITS: "Whole units",
    LevelKind.DIVISIONS: "Equal parts",
}
DIVISIONS = (2, 3, 4, 5, 6, 7, 8, 10, 12, 16, 24, 32)
MOST_LEVELS = 400


class ValueGrid(Record, frozen=True):
    """`kind`: off; units, whole semitones, dB, percent or steps of the parameter; or
    `divisions` equal parts of the lane's height."""

    kind: str = LevelKind.OFF
    divisions: int = 12

    def levels(self, reach: Reach, parameter: Parameter) -> Floats:
        """The curve values of the levels, increasing; none when it is off."""
        if self.kind == LevelKind.OFF:
            return np.empty(0)
        if self.kind == LevelKind.DIVISIONS:
            return np.arange(self.divisions + 1) / self.divisions
        low, high = sorted(float(v) for v in parameter.value(np.array(reach)))
        low = max(low, parameter.low)
        values = np.arange(np.ceil(low - 1e-9), np.floor(high + 1e-9) + 1)
        if parameter.steps:
            values = np.arange(parameter.steps, dtype=float)
        elif parameter.unit in ("Hz", "s"):
            # A frequency's or time's own unit of change is a semitone, counted from 440 Hz or 1 s.
            base = 440.0 if parameter.unit == "Hz" else 1.0
            count = np.log2(np.array([low, high]) / base) * 12.0
            values = base * 2.0 ** (np.arange(np.ceil(count[0]), np.floor(count[1]) + 1) / 12.0)
        return distinct(from_position(reach, parameter.position(values[:MOST_LEVELS])))

    def snap(self, value: float, reach: Reach, parameter: Parameter) -> float:
        """The nearest level, or the value itself when there is none."""
        levels = self.levels(reach, parameter)
        return float(levels[np.argmin(np.abs(levels - value))]) if levels.size else value
