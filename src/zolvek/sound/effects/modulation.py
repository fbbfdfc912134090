# SPDX-License-Identifier: GPL-3.0-or-later
"""Chorus and phaser: a sine takes a delay, or the place of notches, back and forth. It stands where the song's frame
says,
so that they sound the same wherever playing was begun."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.native import loops
from zolvek.sound.effects.delay import Line
from zolvek.sound.signal.automation import FINE_FRAMES, Controls
from zolvek.sound.signal.mixing import mixed
from zolvek.sound.signal.phases import Phase

LONGEST_S = 0.11  # seconds: the longest centre delay, taken as far as it goes
SWING = 0.9  # of the centre delay, that full depth takes it back and forth
STAGES = 6  # of the phaser: three notches
OCTAVES = 2.0  # that full depth takes the notches back and forth
LOWEST, HIGHEST = 20.0, 0.45  # Hz, and of the rate: where notches can be


def _sine(phase: Phase, controls: Controls) -> Floats:
    _, cycles = phase.through(controls)
    return np.sin(2.0 * np.pi * cycles)


class Chorus:
    """A copy whose delay wavers (Dattorro, Effect design part 2, Journal of the AES 45, 1997)."""

    spacing = FINE_FRAMES
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        self.rate, self.line = rate, Line(LONGEST_S, rate)
        self.phase = Phase("rate", FINE_FRAMES, rate)

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """The sound with its chorus, float64 (2, frames)."""
        depth = controls.spread(controls.values("depth")) / 100.0
        centre = controls.each_frame("delay") * self.rate
        back = centre * (1.0 + SWING * depth * _sine(self.phase, controls))
        feedback = controls.spread(controls.values("feedback")) / 100.0
        return mixed(sound, self.line.through(sound, back, feedback), controls)


class Phaser:
    """All-passes of the first order in a row, whose corner wanders; what comes out goes in again (Zölzer, DAFX, 2nd
    edition 2011, 2.4; each all-pass by its trapezoidal integrator, Zavalishin, The art of VA filter design)."""

    spacing = FINE_FRAMES
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        self.rate = rate
        self.phase = Phase("rate", FINE_FRAMES, rate)
        self.state = np.zeros((2, STAGES + 1))  # of each stage, and what came out last

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """The sound with its notches, float64 (2, frames)."""
        depth = controls.spread(controls.values("depth")) / 100.0
        centre = controls.each_frame("centre")
        hertz = centre * 2.0 ** (OCTAVES * depth * _sine(self.phase, controls))
        g = np.tan(np.pi * np.clip(hertz, LOWEST, HIGHEST * self.rate) / self.rate)
        feedback = controls.spread(controls.values("feedback")) / 100.0
        frames = sound.shape[1]
        share = np.broadcast_to(g / (1.0 + g), (frames,))
        back = np.broadcast_to(feedback, (frames,))
        wet = loops.all_passes(sound, share, back, self.state)
        if wet is None:
            wet = _all_passes(sound, share, back, self.state)
        return mixed(sound, wet, controls)


def _all_passes(sound: Floats, share: Floats, feedback: Floats, state: Floats) -> Floats:
    """The plain form of what loops.c does: each frame needs the one before it."""
    channels, frames = sound.shape
    out = np.empty((channels, frames))
    for channel in range(channels):
        memory = state[channel]
        stages = len(memory) - 1
        last = memory[stages]
        for n in range(frames):
            y = sound[channel, n] + feedback[n] * last
            for stage in range(stages):
                step = (y - memory[stage]) * share[n]
                low = step + memory[stage]
                memory[stage] = low + step
                y = 2.0 * low - y
            last = y
            out[channel, n] = y
        memory[stages] = last
    return out
