# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound files read a block at a time, at the renderer's rate: any length fits in memory.

A block at another rate is cut out of what converting the whole file would give, to 90 dB below full
scale: each block reads what the converter's filter reaches beyond its edges.
"""

from __future__ import annotations

import contextlib
import os
import stat
import threading
from collections import OrderedDict
from collections.abc import Callable
from functools import lru_cache
from math import gcd
from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.limits import LIMITS
from zolvek.core.model.source import SHIPPED
from zolvek.storage.opening import opened as open_ordinary
from zolvek.storage.shipped_files import DEMO

LONGEST_SECONDS = 3 * 3_600.0
MOST_CHANNELS = 64
BLOCK_FRAMES = 16_384  # frames at the renderer's rate
MOST_BLOCKS = 384  # kept of all sounds together: 48 MB
REACH_FRAMES = 1_024  # frames at the lower of the two rates that the converter's filter reaches, and more
USABLE = "Use a WAV, FLAC, OGG or MP3 file."
Block = np.ndarray[Any, np.dtype[np.float32]]
Progress = Callable[[int, int], object]


def path_of(name: str) -> Path:
    """Where a clip's file is."""
    if name.startswith(SHIPPED):  # its name alone: no path of a file leads out of there
        return DEMO / Path(name.removeprefix(SHIPPED)).name
    return Path(name)


def opened(name: str) -> Any:
    """The file, open for reading. Raises ZolvekError naming it and the remedy when it can't be a
    source of sound: missing, no file, unreadable, empty, or beyond the limits."""
    import soundfile

    path = path_of(name)
    try:
        about = path.stat()
    except (OSError, ValueError) as error:
        raise Failure("The audio file is missing.", name, "Locate or replace it.") from error
    if not stat.S_ISREG(about.st_mode):
        raise Failure("This is not a file.", name, USABLE)
    with open_ordinary(path, USABLE) as source:
        handle = os.dup(source.fileno())
    try:
        file = soundfile.SoundFile(handle)  # which closes it
    except (OSError, RuntimeError) as error:  # libsndfile's errors are RuntimeErrors
        with contextlib.suppress(OSError):
            os.close(handle)
        raise Failure("The audio file can't be read.", name, USABLE) from error
    rate = LIMITS["rate"]
    faults = (
        (file.frames < 1, "The audio file is empty.", "Replace it."),
        (not rate.holds(file.samplerate), f"The audio file has {file.samplerate:,} Hz.", f"Use {rate.words}."),
        (file.channels > MOST_CHANNELS, f"It has {file.channels} channels.", f"Use up to {MOST_CHANNELS}."),
        (file.frames > LONGEST_SECONDS * file.samplerate, "It is longer than three hours.", "Shorten it first."),
    )  # fmt: skip
    for wrong, what, remedy in faults:
        if wrong:
            file.close()
            raise ZolvekError(what, name, remedy)
    return file


def examine(name: str, progress: Progress | None = None) -> float:
    """Seconds that a sound file lasts, read to its end, a block at a time. Raises ZolvekError, naming
    the file, when it can't be a track's source: as `opened`, or damaged."""
    with opened(name) as file:
        total, rate, done = file.frames, file.samplerate, 0
        try:
            for block in file.blocks(BLOCK_FRAMES * 16, dtype="float32", always_2d=True):
                if not np.isfinite(block).all():
                    raise ZolvekError("The audio file is damaged.", name, "Replace it.")
                done += len(block)
                if progress:
                    progress(done, total)
        except RuntimeError as error:
            raise ZolvekError("The audio file is damaged.", name, "Replace it.") from error
    if not done:
        raise ZolvekError("The audio file is empty.", name, "Replace it.")
    return done / float(rate)


class Stream:
    """One file at one rate. `frames`: how many it has at that rate. Every call may come from any
    thread."""

    def __init__(self, name: str, rate: int) -> None:
        self.name, self.lock = name, threading.Lock()
        self.file = opened(name)
        samplerate = int(self.file.samplerate)
        common = gcd(samplerate, rate)
        self.up, self.down = rate // common, samplerate // common
        self.own_frames = int(self.file.frames)
        self.frames = -(-self.own_frames * self.up // self.down)
        self.blocks: OrderedDict[int, Block] = OrderedDict()

    def read(self, first: int, count: int) -> Floats:
        """Frames from `first` on, float64 (2, count), mono on both sides; silence beyond the ends and
        where the file can't be read."""
        out = np.zeros((2, count))
        low, high = max(first, 0), min(first + count, self.frames)
        for number in range(low // BLOCK_FRAMES, -(-high // BLOCK_FRAMES) if high > low else 0):
            start = number * BLOCK_FRAMES
            a, b = max(low, start), min(high, start + BLOCK_FRAMES)
            block = self._block(number)
            out[:, a - first : b - first] = block[:, a - start : b - start]
        return out

    def _block(self, number: int) -> Block:
        with self.lock:
            block = self.blocks.get(number)
            if block is None:
                block = self._made(number * BLOCK_FRAMES)
                self.blocks[number] = block
                while len(self.blocks) > MOST_BLOCKS // max(_open_streams(), 1):
                    self.blocks.popitem(last=False)
            else:
                self.blocks.move_to_end(number)
        return block

    def _made(self, first: int) -> Block:
        """A block's frames, float32 (2, BLOCK_FRAMES)."""
        if self.up == self.down:
            return self._own(first, BLOCK_FRAMES)
        # A slice that begins at a multiple of `down` meets the same phases as the whole file.
        reach = REACH_FRAMES * max(self.up, self.down) // self.up + 2
        start = max(first * self.down // self.up - reach, 0) // self.down * self.down
        stop = (first + BLOCK_FRAMES) * self.down // self.up + reach + 1
        wide = self._own(start, stop - start)
        skip = first - start * self.up // self.down
        return _converted(wide, self.up, self.down)[:, skip : skip + BLOCK_FRAMES]

    def _own(self, first: int, count: int) -> Block:
        """Frames at the file's own rate, float32 (2, count), silence beyond its end."""
        out = np.zeros((2, count), np.float32)
        if first < self.own_frames:
            try:
                if self.file.tell() != first:
                    self.file.seek(first)
                rows = self.file.read(min(count, self.own_frames - first), dtype="float32", always_2d=True)
            except RuntimeError:
                return out
            out[:, : len(rows)] = rows[:, [0, min(1, rows.shape[1] - 1)]].T
        return np.nan_to_num(out, copy=False, nan=0.0, posinf=0.0, neginf=0.0)


def _converted(rows: Block, up: int, down: int) -> Block:
    """Rows of sound at `up` / `down` times their rate, by soxr's high quality (SoX Resampler library)."""
    import soxr

    result = soxr.resample(np.ascontiguousarray(rows.T), down, up, quality="VHQ")
    return np.ascontiguousarray(result.T, dtype=np.float32)


@lru_cache(maxsize=64)
def _stream(name: str, rate: int, changed: tuple[int, int]) -> Stream:
    return Stream(name, rate)


def _open_streams() -> int:
    return _stream.cache_info().currsize


def stream(name: str, rate: int) -> Stream:
    """The file's stream at a rate; kept, until the file changes. Raises ZolvekError naming the file when
    it can't be read."""
    try:
        about = path_of(name).stat()
    except (OSError, ValueError) as error:
        raise Failure("The audio file is missing.", name, "Locate or replace it.") from error
    return _stream(name, rate, (about.st_mtime_ns, about.st_size))
