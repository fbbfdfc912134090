# SPDX-License-Identifier: GPL-3.0-or-later
"""Removes temporary files that killed programs, or earlier versions, have left."""

from __future__ import annotations

import os
import shutil
import stat
import tempfile
import time
from pathlib import Path

SHARED = Path("/dev/shm")
FILES = ("zolvek-ports-", "zolvek-mark-")  # of earlier versions: now they have no names
FOLDERS = "zolvek-"
OLD_S = 2 * 86_400.0


def sweep(folders: tuple[Path, ...] = (), older_than_s: float = OLD_S) -> int:
    """Remove what is ours, and older than anything that is at work; the number of things removed."""
    removed = 0
    for folder in folders or (SHARED, Path(tempfile.gettempdir())):
        try:
            entries = [item for item in os.scandir(folder) if item.name.startswith(FOLDERS)]
        except OSError:
            continue
        for entry in entries:
            try:
                removed += _removed(entry, time.time() - older_than_s)
            except OSError:
                continue
    return removed


def _removed(entry: os.DirEntry[str], before: float) -> bool:
    about = entry.stat(follow_symlinks=False)
    if about.st_uid != os.geteuid() or about.st_mtime > before:
        return False
    if stat.S_ISDIR(about.st_mode):
        shutil.rmtree(entry.path, ignore_errors=True)
        return True
    if stat.S_ISREG(about.st_mode) and entry.name.startswith(FILES):
        os.unlink(entry.path)
        return True
    return False
