"""Writing a file whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from zolvek.core.errors import ZolvekError


def written(path: str | os.PathLike[str], write: Callable[[Path], None]) -> Path:
    """Have `write` make a temporary file beside `path`, then put it in its place.

    The old file stays as it was until the new one is safely on the disk.
    Raises ZolvekError naming the file when it can't be written.
    """
    target = Path(path)
    temporary: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=".zolvek-", suffix=target.suffix, dir=target.parent)
        os.close(handle)
        temporary = Path(name)
        write(temporary)
        with open(temporary, "rb+") as file:
            file.flush()
            os.fsync(file.fileno())
        mode = target.stat().st_mode if target.exists() else 0o666 & ~_umask()
        os.chmod(temporary, mode)
        os.replace(temporary, target)
        _sync_folder(target.parent)
    except OSError as error:
        raise ZolvekError(
            f"The file can't be written: {error.strerror or error}.",
            str(target),
            "Choose another place, or make room there.",
        ) from error
    finally:
        if temporary and temporary.exists():
            temporary.unlink()
    return target


def write_bytes(path: str | os.PathLike[str], data: bytes) -> Path:
    def write(temporary: Path) -> None:
        temporary.write_bytes(data)

    return written(path, write)


def read_bytes(path: str | os.PathLike[str]) -> bytes:
    """The file's bytes. Raises ZolvekError naming it when it can't be read."""
    try:
        return Path(path).read_bytes()
    except OSError as error:
        raise ZolvekError(
            f"The file can't be read: {error.strerror or error}.",
            str(path),
            "Check the name and whether you may read it.",
        ) from error


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
