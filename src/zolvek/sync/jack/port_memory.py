# SPDX-License-Identifier: GPL-3.0-or-later
"""The memory that the ports' process and the program share."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from zolvek.storage.shared_memory import SharedMemory
from zolvek.sync.jack.shared_layout import PARTS


class PortMemory(SharedMemory):
    """The parts of `shared_layout.PARTS`, and `reals`: the words as float64."""

    PARTS, NAME = PARTS, "zolvek-ports"

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        arrays = self.arrays
        self.words, self.past, self.heard = arrays["words"], arrays["past"], arrays["heard"]
        self.segments, self.sound = arrays["segments"], arrays["sound"]
        self.reals = self.words.view(np.float64)

    def touch(self, rows: int) -> None:
        """Have the system give all of it now, and `rows` of the sound: what is fetched when it is first needed
        is late."""
        for part in (self.past, self.heard, self.segments):
            part.view(np.uint8)[:] = 0
        self.sound[:rows] = 0.0
