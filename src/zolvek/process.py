"""Python processes of the program's own: this very Python, and no code but the program's.

Neither the current folder nor, where this process is isolated, PYTHON… variables bring in modules.
"""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
from pathlib import Path
from typing import BinaryIO

SOURCE = str(Path(__file__).resolve().parents[1])
BEGIN = (
    "import sys, runpy; sys.path.insert(0, sys.argv.pop(1)); "
    "runpy.run_module(sys.argv.pop(1), run_name='__main__', alter_sys=True)"
)

TUNABLES = "GLIBC_TUNABLES"  # of the environment, read once as a process begins
NO_BLOCKS_READY = "glibc.malloc.tcache_count=0"


def command(module: str, *arguments: str) -> list[str]:
    """The command line that runs a module of the program as a process."""
    alone = "-I" if sys.flags.isolated else "-P"
    return [sys.executable, alone, "-c", BEGIN, SOURCE, module, *arguments]


def environment(**more: str) -> dict[str, str]:
    """What a process of ours finds around it; `more` besides. glibc keeps no blocks of memory ready for a thread
    there (tcache): it gives those as they were left, and memory that is to be zero-filled would not be."""
    told = os.environ.get(TUNABLES, "")
    own = {TUNABLES: ":".join(part for part in (told, NO_BLOCKS_READY) if part)}
    return {**os.environ, **own, **more}


def own_output() -> BinaryIO:
    """The standard output for this process's own use: what else prints, such as a plugin, goes to the
    error output."""
    sys.stdout.flush()
    own = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    return own


def end(process: subprocess.Popen[bytes], within: float = 0.0) -> None:
    """Let a process end by itself within so many seconds; else it is ended."""
    try:
        process.wait(timeout=within)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()


def shut(process: subprocess.Popen[bytes]) -> None:
    """Close the pipes to a process, whatever it has not read."""
    for stream in (process.stdin, process.stdout):
        if stream is not None:
            with contextlib.suppress(OSError, ValueError):
                stream.close()
