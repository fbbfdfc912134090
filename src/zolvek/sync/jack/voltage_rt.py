# SPDX-License-Identifier: GPL-3.0-or-later
"""Control voltages out, compiled: straight lines between a table's break-points, a value for every frame."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.sync.emission.layout import T_VOLTAGE, T_VOLTAGE_FIRST, T_VOLTAGE_FRAME, T_VOLTAGE_KEY, T_VOLTAGES
from zolvek.sync.jack.emission_rt import before
from zolvek.sync.jack.native import compiled, int64_at, put_single, real_at
from zolvek.sync.jack.shared_layout import FIRST_VOLTAGE_BUFFER, FIRST_VOLTAGE_KEY, VOLTAGE_COUNT


@compiled
def row_of(t: Any, key: Any) -> Any:
    """Which row of the table a port has; -1 where it has none."""
    for row in range(t[T_VOLTAGES]):
        if int64_at(t[T_VOLTAGE_KEY], row) == key:
            return row
    return -1


@compiled
def put_line(t: Any, row: Any, buffer: Any, offset: Any, n: Any, song: Any, speed: Any, least: Any) -> Any:
    """`n` values of a row from song frame `song` on, `speed` song frames a frame; before `least` that one's."""
    first, last = int64_at(t[T_VOLTAGE_FIRST], row), int64_at(t[T_VOLTAGE_FIRST], row + 1)
    frames, values = t[T_VOLTAGE_FRAME], t[T_VOLTAGE]
    at = max(first, first + before(frames, first, last, np.int64(np.floor(max(song, least))) + 1) - 1)
    for i in range(n):
        x = max(song + i * speed, least)
        while at + 1 < last and int64_at(frames, at + 1) <= x:
            at += 1
        value = real_at(values, at)
        if at + 1 < last:
            begin, end = int64_at(frames, at), int64_at(frames, at + 1)
            value += (real_at(values, at + 1) - value) * max(x - begin, 0.0) / (end - begin)
        put_single(buffer, offset + i, np.float32(value))


@compiled
def put_voltages(h: Any, t: Any, offset: Any, n: Any, song: Any, speed: Any, least: Any) -> Any:
    """Every port that a lane has, as in `put_line`."""
    for port in range(h[VOLTAGE_COUNT]):
        buffer, row = h[FIRST_VOLTAGE_BUFFER + port], row_of(t, h[FIRST_VOLTAGE_KEY + port])
        if buffer != 0 and row >= 0:
            put_line(t, row, buffer, offset, n, np.float64(song), np.float64(speed), np.float64(least))
