"""Sound as a WAV file, written a block at a time so that any length fits in memory."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from zolvek.formats.atomic import written


def save(blocks: Iterable[np.ndarray], sample_rate: int, path: str | os.PathLike[str]) -> Path:
    """Write stereo `blocks` (float32, shape (2, frames)) as 24-bit WAV, atomically.

    What is beyond full scale is limited to it. Raises ZolvekError when it can't be written.
    """
    import soundfile

    def write(temporary: Path) -> None:
        try:
            with soundfile.SoundFile(
                temporary, "w", sample_rate, 2, subtype="PCM_24", format="WAV"
            ) as file:
                for block in blocks:
                    file.write(np.clip(block, -1.0, 1.0).T)
        except soundfile.LibsndfileError as error:
            raise OSError(str(error)) from error

    return written(path, write)
