# SPDX-License-Identifier: GPL-3.0-or-later
"""The words of the memory that the compiled callbacks, the process around them and the program share: each a
64-bit number, whole unless it says otherwise."""

from __future__ import annotations

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
    NOTES,
    SCRATCH,
    TABLE,
    OLD_TABLE,
    POSITION,
    EVENT,
    CLOCK,
    # Ports: how many; which of those that send is the clock's, and from which on they have names of lanes.
    MIDI_COUNT,
    SOUND_COUNT,
    MIDI_IN,
    CLOCK_PORT,
    NAMED_FROM,
    # What is wanted.
    MODE,
    GO_SERIAL,
    GO,
    GO_FRAME,
    GO_TIME,
    LOOP,
    LOOP_FIRST,
    LOOP_LAST,
    LENGTH,
    QUIET_UNTIL,
    SPEED,
    PANIC,
    CLOCK_ON,
    CODE_ON,
    SOUND_WANTED,
    REFILL,
    # What is so.
    RATE,
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
    CLOCK_STATE,
    CLOCK_FROM,
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
    SENT,
    FULL,
    CAME,
    CLOCKED,
    MISSING,
    LOOPED,
    NOTES_ON,
    LAST_FRAMES,
    LEFT_OUT,
    SOUND_APART,
    CLICKS,
) = range(76)

SLOTS = 1_024  # words in all
FIRST_MIDI, FIRST_SOUND = 200, 360  # where the addresses of the ports begin
FIRST_BUFFER, FIRST_SOUND_BUFFER = 640, 840  # and those of their buffers in this cycle

NOT_QUIET = -(1 << 40)  # until when a count-in keeps messages back, where there is none

# A message table: addresses of its arrays, and how long they are (sync.timeline.song_timeline.Sending).
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
) = range(30)
T_SLOTS = 30

RING = 1 << 16  # frames of sound that are held ready at most
SEGMENTS_HELD, SEGMENT_WORDS = (
    1_024,
    4,
)  # stretches of it: first in the ring's count, first of the song, count, epoch
PAST_HELD, PAST_WORDS = 2_048, 4  # moments: microseconds, song frame, speed, state (float64)
HEARD_HELD, HEARD_BYTES = 16_384, 32  # messages that came: microseconds, size, up to 16 bytes
LONGEST_HEARD = 16
POSITION_BYTES = 136  # of jack_position_t, which is packed
LARGEST_BLOCK = 8_192  # frames of a cycle
