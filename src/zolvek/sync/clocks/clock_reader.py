# SPDX-License-Identifier: GPL-3.0-or-later
"""Reads an external clock: its position and speed, from MIDI clock or MIDI time code as they come.

Clock messages come with jitter. Their count is exact; the line through the moments of the last ones (least squares)
says when each was meant, so that neither tempo nor position shakes with them.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field

import numpy as np

from zolvek.core.model.sync_setup import SOURCES, Source
from zolvek.sync.timeline.clock_messages import (
    CLOCK,
    CLOCKS,
    CONTINUE,
    FULL_FRAME,
    POSITION_BEATS,
    QUARTER_FRAME,
    QUARTERS,
    RATES,
    SONG_POSITION,
    START,
    STOP,
    FrameRate,
    frames_of,
)

KEPT = 96  # clocks that the tempo is read from: four quarter notes
FEWEST = 6  # clocks from which a tempo is believed
BROKEN = 0.25  # of the distance between two: off by more, another tempo has begun
SILENCE_TIMEOUT_S = 0.5  # seconds without a message after which the clock has stopped without saying so
SLOWEST, FASTEST = 10.0, 400.0  # BPM
NO_TEMPO = 0.0


@dataclass
class Follower:
    """Give it each message with its moment (seconds). `running`; `beat_at` for a clock; `seconds_at` for time
    code; `bpm`, 0 while it is not known; `moved` counts the times it has gone elsewhere."""

    source: str = Source.CLOCK
    running: bool = False
    moved: int = 0
    code: FrameRate = RATES["25"]
    beat: float = 0.0  # where the next clock, or the start, is
    last: float = float("-inf")  # when something came last
    times: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT))
    first: int = 0  # the number of the first kept clock since the beginning
    count: int = 0  # clocks since it went on
    line: tuple[float, float] = (0.0, 0.0)  # moment of clock 0, seconds a clock
    # What was known when it fell silent without a word: its times, their first number, the count, the line.
    lost: tuple[list[float], int, int, tuple[float, float]] | None = None
    waits: bool = False  # given to go on: the next clock is where it begins
    begun: float = 0.0  # the beat of clock 0
    pieces: dict[int, int] = field(default_factory=dict)
    offset: float = 0.0  # of time code: seconds of the song less those of the moment
    offsets: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT))
    stood: float = 0.0  # seconds of the song where time code stands

    def __post_init__(self) -> None:
        assert self.source in SOURCES

    def take(self, message: bytes, moment: float) -> bool:
        """Whether it was a message of a clock that is followed."""
        if self.source == Source.CLOCK:
            return self._clock(message, moment)
        if self.source == Source.CODE:
            return self._code(message, moment)
        return False

    def tick(self, moment: float) -> None:
        """Time has gone on: a clock that is silent has stopped."""
        if self.running and moment - self.last > SILENCE_TIMEOUT_S:
            before = list(self.times), self.first, self.count, self.line
            self._halt(moment)
            self.lost = before

    # --- MIDI clock ---

    def _clock(self, message: bytes, moment: float) -> bool:
        kind = message[0]
        if kind == CLOCK:
            self._tick(moment)
        elif kind == START:
            self.beat, self.waits = 0.0, True
            self.moved += 1
        elif kind == CONTINUE:
            self.waits = True
            self.moved += 1
        elif kind == STOP:
            self._halt(moment)
        elif kind == SONG_POSITION and len(message) == 3:
            self.beat = (message[1] | message[2] << 7) * POSITION_BEATS
            self.moved += 1
            if self.running:
                self.waits = True
        else:
            return False
        self.last = moment
        return True

    def _tick(self, moment: float) -> None:
        if self.lost is not None and not self.waits:
            if moment - self.last <= SILENCE_TIMEOUT_S:  # it was not silent: we were late to listen
                times, self.first, self.count, self.line = self.lost
                self.times.extend(times)
                self.running = True
                self.moved += 1
            else:
                self.waits = True  # it goes on from where it fell silent
        self.lost = None
        if self.waits:
            self.waits, self.running = False, True
            self.begun, self.count = self.beat, 0
            self.times.clear()
            self.first = 0
        if not self.running:
            # Clocks run on while it stands: they say the tempo all the same.
            self.count += 1 if self.times else 0
        else:
            self.beat = self.begun + (self.count + 1) / CLOCKS
        self._note(moment)
        if self.running:
            self.count += 1

    def _note(self, moment: float) -> None:
        if len(self.times) >= FEWEST:
            due = self.line[0] + self.line[1] * (self.first + len(self.times))
            if abs(moment - due) > max(BROKEN * self.line[1], 0.004) * 2:
                # Another tempo, or a gap: what lies before says nothing of what comes.
                self.first += len(self.times) - 1
                before = self.times[-1]
                self.times.clear()
                self.times.append(before)
        if len(self.times) == KEPT:
            self.first += 1
        self.times.append(moment)
        number = self.first + np.arange(len(self.times))
        if len(self.times) >= 2:
            slope, begin = np.polyfit(number - number[0], np.array(self.times) - moment, 1)
            self.line = float(begin + moment - slope * number[0]), float(slope)
        else:
            self.line = moment - self.line[1] * float(number[0]), self.line[1]

    @property
    def bpm(self) -> float:
        """The tempo, in quarter notes a minute."""
        if self.source != "clock" or len(self.times) < FEWEST or self.line[1] <= 0.0:
            return NO_TEMPO
        result = 60.0 / (CLOCKS * self.line[1])
        return result if SLOWEST <= result <= FASTEST else NO_TEMPO

    def beat_at(self, moment: float) -> float:
        """Where a clock is at a moment."""
        if not self.running or len(self.times) < 2 or self.line[1] <= 0.0:
            return self.beat if not self.running else self.begun
        elapsed = (moment - self.line[0]) / self.line[1]
        return self.begun + max(elapsed, 0.0) / CLOCKS

    def anchor(self, moment: float) -> tuple[float, float]:
        """A beat and the moment it is at: just now, or when it began, where its tempo is not known yet."""
        if self.running and len(self.times) < 2 and self.times:
            return self.begun, self.times[0]
        return self.beat_at(moment), moment

    def _halt(self, moment: float) -> None:
        if self.running:
            self.beat = max(self.beat_at(moment), 0.0)
            self.running = False
            self.stood = max(moment + self.offset, 0.0)
            self.moved += 1
        self.waits, self.lost = False, None
        self.times.clear()
        self.offsets.clear()
        self.pieces.clear()

    # --- MIDI time code ---

    def _code(self, message: bytes, moment: float) -> bool:
        if message[0] == QUARTER_FRAME and len(message) == 2:
            self._piece(message[1] >> 4, message[1] & 15, moment)
        elif message[: len(FULL_FRAME)] == FULL_FRAME and len(message) == 10:
            hours, minutes, seconds, frames = message[5:9]
            self.code = _rate(hours >> 5)
            number = frames_of(hours & 31, minutes, seconds, frames, self.code)
            self._halt(moment)
            self.stood = number / self.code.fps
            self.moved += 1
        else:
            return False
        self.last = moment
        return True

    def _piece(self, piece: int, value: int, moment: float) -> None:
        expected = (max(self.pieces, default=-1) + 1) % 8 if self.pieces else 0
        if piece != expected:
            self.pieces.clear()
            if piece != 0:
                return
        self.pieces[piece] = value
        if piece < 7:
            return
        p, self.pieces = self.pieces, {}
        self.code = _rate(p[7] >> 1)
        number = frames_of(p[6] | (p[7] & 1) << 4, p[4] | p[5] << 4, p[2] | p[3] << 4, p[0] | p[1] << 4, self.code)
        # The first of the eight was sent at that time: the last one comes seven quarters of a frame later.
        song = number / self.code.fps + 7.0 / (QUARTERS * self.code.fps)
        offset = song - moment
        if self.offsets and abs(offset - self.offset) > 1.0 / self.code.fps:
            self.offsets.clear()
        if not self.offsets:
            self.moved += not self.running or abs(offset - self.offset) > 1.0 / self.code.fps
        self.offsets.append(offset)
        self.offset = float(np.mean(self.offsets))
        self.running = True

    def seconds_at(self, moment: float) -> float:
        """Where time code is at a moment, in seconds of the song."""
        return moment + self.offset if self.running else self.stood


def _rate(code: int) -> FrameRate:
    return next(rate for rate in RATES.values() if rate.code == code & 3)
