# SPDX-License-Identifier: GPL-3.0-or-later
"""What a song sends while it plays where no server keeps the frames: a thread that sends each thing when it is due."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Any, Protocol

from zolvek.sound.playback.clock import Clock

SHORTEST_SLEEP_S = 0.0001  # seconds of rest at least
POLL_INTERVAL_S = 0.008  # seconds between looks at most; what is due sooner is not waited past
STOPPED_INTERVAL_S = 0.005  # and while nothing plays
JUMP_FROM_S = 0.04  # seconds off from which the song has gone elsewhere
DRIFT_FROM_S, DRIFT_STEP = 0.002, 0.002  # seconds off, and the part of it that is made good at a look
BACKWARD_TOLERANCE_S = 0.005  # seconds that a clock may seem to go back by


class Stream(Protocol):
    """What is sent somewhere."""

    ahead: float  # seconds of the song that are looked up before they are due
    lead: float  # seconds by which they are sent before they are meant

    @property
    def outdated(self) -> bool:
        """Whether what is to be sent has changed since it was looked up."""
        ...

    def at(self, seconds: float) -> list[Any]:
        """What puts everything where it stands at a second of the song."""
        ...

    def rest(self, seconds: float, moved: bool) -> list[Any]:
        """While the song is stopped: what puts everything where it stands there; `moved`: it was stopped elsewhere."""
        ...

    def retimed(self, seconds: float) -> float | None:
        """After a change of tempo: the second of the song that was `seconds` before; None where there is none."""
        ...

    def changed(self, seconds: float, was: float) -> list[Any]:
        """After an edit: what puts there what stands elsewhere now; `was`: the same place by the tempo before."""
        ...

    def between(self, first: float, last: float) -> list[tuple[float, Any]]:
        """What lies from one second of the song up to, but not at, another, in order: when, and what."""
        ...

    def upcoming(self, seconds: float) -> float:
        """The second of the song from which on there is something to look up, after one; infinite for nothing."""
        ...

    def send(self, packets: list[Any], moment: float) -> None:
        """Send this now; `moment`: when it is meant, of time.time."""
        ...

    def stop(self) -> None:
        """The song has stopped, or continues elsewhere: end the notes that sound."""
        ...


class Live:
    """Follows a clock until it is closed. `clock` gives it, or None while there is none; `seconds` the second of
    the song at a beat; `stopped_at` the beat at which the song is while it is stopped."""

    def __init__(
        self,
        stream: Stream,
        clock: Callable[[], Clock | None],
        seconds: Callable[[float], float],
        stopped_at: Callable[[], float],
    ) -> None:
        self.stream, self.clock, self.seconds, self.stopped_at = stream, clock, seconds, stopped_at
        self.rested = seconds(stopped_at())  # second at which it was seen stopped last
        self.queue: deque[tuple[float, Any]] = deque()
        self.filled = 0.0  # second of the song up to which it is looked up
        self.next = 0.0  # and where what comes then begins
        self.zero: tuple[float, float] | None = None  # second 0, of perf_counter and of time.time
        self.begun = -1.0  # where it was put last
        self.running = True
        self.thread = threading.Thread(target=self._work, name="live", daemon=True)
        self.thread.start()

    def close(self) -> None:
        """End the thread."""
        self.running = False
        self.thread.join()
        self.stream.stop()

    def _work(self) -> None:
        while self.running:
            clock = self.clock()
            if clock is None or not clock.playing:
                self._rest()
                time.sleep(STOPPED_INTERVAL_S)
                continue
            now = time.perf_counter()
            self._change_tempo()
            self._follow(self.seconds(clock.beat_at(now)), now)
            self._look_up()
            self._send(self._due())
            soon = min(self.next, self.queue[0][0]) if self.queue else self.next
            rest = soon - self.stream.lead - self._due()
            time.sleep(min(max(rest, SHORTEST_SLEEP_S), POLL_INTERVAL_S))

    def _rest(self) -> None:
        """The song is stopped: end what sounds, and send where it is moved to."""
        song, was = self.seconds(self.stopped_at()), self.zero is not None
        if was:
            self.rested = self._due()
            self.zero = None
            self.stream.stop()
        moved = abs(song - self.rested) > JUMP_FROM_S if was else song != self.rested
        if was or moved:
            self.rested = song
            packets = self.stream.rest(song, moved)
            if packets:
                self.stream.send(packets, time.time())

    def _due(self) -> float:
        """The second of the song that is due now."""
        assert self.zero is not None
        return time.perf_counter() - self.zero[0]

    def _follow(self, song: float, now: float) -> None:
        """Keep up with the clock; where the song continues elsewhere, begin again there."""
        due = now - self.zero[0] if self.zero is not None else 0.0
        if self.zero is not None and song == self.begun:  # it has not begun to move
            due, self.zero = song, (now - song, time.time() - song)
        strays = song - due
        if self.zero is None or abs(strays) > JUMP_FROM_S:
            if self.zero is not None:  # before a jump all is sent that came before it
                self._look_up()
                self._give([packet for when, packet in self.queue if when <= due + BACKWARD_TOLERANCE_S], due)
            self.zero = now - song, time.time() - song
            self.queue.clear()
            self.stream.stop()
            self.begun = self.filled = self.next = song
            self._give(self.stream.at(song), song)
        elif abs(strays) > DRIFT_FROM_S:  # another clock than this machine's keeps the time
            self.zero = self.zero[0] - DRIFT_STEP * strays, self.zero[1] - DRIFT_STEP * strays

    def _change_tempo(self) -> None:
        """Stay where the song is in beats: what is due by the tempo before is sent, and the rest looked up again."""
        if self.zero is None or self.stream.retimed(0.0) is None:
            return
        due = self._due()
        self._send(due)
        was = min(self.filled, due)
        new = self.stream.retimed(was)
        assert new is not None
        shift = new - was
        self.zero = self.zero[0] - shift, self.zero[1] - shift
        self.queue.clear()
        self.filled = self.next = new
        self._give(self.stream.changed(new, was), new)

    def _look_up(self) -> None:
        """Queue what comes; after an edit, send what it changes and look up again."""
        due, ahead = self._due(), self.stream.ahead
        if self.stream.outdated:
            self.queue = deque(row for row in self.queue if row[0] <= due)
            self.filled = self.next = min(self.filled, due)
            self._give(self.stream.changed(self.filled, self.filled), self.filled)
        if due + ahead / 2 >= self.filled and due + ahead >= self.next:
            self.queue.extend(self.stream.between(self.filled, due + ahead))
            self.filled = due + ahead
            self.next = self.stream.upcoming(self.filled)

    def _send(self, due: float) -> None:
        while self.queue and self.queue[0][0] <= due + self.stream.lead:
            when = self.queue[0][0]
            packets = []
            while self.queue and self.queue[0][0] == when:
                packets.append(self.queue.popleft()[1])
            self._give(packets, when)

    def _give(self, packets: list[Any], when: float = 0.0) -> None:
        if packets:
            assert self.zero is not None
            self.stream.send(packets, self.zero[1] + when)
