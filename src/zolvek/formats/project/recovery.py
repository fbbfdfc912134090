# SPDX-License-Identifier: GPL-3.0-or-later
"""What keeps work from being lost: copies for after a crash, backups of saves, and locks.

A copy for after a crash is a file in the state folder, {"format": "zolvek-recovery", …}, written
again within seconds of an edit and gone when the window closes in order. Next to it lies a lock that
its program holds: one whose lock is free is what a crash has left.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import time
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec

from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import Record
from zolvek.formats.project import project_file
from zolvek.storage import folders, locking, process_identity
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

FORMAT, VERSION = "zolvek-recovery", 2
BACKUPS = 8  # of one file that are kept
HALF_SECONDS = 60  # after which nobody is still writing a file


class Head(msgspec.Struct):
    """Whose copy it is: the project's own file ("" when it was never saved), when it was written
    (seconds since 1970), and the process that wrote it (`storage.process_identity`; a number alone before
    version 2)."""

    format: str
    version: int
    path: str
    when: float
    process: str | int
    project: msgspec.Raw


class Left(Record, frozen=True):
    """What a crash has left: the copy's file, the project's own, when it was written."""

    file: Path
    path: str
    when: float
    project: Project


# --- copies for after a crash ---


def copy_file() -> Path:
    """Where this process keeps its copy: no other process has the name, before or after."""
    return folders.state() / "recovery" / f"{process_identity.own()}.json"


def _lock_of(copy: Path) -> Path:
    return copy.with_suffix(".lock")


def keep(project: Project, path: Path | None) -> Path:
    """Write the copy again, atomically. Raises ZolvekError when it can't be."""
    target = copy_file()
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise Failure(
            f"Unsaved work can't be backed up: {error.strerror}.",
            str(target.parent),
            "Save often, or free some space there.",
        ) from error
    locking.take(_lock_of(target))
    head = {
        "format": FORMAT,
        "version": VERSION,
        "path": str(path or ""),
        "when": time.time(),
        "process": process_identity.own(),
    }
    front = msgspec.json.encode(head)[:-1] + b',"project":'
    return write_bytes(target, [front, *project_file.encode_pieces(project), b"}"])


def release(file: Path | None = None) -> None:
    """The work is saved, or no longer wanted: its copy goes, and its lock."""
    file = file or copy_file()
    with contextlib.suppress(OSError):
        file.unlink(missing_ok=True)
    lock_ = _lock_of(file)
    if lock_ in locking.HELD:
        locking.release(lock_)
    elif locking.free(lock_):
        with contextlib.suppress(OSError):
            lock_.unlink(missing_ok=True)


def abandoned(file: Path, head: Head) -> bool:
    """Whether the program that wrote a copy has ended."""
    lock_ = _lock_of(file)
    if lock_.exists():
        return locking.free(lock_)
    if isinstance(head.process, str):
        return not process_identity.alive(head.process)
    # Of an older version, by its number alone: a process that began after the copy was written is
    # another one.
    began = _began(head.process)
    return began is None or began > head.when


def _began(process: int) -> float | None:
    """When a process began, in seconds since 1970; None for one there is none of."""
    ticks = process_identity.began(process) if 0 < process < 1 << 31 else ""
    if not ticks:
        return None
    since = time.clock_gettime(time.CLOCK_BOOTTIME)
    return time.time() - since + int(ticks) / os.sysconf("SC_CLK_TCK")


def left_behind() -> list[Left]:
    """The copies of programs that have ended, newest first; what can't be read is passed over."""
    copies = []
    try:
        folder = folders.state() / "recovery"
    except ZolvekError:
        return []  # no home: nothing was ever kept
    for half in folder.glob(".*"):  # of programs that ended in the middle of writing
        with contextlib.suppress(OSError):
            if time.time() - half.stat().st_mtime > HALF_SECONDS:
                half.unlink()
    for file in sorted(folder.glob("[0-9]*.json")):
        with contextlib.suppress(ZolvekError, msgspec.DecodeError, UnicodeDecodeError, RecursionError):
            head = msgspec.json.decode(read_bytes(file), type=Head)
            if head.format == FORMAT and head.version <= VERSION and abandoned(file, head):
                project = project_file.decode(bytes(head.project), str(file))
                copies.append(Left(file, head.path, head.when, project))
    return sorted(copies, key=lambda left: -left.when)


# --- backups of saves ---


def backup_folder(path: Path) -> Path:
    """Where a file's backups are: given by its name, and by its place."""
    mark = hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:8]
    return folders.state() / "backups" / f"{path.stem}-{mark}"


def back_up(path: Path) -> None:
    """A copy of the file as it is, before a save takes its place; the oldest beyond a number go.
    What can't be backed up does not keep a save back."""
    if not path.is_file():
        return
    with contextlib.suppress(OSError, ZolvekError):
        folder = backup_folder(path)
        folder.mkdir(parents=True, exist_ok=True)
        written = datetime.fromtimestamp(path.stat().st_mtime)
        shutil.copy2(path, _unused(folder / f"{written:%Y-%m-%d %H-%M-%S.%f}{path.suffix}"))
        for old in sorted(folder.iterdir())[:-BACKUPS]:
            old.unlink()


def _unused(path: Path) -> Path:
    """The path, or with a number where there is a file of its name."""
    number, free = 2, path
    while free.exists():
        free, number = path.with_name(f"{path.stem} {number}{path.suffix}"), number + 1
    return free


# --- locks, and changes by others ---


def lock_file(path: Path) -> Path:
    """Where the lock of a project file is."""
    return path.with_name(f".{path.name}.lock")


def lock(path: Path) -> None:
    """Hold the file as open in this program. Raises ZolvekError when another one has it; where no lock
    can be had the file is open without one."""
    if locking.take(lock_file(path.absolute())) is False:
        raise ZolvekError(
            "The project is open in another window.",
            str(path),
            "Close it there, or save this one under another name.",
        )


def unlock(path: Path) -> None:
    """Release the lock of a project file."""
    locking.release(lock_file(path.absolute()))


def stamp(path: Path) -> Any:
    """What says whether a file has changed; None where there is none."""
    try:
        about = path.stat()
    except OSError:
        return None
    return about.st_mtime_ns, about.st_size
