# SPDX-License-Identifier: GPL-3.0-or-later
"""The memory that the ports' process and the program share: it has no name, both have mapped it, and it goes with
them."""

from __future__ import annotations

import mmap
import os
from pathlib import Path

import numpy as np

from zolvek.core.edits.connections import MOST_TRACKS
from zolvek.sync.jack.shared_layout import (
    HEARD_BYTES,
    HEARD_HELD,
    PAST_HELD,
    PAST_WORDS,
    RING,
    SEGMENT_WORDS,
    SEGMENTS_HELD,
    SLOTS,
)

ROWS = 2 + 2 * MOST_TRACKS  # of sound: left and right of the mix, then of each track


class SharedMemory:
    """`words` int64 and `reals`, the same as float64; `past` (PAST_HELD, 4) float64; `heard` (HEARD_HELD, 32)
    bytes; `segments` (SEGMENTS_HELD, 4) int64; `sound` (ROWS, RING) float32."""

    def __init__(self, path: Path) -> None:
        self.path, self.handle = path, -1
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
    def create(cls) -> SharedMemory:
        """Others of the program's processes open it by this one's handle."""
        handle = os.memfd_create("zolvek-ports", os.MFD_CLOEXEC)
        made = cls(Path(f"/proc/{os.getpid()}/fd/{handle}"))
        made.handle = handle
        return made

    def touch(self, rows: int) -> None:
        """Have the system give all of it now, and `rows` of the sound: what is fetched when it is first needed
        is late."""
        for part in (self.past, self.heard, self.segments):
            part[:] = 0
        self.sound[:rows] = 0.0

    def remove(self) -> None:
        """Nobody else can open it any more; who has it keeps it."""
        if self.handle >= 0:
            os.close(self.handle)
            self.handle = -1
