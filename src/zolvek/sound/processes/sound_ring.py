# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound on its way from the process that renders it to the one that feeds the sound device, in memory that both and
the window have mapped: neither waits for the others.

Each word has one writer: the window (what is wanted), the worker (`SoundWriter`) or the side that plays
(`SoundReader`).
"""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

from zolvek.storage.shared_memory import SharedMemory

RING_FRAMES = 1 << 16  # frames held at most
SEGMENTS_HELD, PULLS_HELD = 1_024, 1_024
AHEAD_FRAMES = 1_024  # frames kept ready at least: with a device's own buffer an edit is heard within 60 ms
FIRST_AHEAD = 4_096  # to begin with, until it has shown that less will do
MOST_AHEAD = 12_000  # where the machine does not keep up: sound without gaps, edits heard later
CALM_S, SETTLED_S = 2.0, 30.0  # seconds without being short after which less is kept ready: at first, and where less
# has been too little before
LOW_FRAMES = 192  # with less than that left, the next time it could be too late

(
    # Of the window.
    SERIAL,  # of the present play; sound of earlier ones is left out
    PLAYING,
    LEAST,  # frames that are kept ready at least; 0: as few as will do
    # Of the worker.
    SEGMENT_WRITTEN,
    WRITTEN,  # frames in all
    READY_SERIAL,  # of the play of which enough has come to begin
    ENDED_SERIAL,  # of the play that has come to its end
    AHEAD,
    # Of the side that plays.
    SEGMENT_READ,
    READ,  # frames in all
    BEAT,  # that is heard (float64), of the play below
    BEAT_SERIAL,
    STOPPED_SERIAL,  # of the play whose end has been heard
    PULLED,
    DRY,  # times that sound was wanted in the middle of playing, and was not ready
    MOVING_SERIAL,  # of the play of which something has been heard
) = range(16)
WORDS = 32

# A stretch: where in the count of all that was written it begins, its frames, its play, the beats at its ends.
SEGMENT = np.dtype([("begin", "<i8"), ("count", "<i8"), ("serial", "<i8"), ("beat", "<f8"), ("last", "<f8")])
# Sound was taken: seconds of time.perf_counter (the system's, the same in every process), the beat, the play.
PULL = np.dtype([("time", "<f8"), ("beat", "<f8"), ("serial", "<i8")])


class SoundRing(SharedMemory):
    """`words` (and the same as float64, `reals`), `segments`, `pulls`, and `sound`, float32 (frames, 2)."""

    NAME = "zolvek-sound"
    PARTS = (
        ("words", (WORDS,), np.dtype("<i8")),
        ("segments", (SEGMENTS_HELD,), SEGMENT),
        ("pulls", (PULLS_HELD,), PULL),
        ("sound", (RING_FRAMES, 2), np.dtype("<f4")),
    )

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self.words, self.segments = self.arrays["words"], self.arrays["segments"]
        self.pulls, self.sound = self.arrays["pulls"], self.arrays["sound"]
        self.reals = self.words.view(np.float64)


class SoundWriter:
    """The worker's side: keeps as much ready as is needed."""

    def __init__(self, ring: SoundRing) -> None:
        self.ring, self.words = ring, ring.words
        self.serial = 0
        self.own = 0  # frames of this play
        self.stepped = time.monotonic()  # when what is kept ready was changed last
        self.floor = AHEAD_FRAMES  # what has been too little
        self.dry = int(self.words[DRY])
        self.words[AHEAD] = self.words[AHEAD] or FIRST_AHEAD

    def begin(self, serial: int) -> None:
        """A play begins."""
        self.serial, self.own = serial, 0

    @property
    def held(self) -> int:
        """Frames of this play that have not been heard."""
        words = self.words
        return min(int(words[WRITTEN]) - int(words[READ]), self.own)

    @property
    def room(self) -> bool:
        """Whether more is wanted now."""
        words = self.words
        segments = int(words[SEGMENT_WRITTEN]) - int(words[SEGMENT_READ])
        inside = int(words[WRITTEN]) - int(words[READ]) < RING_FRAMES // 2 and segments < SEGMENTS_HELD // 2
        return inside and self.held < max(int(words[AHEAD]), int(words[LEAST]))

    def write(self, beat: float, last: float, sound: np.ndarray) -> int:
        """Add float32 (frames, channels); returns where in the count of all it begins."""
        ring, words = self.ring, self.words
        self._adapt()
        begin, count = int(words[WRITTEN]), len(sound)
        first = begin & (RING_FRAMES - 1)
        part = min(count, RING_FRAMES - first)
        ring.sound[first : first + part] = sound[:part, :2]
        ring.sound[: count - part] = sound[part:, :2]
        row = int(words[SEGMENT_WRITTEN]) & (SEGMENTS_HELD - 1)
        ring.segments[row] = (begin, count, self.serial, beat, last)
        words[WRITTEN] = begin + count
        words[SEGMENT_WRITTEN] += 1
        self.own += count
        return begin

    def update(self, ended: bool) -> None:
        """Report whether enough has come, and whether it was all."""
        self.words[ENDED_SERIAL] = self.serial if ended else 0
        if ended or not self.room:
            self.words[READY_SERIAL] = self.serial

    def _adapt(self) -> None:
        """Keep more ready where that was nearly too little, and less again after a calm while."""
        words, now = self.words, time.monotonic()
        ahead, dry = int(words[AHEAD]), int(words[DRY])
        began = words[MOVING_SERIAL] == self.serial
        if began and (dry > self.dry or self.held < LOW_FRAMES):
            words[AHEAD] = self.floor = min(ahead * 3 // 2, MOST_AHEAD)
            self.stepped = now
        elif began and now - self.stepped > (CALM_S if ahead > self.floor else SETTLED_S):
            words[AHEAD] = max(ahead * 3 // 4, AHEAD_FRAMES)
            self.floor = min(self.floor, int(words[AHEAD]))
            self.stepped = now
        self.dry = dry


class SoundReader:
    """The side that plays. One thread at a time."""

    def __init__(self, ring: SoundRing) -> None:
        self.ring, self.words = ring, ring.words

    def pull(self, frames: int, played: bool = False) -> np.ndarray:
        """The next sound, float32 (frames, 2); silence where nothing is ready. `played`: its time is just over, as
        the silent clock has it; else it is about to begin."""
        out = np.zeros((frames, 2), np.float32)
        words = self.words
        serial = int(words[SERIAL])
        if not words[PLAYING] or words[STOPPED_SERIAL] == serial:
            return out
        filled, moving = self._fill(out, serial, played)
        if filled < frames and words[READY_SERIAL] == serial:
            if words[ENDED_SERIAL] == serial and words[SEGMENT_READ] == words[SEGMENT_WRITTEN]:
                words[STOPPED_SERIAL] = serial
            else:
                words[DRY] += words[MOVING_SERIAL] == serial
        if moving and played:
            self._note(serial)
        return out

    def _fill(self, out: np.ndarray, serial: int, played: bool) -> tuple[int, bool]:
        """Copy what there is; returns its frames, and whether the song moves in it."""
        ring, words, filled, moving = self.ring, self.words, 0, False
        while filled < len(out) and words[SEGMENT_READ] < words[SEGMENT_WRITTEN]:
            begin, count, of, beat, last = ring.segments[int(words[SEGMENT_READ]) & (SEGMENTS_HELD - 1)].item()
            if of != serial:
                if of > serial:
                    break  # of a play that is wanted a moment later
                words[READ] = max(begin + count, int(words[READ]))
                words[SEGMENT_READ] += 1
                continue
            if words[READY_SERIAL] != serial:
                break
            used = max(int(words[READ]) - begin, 0)
            part = min(len(out) - filled, count - used)
            if filled == 0 and last > beat and not played:  # not during a count-in
                self._set(beat + (last - beat) * used / count, serial)
                self._note(serial)
            moving = moving or last > beat
            self._copy(out[filled : filled + part], begin + used)
            filled, used = filled + part, used + part
            self._set(beat + (last - beat) * used / count, serial)
            words[READ] = begin + used
            words[SEGMENT_READ] += used == count
            words[MOVING_SERIAL] = serial
        return filled, moving

    def _copy(self, out: np.ndarray, begin: int) -> None:
        first = begin & (RING_FRAMES - 1)
        part = min(len(out), RING_FRAMES - first)
        out[:part] = self.ring.sound[first : first + part]
        out[part:] = self.ring.sound[: len(out) - part]

    def _set(self, beat: float, serial: int) -> None:
        self.ring.reals[BEAT] = beat
        self.words[BEAT_SERIAL] = serial

    def _note(self, serial: int) -> None:
        row = int(self.words[PULLED]) & (PULLS_HELD - 1)
        self.ring.pulls[row] = (time.perf_counter(), self.ring.reals[BEAT], serial)
        self.words[PULLED] += 1


class TakenRows:
    """When sound was taken, and the beat then; worked out once for all that is asked up to the next time."""

    def __init__(self, ring: SoundRing) -> None:
        self.ring = ring
        self.key = -1, -1
        self.rows: list[tuple[float, float]] = []

    def of(self, serial: int) -> list[tuple[float, float]]:
        """Those of a play, the latest last."""
        count = int(self.ring.words[PULLED])
        if self.key != (count, serial):
            rows = self.ring.pulls[np.arange(max(count - PULLS_HELD + 8, 0), count) & (PULLS_HELD - 1)]
            rows = rows[rows["serial"] == serial]
            self.key = count, serial
            self.rows = list(zip(rows["time"].tolist(), rows["beat"].tolist(), strict=True))
        return self.rows
