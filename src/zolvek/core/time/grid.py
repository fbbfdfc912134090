# SPDX-License-Identifier: GPL-3.0-or-later
"""The time grid: where its lines are and what snaps to them."""

from __future__ import annotations

import re
from enum import StrEnum
from typing import Any

import numpy as np

from zolvek.core.arrays import Floats, Numbers, floats
from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record
from zolvek.core.time.meter import MeterMap

DIVISIONS = (1, 2, 4, 8, 16, 32, 64, 128)
BARS = (1, 2, 4, 8)


class GridKind(StrEnum):
    """The kinds of time grids, as the settings have them."""

    STRAIGHT = "straight"
    DOTTED = "dotted"
    TRIPLET = "triplet"
    BARS = "bars"
    HITS = "hits"


# Kind of grid -> label and length relative to the straight note.
GRID_KINDS: dict[str, tuple[str, float]] = {
    GridKind.STRAIGHT: ("Straight", 1.0),
    GridKind.DOTTED: ("Dotted", 1.5),
    GridKind.TRIPLET: ("Triplet", 2.0 / 3.0),
    GridKind.BARS: ("Whole bars", 0.0),
    GridKind.HITS: ("Hits", 0.0),
}


class Grid(Record, frozen=True):
    """A grid of 1/`division` notes, or of `division` whole bars when the kind is "bars"; of the beats
    `hits`, increasing, when it is "hits", between which nothing snaps to anything else.

    Lines are counted from where the meter last changed, so that they fall on bar lines
    after a bar of another length too. Off means that nothing snaps.
    """

    division: int = 16
    kind: str = GridKind.STRAIGHT
    on: bool = True
    swing: float = 0.0  # how far every second line is late, 0..0.75 of the way to the next
    offset: float = 0.0  # beats that everything snapped lies after its line (negative: before)
    hits: tuple[float, ...] = ()

    def __post_init__(self) -> None:
        if not (0.0 <= self.swing <= 0.75 and -4.0 <= self.offset <= 4.0):
            raise ZolvekError(
                "The grid's swing or offset is out of range.",
                "grid",
                "Use a swing of 0 to 75 % and an offset of up to a bar either way.",
            )
        allowed = BARS if self.kind == GridKind.BARS else DIVISIONS
        if self.kind not in GRID_KINDS or self.division not in allowed:
            raise ZolvekError(f"There is no {self.kind} grid of {self.division}.", "grid")

    @property
    def label(self) -> str:
        """How a person would write it: "1/16", "1/8 dotted", "2 bars"."""
        if self.kind == GridKind.HITS:
            return "hits"
        if self.kind == GridKind.BARS:
            return "1 bar" if self.division == 1 else f"{self.division} bars"
        return f"1/{self.division}" + ("" if self.kind == GridKind.STRAIGHT else f" {self.kind}")

    def steps(self, meter: MeterMap) -> Floats:
        """The distance between lines in beats, one for each point of the meter."""
        if self.kind == GridKind.BARS:
            return floats([self.division * p.count * 4.0 / p.unit for p in meter.points])
        return np.full(len(meter.points), 4.0 / self.division * GRID_KINDS[self.kind][1])

    def step_at(self, beat: float, meter: MeterMap) -> float:
        """The distance between lines at `beat`, in beats."""
        if self.kind == GridKind.HITS:
            lines = floats(self.hits)
            i = int(np.searchsorted(lines, beat + 1e-9, side="right"))
            return float(lines[i] - lines[i - 1]) if 0 < i < len(lines) else 1.0
        i = max(int(np.searchsorted(meter.starts, beat, side="right")) - 1, 0)
        return float(self.steps(meter)[i])

    def snap(self, beats: Numbers, meter: MeterMap) -> Floats:
        """The nearest line to each of `beats`, none before the start; off: the same beats."""
        at = floats(beats)
        if not self.on:
            return at
        line = self._nearest(at - self.offset, meter) + self.offset
        early = line < 0.0
        if early.any() and self.kind == GridKind.HITS:
            line = np.maximum(line, 0.0)
        elif early.any():  # the first line there is
            step = float(self.steps(meter)[0])
            low = max(-self.offset, 0.0)
            there = self.lines(low, low + 3.0 * step, meter) + self.offset
            line = np.where(early, float(there[there >= 0.0][0]), line)
        return line

    def _nearest(self, at: Floats, meter: MeterMap) -> Floats:
        if self.kind == GridKind.HITS:
            return _nearest_of(floats(self.hits), at)
        if len(meter.points) == 1:
            return np.maximum(self._swung(at, self.steps(meter)[0]), 0.0)
        starts = floats(meter.starts)
        i = np.maximum(np.searchsorted(starts, at, side="right") - 1, 0)
        step = self.steps(meter)[i]
        line = starts[i] + self._swung(at - starts[i], step)
        # The next meter change is a line too, and none counted from here lies past it.
        following = np.concatenate((starts[1:], [np.inf]))[i]
        nearer = following - at < np.abs(at - line)
        return np.maximum(np.where(nearer | (line > following), following, line), 0.0)

    def _swung(self, offset: Floats, step: Any) -> Floats:
        """The nearest of the lines counted from 0, every second one late by the swing."""
        if self.swing == 0.0:
            return np.round(offset / step) * step
        pair = np.floor(offset / (2.0 * step)) * 2.0 * step
        late = step * (1.0 + self.swing)
        within = offset - pair
        return pair + np.where(within < late / 2.0, 0.0, np.where(within < late / 2.0 + step, late, 2.0 * step))

    def snap_move(self, beat: float, moved: float, meter: MeterMap) -> float:
        """Where a thing at `beat` lands when it is moved to `moved` but keeps its own distance from the
        grid: from the line nearest to it to another one, whatever the steps between them."""
        if not self.on:
            return moved
        apart = beat - float(self.snap(beat, meter))
        return max(float(self.snap(max(moved - apart, 0.0), meter)) + apart, 0.0)

    def lines(self, first: float, last: float, meter: MeterMap) -> Floats:
        """The beats of all lines from `first` to `last`, both included."""
        if self.kind == GridKind.HITS:
            hits = floats(self.hits)
            return hits[(hits >= first) & (hits <= last)]
        starts = [*meter.starts, np.inf]
        result = []
        for start, end, step in zip(starts, starts[1:], self.steps(meter), strict=False):
            low, high = max(first, start), min(last, end)
            if low <= high:
                i = np.arange(np.ceil((low - start) / step - 1 - 1e-9), (high - start) / step + 1e-9)
                beats = start + (i + self.swing * (i % 2)) * step
                result.append(beats[(beats >= low - 1e-9) & (beats <= high + 1e-9) & (i >= 0)])
        lines = np.sort(np.concatenate(result)) if result else np.empty(0)
        return lines[np.append(True, np.diff(lines) > 0.0)[: len(lines)]]


def _nearest_of(lines: Floats, at: Floats) -> Floats:
    """The nearest of some places, increasing, to each of `at`; where there are none, those themselves."""
    if not lines.size:
        return at
    i = np.clip(np.searchsorted(lines, at), 1, max(len(lines) - 1, 1))
    low, high = lines[i - 1], lines[np.minimum(i, len(lines) - 1)]
    return np.where(at - low <= high - at, low, high)


def parse_grid(text: str, swing: float = 0.0, offset: float = 0.0) -> Grid:
    """The grid that "1/16", "1/8t", "1/4d" or "2bars" names. Raises ZolvekError otherwise."""
    clean = text.strip().lower().replace(" ", "")
    note = re.fullmatch(r"1/(\d{1,3})([dt]?)", clean)
    bars = re.fullmatch(r"(\d)bars?", clean)
    if note and int(note[1]) in DIVISIONS:
        kind = {"": "straight", "d": "dotted", "t": "triplet"}[note[2]]
        return Grid(int(note[1]), kind, True, swing, offset)
    if bars and int(bars[1]) in BARS:
        return Grid(int(bars[1]), "bars", True, swing, offset)
    raise ZolvekError(f"“{text}” is not a grid.", remedy="Type 1/16, 1/8t, 1/4d or 2bars.")
