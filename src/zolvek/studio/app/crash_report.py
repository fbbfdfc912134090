# SPDX-License-Identifier: GPL-3.0-or-later
"""Crash reports: what is written of a fault, without the user's data."""

from __future__ import annotations

import platform
import time
import traceback
from pathlib import Path
from types import TracebackType

from zolvek import __version__


def report(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> str:
    """What happened and where in the program: no values, no names of files but the program's."""
    lines = [
        f"Zolvek {__version__}, Python {platform.python_version()}, {platform.system()}",
        kind.__name__,
        "",
    ]
    for frame in traceback.extract_tb(trace):
        parts = Path(frame.filename).parts
        inside = parts[parts.index("zolvek") :] if "zolvek" in parts else parts[-1:]
        lines.append(f"{'/'.join(inside)}, line {frame.lineno}, in {frame.name}")
    return "\n".join(lines) + "\n"


def write(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> Path | None:
    """The report in a file of the state folder; None where that can't be written."""
    from zolvek.core.errors import ZolvekError
    from zolvek.storage import folders

    try:
        folder = folders.state() / "reports"
        path = folder / time.strftime("%Y-%m-%d %H-%M-%S.txt")
        folder.mkdir(parents=True, exist_ok=True)
        path.write_text(report(kind, error, trace), encoding="utf-8")
    except (OSError, ZolvekError):
        return None
    return path
