# SPDX-License-Identifier: GPL-3.0-or-later
"""What the demo's window takes while nobody touches it, and what a change of theme takes."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks import hardness
from benchmarks.answers import Answers
from benchmarks.ceilings import Row

SETTLED_MS = 4_000


def held() -> float:
    """MB of memory that this process and those below it hold, what they share counted once (proc(5), smaps_rollup)."""
    parents: dict[int, int] = {}
    for status in Path("/proc").glob("[0-9]*/stat"):
        try:
            parents[int(status.parent.name)] = int(status.read_text().rsplit(")", 1)[1].split()[1])
        except OSError:  # it has ended meanwhile
            continue
    ours = {os.getpid()}
    while more := {child for child, parent in parents.items() if parent in ours} - ours:
        ours |= more
    kilobytes = 0
    for process in ours:
        try:
            rows = Path(f"/proc/{process}/smaps_rollup").read_text().splitlines()
        except OSError:
            continue
        kilobytes += sum(int(row.split()[1]) for row in rows if row.startswith("Pss:"))
    return kilobytes / 1_000.0


def rows() -> Iterator[Row]:
    """Memory at rest, all processes; and a theme changed until it is painted."""
    from zolvek.demo.night_regatta import build
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.session.settings import Settings

    app = application()
    window = make_window(build(), Settings(), ask=Answers())
    window.show()
    window.complete()
    hardness.wait(SETTLED_MS)
    yield "memory at rest with the demo, all processes", held(), "MB", "at most 300"
    window.studio.player.play()
    hardness.wait(SETTLED_MS)
    window.studio.player.stop()
    hardness.wait(SETTLED_MS)
    yield "    once it has played", held(), "MB", "at most 300"
    taken = []
    for _ in range(4):
        began = time.perf_counter()
        window.action("theme").trigger()
        app.processEvents()
        window.grab()
        taken.append(time.perf_counter() - began)
    yield "theme changed and painted", min(taken), "s", "at most 0.1"
    hardness.close(window)
