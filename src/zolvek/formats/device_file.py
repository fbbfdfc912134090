# SPDX-License-Identifier: GPL-3.0-or-later
"""A device description in a file of its own, described in docs/device-file.md."""

from __future__ import annotations

import json
import os
from pathlib import Path

from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DeviceKind, kind_from_plain, plain
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

SUFFIX = ".json"
LARGEST = 8_000_000  # bytes


def decode(data: bytes, where: str = "the description") -> DeviceKind:
    """Raises ZolvekError naming `where`, the place in it and the remedy."""
    if len(data) > LARGEST:
        raise ZolvekError("The file is too large for a description.", where, "Choose another.")
    try:
        described = json.loads(data.decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise ZolvekError(f"This is not JSON: {str(error).splitlines()[0]}.", where, "Correct it there.") from error
    return kind_from_plain(described, where)


def load(path: str | os.PathLike[str]) -> DeviceKind:
    """Read a description. Raises ZolvekError naming the file, the place and the remedy."""
    return decode(read_bytes(path), str(path))


def save(kind: DeviceKind, path: str | os.PathLike[str]) -> Path:
    """Write a description atomically, as a start for one of one's own."""
    text = json.dumps(plain(kind), ensure_ascii=False, indent=1)
    return write_bytes(path, text.encode() + b"\n")
