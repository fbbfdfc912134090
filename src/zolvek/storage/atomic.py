# SPDX-License-Identifier: GPL-3.0-or-later
"""Writing a file whole or not at all."""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
import shutil
import stat
import tempfile
from collections.abc import Callable
from pathlib import Path

from zolvek.core.errors import Failure, ZolvekError

NAMELESS = (errno.EOPNOTSUPP, errno.EISDIR, errno.EINVAL, errno.ENOENT, errno.ENOSYS)
NO_PLACE = (errno.ENOENT, errno.ENOTDIR, errno.EISDIR, errno.ENAMETOOLONG)


def written(path: str | os.PathLike[str], write: Callable[[Path], None]) -> Path:
    """Have `write` make a temporary file, then put it in the place of `path`.

    The old file stays as it was until the new one is safely on the disk, whatever ends the program;
    a link stays a link, and its target is what is written; what is no file (a device, a pipe) is
    written into. Raises Failure (ZolvekError where there is
    no such place) naming the file when it can't be written.
    """
    given = Path(path)
    try:
        target = Path(os.path.realpath(given)) if given.is_symlink() else given
        about = _about(given)
        if about is None or stat.S_ISREG(about.st_mode):
            _replace(target, about, write)
        elif stat.S_ISDIR(about.st_mode):
            raise OSError(errno.EISDIR, "A folder has this name")
        else:
            _pour(given, write)
    except OSError as error:
        # A place that there is none of was asked for wrongly; anything else could not be done.
        kind = ZolvekError if error.errno in NO_PLACE else Failure
        raise kind(
            f"The file can't be written: {error.strerror or error}.",
            str(given),
            "Choose another folder, or free some space.",
        ) from error
    return given


def _about(path: Path) -> os.stat_result | None:
    try:
        return os.stat(path)
    except FileNotFoundError:
        return None


def _replace(target: Path, old: os.stat_result | None, write: Callable[[Path], None]) -> None:
    if old is not None and not (old.st_mode & 0o222 and os.access(target, os.W_OK)):
        raise OSError(errno.EACCES, "It is read-only")
    named = target.parent / f".zolvek-{secrets.token_hex(6)}{target.suffix}"
    handle, nameless = _opened(target.parent, named)
    try:
        write(Path(f"/proc/self/fd/{handle}") if nameless else named)
        if old is not None:
            os.fchmod(handle, stat.S_IMODE(old.st_mode))
            if (old.st_uid, old.st_gid) != (os.geteuid(), os.getegid()):
                with contextlib.suppress(OSError):
                    os.fchown(handle, old.st_uid, old.st_gid)
        os.fsync(handle)
        if nameless:
            folder = os.open(target.parent, os.O_RDONLY | os.O_CLOEXEC)
            try:
                # With a folder's handle Python follows /proc's link to the file itself.
                os.link(f"/proc/self/fd/{handle}", named.name, dst_dir_fd=folder, follow_symlinks=True)
            finally:
                os.close(folder)
        os.replace(named, target)
    except BaseException:
        with contextlib.suppress(OSError):
            named.unlink()
        raise
    finally:
        os.close(handle)
    _sync_folder(target.parent)


def _opened(folder: Path, named: Path) -> tuple[int, bool]:
    """A new file that has no name, of which nothing is left when the program ends; where the file
    system has none such, one of the given name. The system takes the umask into account."""
    try:
        return os.open(folder, os.O_TMPFILE | os.O_RDWR | os.O_CLOEXEC, 0o666), True
    except OSError as error:
        if error.errno not in NAMELESS:
            raise
    flags = os.O_CREAT | os.O_EXCL | os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC
    return os.open(named, flags, 0o666), False


def _pour(target: Path, write: Callable[[Path], None]) -> None:
    """Write into what is no file, such as /dev/null or a pipe."""
    with tempfile.TemporaryDirectory(prefix="zolvek-") as folder:
        result = Path(folder) / f"made{target.suffix}"
        write(result)
        with result.open("rb") as source, open(target, "wb", buffering=0) as out:
            shutil.copyfileobj(source, out)


def write_bytes(path: str | os.PathLike[str], data: bytes | list[bytes]) -> Path:
    """Write a file, given whole or in pieces, completely or not at all. Raises ZolvekError or OSError."""

    def write(temporary: Path) -> None:
        with open(temporary, "wb") as file:
            file.writelines([data] if isinstance(data, bytes) else data)

    return written(path, write)


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
