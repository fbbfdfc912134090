# SPDX-License-Identifier: GPL-3.0-or-later
"""Locks that the system holds for a process as long as it lives: no number has to be trusted, and
none outlives its program.

Nothing is followed, waited for or written into: the file that bears a lock stays as it is.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import stat
from pathlib import Path

OPEN = os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
HELD: dict[Path, int] = {}  # what this process has locked, and by which open file


def take(path: Path) -> bool | None:
    """Lock a file, which is made where there is none. False when another program holds it, None when
    no lock can be had there (a folder that can't be written, something else than a file)."""
    if path in HELD:
        return True
    for _ in range(3):
        try:
            handle = os.open(path, OPEN, 0o644)
        except OSError:
            return None
        try:
            if not stat.S_ISREG(os.fstat(handle).st_mode):
                os.close(handle)
                return None
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(handle)
            return False
        except OSError:  # a file system without locks
            os.close(handle)
            return None
        if _is(path, handle):
            HELD[path] = handle
            return True
        os.close(handle)  # its last holder has just taken it away: once more
    return False


def release(path: Path) -> None:
    """Take the lock and its file away; nothing happens where it is not held here."""
    handle = HELD.pop(path, None)
    if handle is not None:
        if _is(path, handle):
            with contextlib.suppress(OSError):
                path.unlink()
        os.close(handle)


def free(path: Path) -> bool:
    """Whether nobody holds the lock; True where there is none."""
    if path in HELD:
        return False
    try:
        handle = os.open(path, os.O_RDWR | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        return True
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    finally:
        os.close(handle)
    return True


def _is(path: Path, handle: int) -> bool:
    try:
        there, held = os.lstat(path), os.fstat(handle)
    except OSError:
        return False
    return (there.st_dev, there.st_ino) == (held.st_dev, held.st_ino)
