# SPDX-License-Identifier: GPL-3.0-or-later
"""Tempo: beats to seconds and back, exactly."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from zolvek.core.arrays import Floats, Numbers, floats
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_BEATS, Beat, Bpm
from zolvek.core.records import Record


class TempoPoint(Record, frozen=True):
    """From `beat` on the tempo is `bpm` quarter notes a minute; with `ramp` it goes
    linearly in beats to the next point's tempo, otherwise it holds until there."""

    beat: Beat
    bpm: Bpm
    ramp: bool = False


class TempoMap(Record, frozen=True):
    """Tempo over the whole project. Positions are beats (quarter notes), times are seconds.

    A ramp's seconds are the integral of 60/bpm over its beats: 60·ln(bpm1/bpm0)/slope.
    Raises ZolvekError when points are missing, out of order or out of range.
    """

    points: tuple[TempoPoint, ...] = (TempoPoint(0.0, 120.0),)

    def __post_init__(self) -> None:
        if not self.points or self.points[0].beat != 0.0:
            raise ZolvekError("The tempo has no point at the start.", "tempo", "Add one at beat 0.")
        for index, point in enumerate(self.points):
            if index and not point.beat - self.points[index - 1].beat >= CLOSEST_BEATS:
                raise ZolvekError(
                    "Tempo points are out of order or at the same position.",
                    f"tempo point {index + 1}",
                    f"Put them in order, at least {CLOSEST_BEATS:g} beats apart.",
                )

    @cached_property
    def table(self) -> tuple[Floats, Floats, Floats, Floats]:
        """Of each point: beat, BPM, slope in BPM per beat, and its second."""
        beat = floats([p.beat for p in self.points])
        bpm = floats([p.bpm for p in self.points])
        slope = np.zeros(len(beat))
        ramps = np.array([p.ramp for p in self.points[:-1]], dtype=bool)
        slope[:-1][ramps] = (np.diff(bpm) / np.diff(beat))[ramps]
        lengths = _seconds_into(np.diff(beat), bpm[:-1], slope[:-1])
        return beat, bpm, slope, np.concatenate(([0.0], np.cumsum(lengths)))

    def seconds(self, beats: Numbers) -> Floats:
        """Seconds from the start at each of `beats` (any shape)."""
        beat, bpm, slope, start = self.table
        at = floats(beats)
        i = np.maximum(np.searchsorted(beat, at, side="right") - 1, 0)
        return start[i] + _seconds_into(at - beat[i], bpm[i], slope[i])

    def beats(self, seconds: Numbers) -> Floats:
        """The beat at each of `seconds` (any shape); the inverse of `seconds`."""
        beat, bpm, slope, start = self.table
        at = floats(seconds)
        i = np.maximum(np.searchsorted(start, at, side="right") - 1, 0)
        x = (at - start[i]) / 60.0
        steep = np.abs(slope[i]) > 1e-12
        safe = np.where(steep, slope[i], 1.0)
        return beat[i] + np.where(steep, bpm[i] * np.expm1(x * safe) / safe, bpm[i] * x)

    def bpm(self, beats: Numbers) -> Floats:
        """The tempo in BPM at each of `beats`."""
        beat, bpm, slope, _ = self.table
        at = floats(beats)
        i = np.maximum(np.searchsorted(beat, at, side="right") - 1, 0)
        return bpm[i] + slope[i] * np.maximum(at - beat[i], 0.0)


def _seconds_into(beats: Floats, bpm: Floats, slope: Floats) -> Floats:
    """Seconds that `beats` take from a point of `bpm` on, at `slope` BPM per beat."""
    # log1p keeps its precision where a ramp is nearly flat; before the start the tempo holds.
    ramped = (np.abs(slope) > 1e-12) & (beats > 0.0)
    safe = np.where(ramped, slope, 1.0)
    bent = np.log1p(np.where(ramped, safe * beats / bpm, 0.0)) / safe
    return 60.0 * np.where(ramped, bent, beats / bpm)
