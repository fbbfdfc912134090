# SPDX-License-Identifier: GPL-3.0-or-later
"""Messages as the song moves: lanes chased, notes ended, clock and time code, and what an edit changes.

The functions write events (`layout.EVENT_ROW`) that their caller sends. They take the memory `h` (int64 words of
`layout`) and a table `t` (`tables.addresses_of`), and use nothing that a compiler could not make machine code of:
`sync.jack.emission_rt` does, with single instructions in place of `addresses`. Each stands after those that it calls.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.sync.emission.addresses import byte_at, int64_at, put_byte, put_int64, real_at
from zolvek.sync.emission.layout import (
    CLOCK_FROM,
    CLOCK_ON,
    CLOCK_PORT,
    CLOCK_RUNS,
    CLOCK_STATE,
    CLOCK_STILL,
    CLOCK_WAITS,
    CLOCKED,
    CODE_ON,
    EVENT_BYTES,
    EVENT_COUNT,
    EVENT_DATA,
    EVENTS,
    EVENTS_HELD,
    FULL,
    MIDI_COUNT,
    NAMED_FROM,
    NOTES,
    NOTES_ON,
    PORT_NOTES,
    RATE,
    SCRATCH,
    SENT,
    T_CLOCK_FRAME,
    T_CLOCKS,
    T_CODE,
    T_COUNT,
    T_COUNTED,
    T_DATA,
    T_DROP,
    T_FPS,
    T_FRAME,
    T_LANE_FIRST,
    T_LANE_PORT,
    T_LANES,
    T_NOTE_DATA,
    T_NOTE_FIRST,
    T_NOTE_LAST,
    T_NOTE_PORT,
    T_NOTES,
    T_PORT,
    T_QUARTER_DATA,
    T_QUARTER_FRAME,
    T_QUARTERS,
    T_ROW_DATA,
    T_ROW_SIZE,
    T_SIZE,
    T_STATE_FRAME,
    T_STATE_ROW,
    TABLE,
)
from zolvek.sync.timeline.clock_messages import LAST_POSITION

STAYS_ON = 2  # of a note that is on, while those that an edit has removed are looked for

# --- messages out ---


def put_event(h: Any, port: Any, offset: Any, at: Any, size: Any) -> Any:
    """A message (its bytes lie at an address) to a port, `offset` frames after the block's first."""
    if h[EVENT_COUNT] >= EVENTS_HELD:
        h[FULL] += 1
        return
    row = h[EVENTS] + EVENT_BYTES * h[EVENT_COUNT]
    put_int64(row, 0, port)
    put_int64(row, 1, offset)
    put_int64(row, 2, size)
    for index in range(size):
        put_byte(row + EVENT_DATA, index, byte_at(at, index))
    h[EVENT_COUNT] += 1


def write(h: Any, port: Any, offset: Any, at: Any, size: Any) -> Any:
    """A message to a port, and to the one that takes those of all tracks."""
    put_event(h, port, offset, at, size)
    if port > 0 and port < h[NAMED_FROM]:
        put_event(h, 0, offset, at, size)
    h[SENT] += 1


def write_three(h: Any, port: Any, offset: Any, status: Any, first: Any, second: Any, size: Any) -> Any:
    """Write a message of up to three bytes to a port."""
    put_byte(h[SCRATCH], 0, status)
    put_byte(h[SCRATCH], 1, first)
    put_byte(h[SCRATCH], 2, second)
    put_event(h, port, offset, h[SCRATCH], size)


def note_sounding(h: Any, port: Any, at: Any) -> Any:
    """Which notes are on, so that they can be ended; the message's bytes lie at an address."""
    kind = byte_at(at, 0) & 0xF0
    if kind == 0x90 or kind == 0x80:
        on = kind == 0x90 and byte_at(at, 2) > 0
        key = (byte_at(at, 0) & 15) * 128 + byte_at(at, 1)
        put_byte(h[NOTES], port * PORT_NOTES + key, 1 if on else 0)
        h[NOTES_ON] = 1


def end_note(h: Any, index: Any, offset: Any) -> Any:
    """Send the note-off of a note that is on."""
    put_byte(h[NOTES], index, 0)
    port, key = index // PORT_NOTES, index % PORT_NOTES
    write_three(h, port, offset, 0x80 | (key // 128), key % 128, 64, 3)
    if port > 0 and port < h[NAMED_FROM]:
        write_three(h, 0, offset, 0x80 | (key // 128), key % 128, 64, 3)
    h[SENT] += 1


def notes_off(h: Any, offset: Any) -> Any:
    """Send note-offs for all notes that are on."""
    if h[NOTES_ON] == 0:
        return
    h[NOTES_ON] = 0
    for index in range(h[MIDI_COUNT] * PORT_NOTES):
        if byte_at(h[NOTES], index):
            end_note(h, index, offset)


def hush(h: Any, offset: Any) -> Any:
    """All notes and all sound off, on every channel of every port (controllers 123 and 120)."""
    notes_off(h, offset)
    for port in range(h[MIDI_COUNT]):
        if port != h[CLOCK_PORT]:
            for channel in range(16):
                write_three(h, port, offset, 0xB0 | channel, 123, 0, 3)
                write_three(h, port, offset, 0xB0 | channel, 120, 0, 3)


def before(frames: Any, low: Any, high: Any, frame: Any) -> Any:
    """How many of the numbers low to high at an address, which increase, lie before `frame`."""
    first = low
    while low < high:
        middle = (low + high) >> 1
        if int64_at(frames, middle) < frame:
            low = middle + 1
        else:
            high = middle
    return low - first


def stands(t: Any, lane: Any, frame: Any) -> Any:
    """Which of its states a lane has just before `frame`; -1 for none."""
    first, last = int64_at(t[T_LANE_FIRST], lane), int64_at(t[T_LANE_FIRST], lane + 1)
    early = before(t[T_STATE_FRAME], first, last, frame)
    return first + early - 1 if early > 0 else -1


def put_lane(h: Any, t: Any, lane: Any, state: Any, offset: Any) -> Any:
    """Send what a lane's controls stand at."""
    port = int64_at(t[T_LANE_PORT], lane)
    for row in range(int64_at(t[T_STATE_ROW], state), int64_at(t[T_STATE_ROW], state + 1)):
        write(h, port, offset, t[T_ROW_DATA] + 3 * row, int64_at(t[T_ROW_SIZE], row))


def chase(h: Any, t: Any, frame: Any, offset: Any) -> Any:
    """Every lane where it stands just before `frame`: what lies at it is sent by itself."""
    for lane in range(t[T_LANES]):
        state = stands(t, lane, frame)
        if state >= 0:
            put_lane(h, t, lane, state, offset)


def begin_notes(h: Any, t: Any, frame: Any, offset: Any) -> Any:
    """Notes that are on at `frame` already begin there."""
    for index in range(t[T_NOTES]):
        if int64_at(t[T_NOTE_FIRST], index) < frame and frame < int64_at(t[T_NOTE_LAST], index):
            port, at = int64_at(t[T_NOTE_PORT], index), t[T_NOTE_DATA] + 3 * index
            write(h, port, offset, at, 3)
            note_sounding(h, port, at)


def same_bytes(one: Any, other: Any, count: Any) -> Any:
    """Whether two messages are equal."""
    for index in range(count):  # noqa: SIM110  # compiled code takes no generators
        if byte_at(one, index) != byte_at(other, index):
            return False
    return True


def end_removed(h: Any, t: Any, frame: Any, offset: Any) -> Any:
    """After an edit: notes that are on and that the table no longer has at `frame` end."""
    if h[NOTES_ON] == 0:
        return
    for index in range(t[T_NOTES]):
        if int64_at(t[T_NOTE_FIRST], index) <= frame and frame <= int64_at(t[T_NOTE_LAST], index):
            at = t[T_NOTE_DATA] + 3 * index
            key = int64_at(t[T_NOTE_PORT], index) * PORT_NOTES + (byte_at(at, 0) & 15) * 128 + byte_at(at, 1)
            if byte_at(h[NOTES], key):
                put_byte(h[NOTES], key, STAYS_ON)
    for index in range(h[MIDI_COUNT] * PORT_NOTES):
        if byte_at(h[NOTES], index) == 1:
            end_note(h, index, offset)
        elif byte_at(h[NOTES], index) == STAYS_ON:
            put_byte(h[NOTES], index, 1)


def chase_changed(h: Any, t: Any, frame: Any, old: Any, was_frame: Any, offset: Any) -> Any:
    """After an edit: lanes that stand elsewhere at `frame` than they did in the table before at `was_frame`, which is
    the same beat, and notes that are gone."""
    end_removed(h, t, frame, offset)
    for lane in range(t[T_LANES]):
        state = stands(t, lane, frame)
        was = stands(old, lane, was_frame) if lane < old[T_LANES] else -1
        if state < 0:
            continue
        if was >= 0 and int64_at(t[T_LANE_PORT], lane) == int64_at(old[T_LANE_PORT], lane):
            row, old_row = int64_at(t[T_STATE_ROW], state), int64_at(old[T_STATE_ROW], was)
            count = int64_at(t[T_STATE_ROW], state + 1) - row
            if int64_at(old[T_STATE_ROW], was + 1) - old_row == count and same_bytes(
                t[T_ROW_DATA] + 3 * row, old[T_ROW_DATA] + 3 * old_row, 3 * count
            ):
                continue
        put_lane(h, t, lane, state, offset)


# --- clock and time code ---


def realtime(h: Any, offset: Any, byte: Any) -> Any:
    """Send a system realtime byte to the clock port."""
    write_three(h, h[CLOCK_PORT], offset, byte, 0, 0, 1)
    h[CLOCKED] += 1


def send_full_frame(h: Any, t: Any, frame: Any, offset: Any) -> Any:
    """The full frame of MIDI time code."""
    if h[CODE_ON] == 0 or t[T_QUARTERS] == 0:
        return
    number = np.int64(np.floor(max(frame, 0) / h[RATE] * real_at(h[TABLE], T_FPS) + 1e-6))
    if t[T_DROP]:
        tens, rest = number // 17_982, number % 17_982
        number += 18 * tens
        if rest > 1:
            number += 2 * ((rest - 2) // 1_798)
    seconds, part = number // t[T_COUNTED], number % t[T_COUNTED]
    out = h[SCRATCH]
    put_byte(out, 0, 0xF0)
    put_byte(out, 1, 0x7F)
    put_byte(out, 2, 0x7F)
    put_byte(out, 3, 1)
    put_byte(out, 4, 1)
    put_byte(out, 5, (seconds // 3600 % 24) | (t[T_CODE] << 5))
    put_byte(out, 6, seconds // 60 % 60)
    put_byte(out, 7, seconds % 60)
    put_byte(out, 8, part)
    put_byte(out, 9, 0xF7)
    put_event(h, h[CLOCK_PORT], offset, out, 10)


def send_song_position(h: Any, sixteenth: Any, offset: Any) -> Any:
    """Send a song position pointer, in sixteenths."""
    write_three(h, h[CLOCK_PORT], offset, 0xF2, sixteenth & 127, sixteenth >> 7, 3)


def stop_clock(h: Any, offset: Any) -> Any:
    """Send stop, if the clock runs."""
    if h[CLOCK_STATE] == CLOCK_RUNS:
        realtime(h, offset, 0xFC)
    h[CLOCK_STATE] = CLOCK_STILL


def start_clock(h: Any, t: Any, frame: Any, offset: Any) -> Any:
    """The song goes on from `frame`: the clock is given where, and begins at the next sixteenth."""
    stop_clock(h, offset)
    send_full_frame(h, t, frame, offset)
    if h[CLOCK_ON] == 0:
        return
    first = before(t[T_CLOCK_FRAME], 0, t[T_CLOCKS], frame)
    first = (first + 5) // 6 * 6
    if first < t[T_CLOCKS] and first // 6 <= LAST_POSITION:
        h[CLOCK_FROM], h[CLOCK_STATE] = first, CLOCK_WAITS
        if first > 0:
            send_song_position(h, first // 6, offset)


def emit_clock(h: Any, t: Any, song: Any, first: Any, last: Any, offset: Any, speed: Any) -> Any:
    """Clocks and quarter frames from song frame `first` up to `last`, in order of time, as a port takes them; frame
    `song` is at `offset`."""
    quarters, clocks = np.int64(0), np.int64(0)
    if h[CODE_ON] != 0:
        quarters = t[T_QUARTERS]
    if h[CLOCK_ON] != 0 and h[CLOCK_STATE] != CLOCK_STILL:
        clocks = t[T_CLOCKS]
    quarter = before(t[T_QUARTER_FRAME], 0, quarters, first)
    clock = before(t[T_CLOCK_FRAME], 0, clocks, first)
    if h[CLOCK_STATE] == CLOCK_WAITS:
        clock = max(clock, h[CLOCK_FROM])
    while True:
        next_quarter, next_clock = last, last
        if quarter < quarters:
            next_quarter = int64_at(t[T_QUARTER_FRAME], quarter)
        if clock < clocks:
            next_clock = int64_at(t[T_CLOCK_FRAME], clock)
        if next_quarter >= last and next_clock >= last:
            break
        if next_quarter < next_clock:
            when = offset + np.int64((next_quarter - song) / speed)
            write_three(h, h[CLOCK_PORT], when, 0xF1, byte_at(t[T_QUARTER_DATA], quarter), 0, 2)
            quarter += 1
        else:
            when = offset + np.int64((next_clock - song) / speed)
            if h[CLOCK_STATE] == CLOCK_WAITS:
                realtime(h, when, 0xFA if h[CLOCK_FROM] == 0 else 0xFB)
                h[CLOCK_STATE] = CLOCK_RUNS
            realtime(h, when, 0xF8)
            clock += 1


# --- the song ---


def send_position(h: Any, t: Any, frame: Any, offset: Any) -> Any:
    """The song continues elsewhere: sounding notes end, lanes and clocks are sent as they are there."""
    notes_off(h, offset)
    chase(h, t, frame, offset)
    begin_notes(h, t, frame, offset)
    start_clock(h, t, frame, offset)


def emit_messages(h: Any, t: Any, song: Any, heard: Any, last: Any, offset: Any, speed: Any) -> Any:
    """What lies from song frame `heard` up to `last`; frame `song` is at `offset`."""
    at = before(t[T_FRAME], 0, t[T_COUNT], heard)
    while at < t[T_COUNT] and int64_at(t[T_FRAME], at) < last:
        when = offset + np.int64((int64_at(t[T_FRAME], at) - song) / speed)
        port, data = int64_at(t[T_PORT], at), t[T_DATA] + 3 * at
        write(h, port, when, data, int64_at(t[T_SIZE], at))
        note_sounding(h, port, data)
        at += 1
    emit_clock(h, t, song, heard, last, offset, speed)


def send_rest(h: Any, t: Any, frame: Any, offset: Any, moved: Any) -> Any:
    """The song is stopped at `frame`: lanes are sent as they are there, and where it is, if it was moved there."""
    chase(h, t, frame + 1, offset)
    if moved:
        send_full_frame(h, t, frame, offset)
        if h[CLOCK_ON] != 0:
            early = before(t[T_CLOCK_FRAME], 0, t[T_CLOCKS], frame)
            send_song_position(h, min((early + 5) // 6, LAST_POSITION), offset)


def stop_messages(h: Any, offset: Any) -> Any:
    """The song stops: sounding notes and the clock end."""
    notes_off(h, offset)
    stop_clock(h, offset)
