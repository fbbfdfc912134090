# SPDX-License-Identifier: GPL-3.0-or-later
"""What the server calls, compiled: no Python runs there, so that however busy the program is no cycle is missed.

A cycle is a stretch of frames that the server asks for. In it the song moves on, by itself or with the server's
transport; its messages go out at their frames, and sound that was made ready is copied. Where it goes elsewhere,
notes end and every lane is put where it stands there.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import cfunc, types

from zolvek.sync.emission.layout import (
    EVENT_BYTES,
    EVENT_COUNT,
    EVENT_DATA,
    EVENTS,
    FULL,
    MIDI_COUNT,
    RATE,
    T_SLOTS,
    T_TEMPO_KEY,
    TABLE,
)
from zolvek.sync.jack import native
from zolvek.sync.jack.bbt_rt import write_bbt
from zolvek.sync.jack.emission_rt import chase_changed, hush
from zolvek.sync.jack.native import (
    byte_at,
    compiled,
    int64_at,
    put_byte,
    put_int64,
    put_real,
    put_single,
    reals,
    uint32_at,
    words,
)
from zolvek.sync.jack.shared_layout import (
    ARRIVAL_BYTES,
    ARRIVAL_DATA,
    ARRIVAL_SIZE,
    ARRIVAL_TIME,
    BLOCK,
    CAME,
    CLOCK,
    CYCLES,
    EVENT,
    FIRST_BUFFER,
    FIRST_MIDI,
    FIRST_SOUND,
    FIRST_SOUND_BUFFER,
    FIRST_VOLTAGE,
    FIRST_VOLTAGE_BUFFER,
    FREEWHEEL,
    GRAPH,
    HEARD,
    HEARD_COUNT,
    HEARD_HELD,
    HEARD_LOST,
    HEARD_READ,
    LAST_FRAMES,
    LONGEST_ARRIVAL_BYTES,
    MIDI_IN,
    MODE,
    OLD_TABLE,
    PANIC,
    PANIC_DONE,
    READY_SERIAL,
    ROLLING,
    SHUT,
    SLOTS,
    SONG,
    SOUND_COUNT,
    SOUND_WANTED,
    TABLE_DONE,
    TEMPO_KEY,
    TIME,
    TOGETHER,
    VOLTAGE_COUNT,
    WANTED_SERIAL,
    XRUNS,
)
from zolvek.sync.jack.transport_rt import alone, change_tempo, together, want

CLOCK_MONOTONIC = 1  # time.h
STRAYS_MOST, DRAWN = 5_000.0, 0.01  # microseconds; a part of them a cycle


# --- what the server calls ---


@compiled
def read_input(h: Any, d: Any, n: Any) -> Any:
    """What has come in goes to where the program takes it from, each with its moment."""
    buffer = native.port_get_buffer(h[MIDI_IN], np.uint32(n)) if h[MIDI_IN] != 0 else 0
    if buffer == 0:
        return
    for number in range(np.int64(native.midi_get_event_count(buffer))):
        if native.midi_event_get(h[EVENT], buffer, np.uint32(number)) != 0:
            continue
        # jack_midi_event_t: the frame in the cycle, the size, where the bytes lie
        time, size, source = uint32_at(h[EVENT], 0), int64_at(h[EVENT], 1), int64_at(h[EVENT], 2)
        h[CAME] += 1
        if size > LONGEST_ARRIVAL_BYTES or size < 1:
            continue
        if h[HEARD_COUNT] - h[HEARD_READ] >= HEARD_HELD - 1:
            h[HEARD_LOST] += 1
            continue
        at = h[HEARD] + (h[HEARD_COUNT] & (HEARD_HELD - 1)) * ARRIVAL_BYTES
        put_real(at, ARRIVAL_TIME, d[TIME] + time * 1e6 / h[RATE])
        put_int64(at, ARRIVAL_SIZE, size)
        for index in range(size):
            put_byte(at + 8 * ARRIVAL_DATA, index, byte_at(source, index))
        h[HEARD_COUNT] += 1


@compiled
def buffers(h: Any, n: Any) -> Any:
    """Where this cycle's buffers are: those for messages emptied, those for sound silent."""
    for index in range(h[MIDI_COUNT]):
        port = h[FIRST_MIDI + index]
        h[FIRST_BUFFER + index] = native.port_get_buffer(port, np.uint32(n)) if port != 0 else 0
        if h[FIRST_BUFFER + index] != 0:
            native.midi_clear_buffer(h[FIRST_BUFFER + index])
    for index in range(h[SOUND_COUNT]):
        port = h[FIRST_SOUND + index]
        buffer = native.port_get_buffer(port, np.uint32(n)) if port != 0 else 0
        h[FIRST_SOUND_BUFFER + index] = buffer
        if buffer != 0:
            for i in range(n):
                put_single(buffer, i, np.float32(0.0))
    for index in range(h[VOLTAGE_COUNT]):
        port = h[FIRST_VOLTAGE + index]
        buffer = native.port_get_buffer(port, np.uint32(n)) if port != 0 else 0
        h[FIRST_VOLTAGE_BUFFER + index] = buffer
        if buffer != 0:
            for i in range(n):
                put_single(buffer, i, np.float32(0.0))


@compiled
def send_events(h: Any) -> Any:
    """What was emitted in this cycle goes to the ports' buffers."""
    for number in range(h[EVENT_COUNT]):
        row = h[EVENTS] + EVENT_BYTES * number
        buffer, offset, size = h[FIRST_BUFFER + int64_at(row, 0)], int64_at(row, 1), int64_at(row, 2)
        at = row + EVENT_DATA
        if buffer != 0 and native.midi_event_write(buffer, np.uint32(offset), at, np.uint64(size)) != 0:
            h[FULL] += 1
    h[EVENT_COUNT] = 0


@compiled
def keep_time(h: Any, d: Any, n: Any) -> Any:
    """The moment of the cycle, in microseconds of time.perf_counter: as even as its frames are, and drawn towards
    the clock. (The server counts by another clock, and is off for long once a client has held it up.)"""
    native.clock_gettime(np.int32(CLOCK_MONOTONIC), h[CLOCK])
    now = int64_at(h[CLOCK], 0) * 1e6 + int64_at(h[CLOCK], 1) * 1e-3
    due = d[TIME] + h[LAST_FRAMES] * 1e6 / h[RATE]
    strays = now - due
    even = abs(strays) < STRAYS_MOST and h[FREEWHEEL] == 0
    d[TIME] = due + DRAWN * strays if even else now
    h[LAST_FRAMES] = n


@compiled
def cycle(n: Any, address: Any) -> Any:
    """One cycle of `n` frames: the song moves, messages and sound go out, messages come in."""
    h, d = words(address, SLOTS), reals(address, SLOTS)
    keep_time(h, d, n)
    read_input(h, d, n)  # first: what a port of ours sends to this one lies where it was sent a cycle ago
    buffers(h, n)
    if h[TABLE] != 0:
        t = words(h[TABLE], T_SLOTS)
        if h[PANIC_DONE] != h[PANIC]:
            h[PANIC_DONE] = h[PANIC]
            hush(h, 0)
        if h[TABLE_DONE] != h[TABLE]:
            h[TEMPO_KEY] = t[T_TEMPO_KEY]
            if h[OLD_TABLE] != 0:
                old, was = words(h[OLD_TABLE], T_SLOTS), np.int64(np.ceil(d[SONG]))
                change_tempo(h, d, t, old)
                chase_changed(h, t, np.int64(np.ceil(d[SONG])), old, was, 0)
            h[TABLE_DONE] = h[TABLE]
        if h[MODE] == TOGETHER:
            together(h, d, t, n)
        else:
            alone(h, d, t, n)
        send_events(h)
    h[CYCLES] += 1


@cfunc(types.int32(types.uint32, types.int64), cache=True)
def process(n: Any, address: Any) -> Any:
    """JACK's process callback."""
    cycle(np.int64(n), address)
    return 0


@cfunc(types.int32(types.int32, types.int64, types.int64), cache=True)
def sync(state: Any, position: Any, address: Any) -> Any:
    """Whether we are ready to go on from where the transport is to begin."""
    h = words(address, SLOTS)
    if h[MODE] != TOGETHER or h[SOUND_WANTED] == 0 or state == ROLLING:
        return 1
    want(h, uint32_at(position, 5))
    return 1 if h[READY_SERIAL] == h[WANTED_SERIAL] else 0


@cfunc(types.void(types.int32, types.uint32, types.int64, types.int32, types.int64), cache=True)
def timebase(state: Any, n: Any, position: Any, new: Any, address: Any) -> Any:
    """JACK's timebase callback: bars, beats and tempo for the others."""
    h = words(address, SLOTS)
    if h[TABLE] != 0:
        write_bbt(h, words(h[TABLE], T_SLOTS), position)


@cfunc(types.void(types.int32, types.int64), cache=True)
def freewheel(on: Any, address: Any) -> Any:
    """JACK's freewheel callback."""
    put_int64(address, FREEWHEEL, np.int64(on))


@cfunc(types.int32(types.uint32, types.int64), cache=True)
def buffer_size(frames: Any, address: Any) -> Any:
    """JACK's buffer size callback."""
    put_int64(address, BLOCK, np.int64(frames))
    return 0


@cfunc(types.int32(types.uint32, types.int64), cache=True)
def sample_rate(rate: Any, address: Any) -> Any:
    """JACK's sample rate callback."""
    put_int64(address, RATE, np.int64(rate))
    return 0


@cfunc(types.int32(types.int64), cache=True)
def xrun(address: Any) -> Any:
    """JACK's xrun callback."""
    put_int64(address, XRUNS, int64_at(address, XRUNS) + 1)
    return 0


@cfunc(types.void(types.int64), cache=True)
def shutdown(address: Any) -> Any:
    """JACK's shutdown callback."""
    put_int64(address, SHUT, 1)


@cfunc(types.void(types.uint32, types.uint32, types.int32, types.int64), cache=True)
def connected(one: Any, other: Any, on: Any, address: Any) -> Any:
    """JACK's callback for connections that change."""
    put_int64(address, GRAPH, int64_at(address, GRAPH) + 1)


@cfunc(types.void(types.uint32, types.int32, types.int64), cache=True)
def registered(port: Any, on: Any, address: Any) -> Any:
    """JACK's callback for ports that come or go."""
    put_int64(address, GRAPH, int64_at(address, GRAPH) + 1)
