# SPDX-License-Identifier: GPL-3.0-or-later
"""The waveform of a sound file: its lowest and highest samples, a hundred times a second."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.formats.audio.streams import opened

A_SECOND = 100
BLOCK_SECONDS = 4
Progress = Callable[[int, int], object]


class Peaks(NamedTuple):
    """`low`, `high`: float32 (places,), of the channels together; `seconds`: how long the file lasts."""

    low: np.ndarray
    high: np.ndarray
    seconds: float


def peaks_of(name: str, progress: Progress | None = None) -> Peaks:
    """The file, read a piece at a time. Raises ZolvekError naming it when it can't be read."""
    lows, highs = [], []
    with opened(name) as file:
        rate, done = int(file.samplerate), 0
        step = max(rate // A_SECOND, 1)
        try:
            for block in file.blocks(step * A_SECOND * BLOCK_SECONDS, dtype="float32", always_2d=True):
                whole = len(block) // step * step
                for rows in (
                    block[:whole].reshape(-1, step * block.shape[1]),
                    block[whole:].reshape(1, -1),
                ):
                    if rows.size:
                        lows.append(rows.min(axis=1))
                        highs.append(rows.max(axis=1))
                done += len(block)
                if progress:
                    progress(done, file.frames)
        except RuntimeError as error:  # libsndfile's
            raise ZolvekError("The audio file is damaged.", name, "Replace it.") from error
    if not lows:
        raise ZolvekError("The audio file is empty.", name, "Replace it.")
    low, high = (np.nan_to_num(np.concatenate(item), copy=False) for item in (lows, highs))
    return Peaks(low, high, done / rate)


def job(progress: Progress, name: str) -> Peaks:
    """`peaks_of`, as a job of a process of its own."""
    return peaks_of(name, progress)
