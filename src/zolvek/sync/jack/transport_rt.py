# SPDX-License-Identifier: GPL-3.0-or-later
"""The song as it moves, compiled: by itself, or with the server's transport."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.sync.emission.layout import RATE, T_LENGTH, T_TEMPO_KEY
from zolvek.sync.jack import native
from zolvek.sync.jack.audio_out_rt import LONGEST_WAIT, NAP, copied, stretched
from zolvek.sync.jack.bbt_rt import beat_at, second_at
from zolvek.sync.jack.emission_rt import emit_messages, notes_off, send_position, send_rest, stop_messages
from zolvek.sync.jack.native import compiled, int64_at, put_real, uint32_at
from zolvek.sync.jack.shared_layout import (
    ALONE,
    CLIENT,
    ENDED,
    EPOCH,
    EXPECTED,
    FRAME,
    FREE_MISSING,
    FREEWHEEL,
    GO,
    GO_DONE,
    GO_FRAME,
    GO_SERIAL,
    GO_START,
    GO_STOP,
    GO_TIME,
    LEFT_OUT,
    LOOP,
    LOOP_FIRST,
    LOOP_LAST,
    LOOPED,
    MISSING,
    MODE,
    MOMENT_BYTES,
    MOMENT_SONG,
    MOMENT_SPEED,
    MOMENT_STATE,
    MOMENT_TEMPO,
    MOMENT_TIME,
    NOT_QUIET,
    PAST,
    PAST_COUNT,
    PAST_HELD,
    POSITION,
    QUIET_UNTIL,
    READY_SERIAL,
    REFILL,
    REFILL_DONE,
    ROLLING,
    SEGMENT_BEGIN,
    SEGMENT_BYTES,
    SEGMENT_COUNT,
    SEGMENT_EPOCH,
    SEGMENT_READ,
    SEGMENT_WRITTEN,
    SEGMENTS,
    SEGMENTS_HELD,
    SONG,
    SOUND_READ,
    SOUND_WANTED,
    SPEED,
    STARTING,
    STATE,
    STOPPED,
    TEMPO_KEY,
    TIME,
    WANTED_FRAME,
    WANTED_SERIAL,
    WANTED_USED,
)
from zolvek.sync.jack.voltage_rt import put_voltages

FADE_FRAMES = 240  # frames in which sound that is cut off dies away
CAUGHT_UP, AT_ONCE = (
    24_000,
    1e18,
)  # frames that may be left out; a speed at which all is at one place


# --- where the song is ---


@compiled
def frame_there(t: Any, old: Any, frame: Any, rate: Any) -> Any:
    """The first frame of a song at another tempo that has not been played, where `frame` is the first in the table
    before: what is placed by the nearest frame comes neither twice nor never."""
    beat, _ = beat_at(old, (frame - 0.5) / rate)
    return np.int64(np.floor(second_at(t, beat) * rate + 0.5))


@compiled
def change_tempo(h: Any, d: Any, t: Any, old: Any) -> Any:
    """A song that moves by itself stays where it is in beats when its tempo changes."""
    if h[MODE] != ALONE or t[T_TEMPO_KEY] == old[T_TEMPO_KEY]:
        return
    h[EXPECTED] = frame_there(t, old, h[EXPECTED], np.float64(h[RATE]))
    if h[QUIET_UNTIL] != NOT_QUIET:
        h[QUIET_UNTIL] = frame_there(t, old, h[QUIET_UNTIL], np.float64(h[RATE]))
    d[SONG] = np.float64(frame_there(t, old, np.ceil(d[SONG]), np.float64(h[RATE])))


@compiled
def want(h: Any, frame: Any) -> Any:
    """Sound is to be made ready from `frame` on, unless it is already."""
    if h[WANTED_SERIAL] == 0 or h[WANTED_FRAME] != frame or h[WANTED_USED] != 0 or h[REFILL] != h[REFILL_DONE]:
        h[REFILL_DONE] = h[REFILL]
        h[WANTED_FRAME] = frame
        h[WANTED_USED] = 0
        h[WANTED_SERIAL] += 1


@compiled
def drop_stale(h: Any) -> Any:
    """While nothing plays: sound that was made ready for another position makes room."""
    while h[SEGMENT_READ] < h[SEGMENT_WRITTEN]:
        row = h[SEGMENTS] + SEGMENT_BYTES * (h[SEGMENT_READ] & (SEGMENTS_HELD - 1))
        if int64_at(row, SEGMENT_EPOCH) == h[WANTED_SERIAL]:
            break
        h[SOUND_READ] = max(h[SOUND_READ], int64_at(row, SEGMENT_BEGIN) + int64_at(row, SEGMENT_COUNT))
        h[SEGMENT_READ] += 1


@compiled
def record_moment(h: Any, time: Any, song: Any, speed: Any, state: Any) -> Any:
    """Note a moment that has been heard: time, song frame, speed and state."""
    at = h[PAST] + MOMENT_BYTES * (h[PAST_COUNT] & (PAST_HELD - 1))
    put_real(at, MOMENT_TIME, time)
    put_real(at, MOMENT_SONG, song)
    put_real(at, MOMENT_SPEED, speed)
    put_real(at, MOMENT_STATE, np.float64(state))
    put_real(at, MOMENT_TEMPO, np.float64(h[TEMPO_KEY]))
    h[PAST_COUNT] += 1


@compiled
def emit_block(h: Any, d: Any, t: Any, offset: Any, song: Any, n: Any, speed: Any, jump: Any) -> Any:
    """The song from `song` on for `n` frames of the cycle, from `offset` on in it. `jump`: it was elsewhere."""
    first = np.int64(np.ceil(song))
    last = song + n * speed
    heard = max(first, h[QUIET_UNTIL])  # before it a count-in goes on
    if jump:
        send_position(h, t, heard, offset)
        h[EPOCH] = h[WANTED_SERIAL]
    record_moment(h, d[TIME] + offset * 1e6 / h[RATE], song, speed, ROLLING)
    emit_messages(h, t, song, heard, last, offset, speed)
    put_voltages(h, t, offset, n, song, speed, h[QUIET_UNTIL])
    if last >= h[QUIET_UNTIL]:
        h[QUIET_UNTIL] = NOT_QUIET  # a loop may go back to before it
    whole = speed == 1.0 and song == first
    done = copied(h, n, first, offset, False) if whole else stretched(h, n, song, offset, speed)
    if h[SOUND_WANTED] != 0:
        h[MISSING] += n - done
        if h[FREEWHEEL] != 0 and h[ENDED] == 0:
            h[FREE_MISSING] += n - done


@compiled
def emit_rest(h: Any, d: Any, t: Any, n: Any, frame: Any, was: Any) -> Any:
    """The song stands at `frame`; `was`: it has gone until now, and what sounded dies away."""
    record_moment(h, d[TIME], np.float64(frame), 0.0, h[STATE])
    moved = h[EXPECTED] != frame
    if was:
        copied(h, min(FADE_FRAMES, n), h[EXPECTED], 0, True)
        stop_messages(h, 0)
    if was or moved:
        send_rest(h, t, frame, 0, moved)
    put_voltages(h, t, 0, n, frame, 0.0, NOT_QUIET)
    want(h, frame)
    drop_stale(h)
    h[EXPECTED] = frame
    h[FRAME] = frame


@compiled
def handle_locate(h: Any, d: Any) -> Any:
    """What the program has given a song that moves by itself."""
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
def alone(h: Any, d: Any, t: Any, n: Any) -> Any:
    """A cycle of a song that moves by itself."""
    was, jump = h[STATE] == ROLLING, False
    handle_locate(h, d)
    offset: Any = 0
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
        emit_rest(h, d, t, n, np.int64(np.floor(d[SONG])), was)
        return
    if h[LOOPED] != 0 and not jump:
        send_position(h, t, np.int64(np.ceil(d[SONG])), 0)
    h[LOOPED] = 0
    h[WANTED_USED] = 1
    speed = d[SPEED]
    if offset > 0:
        put_voltages(h, t, 0, offset, d[SONG], 0.0, h[QUIET_UNTIL])
    while offset < n:
        left, song = n - offset, d[SONG]
        inside = h[LOOP] != 0 and song < h[LOOP_LAST]
        end = h[LOOP_LAST] if inside else t[T_LENGTH]
        to_end = np.int64(np.ceil((end - song) / speed - 1e-9))
        if to_end <= 0:  # the end of the song
            h[STATE] = STOPPED
            stop_messages(h, offset)
            put_voltages(h, t, offset, n - offset, song, 0.0, NOT_QUIET)
            break
        part = min(left, to_end)
        emit_block(h, d, t, offset, song, part, speed, jump)
        jump = False
        d[SONG] = song + part * speed
        offset += part
        if inside and d[SONG] >= h[LOOP_LAST] - 1e-6:
            d[SONG] = h[LOOP_FIRST] + max(d[SONG] - h[LOOP_LAST], 0.0)
            notes_off(h, offset - 1)
            if offset < n:
                send_position(h, t, np.int64(np.ceil(d[SONG])), offset)
            else:
                h[LOOPED] = 1  # given at the beginning of the next cycle
    h[EXPECTED] = np.int64(np.floor(d[SONG]))
    h[FRAME] = h[EXPECTED]


@compiled
def wait_for_sound(h: Any, frame: Any) -> Any:
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
def together(h: Any, d: Any, t: Any, n: Any) -> Any:
    """A cycle of a song that goes with the server's transport."""
    state = native.transport_query(h[CLIENT], h[POSITION])
    frame = uint32_at(h[POSITION], 5)  # jack_position_t.frame
    was = h[STATE] == ROLLING
    if state == ROLLING and h[FREEWHEEL] != 0 and (not was or frame != h[EXPECTED]):
        wait_for_sound(h, frame)
    h[STATE] = STARTING if state > ROLLING else state
    d[SONG] = np.float64(frame)
    if h[STATE] != ROLLING:
        emit_rest(h, d, t, n, frame, was)
        return
    jump = not was or frame != h[EXPECTED]
    if jump and was and frame > h[EXPECTED] and frame - h[EXPECTED] < CAUGHT_UP:
        # The server has left a few cycles out: what lay in them is given at once, and sound is there further on.
        emit_messages(h, t, np.float64(h[EXPECTED]), h[EXPECTED], np.float64(frame), 0, AT_ONCE)
        jump = False
        h[LEFT_OUT] += 1
    if jump and (h[WANTED_USED] != 0 or h[WANTED_FRAME] != frame):
        want(h, frame)
    h[WANTED_USED] = 1
    emit_block(h, d, t, 0, np.float64(frame), n, 1.0, jump)
    h[EXPECTED] = frame + n
    d[SONG] = np.float64(frame + n)
    h[FRAME] = frame + n
    if h[LOOP] != 0 and frame < h[LOOP_LAST] and h[LOOP_LAST] <= frame + n:
        native.transport_locate(h[CLIENT], np.uint32(h[LOOP_FIRST]))
