# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound as WAV or FLAC files, written a block at a time so that any length fits in memory."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record
from zolvek.storage.atomic import written

RATES = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
DEPTHS = {"16": "PCM_16", "24": "PCM_24", "float": "FLOAT"}
SOUND_KINDS = {".wav": "WAV", ".flac": "FLAC"}


class SoundFormat(Record, frozen=True):
    """How sound is written: frames a second, and "16", "24" or "float" bits."""

    rate: int = 48_000
    depth: str = "24"

    def __post_init__(self) -> None:
        if self.rate not in RATES or self.depth not in DEPTHS:
            raise ZolvekError(
                f"Audio can't be exported with {self.rate} Hz and {self.depth} bits.",
                remedy=f"Rates are {', '.join(map(str, RATES))}; bits are 16, 24 or float.",
            )


USUAL, FLOATS = SoundFormat(), SoundFormat(depth="float")


def save(blocks: Iterable[np.ndarray], path: str | os.PathLike[str], sound_format: SoundFormat = USUAL) -> Path:
    """Write `blocks` (float32, (channels, frames)) by the kind that the path ends in, atomically.

    Whole numbers are limited to full scale, and 16 bits dithered; floats stay as they are; what is not a number is
    silent. Raises ZolvekError when it can't be written.
    """
    import soundfile

    suffix = Path(path).suffix.lower()
    if suffix not in SOUND_KINDS:
        raise ZolvekError(
            f"“{suffix}” is not an audio format.",
            str(path),
            "Use a name that ends in .wav or .flac.",
        )
    if suffix == ".flac" and sound_format.depth == "float":
        raise ZolvekError("FLAC does not support float.", str(path), "Use 16 or 24 bits, or WAV.")

    def write(temporary: Path) -> None:
        try:
            rows = _dithered(iter(blocks), sound_format)
            first = next(rows)
            with soundfile.SoundFile(
                temporary,
                "w",
                sound_format.rate,
                len(first),
                subtype=DEPTHS[sound_format.depth],
                format=SOUND_KINDS[suffix],
            ) as file:
                file.write(first.T)
                for block in rows:
                    file.write(block.T)
        except soundfile.LibsndfileError as error:
            raise OSError(str(error)) from error

    return written(path, write)


def _dithered(blocks: Iterator[np.ndarray], sound_format: SoundFormat) -> Iterator[np.ndarray]:
    """Blocks as the depth takes them: 16 bits with triangular dither of one step each way, which
    makes the error of rounding noise (Lipshitz, Wannamaker and Vanderkooy, JAES 1992)."""
    rng = np.random.Generator(np.random.PCG64(16))
    for block in blocks:
        block = np.where(np.isfinite(block), block, np.float32(0.0))
        if sound_format.depth == "16":
            noise = rng.random(block.shape) - rng.random(block.shape)
            block = block + noise.astype(np.float32) / 32_768.0
        yield block if sound_format.depth == "float" else np.clip(block, -1.0, 1.0)
