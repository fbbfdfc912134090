# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound out, compiled: copied from what was made ready, by song frame."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.sync.emission.layout import SCRATCH
from zolvek.sync.jack import native
from zolvek.sync.jack.native import compiled, int64_at, put_int64, put_single, single_at
from zolvek.sync.jack.shared_layout import (
    ENDED,
    EPOCH,
    FIRST_SOUND_BUFFER,
    FREEWHEEL,
    LARGEST_BLOCK_FRAMES,
    RING_FRAMES,
    SEGMENT_BEGIN,
    SEGMENT_BYTES,
    SEGMENT_COUNT,
    SEGMENT_EPOCH,
    SEGMENT_READ,
    SEGMENT_SONG,
    SEGMENT_TEMPO,
    SEGMENT_WRITTEN,
    SEGMENTS,
    SEGMENTS_HELD,
    SOUND,
    SOUND_COUNT,
    SOUND_READ,
    SOUND_WANTED,
    SPREAD,
    TEMPO_KEY,
)

KEPT_BACK_FRAMES = 4  # frames that have been played and are still there, to read between them
# Times and microseconds that a cycle faster than real time waits for sound: 9 s. After 10 s the server itself ends that
# mode (jack2, JackFreewheelDriver).
LONGEST_WAIT, NAP = 45_000, 200


# --- sound ---


@compiled
def put_sound(h: Any, slot: Any, offset: Any, count: Any, level: Any, fall: Any) -> Any:
    """`count` frames of the ring from `slot` on into the buffers, from `offset` on, at a level that falls."""
    for channel in range(h[SOUND_COUNT]):
        to, ring = h[FIRST_SOUND_BUFFER + channel], h[SOUND] + channel * RING_FRAMES * 4
        if to != 0:
            for i in range(count):
                value = single_at(ring, (slot + i) & (RING_FRAMES - 1))
                if fall > 0.0:
                    value = np.float32(value * (level - i * fall))
                put_single(to, offset + i, value)


@compiled
def copied(h: Any, n: Any, at: Any, offset: Any, fade: Any) -> Any:
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
        row = h[SEGMENTS] + SEGMENT_BYTES * (h[SEGMENT_READ] & (SEGMENTS_HELD - 1))
        begin, count = int64_at(row, SEGMENT_BEGIN), int64_at(row, SEGMENT_COUNT)
        epoch = int64_at(row, SEGMENT_EPOCH)
        into = at + done - int64_at(row, SEGMENT_SONG)
        if int64_at(row, SEGMENT_TEMPO) != h[TEMPO_KEY]:  # made before or after a change of tempo: it just goes on
            into = max(h[SOUND_READ] - begin, 0)
        if epoch == h[EPOCH] and into < 0:  # it comes later: a gap before it
            done += min(-into, n - done)
            continue
        if epoch != h[EPOCH] or into >= count or begin + into < h[SOUND_READ] - KEPT_BACK_FRAMES:
            h[SEGMENT_READ] += 1
            h[SOUND_READ] = max(h[SOUND_READ], begin + count)
            continue
        part = min(n - done, count - into)
        fall = 1.0 / n if fade else 0.0
        put_sound(h, begin + into, offset + done, part, 1.0 - done * fall, fall)
        done += part
        h[SOUND_READ] = max(h[SOUND_READ], begin + into + part)
    return done


@compiled
def spread(samples: Any, out: Any, offset: Any, n: Any, start: Any, speed: Any) -> Any:
    """Read between frames: four-point, third-order Hermite (Niemitalo, Polynomial Interpolators, 2001)."""
    for i in range(n):
        x = start + i * speed
        j = np.int64(np.floor(x))
        u = x - j
        a, b = single_at(samples, j - 1), single_at(samples, j)
        c, e = single_at(samples, j + 1), single_at(samples, j + 2)
        bent = c - a + u * (2.0 * a - 5.0 * b + 4.0 * c - e + u * (3.0 * (b - c) + e - a))
        put_single(out, offset + i, np.float32(b + 0.5 * u * bent))


@compiled
def stretched(h: Any, n: Any, song: Any, offset: Any, speed: Any) -> Any:
    """As `copied`, at another speed."""
    first = np.int64(np.floor(song)) - 1
    count = np.int64(np.floor(song + n * speed)) + 3 - first
    if count > LARGEST_BLOCK_FRAMES:
        return 0
    # Into buffers of our own first.
    for channel in range(h[SOUND_COUNT]):
        channel_data = h[SPREAD] + channel * LARGEST_BLOCK_FRAMES * 4
        put_int64(h[SCRATCH] + 64, channel, h[FIRST_SOUND_BUFFER + channel])
        if h[FIRST_SOUND_BUFFER + channel] != 0:
            h[FIRST_SOUND_BUFFER + channel] = channel_data
            for i in range(count):
                put_single(channel_data, i, np.float32(0.0))
    read = h[SOUND_READ]
    done = copied(h, count, first, 0, False)
    h[SOUND_READ] = max(read, h[SOUND_READ] - KEPT_BACK_FRAMES)
    for channel in range(h[SOUND_COUNT]):
        out = int64_at(h[SCRATCH] + 64, channel)
        h[FIRST_SOUND_BUFFER + channel] = out
        if out != 0:
            spread(h[SPREAD] + channel * LARGEST_BLOCK_FRAMES * 4, out, offset, n, song - first, speed)
    return min(done, n)
