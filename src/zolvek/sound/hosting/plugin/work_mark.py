# SPDX-License-Identifier: GPL-3.0-or-later
"""Marks which plugin is at work, where the process that watches can read it after a crash.

A plugin may end its process without a word. What each thread of it was doing is kept in a piece of memory without a
name, which both processes have and which goes with them: the device's id and the phase it was in.
"""

from __future__ import annotations

import mmap
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager

PART, PARTS = 512, 24  # bytes for each thread, and how many threads
STARTING, PLAYING = "starting", "playing"
VARIABLE = "ZOLVEK_MARK"  # of the environment: the handle of the memory


class Mark:
    """The memory; `handle` is passed to the process that is watched."""

    def __init__(self, handle: int) -> None:
        self.handle = handle
        self.memory = mmap.mmap(handle, PART * PARTS)

    @classmethod
    def create(cls) -> Mark:
        """A mark in memory without a name, shared with a child process."""
        handle = os.memfd_create("zolvek-mark", os.MFD_CLOEXEC)
        os.ftruncate(handle, PART * PARTS)
        return cls(handle)

    def write(self, part: int, device: str, phase: str) -> None:
        """Write which device is at work, and in which phase."""
        data, at = f"{device}\n{phase}".encode()[: PART - 2], PART * part
        self.memory[at] = 0
        self.memory[at + 1 : at + len(data) + 1] = data
        self.memory[at + len(data) + 1] = 0
        self.memory[at] = 1

    def clear(self, part: int) -> None:
        """Nothing is at work in this part any more."""
        self.memory[PART * part] = 0

    @property
    def active(self) -> list[tuple[str, str]]:
        """Device and phase of each thread in which one is at work, that of the playing thread first."""
        result = []
        for at in range(0, PART * PARTS, PART):
            if self.memory[at]:
                text = self.memory[at + 1 : at + PART].split(b"\0", 1)[0].decode(errors="replace")
                device, _, phase = text.partition("\n")
                result.append((device, phase))
        return result

    @property
    def likeliest(self) -> tuple[str, str] | None:
        """The one that is likeliest to have ended the process: to begin is what goes wrong most."""
        active = self.active
        return next((item for item in active if item[1] == STARTING), active[0] if active else None)

    def close(self) -> None:
        """Release the memory."""
        try:
            os.close(self.handle)
        except OSError:
            return


_own: list[Mark] = []
_slots = threading.local()
_lock, _making = threading.Lock(), threading.RLock()
_free = list(range(PARTS - 1, 0, -1))  # of threads next to the one that plays


def begin() -> None:
    """Write marks from now on, where a user watches."""
    handle = os.environ.pop(VARIABLE, "")
    if handle.isdigit() and not _own:
        try:
            _own.append(Mark(int(handle)))
        except (OSError, ValueError):
            return


@contextmanager
def phase(device: str, what: str) -> Iterator[None]:
    """A device is at work in this thread; one within another is what counts until it is over. Plugins are made one
    at a time: of two, nobody could say which has ended the process."""
    if what == STARTING:
        with _making, _marked(device, what):
            yield
    else:
        with _marked(device, what):
            yield


@contextmanager
def _marked(device: str, what: str) -> Iterator[None]:
    if not _own:
        yield
        return
    mark, outer = _own[0], getattr(_slots, "current", None)
    part = outer[0] if outer is not None else _slot()
    if part is None:
        yield
        return
    mark.write(part, device, what)
    _slots.current = part, device, what
    try:
        yield
    finally:
        _slots.current = outer
        if outer is not None:
            mark.write(*outer)
        else:
            mark.clear(part)
            _release(part)


def _slot() -> int | None:
    """The thread's own part; None where there are more threads than parts."""
    if threading.current_thread() is threading.main_thread():
        return 0
    with _lock:
        return _free.pop() if _free else None


def _release(part: int) -> None:
    if part:
        with _lock:
            _free.append(part)
