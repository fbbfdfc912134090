"""Which plugin is at work, written where whoever watches the process can read it after its end.

A plugin may end its process without a word. What it was doing is kept in a small file that both have in
memory: the device's id and the phase it was in, of the thread that plays and of one that makes plugins beside.
"""

from __future__ import annotations

import mmap
import os
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PART, PARTS = 512, 2  # bytes for each thread
STARTING, PLAYING = "starting", "playing"
VARIABLE = "ZOLVEK_MARK"  # of the environment: where the file is


class Mark:
    """The file, in memory."""

    def __init__(self, path: Path) -> None:
        self.path = path
        with open(path, "r+b") as file:
            self.memory = mmap.mmap(file.fileno(), PART * PARTS)

    @classmethod
    def made(cls) -> Mark:
        handle, name = tempfile.mkstemp(prefix="zolvek-mark-")
        os.write(handle, bytes(PART * PARTS))
        os.close(handle)
        return cls(Path(name))

    def write(self, part: int, device: str, phase: str) -> None:
        data, at = f"{device}\n{phase}".encode()[: PART - 2], PART * part
        self.memory[at + 1 : at + len(data) + 1] = data
        self.memory[at + len(data) + 1] = 0
        self.memory[at] = 1

    def clear(self, part: int) -> None:
        self.memory[PART * part] = 0

    @property
    def every(self) -> list[tuple[str, str]]:
        """Device and phase of each thread in which one is at work, that of the playing thread first."""
        found = []
        for at in range(0, PART * PARTS, PART):
            if self.memory[at]:
                text = self.memory[at + 1 : at + PART].split(b"\0", 1)[0].decode(errors="replace")
                device, _, phase = text.partition("\n")
                found.append((device, phase))
        return found

    @property
    def told(self) -> tuple[str, str] | None:
        """The one that is likeliest to have ended the process: to begin is what goes wrong most."""
        every = self.every
        return next((each for each in every if each[1] == STARTING), every[0] if every else None)

    def close(self) -> None:
        self.path.unlink(missing_ok=True)


_own: list[Mark] = []


def begin() -> None:
    """Write marks from now on, where somebody watches."""
    path = os.environ.get(VARIABLE)
    if path and not _own:
        try:
            _own.append(Mark(Path(path)))
        except OSError:
            return


@contextmanager
def phase(device: str, what: str) -> Iterator[None]:
    """A device is at work."""
    if not _own:
        yield
        return
    part = int(threading.current_thread() is not threading.main_thread())
    _own[0].write(part, device, what)
    try:
        yield
    finally:
        _own[0].clear(part)
