# SPDX-License-Identifier: GPL-3.0-or-later
"""The one function that opens a file from outside: ordinary files only, so that a pipe, a device or an endless
stream that a project names can't hold anything up."""

from __future__ import annotations

import os
import stat
from typing import BinaryIO

from zolvek.core.errors import ZolvekError

LARGEST_BYTES = 1 << 30  # bytes that are read into memory at once
STREAMS = ("/dev/stdin", "/dev/fd/", "/proc/self/fd/")  # what a shell gives a command to read
USE_AN_ORDINARY_FILE = "Choose an ordinary file."


def opened(path: str | os.PathLike[str], remedy: str = "", streams: bool = False) -> BinaryIO:
    """The file, open for reading. `streams`: what a shell gives a command to read is taken too, as a person named
    it. Raises ZolvekError for what is not there, is not an ordinary file or can't be read, naming it; `remedy`: what
    to do about it."""
    stream = streams and str(path).startswith(STREAMS)
    try:
        # Without blocking: a pipe that nobody writes to would never open.
        handle = os.open(path, os.O_RDONLY | os.O_CLOEXEC | (0 if stream else os.O_NONBLOCK))
    except OSError as error:
        raise ZolvekError(
            f"The file can't be read: {error.strerror or error}.",
            str(path),
            remedy or "Check the name and the permissions.",
        ) from error
    except ValueError as error:  # a name with a NUL in it
        raise ZolvekError(f"The file can't be read: {error}.", repr(str(path)), "Check the name.") from error
    if not (stream or stat.S_ISREG(os.fstat(handle).st_mode)):
        os.close(handle)
        raise ZolvekError("This is not a file.", str(path), remedy or USE_AN_ORDINARY_FILE)
    return open(handle, "rb")


def is_ordinary(path: str | os.PathLike[str]) -> bool:
    """Whether there is an ordinary file; links are followed."""
    try:
        return stat.S_ISREG(os.stat(path).st_mode)
    except (OSError, ValueError):
        return False


def read_bytes(path: str | os.PathLike[str], most: int = LARGEST_BYTES) -> bytes:
    """The file's bytes. Raises ZolvekError naming it when it can't be read, is larger than `most` bytes, or is not
    an ordinary file."""
    with opened(path, streams=True) as file:
        try:
            data = file.read(most + 1)
        except OSError as error:
            raise ZolvekError(
                f"The file can't be read: {error.strerror or error}.",
                str(path),
                "Open another copy.",
            ) from error
    if len(data) > most:
        raise ZolvekError(f"The file is larger than {most // 1_000_000:,} MB.", str(path), "Choose another one.")
    return data
