"""Long work in a process of its own, so that neither the window nor the sound waits for it.

`Jobs` starts it (`python -m zolvek.sound.jobs`), sends it one job at a time and tells how it
goes. A job is given up by ending the process: nothing of it is left.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import queue
import subprocess
import sys
import threading
from collections.abc import Callable
from importlib import import_module
from typing import Any, BinaryIO

from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project
from zolvek.process import begin, command, kill, own_output, shut
from zolvek.sound.framing import Receiver, Sender
from zolvek.sound.hosting import mark
from zolvek.sound.hosting.mark import VARIABLE, Mark


def _backdrop(progress: Callable, project: Project, track: str, kind: str) -> Any:
    from zolvek.sound.backdrop import backdrop

    return backdrop(project, track, kind, progress)


def _reach(
    progress: Callable, project: Project, device: str, key: str, span: tuple[float, float]
) -> Any:
    from zolvek.sound.reach import measure

    return measure(project, device, key, span, progress)


def _loudness(
    progress: Callable, one: Project, other: Project, span: tuple[float, float]
) -> tuple[float, float]:
    """Loudness in LUFS of a stretch of two projects."""
    from zolvek.sound.analysis import loudness
    from zolvek.sound.offline import render
    from zolvek.sound.renderer import RATE

    found = []
    for done, project in enumerate((one, other)):
        found.append(loudness(render(project, *span), RATE))
        progress(done + 1, 2)
    return found[0], found[1]


def _peaks(progress: Callable, name: str) -> Any:
    from zolvek.sound.peaks import peaks_of

    return peaks_of(name, progress)


def _hits(progress: Callable, name: str) -> Any:
    from zolvek.sound.hits import hits_of

    return hits_of(name, progress).seconds


# Jobs of other rooms, by where they are: they are loaded in the process that does them.
ELSEWHERE = {
    "plugins": "zolvek.sound.hosting.listing:job",
    "plugin-file": "zolvek.sound.hosting.installed:add",
    "plugin": "zolvek.sound.hosting.loading:job",
    "deliver": "zolvek.formats.sound_out:job",
    "sweep": "zolvek.sound.hosting.sweep:job",
}


def _elsewhere(name: str) -> Callable[..., Any]:
    module, _, function = ELSEWHERE[name].partition(":")
    return getattr(import_module(module), function)


JOBS: dict[str, Callable[..., Any]] = {
    "backdrop": _backdrop,
    "reach": _reach,
    "loudness": _loudness,
    "peaks": _peaks,
    "hits": _hits,
}


class ProcessLost(Failure):
    """The process that did a job has ended. `device`: whose plugin was at work in it, "" for none."""

    device = ""


Told = Callable[[str, Any], None]  # "progress" (done, total), "done" result, "error" ZolvekError


class Jobs:
    """One job at a time; `told` is called from another thread."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.process: subprocess.Popen[bytes] | None = None
        self.thread: threading.Thread | None = None
        self.mark: Mark | None = None  # which plugin is at work there
        self.number = 0
        self.busy = False

    def start(self, name: str, arguments: tuple[Any, ...], told: Told) -> None:
        """Begin a job of the table; one that is going on is given up."""
        with self.lock:
            if self.busy:
                self._end()
            if self.process is None or self.process.poll() is not None:
                self._close_mark()
                self.mark = Mark.create()
                self.process = begin(
                    command("zolvek.sound.jobs"), passed=(self.mark.handle,), **{VARIABLE: str(self.mark.handle)}
                )  # fmt: skip
            self.number += 1
            self.busy = True
            work = (self.process, self.number, name, arguments, told)
            self.thread = threading.Thread(
                target=self._follow, args=work, name=f"job {name}", daemon=True
            )
            self.thread.start()

    def cancel(self) -> None:
        with self.lock:
            if self.busy:
                self._end()

    def close(self) -> None:
        with self.lock:
            self._end()

    def _close_mark(self) -> None:
        if self.mark is not None:
            self.mark.close()
            self.mark = None

    def _end(self) -> None:
        self.busy = False
        self.number += 1
        process, self.process = self.process, None
        if process is not None:
            kill(process)
            if self.thread is None or not self.thread.is_alive():
                shut(process)  # else who reads from it does so
        self._close_mark()

    def _follow(
        self, process: subprocess.Popen[bytes], number: int, name: str, arguments: Any, told: Told
    ) -> None:
        try:
            self._pass_on(process, number, name, arguments, told)
        finally:
            if process.returncode is not None:
                shut(process)

    def _pass_on(
        self, process: subprocess.Popen[bytes], number: int, name: str, arguments: Any, told: Told
    ) -> None:
        assert process.stdin is not None and process.stdout is not None
        try:
            Sender(process.stdin).send((name, arguments))
            while True:
                what, value = pickle.load(process.stdout)
                with self.lock:
                    if number != self.number:
                        return
                    self.busy = what == "progress"
                told(what, value)
                if what != "progress":
                    return
        except (OSError, ValueError, EOFError, pickle.UnpicklingError):
            with self.lock:
                if number != self.number:
                    return  # given up on purpose
                self.busy = False
                lost = ProcessLost("The work in the background has ended.", name, "Try again.")
                culprit = self.mark.likeliest if self.mark is not None else None
                lost.device = culprit[0] if culprit else ""
            told("error", lost)


def done_apart(
    name: str,
    arguments: tuple[Any, ...],
    progress: Callable[[int, int], object],
    patience: float | None = None,
) -> Any:
    """A job done in a process of its own, and waited for. What `progress` raises ends it; so does silence for
    `patience` seconds, as of a plugin that hangs. Raises what it raises."""
    news: queue.Queue[tuple[str, Any]] = queue.Queue()
    jobs = Jobs()
    try:
        jobs.start(name, arguments, lambda what, value: news.put((what, value)))
        while True:
            try:
                what, value = news.get(timeout=patience)
            except queue.Empty:
                raise ZolvekError(
                    f"Nothing has come of it within {patience:.0f} s.", name, "Try another one."
                ) from None
            if what == "progress":
                progress(*value)
            elif what == "done":
                return value
            else:
                raise value
    finally:
        jobs.close()


def run(source: BinaryIO, out: BinaryIO) -> None:
    """Do job after job until the source ends."""

    def tell(what: str, value: Any) -> None:
        pickle.dump((what, value), out, protocol=pickle.HIGHEST_PROTOCOL)
        out.flush()

    receiver = Receiver(source)
    while True:
        try:
            name, arguments = receiver.receive()
        except (EOFError, OSError):
            return
        try:
            work = JOBS.get(name) or _elsewhere(name)
            tell("done", work(lambda done, total: tell("progress", (done, total)), *arguments))
        except ZolvekError as error:
            tell("error", error)
        except Exception as error:  # a fault of ours: said there, not lost here
            what = f"Something went wrong in the background: {error}."
            tell("error", ZolvekError(what, name, "Save your work, and report this."))


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt):
        mark.begin()
        run(sys.stdin.buffer, own_output())
    os._exit(0)
