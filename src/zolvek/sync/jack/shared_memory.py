# SPDX-License-Identifier: GPL-3.0-or-later
"""The memory that the ports' process and the program share: it has no name, both have mapped it, and it goes with
them."""

from __future__ import annotations

import mmap
import os
from pathlib import Path

import numpy as np

from zolvek.sync.jack.shared_layout import PARTS


class SharedMemory:
    """The parts of `shared_layout.PARTS`, and `reals`: the words as float64."""

    def __init__(self, path: Path) -> None:
        self.path, self.handle = path, -1
        sizes = [int(np.prod(shape)) * kind.itemsize for _, shape, kind in PARTS]
        with open(path, "r+b") as file:
            if os.fstat(file.fileno()).st_size < sum(sizes):
                file.truncate(sum(sizes))
            self.memory = mmap.mmap(file.fileno(), sum(sizes))
        at = 0
        arrays: dict[str, np.ndarray] = {}
        for (name, shape, kind), size in zip(PARTS, sizes, strict=True):
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
        shared_memory = cls(Path(f"/proc/{os.getpid()}/fd/{handle}"))
        shared_memory.handle = handle
        return shared_memory

    def touch(self, rows: int) -> None:
        """Have the system give all of it now, and `rows` of the sound: what is fetched when it is first needed
        is late."""
        for part in (self.past, self.heard, self.segments):
            part.view(np.uint8)[:] = 0
        self.sound[:rows] = 0.0

    def remove(self) -> None:
        """Nobody else can open it any more; who has it keeps it."""
        if self.handle >= 0:
            os.close(self.handle)
            self.handle = -1
