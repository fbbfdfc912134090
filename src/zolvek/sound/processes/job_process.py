# SPDX-License-Identifier: GPL-3.0-or-later
"""Long work in a process of its own, so that neither the window nor the sound waits for it.

`Jobs` starts it (`python -m zolvek.sound.processes.job_process`), sends it one job at a time and reports how it
goes. A job is cancelled by ending the process: nothing of it is left.
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
from zolvek.sound.hosting.plugin import work_mark
from zolvek.sound.hosting.plugin.work_mark import VARIABLE, Mark
from zolvek.sound.processes.framing import Receiver, Sender
from zolvek.sound.processes.job_messages import Done, Job, JobError, News, Progress
from zolvek.storage.python_process import begin, command, kill, own_output, shut


class ProcessLost(Failure):
    """The process that did a job has ended. `device`: whose plugin was at work in it, "" for none."""

    device = ""


OnNews = Callable[[News], None]


class Jobs:
    """One job at a time; `on_news` is called from another thread."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.process: subprocess.Popen[bytes] | None = None
        self.thread: threading.Thread | None = None
        self.mark: Mark | None = None  # which plugin is at work there
        self.number = 0
        self.busy = False

    def start(self, job: Job, on_news: OnNews) -> None:
        """Begin a job; one that is going on is cancelled."""
        with self.lock:
            if self.busy:
                self._end()
            if self.process is None or self.process.poll() is not None:
                self._close_mark()
                self.mark = Mark.create()
                self.process = begin(
                    command("zolvek.sound.processes.job_process"),
                    passed=(self.mark.handle,),
                    **{VARIABLE: str(self.mark.handle)},
                )
            self.number += 1
            self.busy = True
            work = (self.process, self.number, job, on_news)
            self.thread = threading.Thread(target=self._follow, args=work, name=f"job {job.function}", daemon=True)
            self.thread.start()

    def cancel(self) -> None:
        """Cancel the job that is going on."""
        with self.lock:
            if self.busy:
                self._end()

    def close(self) -> None:
        """End the process."""
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

    def _follow(self, process: subprocess.Popen[bytes], number: int, job: Job, on_news: OnNews) -> None:
        try:
            self._pass_on(process, number, job, on_news)
        finally:
            if process.returncode is not None:
                shut(process)

    def _pass_on(self, process: subprocess.Popen[bytes], number: int, job: Job, on_news: OnNews) -> None:
        assert process.stdin is not None and process.stdout is not None
        try:
            Sender(process.stdin).send(job)
            while True:
                news = pickle.load(process.stdout)
                goes_on = isinstance(news, Progress)
                with self.lock:
                    if number != self.number:
                        return
                    self.busy = goes_on
                on_news(news)
                if not goes_on:
                    return
        except (OSError, ValueError, EOFError, pickle.UnpicklingError):
            with self.lock:
                if number != self.number:
                    return  # cancelled
                self.busy = False
                lost = ProcessLost("The background job has ended unexpectedly.", job.function, "Try again.")
                culprit = self.mark.likeliest if self.mark is not None else None
                lost.device = culprit[0] if culprit else ""
            on_news(JobError(lost))


def run_in_process(
    job: Job,
    progress: Callable[[int, int], object],
    patience: float | None = None,
) -> Any:
    """A job done in a process of its own, and waited for. What `progress` raises ends it; so does silence for
    `patience` seconds, as of a plugin that hangs. Raises what it raises."""
    received: queue.Queue[News] = queue.Queue()
    jobs = Jobs()
    try:
        jobs.start(job, received.put)
        while True:
            try:
                news = received.get(timeout=patience)
            except queue.Empty:
                raise ZolvekError(
                    f"It did not respond within {patience:.0f} s.",
                    job.function,
                    "Try another one.",
                ) from None
            if isinstance(news, Progress):
                progress(news.done, news.total)
            elif isinstance(news, Done):
                return news.value
            elif isinstance(news, JobError):
                raise news.error
    finally:
        jobs.close()


def run(source: BinaryIO, out: BinaryIO) -> None:
    """Do job after job until the source ends."""

    def send(news: News) -> None:
        pickle.dump(news, out, protocol=pickle.HIGHEST_PROTOCOL)
        out.flush()

    receiver = Receiver(source)
    while True:
        try:
            job = receiver.receive()
        except (EOFError, OSError):
            return
        try:
            module, _, function = job.function.partition(":")
            work = getattr(import_module(module), function)
            send(Done(work(lambda *news: send(Progress(*news)), *job.arguments)))
        except ZolvekError as error:
            send(JobError(error))
        except Exception as error:  # a fault of ours: said there, not lost here
            what = f"Something went wrong in the background: {error}."
            send(JobError(ZolvekError(what, job.function, "Save your work, and report this.")))


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt):
        work_mark.begin()
        run(sys.stdin.buffer, own_output())
    os._exit(0)
