"""What keeps work from being lost: copies for after a crash, backups of saves, and locks.

A copy for after a crash is a file in the state folder, {"format": "zolvek-recovery", …}, written
anew within seconds of an edit and gone when the window closes in order. One whose program runs no
more is what a crash has left.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import socket
import time
from pathlib import Path
from typing import Any

import msgspec
import platformdirs

from zolvek.core.errors import ZolvekError
from zolvek.core.project import Project
from zolvek.core.records import record
from zolvek.formats import project_file
from zolvek.formats.atomic import read_bytes, write_bytes

FORMAT, VERSION = "zolvek-recovery", 1
BACKUPS = 8  # of one file that are kept
HALF_SECONDS = 60  # after which nobody is still writing a file


class Head(msgspec.Struct):
    """Whose copy it is: the project's own file ("" when it was never saved), when it was written
    (seconds since 1970), and the process that wrote it."""

    format: str
    version: int
    path: str
    when: float
    process: int
    project: msgspec.Raw


@record
class Left:
    """What a crash has left: the copy's file, the project's own, when it was written."""

    file: Path
    path: str
    when: float
    project: Project


def state_folder() -> Path:
    return Path(platformdirs.user_state_dir("zolvek"))


def alive(process: int) -> bool:
    """Whether a process of this machine runs."""
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


# --- copies for after a crash ---


def copy_file() -> Path:
    """Where this process keeps its copy."""
    return state_folder() / "recovery" / f"{os.getpid()}.json"


def keep(project: Project, path: Path | None) -> Path:
    """Write the copy anew, atomically. Raises ZolvekError when it can't be."""
    target = copy_file()
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ZolvekError(
            f"No copy of unsaved work can be kept: {error.strerror}.", str(target.parent),
            "Save often, or make room there.",
        ) from error  # fmt: skip
    head = {
        "format": FORMAT,
        "version": VERSION,
        "path": str(path or ""),
        "when": time.time(),
        "process": os.getpid(),
        "project": msgspec.Raw(project_file.encode(project)),
    }
    return write_bytes(target, msgspec.json.encode(head))


def let_go(file: Path | None = None) -> None:
    """The work is saved, or wanted no more: its copy goes."""
    with contextlib.suppress(OSError):
        (file or copy_file()).unlink(missing_ok=True)


def left_behind() -> list[Left]:
    """The copies of programs that run no more, newest first; what can't be read is passed over."""
    found = []
    folder = state_folder() / "recovery"
    for half in folder.glob(".*"):  # of programs that ended in the midst of writing
        with contextlib.suppress(OSError):
            if time.time() - half.stat().st_mtime > HALF_SECONDS:
                half.unlink()
    for file in sorted(folder.glob("[0-9]*.json")):
        with contextlib.suppress(ZolvekError, msgspec.DecodeError, msgspec.ValidationError):
            head = msgspec.json.decode(read_bytes(file), type=Head)
            if head.format == FORMAT and head.version <= VERSION and not alive(head.process):
                project = project_file.decode(bytes(head.project), str(file))
                found.append(Left(file, head.path, head.when, project))
    return sorted(found, key=lambda left: -left.when)


# --- backups of saves ---


def backup_folder(path: Path) -> Path:
    """Where a file's backups are: told by its name, and by its place."""
    mark = hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:8]
    return state_folder() / "backups" / f"{path.stem}-{mark}"


def back_up(path: Path) -> None:
    """A copy of the file as it is, before a save takes its place; the oldest beyond a number go.
    What can't be backed up does not keep a save back."""
    if not path.is_file():
        return
    folder = backup_folder(path)
    with contextlib.suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        stamp = time.strftime("%Y-%m-%d %H-%M-%S", time.localtime(path.stat().st_mtime))
        shutil.copy2(path, folder / f"{stamp}{path.suffix}")
        for old in sorted(folder.iterdir())[:-BACKUPS]:
            old.unlink()


# --- locks, and changes by others ---


def lock_file(path: Path) -> Path:
    return path.with_name(f".{path.name}.lock")


def lock(path: Path) -> None:
    """Say that this process has the file open. Raises ZolvekError when another one has; where no
    lock can be written the file is open without one."""
    holder = _holder(path)
    if holder is not None and holder != os.getpid():
        raise ZolvekError(
            "The project is open in another window.", str(path),
            "Close it there, or save this one under another name.",
        )  # fmt: skip
    with contextlib.suppress(OSError):
        lock_file(path).write_text(f"{os.getpid()} {socket.gethostname()}")


def unlock(path: Path) -> None:
    if _holder(path) == os.getpid():
        with contextlib.suppress(OSError):
            lock_file(path).unlink()


def _holder(path: Path) -> int | None:
    """The living process that has the file open: by its lock, if that is of this machine."""
    try:
        words = lock_file(path).read_text().split()
        process, host = int(words[0]), words[1]
    except (OSError, ValueError, IndexError):
        return None
    return process if host == socket.gethostname() and alive(process) else None


def stamp(path: Path) -> Any:
    """What tells whether a file has changed; None where there is none."""
    try:
        about = path.stat()
    except OSError:
        return None
    return about.st_mtime_ns, about.st_size
