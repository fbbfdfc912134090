# SPDX-License-Identifier: GPL-3.0-or-later
"""The memory that the compiled callbacks, the process around them and the program share: its words (each a 64-bit
number, whole unless it says otherwise), and the kinds of its rows."""

from __future__ import annotations

import numpy as np

from zolvek.core.edits.connections import MOST_TRACKS
from zolvek.sync.emission.layout import (  # noqa: F401  # its words are this memory's first
    CLOCK_FROM,
    CLOCK_ON,
    CLOCK_PORT,
    CLOCK_STATE,
    CLOCKED,
    CODE_ON,
    EMISSION_WORDS,
    EVENT_COUNT,
    EVENTS,
    FULL,
    MIDI_COUNT,
    NAMED_FROM,
    NOTES,
    NOTES_ON,
    RATE,
    SCRATCH,
    SENT,
    TABLE,
)


def numbers_of(row: np.dtype) -> tuple[int, ...]:
    """Where each field of a row begins, counted in 64-bit numbers."""
    assert row.fields is not None
    return tuple(offset // 8 for _, offset, *_ in row.fields.values())


# How the song moves: by itself, or with the server's transport.
ALONE, TOGETHER = 0, 1
# What is done of it: as JACK has them (jack/types.h, jack_transport_state_t).
STOPPED, ROLLING, STARTING = 0, 1, 3
# What the song is given to do while it is alone.
GO_START, GO_STOP, GO_LOCATE = 1, 2, 3

(
    # Addresses, for the callbacks alone.
    CLIENT,
    PAST,
    HEARD,
    SOUND,
    SEGMENTS,
    OLD_TABLE,
    POSITION,
    EVENT,
    CLOCK,
    # Ports.
    SOUND_COUNT,
    MIDI_IN,
    # What is wanted.
    MODE,
    GO_SERIAL,
    GO,
    GO_FRAME,
    GO_TIME,
    LOOP,
    LOOP_FIRST,
    LOOP_LAST,
    QUIET_UNTIL,
    SPEED,
    PANIC,
    SOUND_WANTED,
    REFILL,
    # What is so.
    BLOCK,
    FREEWHEEL,
    SHUT,
    XRUNS,
    GRAPH,
    CYCLES,
    STATE,
    FRAME,
    SONG,
    EXPECTED,
    TIME,
    GO_DONE,
    PANIC_DONE,
    REFILL_DONE,
    TABLE_DONE,
    SPREAD,
    WANTED_FRAME,
    WANTED_SERIAL,
    WANTED_USED,
    READY_SERIAL,
    EPOCH,
    PAST_COUNT,
    HEARD_COUNT,
    HEARD_READ,
    HEARD_LOST,
    SEGMENT_WRITTEN,
    SEGMENT_READ,
    SOUND_READ,
    ENDED,
    CAME,
    MISSING,
    LOOPED,
    LAST_FRAMES,
    LEFT_OUT,
    SOUND_APART,
    CLICKS,
    FREE_MISSING,
    TEMPO_KEY,
    VOLTAGE_COUNT,
) = range(EMISSION_WORDS, EMISSION_WORDS + 63)

SLOTS = 1_024  # words in all
FIRST_MIDI, FIRST_SOUND = 200, 360  # where the addresses of the ports begin
FIRST_VOLTAGE, FIRST_VOLTAGE_KEY = 500, 564  # of control voltages, and which lanes they are
FIRST_BUFFER, FIRST_SOUND_BUFFER, FIRST_VOLTAGE_BUFFER = 640, 840, 740  # those of their buffers in this cycle

NOT_QUIET = -(1 << 40)  # until when a count-in keeps messages back, where there is none

RING_FRAMES = 1 << 16  # frames of sound that are held ready at most
SEGMENTS_HELD, PAST_HELD, HEARD_HELD = 1_024, 2_048, 16_384
LONGEST_ARRIVAL_BYTES = 16  # bytes of a message that comes
# A stretch of the ring: where in the count of all that was written it begins, and in the song; its frames; its epoch;
# and the tempo table that its song frames are of.
SEGMENT = np.dtype([(name, "<i8") for name in ("begin", "song", "count", "epoch", "tempo")])
# A moment: microseconds, song frame, speed and state, and the tempo table that its song frame is of.
MOMENT = np.dtype([(name, "<f8") for name in ("time", "song", "speed", "state", "tempo")])
# A message that came: microseconds, its size and its bytes.
ARRIVAL = np.dtype([("time", "<f8"), ("size", "<i8"), ("data", "u1", LONGEST_ARRIVAL_BYTES)])
SEGMENT_BYTES, MOMENT_BYTES, ARRIVAL_BYTES = SEGMENT.itemsize, MOMENT.itemsize, ARRIVAL.itemsize
# Which number of its row a field is, for compiled code.
(SEGMENT_BEGIN, SEGMENT_SONG, SEGMENT_COUNT, SEGMENT_EPOCH, SEGMENT_TEMPO) = numbers_of(SEGMENT)
(MOMENT_TIME, MOMENT_SONG, MOMENT_SPEED, MOMENT_STATE, MOMENT_TEMPO) = numbers_of(MOMENT)
(ARRIVAL_TIME, ARRIVAL_SIZE, ARRIVAL_DATA) = numbers_of(ARRIVAL)
POSITION_BYTES = 136  # of jack_position_t, which is packed
LARGEST_BLOCK_FRAMES = 8_192  # frames of a cycle
ROWS = 2 + 2 * MOST_TRACKS  # of sound: left and right of the mix, then of each track

# The memory that is shared, part by part: name, shape and kind.
PARTS: tuple[tuple[str, tuple[int, ...], np.dtype], ...] = (
    ("words", (SLOTS,), np.dtype("<i8")),
    ("past", (PAST_HELD,), MOMENT),
    ("heard", (HEARD_HELD,), ARRIVAL),
    ("segments", (SEGMENTS_HELD,), SEGMENT),
    ("sound", (ROWS, RING_FRAMES), np.dtype("<f4")),
)
