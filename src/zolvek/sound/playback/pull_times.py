# SPDX-License-Identifier: GPL-3.0-or-later
"""Where the song is heard, between the pulls of a sound device."""

from __future__ import annotations

from zolvek.core.time.tempo import TempoMap

LATE_BEATS = 0.25  # beats that sound may be late by; going back further is a loop
LONGEST_PULL_S = 0.2  # seconds that the clock goes on by itself after a pull


class Pulls:
    """The time between the moments at which sound was taken. One thread at a time: its owner has the lock."""

    def __init__(self) -> None:
        self.latest = 0.0  # the latest beat that was given
        self.counted: tuple[object, float, float] = (None, 0.0, 0.0)  # tempo, beat, its second

    def begin(self, beat: float) -> None:
        """Playing begins there."""
        self.latest = beat

    def beat_at(
        self,
        rows: list[tuple[float, float]],
        seconds: float,
        beat: float,
        tempo: TempoMap,
        loop: tuple[float, float] | None,
    ) -> float:
        """The beat heard at a time of time.perf_counter, from rows of (time, beat), the latest last; `beat` where
        nothing has been taken."""
        if not rows:
            return beat
        last = (row for row in reversed(rows) if row[0] <= seconds)
        at, beat = next(last, rows[0])
        elapsed = min(max(seconds - at, 0.0), LONGEST_PULL_S)
        if self.counted[:2] != (tempo, beat):
            self.counted = tempo, beat, float(tempo.seconds(beat))  # the same for many moves
        result = float(tempo.beats(self.counted[2] + elapsed))
        if loop is not None and beat < loop[1] <= result:
            result = loop[0] + (result - loop[1])
        # Where sound came late time has gone ahead of it: it waits, and never goes back.
        if loop is None or self.latest - result < LATE_BEATS:
            result = max(result, self.latest)
        self.latest = result
        return result
