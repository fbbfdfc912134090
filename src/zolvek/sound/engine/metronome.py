# SPDX-License-Identifier: GPL-3.0-or-later
"""The metronome: a click on every beat of the meter, a higher one on the bar."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.model.project import Project
from zolvek.core.movement.recording.passes import count_in_times
from zolvek.core.time.meter import MeterMap
from zolvek.core.time.tempo import TempoMap
from zolvek.sound.signal.automation import Block

HERTZ = (1_000.0, 1_600.0)  # of a beat, of a bar
FADE, LENGTH, LEVEL = 0.008, 0.05, 0.4  # seconds, seconds, full scale


def beat_lines(meter: MeterMap, first: float, last: float) -> tuple[Floats, Floats]:
    """Beats of the meter's own beats from `first` up to `last`, and 1 where a bar begins."""
    bars = range(meter.bar_at(max(first, 0.0)), meter.bar_at(max(last, 0.0)) + 1)
    lines, strong = [], []
    for bar in bars:
        start = meter.bar_beat(bar)
        point = meter.meter_at(start)
        lines.append(start + np.arange(point.count) * 4.0 / point.unit)
        strong.append(np.arange(point.count) == 0)
    beats, bar_lines = np.concatenate(lines), np.concatenate(strong).astype(float)
    inside = (beats >= first) & (beats < last)
    return beats[inside], bar_lines[inside]


def click(rate: int, bar: bool) -> Floats:
    """One click, of a bar or of a beat: float64 (frames,)."""
    age = np.arange(int(LENGTH * rate)) / rate
    return LEVEL * np.sin(2 * np.pi * HERTZ[int(bar)] * age) * np.exp(-age / FADE)


def clicks(tempo: TempoMap, meter: MeterMap, stretch: Block) -> Floats:
    """What the metronome gives in a stretch: float64 (frames,)."""
    start = float(tempo.seconds(stretch.beats[0]))
    t = start + np.arange(stretch.frames) / stretch.rate
    earliest = float(tempo.beats(start - LENGTH))
    out = np.zeros(stretch.frames)
    beats, strong = beat_lines(meter, earliest, float(stretch.beats[-1]) + 1e-9)
    for at, bar in zip(tempo.seconds(beats).tolist(), strong.tolist(), strict=True):
        age = t - at
        heard = (age >= 0.0) & (age < LENGTH)
        wave = np.sin(2 * np.pi * HERTZ[int(bar)] * age[heard])
        out[heard] += LEVEL * wave * np.exp(-age[heard] / FADE)
    return out


def count_in_clicks(project: Project, beat: float, rate: int, count: int) -> Floats:
    """The sound of so many clicks before a beat, beats of the meter there, in its tempo: float64 (frames,)."""
    times = count_in_times(count, float(project.tempo.bpm(beat)), project.meter.meter_at(beat).unit) * rate
    sound = np.zeros(round(times[-1]))
    for number, start in enumerate(np.round(times[:-1]).astype(int).tolist()):
        one = click(rate, number == 0)[: len(sound) - start]
        sound[start : start + len(one)] += one
    return sound
