# SPDX-License-Identifier: GPL-3.0-or-later
"""Starts Python processes of the program: the same interpreter, and no other code than the program's.

Neither the current folder nor, where this process is isolated, PYTHON… variables bring in modules.
"""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import BinaryIO

from zolvek.storage import freed_memory, process_output

SOURCE = str(Path(__file__).resolve().parents[2])
BEGIN = (
    "import sys, runpy; sys.path.insert(0, sys.argv.pop(1)); "
    "runpy.run_module(sys.argv.pop(1), run_name='__main__', alter_sys=True)"
)

MODULE_AT = 5  # where the module stands in a command
TUNABLES = "GLIBC_TUNABLES"  # of the environment, read once as a process begins
POLL_INTERVAL_S = 0.002  # seconds between looks whether a process has ended
THREAD_TIMEOUT_S = 0.5  # seconds that threads have to notice that their process has ended
NO_BLOCKS_READY = "glibc.malloc.tcache_count=0"


def command(module: str, *arguments: str) -> list[str]:
    """The command line that runs a module of the program as a process."""
    alone = "-I" if sys.flags.isolated else "-P"
    return [sys.executable, alone, "-c", BEGIN, SOURCE, module, *arguments]


def environment(**more: str) -> dict[str, str]:
    """What a process of ours finds around it; `more` besides. glibc keeps no blocks of memory ready for a thread
    there (tcache): it gives those as they were left, and memory that is to be zero-filled would not be."""
    tunables = os.environ.get(TUNABLES, "")
    settings = {TUNABLES: ":".join(part for part in (tunables, NO_BLOCKS_READY, freed_memory.TUNABLES) if part)}
    return {**os.environ, **settings, **more}


def own_output() -> BinaryIO:
    """The standard output for this process's own use: what else prints, such as a plugin, goes to the
    error output."""
    sys.stdout.flush()
    output = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    return output


def begin(arguments: list[str], *, passed: tuple[int, ...] = (), **more: str) -> subprocess.Popen[bytes]:
    """A process with pipes to and from it, in a session of its own: what it starts itself can be ended with it. What
    it prints goes to a file of ours.
    `passed`: handles that it gets; `more`: of its environment."""
    process = subprocess.Popen(
        arguments,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=process_output.destination(),
        env=environment(**more),
        pass_fds=passed,
        start_new_session=True,
    )
    process_output.keep(process, arguments[MODULE_AT] if len(arguments) > MODULE_AT else arguments[0])
    return process


def kill(process: subprocess.Popen[bytes]) -> None:
    """End a process of `begin` at once, and what it has started itself."""
    if process.returncode is None:  # as long as nobody has waited for it, its number is nobody else's
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(process.pid, signal.SIGKILL)
        process.kill()
        process.wait()


def end(process: subprocess.Popen[bytes], within: float = 0.0) -> None:
    """Let a process end by itself within so many seconds; else it is ended. What it has started itself is ended in
    any case."""
    last = time.monotonic() + within
    while process.returncode is None and time.monotonic() < last and not _has_ended(process):
        time.sleep(POLL_INTERVAL_S)
    kill(process)


def _has_ended(process: subprocess.Popen[bytes]) -> bool:
    """Whether it has, without taking its number from it."""
    try:
        return os.waitid(os.P_PID, process.pid, os.WEXITED | os.WNOHANG | os.WNOWAIT) is not None
    except ChildProcessError:
        return True


def shut(process: subprocess.Popen[bytes], *threads: threading.Thread) -> None:
    """Close the pipes to a process, whatever it has not read. While one of the `threads` that use them can't come to
    an end, because a plugin's child process holds the other side, they are left: closing would wait for that child."""
    others = [item for item in threads if item is not threading.current_thread()]
    for thread in others:
        thread.join(timeout=THREAD_TIMEOUT_S)
    if any(thread.is_alive() for thread in others):
        return
    for stream in (process.stdin, process.stdout):
        if stream is not None:
            with contextlib.suppress(OSError, ValueError):
                stream.close()


def processor_time(pid: int) -> float:
    """Seconds of processor time that a process has had; 0 where there is none (proc_pid_stat(5))."""
    fields = _stat(f"/proc/{pid}/stat")
    return sum(map(int, fields[11:13])) / os.sysconf("SC_CLK_TCK") if fields else 0.0


def wants_processor(pid: int) -> bool:
    """Whether any thread of a process is ready to run, or reads from a disk: it would go on if it could."""
    try:
        threads = os.listdir(f"/proc/{pid}/task")
    except OSError:
        return False
    return any(_stat(f"/proc/{pid}/task/{each}/stat")[:1] in (["R"], ["D"]) for each in threads)


def _stat(path: str) -> list[str]:
    """The fields after the name, which may hold anything; none where the process is gone."""
    try:
        with open(path, encoding="utf-8", errors="replace") as file:
            return file.read().rpartition(")")[2].split()
    except OSError:
        return []
