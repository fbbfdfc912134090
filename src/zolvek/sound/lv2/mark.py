"""Which plugin is at work, written where whoever watches the process can read it after its end.

A plugin may end its process without a word. What it was doing is kept in a small file that both have in
memory: the device's id and the phase it was in.
"""

from __future__ import annotations

import mmap
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

SIZE = 512
STARTING, PLAYING = "starting", "playing"
VARIABLE = "ZOLVEK_MARK"  # of the environment: where the file is


class Mark:
    """The file, in memory. `told`: device and phase, or None where none is at work."""

    def __init__(self, path: Path) -> None:
        self.path = path
        with open(path, "r+b") as file:
            self.memory = mmap.mmap(file.fileno(), SIZE)

    @classmethod
    def made(cls) -> Mark:
        handle, name = tempfile.mkstemp(prefix="zolvek-mark-")
        os.write(handle, bytes(SIZE))
        os.close(handle)
        return cls(Path(name))

    def write(self, device: str, phase: str) -> None:
        data = f"{device}\n{phase}".encode()[: SIZE - 2]
        self.memory[1 : len(data) + 1] = data
        self.memory[len(data) + 1] = 0
        self.memory[0] = 1

    def clear(self) -> None:
        self.memory[0] = 0

    @property
    def told(self) -> tuple[str, str] | None:
        if not self.memory[0]:
            return None
        text = self.memory[1:].split(b"\0", 1)[0].decode(errors="replace")
        device, _, phase = text.partition("\n")
        return device, phase

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
    _own[0].write(device, what)
    try:
        yield
    finally:
        _own[0].clear()
