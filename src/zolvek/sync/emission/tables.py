# SPDX-License-Identifier: GPL-3.0-or-later
"""All that a project sends, as the table of addresses that the emission reads."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from zolvek.core.edits.connections import Port
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.sync.emission import layout as s
from zolvek.sync.timeline import control_voltages, song_timeline
from zolvek.sync.timeline.clock_messages import RATES, FrameRate
from zolvek.sync.timeline.control_voltages import Voltages
from zolvek.sync.timeline.song_timeline import SongTimeline

NO_CODE = FrameRate(25.0, 25, False, 1)  # stands where no time code is sent


class MessageTables(NamedTuple):
    """All that is sent, by song frame, and what the bars and beats are; `frames`: the length of the song."""

    sending: SongTimeline
    clocks: np.ndarray
    quarters: np.ndarray
    quarter_data: np.ndarray
    code: str
    tempo: np.ndarray
    meter: np.ndarray
    frames: int
    voltages: Voltages


def tables_of(project: Project, resolution: Resolution, rate: int, ports: tuple[Port, ...], code: str) -> MessageTables:
    """All that is sent of a project to these ports, at `rate` frames a second, with time code of a rate ("" for
    none)."""
    none: tuple[np.ndarray, np.ndarray] = np.zeros(0, np.int64), np.zeros(0, np.uint8)
    quarters, data = song_timeline.code_frames(project, rate, RATES[code]) if code in RATES else none
    return MessageTables(
        song_timeline.sending(project, rate, ports, resolution),
        song_timeline.clock_frames(project, rate),
        quarters,
        data,
        code,
        song_timeline.tempo_table(project),
        song_timeline.meter_table(project),
        round(float(project.tempo.seconds(project.length)) * rate),
        control_voltages.voltages(project, rate),
    )


def addresses_of(tables: MessageTables) -> np.ndarray:
    """The table as the emission reads it: int64 (T_SLOTS,). It holds as long as `tables` is held."""
    table = np.zeros(s.T_SLOTS, np.int64)
    sending, rate = tables.sending, RATES.get(tables.code, NO_CODE)
    arrays: Iterable[tuple[int, np.ndarray]] = (
        (s.T_FRAME, sending.frame), (s.T_PORT, sending.port), (s.T_DATA, sending.data),
        (s.T_SIZE, sending.size), (s.T_LANE_FIRST, sending.lane_first), (s.T_LANE_PORT, sending.lane_port),
        (s.T_STATE_FRAME, sending.state_frame), (s.T_STATE_ROW, sending.state_row),
        (s.T_ROW_DATA, sending.row_data), (s.T_ROW_SIZE, sending.row_size), (s.T_CLOCK_FRAME, tables.clocks),
        (s.T_QUARTER_FRAME, tables.quarters), (s.T_QUARTER_DATA, tables.quarter_data), (s.T_TEMPO, tables.tempo),
        (s.T_METER, tables.meter), (s.T_NOTE_FIRST, sending.note_first), (s.T_NOTE_LAST, sending.note_last),
        (s.T_NOTE_PORT, sending.note_port), (s.T_NOTE_DATA, sending.note_data),
        (s.T_VOLTAGE_KEY, tables.voltages.key), (s.T_VOLTAGE_FIRST, tables.voltages.first),
        (s.T_VOLTAGE_FRAME, tables.voltages.frame), (s.T_VOLTAGE, tables.voltages.value),
    )  # fmt: skip
    for word, array in arrays:
        assert array.flags.c_contiguous
        table[word] = array.ctypes.data
    table[s.T_COUNT], table[s.T_LANES] = len(sending.frame), len(sending.lane_port)
    table[s.T_NOTES], table[s.T_VOLTAGES] = len(sending.note_first), len(tables.voltages.key)
    table[s.T_LENGTH], table[s.T_TEMPO_KEY] = tables.frames, song_timeline.tempo_key(tables.tempo)
    table[s.T_CLOCKS], table[s.T_QUARTERS] = len(tables.clocks), len(tables.quarters)
    table[s.T_TEMPOS], table[s.T_METERS] = len(tables.tempo), len(tables.meter)
    table.view(np.float64)[s.T_FPS] = rate.fps
    table[s.T_COUNTED], table[s.T_DROP], table[s.T_CODE] = rate.counted, rate.drop, rate.code
    return table
