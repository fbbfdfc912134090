# SPDX-License-Identifier: GPL-3.0-or-later
"""What our processes print, plugins above all, goes to a file with a limit, not to a producer's terminal."""

from __future__ import annotations

import contextlib
import os
import subprocess
import threading
import time
from pathlib import Path
from typing import BinaryIO

from zolvek.storage import folders

MOST_BYTES = 256_000  # of one process: what comes after is read and dropped
LARGEST_BYTES = 2_000_000  # of the file, before it is put aside
READ_BYTES = 8_192
VERBOSE = "ZOLVEK_VERBOSE"  # of the environment: what is printed is shown instead


def output_file() -> Path:
    """Where it is kept; the one before it has `.old` after its name."""
    return folders.state() / "process-output.txt"


def destination() -> int | None:
    """What the error output of a process is to be: a pipe to `keep`, or None where it is to be shown."""
    return None if os.environ.get(VERBOSE) else subprocess.PIPE


def keep(process: subprocess.Popen[bytes], name: str) -> None:
    """Keep what a process prints as errors, from now on, in a thread of its own."""
    if process.stderr is not None:
        threading.Thread(target=_drain, args=(process.stderr, name), name="output", daemon=True).start()


def _drain(stream: BinaryIO | None, name: str) -> None:
    assert stream is not None
    left, begun = MOST_BYTES, False
    with contextlib.suppress(OSError, ValueError), stream:
        while data := os.read(stream.fileno(), READ_BYTES):
            if left <= 0:
                continue
            with contextlib.suppress(OSError):
                _write(data[:left] if begun else _heading(name) + data[:left])
            left, begun = left - len(data), True


def _heading(name: str) -> bytes:
    return f"\n--- {time.strftime('%Y-%m-%d %H:%M:%S')} {name}\n".encode()


def _write(data: bytes) -> None:
    path = output_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    with contextlib.suppress(FileNotFoundError):
        if path.stat().st_size > LARGEST_BYTES:
            path.replace(path.with_name(f"{path.name}.old"))
    with path.open("ab") as file:
        file.write(data)
