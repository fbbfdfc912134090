# SPDX-License-Identifier: GPL-3.0-or-later
"""Memory that processes of the program share: it has no name, each has mapped it, and it goes with them."""

from __future__ import annotations

import mmap
import os
from pathlib import Path
from typing import ClassVar, Self

import numpy as np

Part = tuple[str, tuple[int, ...], np.dtype]  # name, shape and kind of an array


class SharedMemory:
    """The arrays of `PARTS` one after the other, by name in `arrays`."""

    PARTS: ClassVar[tuple[Part, ...]]
    NAME: ClassVar[str]

    def __init__(self, path: Path) -> None:
        self.path, self.handle = path, -1
        sizes = [int(np.prod(shape)) * kind.itemsize for _, shape, kind in self.PARTS]
        with open(path, "r+b") as file:
            if os.fstat(file.fileno()).st_size < sum(sizes):
                file.truncate(sum(sizes))
            self.memory = mmap.mmap(file.fileno(), sum(sizes))
        at = 0
        self.arrays: dict[str, np.ndarray] = {}
        for (name, shape, kind), size in zip(self.PARTS, sizes, strict=True):
            flat = np.frombuffer(self.memory, kind, int(np.prod(shape)), at)
            self.arrays[name] = flat.reshape(shape)
            at += size

    @classmethod
    def create(cls) -> Self:
        """Others of the program's processes open it by its path, which leads to this process's handle."""
        handle = os.memfd_create(cls.NAME, os.MFD_CLOEXEC)
        shared_memory = cls(Path(f"/proc/{os.getpid()}/fd/{handle}"))
        shared_memory.handle = handle
        return shared_memory

    def remove(self) -> None:
        """Nobody else can open it any more; who has it keeps it."""
        if self.handle >= 0:
            os.close(self.handle)
            self.handle = -1
