# SPDX-License-Identifier: GPL-3.0-or-later
"""Messages that carry time: MIDI clock and song position (MIDI 1.0, System Real Time and System Common messages), and
MIDI time code (MMA RP-004/008: quarter frames and the full frame)."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, Ints, Numbers

CLOCKS = 24  # a quarter note
POSITION_BEATS = 0.25  # a step of the song position: a sixteenth, six clocks
LAST_POSITION = 16_383  # what fourteen bits hold
CLOCK, START, CONTINUE, STOP = 0xF8, 0xFA, 0xFB, 0xFC
QUARTER_FRAME, SONG_POSITION = 0xF1, 0xF2
QUARTERS = 4  # quarter frame messages a frame; eight say a whole time, which is two frames long
FULL_FRAME = bytes((0xF0, 0x7F, 0x7F, 0x01, 0x01))  # then hours with the rate, minutes, seconds, frames, F7
DROPPED, DROP_MINUTE, DROP_TEN = (
    2,
    1_798,
    17_982,
)  # frames left out a minute; in such a minute, in ten


class FrameRate(NamedTuple):
    """Frames a second, how many are counted in one, whether some numbers are left out, and its code on the
    wire."""

    fps: float
    counted: int
    drop: bool
    code: int


# As they are written -> the four that MIDI time code has.
RATES = {
    "24": FrameRate(24.0, 24, False, 0),
    "25": FrameRate(25.0, 25, False, 1),
    "29.97 drop": FrameRate(30_000.0 / 1_001.0, 30, True, 2),
    "30": FrameRate(30.0, 30, False, 3),
}


def clocks(length: float) -> Floats:
    """The beats of the clock messages of a piece."""
    return np.arange(int(np.floor(length * CLOCKS + 1e-9)) + 1) / CLOCKS


def time_code(frames: Numbers, rate: FrameRate) -> tuple[Ints, Ints, Ints, Ints]:
    """Hours, minutes, seconds and frames of whole frames since the beginning. With a rate that drops, the first
    two numbers of each minute but every tenth are left out (SMPTE 12M)."""
    number = np.asarray(frames, np.int64)
    if rate.drop:
        tens, rest = np.divmod(number, DROP_TEN)
        minutes = np.where(rest > 1, (rest - DROPPED) // DROP_MINUTE, 0)
        number = number + 9 * DROPPED * tens + DROPPED * minutes
    seconds, frame = np.divmod(number, rate.counted)
    minutes, second = np.divmod(seconds, 60)
    hours, minute = np.divmod(minutes, 60)
    return hours % 24, minute, second, frame


def frames_of(hours: int, minutes: int, seconds: int, frames: int, rate: FrameRate) -> int:
    """Whole frames since the beginning: the inverse of `time_code`."""
    number = ((hours * 60 + minutes) * 60 + seconds) * rate.counted + frames
    if rate.drop:
        whole = hours * 60 + minutes
        number -= DROPPED * (whole - whole // 10)
    return number


def quarter_frames(seconds: float, rate: FrameRate) -> tuple[Floats, np.ndarray]:
    """The moments (seconds) of the quarter frames from 0 to `seconds`, and the data byte of each. Eight of
    them say the time at the first of the eight."""
    number = np.arange(int(np.floor(seconds * rate.fps * QUARTERS)) + 1)
    piece = number % 8
    hours, minutes, second, frame = time_code(number // 8 * 2, rate)
    fields = np.stack((
        frame & 15, frame >> 4, second & 15, second >> 4, minutes & 15, minutes >> 4,
        hours & 15, (hours >> 4) | (rate.code << 1),
    ))  # fmt: skip
    value = fields[piece, np.arange(len(number))]
    return number / (rate.fps * QUARTERS), (piece << 4 | value).astype(np.uint8)
