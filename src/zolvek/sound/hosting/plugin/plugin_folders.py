# SPDX-License-Identifier: GPL-3.0-or-later
"""Where plugins may be loaded from: the folders of the standards, of the person's environment, and the bundles that
the person has added by hand. Nothing that a project says is ever a place to load from."""

from __future__ import annotations

import os
from pathlib import Path

import msgspec

from zolvek.core.errors import ZolvekError
from zolvek.storage import folders
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

MOST_ADDED = 1_000
MOST_BYTES = 8_000_000


def roots(variable: str, standard: tuple[str, ...]) -> list[Path]:
    """The folders of a search path (`variable` of the environment, else the standard's own), whole paths only: one
    that counts from the current folder would load what lies next to a project."""
    path = os.environ.get(variable)
    paths = []
    for name in path.split(":") if path else standard:
        try:
            folder = Path(name).expanduser()
        except RuntimeError:  # there is no home
            continue
        if folder.is_absolute():
            paths.append(folder)
    return paths


def _file() -> Path:
    return folders.config() / "plugin-bundles.json"


def added() -> list[Path]:
    """The bundles that the person has added, as they were named then, whole paths."""
    try:
        names = msgspec.json.decode(read_bytes(_file(), MOST_BYTES), type=list[str])
    except (ZolvekError, msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        return []
    return [path for path in map(Path, names[:MOST_ADDED]) if path.is_absolute()]


def add(bundle: Path) -> None:
    """Allow a bundle that lies elsewhere; said by the person alone, in a dialog or on the command line. Raises
    ZolvekError where that can't be kept."""
    here = bundle.resolve()
    every = added()
    if here not in every:
        file = _file()
        folders.made(file.parent, "settings")
        write_bytes(file, msgspec.json.encode([str(path) for path in (*every, here)]))
