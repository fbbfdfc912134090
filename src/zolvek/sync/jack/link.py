# SPDX-License-Identifier: GPL-3.0-or-later
"""The program's side of the ports: commands to their process, and where the song is, read from the memory that both
share."""

from __future__ import annotations

import contextlib
import pickle
import threading
import time
from collections.abc import Callable

from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.time.tempo import TempoMap
from zolvek.sound.processes.framing import Sender
from zolvek.storage.python_process import begin, command, end, shut
from zolvek.sync.jack import link_messages as messages
from zolvek.sync.jack import shared_layout as s
from zolvek.sync.jack.link_messages import Command, Report
from zolvek.sync.jack.port_memory import PortMemory
from zolvek.sync.timeline.song_timeline import tempo_key, tempo_table

START_TIMEOUT_S = 3.0  # seconds within which an order to play is taken up, or was in vain
FRESH_WITHIN_S = 1.0
CLOSE_TIMEOUT_S = 2.0
LONGEST_CYCLE_S = 0.5  # seconds that the song goes on by itself since the last cycle
MICRO = 1e-6
TEMPOS_KEPT = 8


class Link:
    """`given` is called with each new report, from another thread."""

    def __init__(self, on_report: Callable[[Report], object]) -> None:
        self.on_report = on_report
        self.memory = PortMemory.create()
        self.words, self.reals = self.memory.words, self.memory.reals
        self.report = Report()
        self.project = Project()
        self.tempos: dict[int, TempoMap] = {}  # of the projects used last, by key
        self.asked = 0.0  # when playing was asked for, until it begins
        self.rolled = 0.0  # when it was seen to move last
        self.closed = False
        self.lock = threading.Lock()
        self.process = begin(command("zolvek.sync.jack.ports_process", str(self.memory.path)))
        assert self.process.stdin is not None
        self.sender = Sender(self.process.stdin)
        self.thread = threading.Thread(target=self._read, name="ports", daemon=True)
        self.thread.start()

    def _read(self) -> None:
        assert self.process.stdout is not None
        with contextlib.suppress(EOFError, OSError, ValueError, pickle.UnpicklingError):
            while True:
                self.report = pickle.load(self.process.stdout)
                self.on_report(self.report)
        if not self.closed:
            self.report = Report(trouble="The JACK process has ended.", ended=True)
            self.words[s.STATE] = s.STOPPED
            self.on_report(self.report)

    def send(self, command: Command) -> None:
        """Send a command. Nothing happens where the process is gone: its report says so."""
        with self.lock, contextlib.suppress(OSError, ValueError):
            self.sender.send(command)

    # --- what is given ---

    def use(self, project: Project, resolution: Resolution) -> None:
        """Send the project's messages, as it is heard, to the ports' process."""
        self.project = project
        key = tempo_key(tempo_table(project))
        self.tempos = {**dict(list(self.tempos.items())[-TEMPOS_KEPT:]), key: project.tempo}
        self.send(messages.Use(project, resolution))

    def hold(self, held: tuple[tuple[str, float], ...]) -> None:
        """Lanes held at values 0..1 of their curves are sent there at once."""
        self.send(messages.Hold(held))

    def start(self, beat: float, count_in: int = 0, clicks: int = 0, moment: float = 0.0) -> None:
        """Start from a beat after a count-in."""
        self.asked = time.monotonic()
        self.send(messages.Start(beat, count_in, clicks, moment))

    def stop(self) -> None:
        """Stop the song."""
        self.asked = self.rolled = 0.0
        self.send(messages.Stop())

    # --- what is so ---

    @property
    def there(self) -> bool:
        """Whether there is a server, and it calls us."""
        return bool(self.report.state)

    @property
    def rate(self) -> int:
        """The server's sample rate in Hz."""
        return int(self.words[s.RATE]) or 48_000

    @property
    def state(self) -> int:
        """The state of the song: a constant of shared_layout."""
        return int(self.words[s.STATE]) if self.there else s.STOPPED

    @property
    def playing(self) -> bool:
        """Whether the song moves, or is about to."""
        state, now = self.state, time.monotonic()
        if not self.there:  # who is given that the server is gone goes on from here
            return now - self.rolled < FRESH_WITHIN_S
        if state == s.ROLLING:
            self.asked, self.rolled = 0.0, now
        return state != s.STOPPED or now - self.asked < START_TIMEOUT_S

    @property
    def beat(self) -> float:
        """Where the song is, in beats."""
        return self.beat_at(time.perf_counter())

    def beat_at(self, seconds: float) -> float:
        """The beat at a time of time.perf_counter (the server's own clock, CLOCK_MONOTONIC): counted from the
        cycle before it."""
        frame, key = self._frame_at(seconds)
        tempo = self.tempos.get(key, self.project.tempo)
        return float(tempo.beats(max(frame, float(self.words[s.QUIET_UNTIL]), 0.0) / self.rate))

    def frame_at(self, seconds: float) -> float:
        """The song frame at a time."""
        return self._frame_at(seconds)[0]

    def _frame_at(self, seconds: float) -> tuple[float, int]:
        """The song frame at a time, and the key of the tempo that it is of."""
        past, moment = self.memory.past, seconds / MICRO
        last = int(self.words[s.PAST_COUNT]) - 1
        if last < 0:
            return 0.0, 0
        for number in range(last, max(last - s.PAST_HELD // 2, -1), -1):
            time_, song, speed, state, key = past[number & (s.PAST_HELD - 1)].item()
            if time_ <= moment:
                elapsed = min((moment - time_) * MICRO, LONGEST_CYCLE_S) if state == s.ROLLING else 0.0
                return song + elapsed * speed * self.rate, int(key)
        return float(song), int(key)

    def take(self) -> list[tuple[bytes, float]]:
        """The messages that have come since the last time, each with its moment (time.perf_counter)."""
        words, heard = self.words, self.memory.heard
        first, last = int(words[s.HEARD_READ]), int(words[s.HEARD_COUNT])
        result = []
        for number in range(first, last):
            row = heard[number & (s.HEARD_HELD - 1)]
            data = row["data"][: int(row["size"])]
            result.append((data.tobytes(), float(row["time"]) * MICRO))
        words[s.HEARD_READ] = last
        return result

    def close(self) -> None:
        """End the ports' process."""
        if self.closed:
            return
        self.closed = True
        self.send(messages.Close())
        end(self.process, CLOSE_TIMEOUT_S)
        self.thread.join(timeout=1.0)
        shut(self.process, self.thread)
        self.memory.remove()
