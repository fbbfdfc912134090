# SPDX-License-Identifier: GPL-3.0-or-later
"""Meter: bars and beats, and the text of a position."""

from __future__ import annotations

import re
from bisect import bisect_right
from functools import cached_property

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LAST_BAR, Bar
from zolvek.core.records import Record
from zolvek.core.time.tempo import TempoMap

TICKS = 960  # a quarter note
POSITION_HELP = 'Type a bar such as "13", "13.3" or "13.3.480", or a time such as "0:07.250".'


class MeterPoint(Record, frozen=True):
    """From `bar` (counted from 1) on, bars hold `count` notes of 1/`unit`."""

    bar: Bar
    count: int
    unit: int


class MeterMap(Record, frozen=True):
    """Bars over the whole project.

    Raises ZolvekError when points are missing, out of order or not a meter.
    """

    points: tuple[MeterPoint, ...] = (MeterPoint(1, 4, 4),)

    def __post_init__(self) -> None:
        if not self.points or self.points[0].bar != 1:
            raise ZolvekError("The meter has no point at the start.", "meter", "Add one at bar 1.")
        for index, point in enumerate(self.points):
            if not 1 <= point.count <= 64 or point.unit not in (1, 2, 4, 8, 16, 32):
                raise ZolvekError(
                    f"{point.count}/{point.unit} is not a meter.",
                    f"meter point {index + 1}",
                    "Use 1 to 64 notes of 1/1 to 1/32.",
                )
            if index and point.bar <= self.points[index - 1].bar:
                raise ZolvekError(
                    "Meter points are out of order.",
                    f"meter point {index + 1}",
                    "Put them in order.",
                )

    @cached_property
    def starts(self) -> tuple[float, ...]:
        """The beat at which each meter point begins."""
        starts = [0.0]
        for here, after in zip(self.points, self.points[1:], strict=False):
            starts.append(starts[-1] + (after.bar - here.bar) * here.count * 4.0 / here.unit)
        return tuple(starts)

    def _place(self, beat: float) -> int:
        return max(bisect_right(self.starts, beat) - 1, 0)

    def meter_at(self, beat: float) -> MeterPoint:
        """The meter that holds at a beat."""
        return self.points[self._place(beat)]

    def bar_beat(self, bar: int) -> float:
        """The beat at which `bar` (counted from 1) begins."""
        i = max(bisect_right(self.points, bar, key=lambda point: point.bar) - 1, 0)
        point = self.points[i]
        return self.starts[i] + (bar - point.bar) * point.count * 4.0 / point.unit

    def bar_at(self, beat: float) -> int:
        """The bar that holds `beat`."""
        i = self._place(beat)
        point = self.points[i]
        return point.bar + int((beat - self.starts[i]) // (point.count * 4.0 / point.unit))

    def bar_lines(self, first: float, last: float, every: int = 1) -> tuple[Ints, Floats]:
        """Bar numbers and beats of the bar lines from `first` to `last`, both included; of every
        second, fourth … bar, counted from 1, where that is asked for."""
        low, high = self.bar_at(max(first, 0.0)), self.bar_at(max(last, 0.0))
        bars = np.arange(low + (1 - low) % every, high + 1, every)
        first_bar = np.array([point.bar for point in self.points])
        length = np.array([point.count * 4.0 / point.unit for point in self.points])
        i = np.maximum(np.searchsorted(first_bar, bars, side="right") - 1, 0)
        beats = np.array(self.starts)[i] + (bars - first_bar[i]) * length[i]
        inside = (beats >= first) & (beats <= last)
        return bars[inside], beats[inside]

    def text(self, beat: float) -> str:
        """`beat` as bar.beat.tick, 960 ticks a quarter note, from 1.1.0."""
        beat = round(beat * TICKS) / TICKS
        i = self._place(beat)
        point = self.points[i]
        unit = TICKS * 4 // point.unit
        ticks = round((beat - self.starts[i]) * TICKS)
        bars, rest = divmod(ticks, point.count * unit)
        return f"{point.bar + bars}.{rest // unit + 1}.{rest % unit}"

    def parse(self, text: str, tempo: TempoMap | None = None) -> float:
        """The beat that `text` names; a time in minutes and seconds needs the tempo.

        Raises ZolvekError when it can't be read or lies before the start.
        """
        clean = text.strip()
        clock = re.fullmatch(r"(\d+):(\d{1,2}(?:[.,]\d+)?)", clean)
        if clock and tempo is not None:
            seconds = float(clock[2].replace(",", "."))
            if seconds < 60.0:
                return float(tempo.beats(60.0 * int(clock[1]) + seconds))
        match = re.fullmatch(r"(\d{1,7})(?:\.(\d{1,3}))?(?:\.(\d{1,5}))?", clean)
        if not match:
            raise ZolvekError(f"“{text}” is not a position.", remedy=POSITION_HELP)
        bar, beat, tick = int(match[1]), int(match[2] or 1), int(match[3] or 0)
        if not 1 <= bar <= LAST_BAR:
            raise ZolvekError(f"There is no bar {bar}.", remedy=f"Use bars 1 to {LAST_BAR}.")
        start = self.bar_beat(bar)
        point = self.meter_at(start)
        unit = TICKS * 4 // point.unit
        if not 1 <= beat <= point.count:
            raise ZolvekError(f"Bar {bar} has no beat {beat}.", remedy=f"Use beats 1 to {point.count}.")
        if tick >= unit:
            raise ZolvekError(
                f"A beat of bar {bar} has no tick {tick}.",
                remedy=f"Use ticks 0 to {unit - 1}.",
            )
        return start + ((beat - 1) * unit + tick) / TICKS
