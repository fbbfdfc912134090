"""What the server calls, compiled: no Python runs there, so that however busy the program is no cycle is missed.

A cycle is a stretch of frames that the server asks for. In it the song moves on, by itself or with the server's
transport; its messages go out at their frames, and sound that was made ready is copied. Where it goes elsewhere,
notes end and every lane is put where it stands there.
"""

# ruff: noqa: F405, SIM102, SIM110
# mypy: disable-error-code="no-untyped-def,no-untyped-call,untyped-decorator"
from __future__ import annotations

import numpy as np
from numba import cfunc, types

from zolvek.sound.jack import native
from zolvek.sound.jack.native import (
    byte_at,
    compiled,
    int64_at,
    put_byte,
    put_int64,
    put_real,
    put_single,
    put_uint32,
    real_at,
    reals,
    single_at,
    uint32_at,
    words,
)
from zolvek.sound.jack.slots import *  # noqa: F403  # the words of the memory are its vocabulary

# What has been told of the clock: nothing runs; it waits for the sixteenth that it goes on from; it runs.
CLOCK_STILL, CLOCK_WAITS, CLOCK_RUNS = 0, 1, 2
FADE = 240  # frames in which sound that is cut off dies away
KEPT_BACK = 4  # frames that have been played and are still there, to read between them
LONGEST_WAIT, NAP = (
    20_000,
    200,
)  # times and microseconds that a faster than real time cycle waits for sound
LAST_SIXTEENTH = 16_383
CAUGHT_UP, AT_ONCE = (
    24_000,
    1e18,
)  # frames that may be left out; a speed at which all is at one place
CLOCK_MONOTONIC = 1  # time.h
STRAYS_MOST, DRAWN = 5_000.0, 0.01  # microseconds; a part of them a cycle
TICKS_A_UNIT = 960.0


# --- messages out ---


@compiled
def write(h, port, offset, at, size):
    """A message (its bytes lie at an address) to a port, and to the one that takes those of all tracks."""
    buffer = h[FIRST_BUFFER + port]
    if buffer != 0:
        if native.midi_event_write(buffer, np.uint32(offset), at, np.uint64(size)) != 0:
            h[FULL] += 1
    buffer = h[FIRST_BUFFER]
    if port > 0 and port < h[NAMED_FROM] and buffer != 0:
        native.midi_event_write(buffer, np.uint32(offset), at, np.uint64(size))
    h[SENT] += 1


@compiled
def write_three(h, port, offset, status, first, second, size):
    put_byte(h[SCRATCH], 0, status)
    put_byte(h[SCRATCH], 1, first)
    put_byte(h[SCRATCH], 2, second)
    if h[FIRST_BUFFER + port] != 0:
        native.midi_event_write(
            h[FIRST_BUFFER + port], np.uint32(offset), h[SCRATCH], np.uint64(size)
        )


@compiled
def noted(h, port, at):
    """Which notes are on, so that they can be ended; the message's bytes lie at an address."""
    kind = byte_at(at, 0) & 0xF0
    if kind == 0x90 or kind == 0x80:
        on = kind == 0x90 and byte_at(at, 2) > 0
        place = (byte_at(at, 0) & 15) * 128 + byte_at(at, 1)
        put_byte(h[NOTES], port * 2048 + place, np.int64(on))
        h[NOTES_ON] = 1


@compiled
def notes_off(h, offset):
    if h[NOTES_ON] == 0:
        return
    h[NOTES_ON] = 0
    for place in range(h[MIDI_COUNT] * 2048):
        if byte_at(h[NOTES], place):
            put_byte(h[NOTES], place, 0)
            port, key = place // 2048, place % 2048
            for each in (port, 0):
                if each == port or port < h[NAMED_FROM]:
                    write_three(h, each, offset, 0x80 | (key // 128), key % 128, 64, 3)
                if port == 0:
                    break
            h[SENT] += 1


@compiled
def hush(h, offset):
    """All notes and all sound off, on every channel of every port (controllers 123 and 120)."""
    notes_off(h, offset)
    for port in range(h[MIDI_COUNT]):
        if port != h[CLOCK_PORT]:
            for channel in range(16):
                write_three(h, port, offset, 0xB0 | channel, 123, 0, 3)
                write_three(h, port, offset, 0xB0 | channel, 120, 0, 3)


@compiled
def before(frames, low, high, frame):
    """How many of the numbers low to high at an address, which increase, lie before `frame`."""
    first = low
    while low < high:
        middle = (low + high) >> 1
        if int64_at(frames, middle) < frame:
            low = middle + 1
        else:
            high = middle
    return low - first


@compiled
def stands(t, lane, frame):
    """Which of its states a lane has just before `frame`; -1 for none."""
    first, last = int64_at(t[T_LANE_FIRST], lane), int64_at(t[T_LANE_FIRST], lane + 1)
    early = before(t[T_STATE_FRAME], first, last, frame)
    return first + early - 1 if early > 0 else -1


@compiled
def put_lane(h, t, lane, state, offset):
    port = int64_at(t[T_LANE_PORT], lane)
    for row in range(int64_at(t[T_STATE_ROW], state), int64_at(t[T_STATE_ROW], state + 1)):
        write(h, port, offset, t[T_ROW_DATA] + 3 * row, int64_at(t[T_ROW_SIZE], row))


@compiled
def chase(h, t, frame, offset):
    """Every lane where it stands just before `frame`: what lies at it is sent by itself."""
    for lane in range(t[T_LANES]):
        state = stands(t, lane, frame)
        if state >= 0:
            put_lane(h, t, lane, state, offset)


@compiled
def same_bytes(one, other, count):
    for place in range(count):
        if byte_at(one, place) != byte_at(other, place):
            return False
    return True


@compiled
def chase_changed(h, t, old, frame, offset):
    """After an edit: lanes that stand elsewhere now than they did in the table before."""
    for lane in range(t[T_LANES]):
        state = stands(t, lane, frame)
        was = stands(old, lane, frame) if lane < old[T_LANES] else -1
        if state < 0:
            continue
        if was >= 0:
            row, old_row = int64_at(t[T_STATE_ROW], state), int64_at(old[T_STATE_ROW], was)
            count = int64_at(t[T_STATE_ROW], state + 1) - row
            if int64_at(old[T_STATE_ROW], was + 1) - old_row == count and same_bytes(
                t[T_ROW_DATA] + 3 * row, old[T_ROW_DATA] + 3 * old_row, 3 * count
            ):
                continue
        put_lane(h, t, lane, state, offset)


# --- clock and time code ---


@compiled
def realtime(h, offset, byte):
    write_three(h, h[CLOCK_PORT], offset, byte, 0, 0, 1)
    h[CLOCKED] += 1


@compiled
def tell_frame(h, d, t, frame, offset):
    """The full frame of MIDI time code."""
    if h[CODE_ON] == 0 or t[T_QUARTERS] == 0 or h[FIRST_BUFFER + h[CLOCK_PORT]] == 0:
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
    native.midi_event_write(h[FIRST_BUFFER + h[CLOCK_PORT]], np.uint32(offset), out, np.uint64(10))


@compiled
def tell_position(h, sixteenth, offset):
    write_three(h, h[CLOCK_PORT], offset, 0xF2, sixteenth & 127, sixteenth >> 7, 3)


@compiled
def clock_halts(h, offset):
    if h[CLOCK_STATE] == CLOCK_RUNS:
        realtime(h, offset, 0xFC)
    h[CLOCK_STATE] = CLOCK_STILL


@compiled
def clock_goes(h, d, t, frame, offset):
    """The song goes on from `frame`: the clock is told where, and begins at the next sixteenth."""
    clock_halts(h, offset)
    tell_frame(h, d, t, frame, offset)
    if h[CLOCK_ON] == 0:
        return
    first = before(t[T_CLOCK_FRAME], 0, t[T_CLOCKS], frame)
    first = (first + 5) // 6 * 6
    if first < t[T_CLOCKS] and first // 6 <= LAST_SIXTEENTH:
        h[CLOCK_FROM], h[CLOCK_STATE] = first, CLOCK_WAITS
        if first > 0:
            tell_position(h, first // 6, offset)


@compiled
def clock_moves(h, t, song, first, last, offset, speed):
    """Clocks and quarter frames from song frame `first` up to `last`; frame `song` is at `offset`."""
    if h[CODE_ON] != 0 and t[T_QUARTERS] > 0:
        at = before(t[T_QUARTER_FRAME], 0, t[T_QUARTERS], first)
        while at < t[T_QUARTERS] and int64_at(t[T_QUARTER_FRAME], at) < last:
            when = offset + np.int64((int64_at(t[T_QUARTER_FRAME], at) - song) / speed)
            write_three(h, h[CLOCK_PORT], when, 0xF1, byte_at(t[T_QUARTER_DATA], at), 0, 2)
            at += 1
    if h[CLOCK_ON] == 0 or h[CLOCK_STATE] == CLOCK_STILL:
        return
    at = before(t[T_CLOCK_FRAME], 0, t[T_CLOCKS], first)
    if h[CLOCK_STATE] == CLOCK_WAITS:
        at = max(at, h[CLOCK_FROM])
    while at < t[T_CLOCKS] and int64_at(t[T_CLOCK_FRAME], at) < last:
        when = offset + np.int64((int64_at(t[T_CLOCK_FRAME], at) - song) / speed)
        if h[CLOCK_STATE] == CLOCK_WAITS:
            realtime(h, when, 0xFA if h[CLOCK_FROM] == 0 else 0xFB)
            h[CLOCK_STATE] = CLOCK_RUNS
        realtime(h, when, 0xF8)
        at += 1


# --- sound ---


@compiled
def put_sound(h, slot, offset, count, level, fall):
    """`count` frames of the ring from `slot` on into the buffers, from `offset` on, at a level that falls."""
    for channel in range(h[SOUND_COUNT]):
        to, ring = h[FIRST_SOUND_BUFFER + channel], h[SOUND] + channel * RING * 4
        if to != 0:
            for i in range(count):
                value = single_at(ring, (slot + i) & (RING - 1))
                if fall > 0.0:
                    value = np.float32(value * (level - i * fall))
                put_single(to, offset + i, value)


@compiled
def copied(h, n, at, offset, fade):
    """Copy song frames from `at` on into the sound ports' buffers from `offset` on, `n` of them; with `fade`
    what is copied dies away. Returns how many there were."""
    done, waited = 0, 0
    while done < n:
        if h[SEGMENT_READ] == h[SEGMENT_WRITTEN]:
            patient = h[FREEWHEEL] != 0 and h[SOUND_WANTED] != 0 and h[ENDED] == 0 and not fade
            if not patient or waited >= LONGEST_WAIT:
                return done
            waited += 1
            native.usleep(np.uint32(NAP))
            continue
        row = h[SEGMENTS] + 8 * SEGMENT_WORDS * (h[SEGMENT_READ] & (SEGMENTS_HELD - 1))
        begin, count, epoch = int64_at(row, 0), int64_at(row, 2), int64_at(row, 3)
        way = at + done - int64_at(row, 1)
        if epoch == h[EPOCH] and way < 0:  # it comes later: a gap before it
            done += min(-way, n - done)
            continue
        if epoch != h[EPOCH] or way >= count or begin + way < h[SOUND_READ] - KEPT_BACK:
            h[SEGMENT_READ] += 1
            h[SOUND_READ] = max(h[SOUND_READ], begin + count)
            continue
        part = min(n - done, count - way)
        fall = 1.0 / n if fade else 0.0
        put_sound(h, begin + way, offset + done, part, 1.0 - done * fall, fall)
        done += part
        h[SOUND_READ] = max(h[SOUND_READ], begin + way + part)
    return done


@compiled
def spread(own, out, offset, n, start, speed):
    """Read between frames: four-point, third-order Hermite (Niemitalo, Polynomial Interpolators, 2001)."""
    for i in range(n):
        x = start + i * speed
        j = np.int64(np.floor(x))
        u = x - j
        a, b = single_at(own, j - 1), single_at(own, j)
        c, e = single_at(own, j + 1), single_at(own, j + 2)
        bent = c - a + u * (2.0 * a - 5.0 * b + 4.0 * c - e + u * (3.0 * (b - c) + e - a))
        put_single(out, offset + i, np.float32(b + 0.5 * u * bent))


@compiled
def stretched(h, n, song, offset, speed):
    """As `copied`, at another speed."""
    first = np.int64(np.floor(song)) - 1
    count = np.int64(np.floor(song + n * speed)) + 3 - first
    if count > LARGEST_BLOCK:
        return 0
    # Into buffers of our own first.
    for channel in range(h[SOUND_COUNT]):
        own = h[SPREAD] + channel * LARGEST_BLOCK * 4
        put_int64(h[SCRATCH] + 64, channel, h[FIRST_SOUND_BUFFER + channel])
        if h[FIRST_SOUND_BUFFER + channel] != 0:
            h[FIRST_SOUND_BUFFER + channel] = own
            for i in range(count):
                put_single(own, i, np.float32(0.0))
    read = h[SOUND_READ]
    done = copied(h, count, first, 0, False)
    h[SOUND_READ] = max(read, h[SOUND_READ] - KEPT_BACK)
    for channel in range(h[SOUND_COUNT]):
        out = int64_at(h[SCRATCH] + 64, channel)
        h[FIRST_SOUND_BUFFER + channel] = out
        if out != 0:
            spread(h[SPREAD] + channel * LARGEST_BLOCK * 4, out, offset, n, song - first, speed)
    return min(done, n)


# --- where the song is ---


@compiled
def want(h, frame):
    """Sound is to be made ready from `frame` on, unless it is already."""
    if (
        h[WANTED_SERIAL] == 0
        or h[WANTED_FRAME] != frame
        or h[WANTED_USED] != 0
        or h[REFILL] != h[REFILL_DONE]
    ):
        h[REFILL_DONE] = h[REFILL]
        h[WANTED_FRAME] = frame
        h[WANTED_USED] = 0
        h[WANTED_SERIAL] += 1


@compiled
def drop_stale(h):
    """While nothing plays: sound that was made ready for where it is no more makes room."""
    while h[SEGMENT_READ] < h[SEGMENT_WRITTEN]:
        row = h[SEGMENTS] + 8 * SEGMENT_WORDS * (h[SEGMENT_READ] & (SEGMENTS_HELD - 1))
        if int64_at(row, 3) == h[WANTED_SERIAL]:
            break
        h[SOUND_READ] = max(h[SOUND_READ], int64_at(row, 0) + int64_at(row, 2))
        h[SEGMENT_READ] += 1


@compiled
def passed(h, time, song, speed, state):
    at = h[PAST] + 8 * PAST_WORDS * (h[PAST_COUNT] & (PAST_HELD - 1))
    put_real(at, 0, time)
    put_real(at, 1, song)
    put_real(at, 2, speed)
    put_real(at, 3, np.float64(state))
    h[PAST_COUNT] += 1


@compiled
def told_where(h, d, t, frame, offset):
    """It goes on elsewhere: what hangs ends, lanes and clocks are put there."""
    notes_off(h, offset)
    chase(h, t, frame, offset)
    clock_goes(h, d, t, frame, offset)


@compiled
def tell(h, t, song, heard, last, offset, speed):
    """What lies from song frame `heard` up to `last`; frame `song` is at `offset`."""
    at = before(t[T_FRAME], 0, t[T_COUNT], heard)
    while at < t[T_COUNT] and int64_at(t[T_FRAME], at) < last:
        when = offset + np.int64((int64_at(t[T_FRAME], at) - song) / speed)
        port, place = int64_at(t[T_PORT], at), t[T_DATA] + 3 * at
        write(h, port, when, place, int64_at(t[T_SIZE], at))
        noted(h, port, place)
        at += 1
    clock_moves(h, t, song, heard, last, offset, speed)


@compiled
def goes_on(h, d, t, offset, song, n, speed, jump):
    """The song from `song` on for `n` frames of the cycle, from `offset` on in it. `jump`: it was elsewhere."""
    first = np.int64(np.ceil(song))
    last = song + n * speed
    heard = max(first, h[QUIET_UNTIL])  # before it a count-in goes on
    if jump:
        told_where(h, d, t, heard, offset)
        h[EPOCH] = h[WANTED_SERIAL]
    passed(h, d[TIME] + offset * 1e6 / h[RATE], song, speed, ROLLING)
    tell(h, t, song, heard, last, offset, speed)
    whole = speed == 1.0 and song == first
    done = copied(h, n, first, offset, False) if whole else stretched(h, n, song, offset, speed)
    if h[SOUND_WANTED] != 0:
        h[MISSING] += n - done


@compiled
def rests(h, d, t, n, frame, was):
    """The song stands at `frame`; `was`: it has gone until now, and what sounded dies away."""
    passed(h, d[TIME], np.float64(frame), 0.0, h[STATE])
    moved = h[EXPECTED] != frame
    if was:
        copied(h, min(FADE, n), h[EXPECTED], 0, True)
        notes_off(h, 0)
        clock_halts(h, 0)
    if was or moved:
        chase(h, t, frame + 1, 0)
        if moved:
            tell_frame(h, d, t, frame, 0)
            if h[CLOCK_ON] != 0:
                early = before(t[T_CLOCK_FRAME], 0, t[T_CLOCKS], frame)
                tell_position(h, min((early + 5) // 6, LAST_SIXTEENTH), 0)
    want(h, frame)
    drop_stale(h)
    h[EXPECTED] = frame
    h[FRAME] = frame


# --- what the server calls ---


@compiled
def obey(h, d):
    """What the program has told a song that moves by itself."""
    if h[GO_DONE] == h[GO_SERIAL]:
        return
    h[GO_DONE] = h[GO_SERIAL]
    if h[GO] == GO_STOP:
        h[STATE] = STOPPED
    else:
        d[SONG] = h[GO_FRAME]
        if h[GO] == GO_START or h[STATE] != STOPPED:
            h[STATE] = STARTING


@compiled
def alone(h, d, t, n):
    """A cycle of a song that moves by itself."""
    was, jump = h[STATE] == ROLLING, False
    obey(h, d)
    offset = 0
    if h[STATE] == STARTING:
        want(h, np.int64(np.floor(d[SONG])))
        ready = h[READY_SERIAL] == h[WANTED_SERIAL] or h[SOUND_WANTED] == 0
        away = (d[GO_TIME] - d[TIME]) * 1e-6 * h[RATE] if d[GO_TIME] > 0.0 else 0.0
        if ready and away < n:
            h[STATE] = ROLLING
            jump = True
            offset = np.int64(max(away, 0.0))
            d[SONG] += max(-away, 0.0) * d[SPEED]  # it should have begun already
    if h[STATE] != ROLLING:
        rests(h, d, t, n, np.int64(np.floor(d[SONG])), was)
        return
    if h[LOOPED] != 0 and not jump:
        told_where(h, d, t, np.int64(np.ceil(d[SONG])), 0)
    h[LOOPED] = 0
    h[WANTED_USED] = 1
    speed = d[SPEED]
    while offset < n:
        left, song = n - offset, d[SONG]
        inside = h[LOOP] != 0 and song < h[LOOP_LAST]
        end = h[LOOP_LAST] if inside else h[LENGTH]
        to_end = np.int64(np.ceil((end - song) / speed - 1e-9))
        if to_end <= 0:  # the end of the song
            h[STATE] = STOPPED
            notes_off(h, offset)
            clock_halts(h, offset)
            break
        part = min(left, to_end)
        goes_on(h, d, t, offset, song, part, speed, jump)
        jump = False
        d[SONG] = song + part * speed
        offset += part
        if inside and d[SONG] >= h[LOOP_LAST] - 1e-6:
            d[SONG] = h[LOOP_FIRST] + max(d[SONG] - h[LOOP_LAST], 0.0)
            notes_off(h, offset - 1)
            if offset < n:
                told_where(h, d, t, np.int64(np.ceil(d[SONG])), offset)
            else:
                h[LOOPED] = 1  # told at the beginning of the next cycle
    h[EXPECTED] = np.int64(np.floor(d[SONG]))
    h[FRAME] = h[EXPECTED]


@compiled
def wait_for_sound(h, frame):
    """Faster than real time nobody else waits until sound is ready where the song begins."""
    if h[SOUND_WANTED] == 0:
        return
    h[STATE] = STARTING
    want(h, frame)
    waited = 0
    while h[READY_SERIAL] != h[WANTED_SERIAL] and waited < LONGEST_WAIT:
        native.usleep(np.uint32(NAP))
        waited += 1


@compiled
def together(h, d, t, n):
    """A cycle of a song that goes with the server's transport."""
    state = native.transport_query(h[CLIENT], h[POSITION])
    frame = uint32_at(h[POSITION], 5)  # jack_position_t.frame
    was = h[STATE] == ROLLING
    if state == ROLLING and h[FREEWHEEL] != 0 and (not was or frame != h[EXPECTED]):
        wait_for_sound(h, frame)
    h[STATE] = STARTING if state > ROLLING else state
    d[SONG] = np.float64(frame)
    if h[STATE] != ROLLING:
        rests(h, d, t, n, frame, was)
        return
    jump = not was or frame != h[EXPECTED]
    if jump and was and frame > h[EXPECTED] and frame - h[EXPECTED] < CAUGHT_UP:
        # The server has left a few cycles out: what lay in them is told at once, and sound is there further on.
        tell(h, t, np.float64(h[EXPECTED]), h[EXPECTED], np.float64(frame), 0, AT_ONCE)
        jump = False
        h[LEFT_OUT] += 1
    if jump and (h[WANTED_USED] != 0 or h[WANTED_FRAME] != frame):
        want(h, frame)
    h[WANTED_USED] = 1
    goes_on(h, d, t, 0, np.float64(frame), n, 1.0, jump)
    h[EXPECTED] = frame + n
    d[SONG] = np.float64(frame + n)
    h[FRAME] = frame + n
    if h[LOOP] != 0 and frame < h[LOOP_LAST] and h[LOOP_LAST] <= frame + n:
        native.transport_locate(h[CLIENT], np.uint32(h[LOOP_FIRST]))


@compiled
def take_in(h, d, n):
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
        if size > LONGEST_HEARD or size < 1:
            continue
        if h[HEARD_COUNT] - h[HEARD_READ] >= HEARD_HELD - 1:
            h[HEARD_LOST] += 1
            continue
        at = h[HEARD] + (h[HEARD_COUNT] & (HEARD_HELD - 1)) * HEARD_BYTES
        put_real(at, 0, d[TIME] + time * 1e6 / h[RATE])
        put_int64(at, 1, size)
        for place in range(size):
            put_byte(at + 16, place, byte_at(source, place))
        h[HEARD_COUNT] += 1


@compiled
def buffers(h, n):
    """Where this cycle's buffers are: those for messages emptied, those for sound silent."""
    for place in range(h[MIDI_COUNT]):
        port = h[FIRST_MIDI + place]
        h[FIRST_BUFFER + place] = native.port_get_buffer(port, np.uint32(n)) if port != 0 else 0
        if h[FIRST_BUFFER + place] != 0:
            native.midi_clear_buffer(h[FIRST_BUFFER + place])
    for place in range(h[SOUND_COUNT]):
        port = h[FIRST_SOUND + place]
        buffer = native.port_get_buffer(port, np.uint32(n)) if port != 0 else 0
        h[FIRST_SOUND_BUFFER + place] = buffer
        if buffer != 0:
            for i in range(n):
                put_single(buffer, i, np.float32(0.0))


@compiled
def keep_time(h, d, n):
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
def cycle(n, address):
    h, d = words(address, SLOTS), reals(address, SLOTS)
    keep_time(h, d, n)
    take_in(
        h, d, n
    )  # first: what a port of ours sends to this one lies where it was sent a cycle ago
    buffers(h, n)
    if h[TABLE] != 0:
        t = words(h[TABLE], T_SLOTS)
        if h[PANIC_DONE] != h[PANIC]:
            h[PANIC_DONE] = h[PANIC]
            hush(h, 0)
        if h[TABLE_DONE] != h[TABLE]:
            if h[OLD_TABLE] != 0:
                chase_changed(h, t, words(h[OLD_TABLE], T_SLOTS), np.int64(np.ceil(d[SONG])), 0)
            h[TABLE_DONE] = h[TABLE]
        if h[MODE] == TOGETHER:
            together(h, d, t, n)
        else:
            alone(h, d, t, n)
    h[CYCLES] += 1


@cfunc(types.int32(types.uint32, types.int64), cache=True)
def process(n, address):
    cycle(np.int64(n), address)
    return 0


@cfunc(types.int32(types.int32, types.int64, types.int64), cache=True)
def sync(state, position, address):
    """Whether we are ready to go on from where the transport is to begin."""
    h = words(address, SLOTS)
    if h[MODE] != TOGETHER or h[SOUND_WANTED] == 0 or state == ROLLING:
        return 1
    want(h, uint32_at(position, 5))
    return 1 if h[READY_SERIAL] == h[WANTED_SERIAL] else 0


@compiled
def row_at(table, count, value, slack):
    """The last row (four numbers each, the first of them increasing) that begins at or before `value`."""
    row = 0
    while row + 1 < count and real_at(table, 4 * (row + 1)) <= value + slack:
        row += 1
    return row


@compiled
def tell_bars(h, t, position):
    """Bar, beat, tick and tempo at a frame into jack_position_t, by its layout (jack/types.h): 4-byte words of
    frame (5), what is told (6), bar, beat, tick (7 to 9); then bytes 40, 48, 56 and 100. Its beats are the
    meter's units, and so is its tempo."""
    seconds = uint32_at(position, 5) / np.float64(h[RATE])
    point = t[T_TEMPO] + 32 * row_at(t[T_TEMPO], t[T_TEMPOS], seconds, 0.0)
    x, bpm, slope = (seconds - real_at(point, 0)) / 60.0, real_at(point, 2), real_at(point, 3)
    way = bpm * np.expm1(x * slope) / slope if abs(slope) > 1e-12 else bpm * x
    beat, now = real_at(point, 1) + way, bpm + slope * way
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
def bar_tick(t, row, bars):
    """Ticks from the start to the bar's beginning: a tick is a 960th of the meter's unit."""
    ticks = 0.0
    for place in range(row):
        here = t[T_METER] + 32 * place
        ticks += (real_at(here, 4) - real_at(here, 0)) * real_at(here, 3) / 4.0
    return (ticks + bars * real_at(t[T_METER] + 32 * row, 2)) * TICKS_A_UNIT


@cfunc(types.void(types.int32, types.uint32, types.int64, types.int32, types.int64), cache=True)
def timebase(state, n, position, new, address):
    h = words(address, SLOTS)
    if h[TABLE] != 0:
        tell_bars(h, words(h[TABLE], T_SLOTS), position)


@cfunc(types.void(types.int32, types.int64), cache=True)
def freewheel(on, address):
    put_int64(address, FREEWHEEL, np.int64(on))


@cfunc(types.int32(types.uint32, types.int64), cache=True)
def buffer_size(frames, address):
    put_int64(address, BLOCK, np.int64(frames))
    return 0


@cfunc(types.int32(types.uint32, types.int64), cache=True)
def sample_rate(rate, address):
    put_int64(address, RATE, np.int64(rate))
    return 0


@cfunc(types.int32(types.int64), cache=True)
def xrun(address):
    put_int64(address, XRUNS, int64_at(address, XRUNS) + 1)
    return 0


@cfunc(types.void(types.int64), cache=True)
def shutdown(address):
    put_int64(address, SHUT, 1)


@cfunc(types.void(types.uint32, types.uint32, types.int32, types.int64), cache=True)
def connected(one, other, on, address):
    put_int64(address, GRAPH, int64_at(address, GRAPH) + 1)


@cfunc(types.void(types.uint32, types.int32, types.int64), cache=True)
def registered(port, on, address):
    put_int64(address, GRAPH, int64_at(address, GRAPH) + 1)
