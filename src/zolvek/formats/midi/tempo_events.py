# SPDX-License-Identifier: GPL-3.0-or-later
"""A tempo map as the tempo events of a MIDI file, in whole microseconds a quarter note, and how far the
file's time strays from the project's because of that."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Ints, distinct
from zolvek.core.time.meter import TICKS
from zolvek.core.time.tempo import TempoMap

RAMP_TOLERANCE_S = 0.9e-4  # seconds that a ramp written as steps may be off
LONGEST_TEMPO = 0xFFFFFF  # microseconds a quarter note that fit the message
CORRECTED_BEATS = 96.0  # beats after which exact time is put right: half a microsecond in each is 0.05 ms by then
LOOKED_AT = np.arange(9) / 8.0  # places in each step at which its stray is looked for


def tempo_messages(tempo: TempoMap, length: float, exact_time: bool = False) -> tuple[Ints, Ints]:
    """Ticks and microseconds a quarter note that keep time with the tempo map: within 0.1 ms, and half a
    microsecond for each beat since the last event before. A steady tempo is one event, so over 3,000 beats
    of 113 BPM that comes to 1.35 ms; with `exact_time` further events put it right every 96 beats, and the
    whole stays within 0.1 ms.

    A ramp becomes as many steps as that takes. Each lasts as long as the ramp does over its beats, less
    what rounding to microseconds has put the file ahead so far, so errors don't add up.
    """
    beats = [0.0]
    for here, after in zip(tempo.points, (*tempo.points[1:], None), strict=True):
        end = after.beat if after else length
        beats.append(here.beat)
        if here.ramp and after and here.bpm != after.bpm:
            beats += _ramp_steps(here.beat, end, here.bpm, after.bpm)
        elif exact_time:
            beats += np.arange(here.beat + CORRECTED_BEATS, end, CORRECTED_BEATS).tolist()
    wanted = [beat for beat in beats if beat < max(length, 1.0 / TICKS)]
    ticks = distinct(np.round(np.array(wanted) * TICKS))
    spans = np.append(ticks, max(length * TICKS, ticks[-1] + TICKS)) / TICKS
    due = tempo.seconds(spans)
    micros, elapsed = [], 0.0
    places = spans.tolist()
    for first, last, then in zip(places, places[1:], due[1:].tolist(), strict=False):
        exact = (then - elapsed) / (last - first) * 1e6
        micros.append(min(max(round(exact), 1), LONGEST_TEMPO))
        elapsed += micros[-1] * (last - first) / 1e6
    return ticks.astype(np.intp), np.array(micros, np.intp)


def _ramp_steps(first: float, last: float, start: float, end: float) -> list[float]:
    """Where a ramp from one tempo to another is stepped. Over h beats it bends away from an even tempo by
    h²/8 · 60 · slope/bpm² seconds in the middle, so steps are as long as that lets them, place by place."""
    slope = (end - start) / (last - first)
    # dn/dbeat = 1/h is proportional to 1/bpm: the number of steps gone by is a logarithm.
    rate = np.sqrt(60.0 * abs(slope) / (8.0 * RAMP_TOLERANCE_S))
    count = int(np.ceil(rate / abs(slope) * abs(np.log(end / start)))) + 1
    bpm = start * (end / start) ** (np.arange(1, count) / count)
    return (first + (bpm - start) / slope).tolist()


def time_stray(tempo: TempoMap, length: float, exact_time: bool = False) -> float:
    """How far, in seconds, the file's time is from the project's at most."""
    ticks, micros = tempo_messages(tempo, length, exact_time)
    ends = np.append(ticks[1:], max(round(length * TICKS), ticks[-1] + 1)) / TICKS
    first, whole = ticks / TICKS, ends - ticks / TICKS
    begun = np.concatenate(([0.0], np.cumsum(whole * micros / 1e6)[:-1]))
    written = begun[:, None] + whole[:, None] * LOOKED_AT * micros[:, None] / 1e6
    at = first[:, None] + whole[:, None] * LOOKED_AT
    return float(np.abs(written - tempo.seconds(at.ravel()).reshape(at.shape)).max())
