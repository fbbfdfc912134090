# SPDX-License-Identifier: GPL-3.0-or-later
"""Oscillator phases and noise, by the song's frames, so that a passage sounds the same wherever
playing was begun."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.native import loops
from zolvek.sound.signal.automation import Block, Controls

PIECE_FRAMES = 1 << 18  # frames that a phase is worked out for at a time
NOISE_FRAMES = 4_096  # frames of noise that are drawn together
MOST_STARTS = 64


class Phase:
    """The cycles that a parameter in Hz has gone through since the song's start. It goes on from stretch to stretch;
    where the song goes elsewhere it is worked out again."""

    def __init__(self, key: str, spacing: int, rate: int) -> None:
        self.key, self.spacing, self.rate = key, spacing, rate
        self.next, self.cycles = -1, 0.0
        self.starts: dict[int, float] = {}  # of places begun at before, as long as nothing changes
        self.of: object = None  # what they were worked out from

    def through(self, controls: Controls, most: float = np.inf) -> tuple[float, Floats]:
        """The phase before the stretch's first frame, and after each of its frames, in cycles. `most`: cycles in a
        frame at most."""
        stretch = controls.stretch
        step = np.minimum(controls.spread(controls.values(self.key)) / self.rate, most)
        steps = np.cumsum(np.broadcast_to(step, (stretch.frames,)))
        out = np.empty(stretch.frames)
        begins = 0.0
        for first, last in stretch.runs:
            frame = stretch.frame if stretch.song is None else int(stretch.song[first])
            if frame != self.next:
                self.cycles = self._since_start(controls, frame, most)
            start = self.cycles
            if first == 0:
                begins = start
            out[first:last] = start + steps[first:last] - (steps[first - 1] if first else 0.0)
            self.cycles = float(out[last - 1])
            self.next = frame + last - first
        return begins, out

    def _since_start(self, controls: Controls, frame: int, most: float) -> float:
        lane = controls.lanes.get(self.key)
        if lane is None or frame <= 0:  # before its start the song stands where it begins
            return min(float(controls.values(self.key)[0]) / self.rate, most) * frame
        if self.of is not lane:
            self.of = lane
            self.starts.clear()
        if frame not in self.starts:
            if len(self.starts) >= MOST_STARTS:
                self.starts.clear()
            self.starts[frame] = self._summed(controls, frame, most)
        return self.starts[frame]

    def _summed(self, controls: Controls, frame: int, most: float) -> float:
        tempo = controls.stretch.tempo
        total = 0.0
        for first in range(0, frame, PIECE_FRAMES):
            song = np.arange(first, min(first + PIECE_FRAMES, frame))
            beats = tempo.beats(song / self.rate)
            run = Controls(controls.device, controls.lanes, Block(beats, self.rate, first), self.spacing)
            values = np.minimum(np.broadcast_to(run.values(self.key), run.counts.shape) / self.rate, most)
            total += float((values * run.counts).sum())
        return total


class FrameNoise:
    """Even noise, 0..1, of which each of the song's frames has its own."""

    def __init__(self, seed: int) -> None:
        self.seed = seed

    def of(self, stretch: Block) -> Floats:
        """One number for each frame of a stretch."""
        parts = []
        for first, last in stretch.runs:
            frame = stretch.frame if stretch.song is None else int(stretch.song[first])
            parts.append(self._from(frame, last - first))
        return parts[0] if len(parts) == 1 else np.concatenate(parts)

    def _from(self, frame: int, count: int) -> Floats:
        pieces = range(frame // NOISE_FRAMES, (frame + count - 1) // NOISE_FRAMES + 1)
        drawn = np.concatenate([_drawn(self.seed, piece) for piece in pieces])
        begins = frame - pieces[0] * NOISE_FRAMES
        return drawn[begins : begins + count]


def _plain(seed: int, piece: int) -> Floats:
    key = np.array([seed, piece & 0xFFFFFFFFFFFFFFFF], np.uint64)
    raw = np.random.Philox(key=key).random_raw(NOISE_FRAMES)
    result: Floats = (raw >> np.uint64(11)).astype(np.float64) * 2.0**-53
    return result


@lru_cache(maxsize=64)
def _drawn(seed: int, piece: int) -> Floats:
    """Raw numbers of the generator: its distributions may change between versions."""
    done = loops.noise(seed, piece, NOISE_FRAMES)
    result = _plain(seed, piece) if done is None else done
    result.flags.writeable = False
    return result
