# SPDX-License-Identifier: GPL-3.0-or-later
"""Bars and beats for other clients, compiled."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.sync.emission.layout import RATE, T_METER, T_METERS, T_TEMPO, T_TEMPOS
from zolvek.sync.jack.native import compiled, put_real, put_single, put_uint32, real_at, uint32_at

TICKS_A_UNIT = 960.0


@compiled
def row_at(table: Any, count: Any, value: Any, slack: Any) -> Any:
    """The last row (four numbers each, the first of them increasing) that begins at or before `value`."""
    row = 0
    while row + 1 < count and real_at(table, 4 * (row + 1)) <= value + slack:
        row += 1
    return row


@compiled
def beat_at(t: Any, seconds: Any) -> Any:
    """The beat at a second of the song, and the tempo there."""
    point = t[T_TEMPO] + 32 * row_at(t[T_TEMPO], t[T_TEMPOS], seconds, 0.0)
    x, bpm, slope = (seconds - real_at(point, 0)) / 60.0, real_at(point, 2), real_at(point, 3)
    beats = bpm * np.expm1(x * slope) / slope if abs(slope) > 1e-12 else bpm * x
    return real_at(point, 1) + beats, bpm + slope * beats


@compiled
def second_at(t: Any, beat: Any) -> Any:
    """The second of the song at a beat."""
    row = 0
    while row + 1 < t[T_TEMPOS] and real_at(t[T_TEMPO] + 32 * (row + 1), 1) <= beat:
        row += 1
    point = t[T_TEMPO] + 32 * row
    x, bpm, slope = beat - real_at(point, 1), real_at(point, 2), real_at(point, 3)
    minutes = np.log1p(x * slope / bpm) / slope if abs(slope) > 1e-12 else x / bpm
    return real_at(point, 0) + 60.0 * minutes


@compiled
def write_bbt(h: Any, t: Any, position: Any) -> Any:
    """Bar, beat, tick and tempo at a frame into jack_position_t, by its layout (jack/types.h): 4-byte words of
    frame (5), what is given (6), bar, beat, tick (7 to 9); then bytes 40, 48, 56 and 100. Its beats are the
    meter's units, and so is its tempo."""
    seconds = uint32_at(position, 5) / np.float64(h[RATE])
    beat, now = beat_at(t, seconds)
    row = row_at(t[T_METER], t[T_METERS], beat, 1e-9)
    meter = t[T_METER] + 32 * row
    count, unit = real_at(meter, 2), real_at(meter, 3)
    units = (beat - real_at(meter, 0)) * unit / 4.0
    bars = np.floor(units / count + 1e-10)
    inside = max(units - bars * count, 0.0)
    whole = np.floor(inside + 1e-10)
    ticks = max(inside - whole, 0.0) * TICKS_A_UNIT
    put_uint32(position, 6, 0x10 | 0x200)  # bars, and ticks with their fraction
    put_uint32(position, 7, np.int64(real_at(meter, 1) + bars))
    put_uint32(position, 8, np.int64(whole) + 1)
    put_uint32(position, 9, np.int64(np.floor(ticks)))
    put_real(position + 40, 0, bar_tick(t, row, bars))
    put_single(position + 48, 0, np.float32(count))
    put_single(position + 48, 1, np.float32(unit))
    put_real(position + 56, 0, TICKS_A_UNIT)
    put_real(position + 56, 1, now * unit / 4.0)
    put_real(position + 100, 0, ticks)


@compiled
def bar_tick(t: Any, row: Any, bars: Any) -> Any:
    """Ticks from the start to the bar's beginning: a tick is a 960th of the meter's unit."""
    ticks = 0.0
    for index in range(row):
        here = t[T_METER] + 32 * index
        ticks += (real_at(here, 4) - real_at(here, 0)) * real_at(here, 3) / 4.0
    return (ticks + bars * real_at(t[T_METER] + 32 * row, 2)) * TICKS_A_UNIT
