# SPDX-License-Identifier: GPL-3.0-or-later
"""Messages that carry time, made without the emission: what its bytes are compared with."""

from __future__ import annotations

import numpy as np

from zolvek.sync.timeline.clock_messages import FULL_FRAME, POSITION_BEATS, SONG_POSITION, FrameRate, time_code


def position_at(beat: float) -> int:
    """The song position at `beat`, or the next one after it."""
    return int(np.ceil(beat / POSITION_BEATS - 1e-9))


def song_position(position: int) -> bytes:
    """A song position pointer (MIDI 1.0, F2), in sixteenths."""
    return bytes((SONG_POSITION, position & 127, position >> 7))


def full_frame(seconds: float, rate: FrameRate) -> bytes:
    """The message that says where one is at once: sent when one goes elsewhere."""
    whole = int(np.floor(max(seconds, 0.0) * rate.fps + 1e-6))
    hours, minutes, second, frame = (int(item) for item in time_code(whole, rate))
    return FULL_FRAME + bytes((hours | rate.code << 5, minutes, second, frame, 0xF7))
