# SPDX-License-Identifier: GPL-3.0-or-later
"""Builds the program's loops in C, so that nobody waits for that later; run by the environment's Python. Where it
can't, the program says what it does without them."""

from __future__ import annotations

import contextlib
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "src"))

from zolvek.native import building, loops
from zolvek.sync.jack import audio_server

if __name__ == "__main__":
    loops.library()
    with contextlib.suppress(building.NotBuilt):
        building.built("audio-server", ("audio_server.c",), audio_server.header())
