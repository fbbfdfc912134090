# SPDX-License-Identifier: GPL-3.0-or-later
"""The words of the memory that the emission of messages works on, each a 64-bit number, and its tables."""

from __future__ import annotations

import numpy as np

(
    # Addresses.
    TABLE,
    NOTES,
    SCRATCH,
    EVENTS,
    # Ports: how many send messages; which of them is the clock's, and from which on they have names of lanes.
    MIDI_COUNT,
    CLOCK_PORT,
    NAMED_FROM,
    # What is wanted.
    CLOCK_ON,
    CODE_ON,
    # What is so.
    RATE,
    CLOCK_STATE,
    CLOCK_FROM,
    NOTES_ON,
    EVENT_COUNT,
    SENT,
    FULL,
    CLOCKED,
) = range(17)
EMISSION_WORDS = 17

# What has been given of the clock: nothing runs; it waits for the sixteenth that it goes on from; it runs.
CLOCK_STILL, CLOCK_WAITS, CLOCK_RUNS = 0, 1, 2

# A message to be sent: port, frame after the block's first, how many bytes, and the bytes.
EVENT_ROW = np.dtype([("port", "<i8"), ("offset", "<i8"), ("size", "<i8"), ("data", "u1", 16)])
EVENT_BYTES, EVENT_DATA = EVENT_ROW.itemsize, EVENT_ROW.fields["data"][1] if EVENT_ROW.fields is not None else 0
EVENTS_HELD = 16_384  # of one block
PORT_NOTES = 16 * 128  # notes of a port: channels and pitches
SCRATCH_BYTES = 64

# A message table: addresses of its arrays, and how long they are (`tables.MessageTables`).
(
    T_COUNT,
    T_FRAME,
    T_PORT,
    T_DATA,
    T_SIZE,
    T_LANES,
    T_LANE_FIRST,
    T_LANE_PORT,
    T_STATE_FRAME,
    T_STATE_ROW,
    T_ROW_DATA,
    T_ROW_SIZE,
    T_CLOCKS,
    T_CLOCK_FRAME,
    T_QUARTERS,
    T_QUARTER_FRAME,
    T_QUARTER_DATA,
    T_FPS,
    T_COUNTED,
    T_DROP,
    T_CODE,
    T_TEMPOS,
    T_TEMPO,
    T_METERS,
    T_METER,
    T_NOTES,
    T_NOTE_FIRST,
    T_NOTE_LAST,
    T_NOTE_PORT,
    T_NOTE_DATA,
    T_LENGTH,
    T_TEMPO_KEY,
    T_VOLTAGES,
    T_VOLTAGE_KEY,
    T_VOLTAGE_FIRST,
    T_VOLTAGE_FRAME,
    T_VOLTAGE,
) = range(37)
T_SLOTS = 37
