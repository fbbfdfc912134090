# SPDX-License-Identifier: GPL-3.0-or-later
"""Where the song is and how it goes on, for devices that keep time with it."""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.time.meter import MeterMap
from zolvek.core.time.tempo import TempoMap


class SongPosition(NamedTuple):
    """At the frame `at` of a stretch the song is at its frame `frame`: in bar `bar` (from 0), `bar_beat` beats of the
    meter after its line and `beat` after the start, `beats_a_bar` of `unit` each, at `bpm` of them a minute; `speed`
    is 1 while it plays."""

    at: int
    frame: int
    bar: int
    bar_beat: float
    beat: float
    beats_a_bar: float
    unit: int
    bpm: float
    speed: float = 1.0


def position_at(at: int, frame: int, beat: float, tempo: TempoMap, meter: MeterMap) -> SongPosition:
    """The position at a frame of a stretch; `beat` in quarter notes. Before the start it is that of the start."""
    beat = max(beat, 0.0)
    bar, here = meter.bar_at(beat), meter.meter_at(beat)
    share = here.unit / 4.0  # beats of the meter in a quarter note
    ends = [*meter.starts[1:], beat]
    gone = sum(  # beats of the meter count on through changes of it
        (min(end, beat) - start) * point.unit / 4.0
        for start, end, point in zip(meter.starts, ends, meter.points, strict=True)
        if start < beat
    )
    in_bar, bpm = (beat - meter.bar_beat(bar)) * share, float(tempo.bpm(beat)) * share
    return SongPosition(at, frame, bar - 1, in_bar, float(gone), float(here.count), here.unit, bpm)
