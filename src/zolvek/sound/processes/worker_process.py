# SPDX-License-Identifier: GPL-3.0-or-later
"""The window's side of a playback worker: a process that takes commands, gives chunks, and shows
that it lives.

It may die, stand still or hang in a device's code: its owner is notified once, with the reason.
"""

from __future__ import annotations

import contextlib
import pickle
import threading
import time
from collections import deque
from collections.abc import Callable

from zolvek.sound.hosting.plugin.work_mark import PLAYING, STARTING, VARIABLE, Mark
from zolvek.sound.processes.framing import Sender
from zolvek.sound.processes.worker_messages import (
    STARTS,
    STATES,
    Alive,
    Close,
    Command,
    Fill,
    LeaveOut,
    Report,
    Stop,
    WorkerFailure,
)
from zolvek.storage.python_process import (
    begin,
    command,
    end,
    kill,
    processor_time,
    shut,
    wants_processor,
)

WATCHED_EVERY = 0.1
ALIVE_TIMEOUT_S = 1.2  # seconds without one after which it stands still
STARVED = 8.0  # the same while it waits for a processor that others have
SHARE = 0.2  # of the time since then, that one which has a processor gets at least
START_TIMEOUT_S = 30.0  # seconds that a start may take
CHUNK_TIMEOUT_S = 20.0  # seconds without a chunk that was asked for
PLUGIN_TIMEOUT_S = 1.5  # seconds without a chunk while a plugin is at work
PLUGIN_START_TIMEOUT_S = 15.0  # seconds that a plugin may take to be made
CLOSE_TIMEOUT_S = 0.4  # seconds that it has to end by itself
HUNG = "it hung"


class WorkerProcess:
    """`taken` is given each chunk and `ended` the reason when it is lost; both from other threads."""

    def __init__(
        self,
        taken: Callable[[WorkerProcess, Report], None],
        ended: Callable[[WorkerProcess, str], None],
    ) -> None:
        self.taken, self.ended = taken, ended
        self.lock = threading.Lock()
        self.outbox: deque[Command] = deque()
        self.news = threading.Event()
        self.over = False  # closed, or reported as lost
        self.reason = ""
        self.heard = time.monotonic()  # its last sign of life
        self.came = self.heard  # its last chunk, or when one was asked for
        self.woken = self.owing = False
        self.starting = "", self.heard  # the device whose plugin is being made, and since when
        self.mark = Mark.create()  # which plugin is at work there
        self.culprit: tuple[str, str] | None = None  # that was at work when it was lost, and in what
        self.process = begin(
            command("zolvek.sound.processes.render_worker"),
            passed=(self.mark.handle,),
            **{VARIABLE: str(self.mark.handle)},
        )
        self.threads = [
            threading.Thread(target=work, name=f"playback {word}", daemon=True)
            for work, word in ((self._read, "in"), (self._write, "out"), (self._watch, "watch"))
        ]
        for thread in self.threads:
            thread.start()

    def send(self, command: Command) -> None:
        """Put a command in the outbox; a later project, or what is held, takes the place of one not
        yet sent."""
        with self.lock:
            if isinstance(command, STATES):
                kept = [row for row in self.outbox if type(row) is not type(command)]
                kept.insert(0, command)
                # Before any project: a plugin that is to be left out must not run even once.
                kept.sort(key=lambda row: not isinstance(row, LeaveOut))
                self.outbox.clear()
                self.outbox.extend(kept)
            else:
                self.outbox.append(command)
                if isinstance(command, STARTS):
                    self.owing = not isinstance(command, Fill) or bool(command.path)
                    self.came = time.monotonic()
                elif isinstance(command, Stop):
                    self.owing = False
        self.news.set()

    def close(self) -> None:
        """End it, well within a second, whatever it does."""
        self.over = True
        self.send(Close())
        end(self.process, CLOSE_TIMEOUT_S)
        for thread in self.threads:
            if thread is not threading.current_thread():
                thread.join(timeout=CLOSE_TIMEOUT_S)
        self._shut()

    def _shut(self) -> None:
        shut(self.process, *self.threads)
        self.mark.close()

    def _lost(self, reason: str) -> None:
        with self.lock:
            if self.over:
                return
            self.over = True
        playing = [item for item in self.mark.active if item[1] == PLAYING]
        self.culprit = playing[0] if playing and reason == HUNG else self.mark.likeliest
        kill(self.process)
        self.news.set()
        self.ended(self, self.reason or reason)
        self._shut()

    def _write(self) -> None:
        assert self.process.stdin is not None
        sender = Sender(self.process.stdin)
        with contextlib.suppress(OSError, ValueError):  # it is gone: the reader says
            while True:
                self.news.wait()
                with self.lock:
                    rows = list(self.outbox)
                    self.outbox.clear()
                    self.news.clear()
                for row in rows:
                    sender.send(row)
                if self.over or any(isinstance(row, Close) for row in rows):
                    return

    def _read(self) -> None:
        assert self.process.stdout is not None
        with contextlib.suppress(EOFError, OSError, ValueError, pickle.UnpicklingError):
            while True:
                report = pickle.load(self.process.stdout)
                self.heard = time.monotonic()
                self.woken = True
                if isinstance(report, WorkerFailure):
                    self.reason = report.reason
                elif not isinstance(report, Alive):
                    self.came = self.heard
                    self.taken(self, report)
        self._lost("it ended")

    def _watch(self) -> None:
        before = time.monotonic()
        # Its last sign of life, and the processor time it had had by then.
        sign, used = self.heard, 0.0
        while not self.over:
            time.sleep(WATCHED_EVERY)
            now = time.monotonic()
            if now - before > 4 * WATCHED_EVERY:
                # This very process stood still, or had no time: nobody could have been heard.
                self.heard = self.came = now
            before = now
            if self.heard != sign:
                sign, used = self.heard, processor_time(self.process.pid)
            if now - self.heard > (ALIVE_TIMEOUT_S if self.woken else START_TIMEOUT_S):
                if not self._starved(now - self.heard, used):
                    self._lost("it did not respond")
            elif self._hangs(now):
                self._lost(HUNG)
            elif self._never_begins(now):
                self._lost("it did not start")
            elif self.owing and self.woken and now - self.came > CHUNK_TIMEOUT_S:
                self._lost("it gave no audio for 20 s")

    def _starved(self, silent: float, used: float) -> bool:
        """Whether it gives no sign because other programs have the processors: it would run, and could not."""
        pid = self.process.pid
        had = processor_time(pid) - used
        return silent < STARVED and had < SHARE * silent and wants_processor(pid)

    def _never_begins(self, now: float) -> bool:
        """Whether a plugin that is made next to the others takes all too long."""
        starting = next((item for item, phase in self.mark.active if phase == STARTING), "")
        if starting != self.starting[0]:
            self.starting = starting, now
        return bool(starting) and now - self.starting[1] > PLUGIN_START_TIMEOUT_S

    def _hangs(self, now: float) -> bool:
        """Whether one plugin has been playing for long, and nothing comes."""
        late = self.owing and self.woken and now - self.came > PLUGIN_TIMEOUT_S
        return late and any(phase == PLAYING for _, phase in self.mark.active)
