"""The memory that the ports' process and the program share: a file that both have mapped."""

from __future__ import annotations

import mmap
import os
import tempfile
from pathlib import Path

import numpy as np

from zolvek.beside.jack.slots import (
    HEARD_BYTES,
    HEARD_HELD,
    PAST_HELD,
    PAST_WORDS,
    RING,
    SEGMENT_WORDS,
    SEGMENTS_HELD,
    SLOTS,
)
from zolvek.core.document.beside import MOST_TRACKS

SHARED = Path("/dev/shm")  # kept in memory alone, where the system has it
ROWS = 2 + 2 * MOST_TRACKS  # of sound: left and right of the mix, then of each track


class SharedMemory:
    """`words` int64 and `reals`, the same as float64; `past` (PAST_HELD, 4) float64; `heard` (HEARD_HELD, 32)
    bytes; `segments` (SEGMENTS_HELD, 4) int64; `sound` (ROWS, RING) float32."""

    def __init__(self, path: Path) -> None:
        self.path = path
        shapes = (
            ("words", (SLOTS,), np.int64),
            ("past", (PAST_HELD, PAST_WORDS), np.float64),
            ("heard", (HEARD_HELD, HEARD_BYTES), np.uint8),
            ("segments", (SEGMENTS_HELD, SEGMENT_WORDS), np.int64),
            ("sound", (ROWS, RING), np.float32),
        )
        sizes = [int(np.prod(shape)) * np.dtype(kind).itemsize for _, shape, kind in shapes]
        with open(path, "r+b") as file:
            if os.fstat(file.fileno()).st_size < sum(sizes):
                file.truncate(sum(sizes))
            self.memory = mmap.mmap(file.fileno(), sum(sizes))
        at = 0
        arrays: dict[str, np.ndarray] = {}
        for (name, shape, kind), size in zip(shapes, sizes, strict=True):
            flat = np.frombuffer(self.memory, kind, int(np.prod(shape)), at)
            arrays[name] = flat.reshape(shape)
            at += size
        self.words, self.past, self.heard = arrays["words"], arrays["past"], arrays["heard"]
        self.segments, self.sound = arrays["segments"], arrays["sound"]
        self.reals = self.words.view(np.float64)

    @classmethod
    def made(cls) -> SharedMemory:
        folder = SHARED if os.access(SHARED, os.W_OK) else None
        handle, name = tempfile.mkstemp(prefix="zolvek-ports-", dir=folder)
        os.close(handle)
        return cls(Path(name))

    def touch(self, rows: int) -> None:
        """Have the system give all of it now, and `rows` of the sound: what is fetched when it is first needed
        is late."""
        for part in (self.past, self.heard, self.segments):
            part[:] = 0
        self.sound[:rows] = 0.0

    def remove(self) -> None:
        self.path.unlink(missing_ok=True)
