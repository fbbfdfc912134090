# SPDX-License-Identifier: GPL-3.0-or-later
"""Tracks kept together, where devices give their sound late: what goes with a sound, its beats above all, is as late as
the sound is, and the tracks that are early wait for the others."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.time.meter import MeterMap
from zolvek.core.time.tempo import TempoMap
from zolvek.sound.signal.automation import LEAD_FRAMES, Block

KEPT_FRAMES = 16_384  # frames that a line keeps beyond its delay: where it grows, what comes is not silence
FADE_FRAMES = 1_024  # frames, 21 ms at 48 kHz, in which a line goes over to another delay


class FrameDelay:
    """A sound later by a number of frames, which may change from one stretch to the next: it goes over by a
    cross-fade."""

    def __init__(self, delay: int) -> None:
        self.delay = delay
        self.kept = np.zeros((2, delay))

    def by(self, frames: int, sound: Floats) -> Floats:
        """The stretch as it comes `frames` later; what is not given yet is kept for the next."""
        missing = max(frames, self.delay) - self.kept.shape[1]
        if missing > 0:
            self.kept = np.concatenate((np.zeros((2, missing)), self.kept), axis=1)
        whole = np.concatenate((self.kept, sound), axis=1)
        count, held = sound.shape[1], self.kept.shape[1]
        out = whole[:, held - frames : held - frames + count]
        if frames != self.delay:
            fade = min(FADE_FRAMES, count)
            share = np.arange(1, fade + 1) / fade
            before = whole[:, held - self.delay : held - self.delay + fade]
            out = out.copy()
            out[:, :fade] = share * out[:, :fade] + (1.0 - share) * before
            self.delay = frames
        self.kept = whole[:, -(frames + KEPT_FRAMES) :]
        return out


class Alignment:
    """Delays by track and device. `late`: frames that all of what comes out is late by; `always`: lines are kept for
    what is not late too, as it may become so."""

    def __init__(self) -> None:
        self.lines: dict[tuple[str, str], FrameDelay] = {}
        self.late = 0
        self.always = False

    def forget(self) -> None:
        """What is kept is released: the next sound is of another place."""
        self.lines.clear()

    def line(self, key: str, what: str, frames: int, sound: Floats) -> Floats:
        """The delay line of a sound that has to be later by `frames`."""
        delay = self.lines.get((key, what))
        if delay is None:
            if frames == 0 and not self.always:
                return sound
            delay = self.lines[key, what] = FrameDelay(frames)
        return delay.by(frames, sound)


class SongHistory:
    """The song's frames and beats of what has been rendered last, so that what is late can be given those that go
    with it: through loops, too."""

    def __init__(self) -> None:
        self.song: Ints = np.empty(0, np.int64)
        self.beats: Floats = np.empty(0)
        self.count = 0  # frames of the present stretch
        self.blocks: dict[int, Block] = {}

    def forget(self) -> None:
        """Forget earlier stretches, as after a jump."""
        self.song, self.beats, self.count = self.song[:0], self.beats[:0], 0
        self.blocks.clear()

    def add(self, first: int, beats: Floats, most: int) -> None:
        """The next stretch, which begins at frame `first` of the song; `most`: frames that anything is late by."""
        keep = most + LEAD_FRAMES + 1
        self.song = np.concatenate((self.song[-keep:], np.arange(first, first + len(beats))))
        self.beats = np.concatenate((self.beats[-keep:], beats))
        self.count = len(beats)
        self.blocks.clear()

    def block(self, late: int, tempo: TempoMap, meter: MeterMap, rate: int) -> Block:
        """What a device hears of the song now whose sound is so many frames late."""
        if late not in self.blocks:
            lacking = late + LEAD_FRAMES - (len(self.song) - self.count)
            if lacking > 0:
                self._reach_back(lacking, tempo, rate)
            end = len(self.song) - late
            first = end - self.count
            song = self.song[first:end]
            jumps = self.count > 1 and int(song[-1] - song[0]) != self.count - 1
            broken = jumps or bool((np.diff(song) != 1).any()) if late else False
            before = self.beats[first - LEAD_FRAMES : first]
            if self.song[first] - self.song[first - LEAD_FRAMES] != LEAD_FRAMES:
                before = before[:0]  # the song has come from elsewhere
            self.blocks[late] = Block(
                self.beats[first:end], rate, int(song[0]), before, song if broken else None, tempo, meter
            )
        return self.blocks[late]

    def _reach_back(self, count: int, tempo: TempoMap, rate: int) -> None:
        """As if the song had been played before where it was begun."""
        begins = int(self.song[0])
        song = np.arange(begins - count, begins)
        self.song = np.concatenate((song, self.song))
        self.beats = np.concatenate((tempo.beats(np.maximum(song, 0) / rate), self.beats))

    def unbroken(self, late: int, frames: int) -> int:
        """How many of the next frames that come out, `late` by so many, go on from one to the next."""
        waiting = self.song[-late:] if late else self.song[:0]
        if len(waiting) < 2:
            return frames
        breaks = np.flatnonzero(np.diff(waiting) != 1)
        return min(frames, int(breaks[0]) + 1) if breaks.size else frames
