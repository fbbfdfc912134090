# SPDX-License-Identifier: GPL-3.0-or-later
"""Where compiled code is kept between runs."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from pathlib import Path
from zlib import crc32

from zolvek.core.errors import ZolvekError
from zolvek.storage import folders

CACHE, COMPILED = "NUMBA_CACHE_DIR", "compiled-"  # of the environment; and how our folders there begin
UNUSED_DAYS = 14  # after which a folder is removed: another version may be in use beside this one


def store_compiled() -> None:
    """Compiled code is kept in a folder named after all that it was made of. By itself the compiler looks at each file
    alone, and would go on with code that was made for other words of the memory."""
    sources = sorted(Path(__file__).parent.parent.glob("*/*.py"))
    message = crc32(b"".join(source.read_bytes() for source in sources))
    try:
        folder = folders.cache() / f"{COMPILED}{message:08x}"
    except ZolvekError:  # no home: for this time alone
        folder = Path(tempfile.mkdtemp(prefix=f"zolvek-{COMPILED}"))
    os.environ[CACHE] = str(folder)
    folder.mkdir(parents=True, exist_ok=True)
    os.utime(folder)
    for old in folder.parent.glob(f"{COMPILED}*"):
        if old.stat().st_mtime < time.time() - UNUSED_DAYS * 86_400:
            shutil.rmtree(old, ignore_errors=True)
