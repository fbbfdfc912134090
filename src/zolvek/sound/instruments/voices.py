# SPDX-License-Identifier: GPL-3.0-or-later
"""The stand-in synth's raw sound: oscillators, noise and envelopes on (voices, frames) arrays."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Numbers
from zolvek.native import loops

A4_PITCH, A4_HZ = 69, 440.0  # equal temperament, ISO 16


def pitch_hz(pitch: Numbers) -> Floats:
    """The frequency of a MIDI pitch (fractions allowed) in equal temperament."""
    return A4_HZ * np.exp2((np.asarray(pitch, float) - A4_PITCH) / 12.0)


SINE = np.sin(2.0 * np.pi * np.arange(65_536) / 65_536)


def sine(cycles: Floats) -> Floats:
    """A sine of a phase in cycles, from a table: 90 dB of purity at a fraction of the time."""
    return SINE[(cycles * len(SINE)).astype(np.int64) & (len(SINE) - 1)]


def wrapped(cycles: Floats) -> Floats:
    """The phase within its cycle, 0..1; far quicker than a remainder."""
    return cycles - np.floor(cycles)


def _corner(phase: Floats, step: Floats) -> Floats:
    """What takes the aliasing off a jump at phase 0: a two-sample polynomial residual
    (PolyBLEP; Välimäki and Huovilainen, IEEE Signal Processing Magazine, 2007)."""
    before = phase > 1.0 - step
    after = phase < step
    t = np.where(after, phase / step, np.where(before, (phase - 1.0) / step, 0.0))
    return np.where(after, t + t - t * t - 1.0, np.where(before, t * t + t + t + 1.0, 0.0))


def saw(phase: Floats, step: Floats, width: Floats) -> Floats:
    """A rising saw, −1..1; `phase` 0..1 and `step` cycles a sample."""
    done = loops.saw(phase, step)
    return 2.0 * phase - 1.0 - _corner(phase, step) if done is None else done


def pulse(phase: Floats, step: Floats, width: Floats) -> Floats:
    """A pulse that is high for `width` (0..1) of each cycle, its mean taken out."""
    done = loops.pulse(phase, step, width)
    if done is not None:
        return done
    falling = wrapped(phase - width)
    raw = np.where(phase < width, 1.0, -1.0) + _corner(phase, step) - _corner(falling, step)
    return raw - (2.0 * width - 1.0)


# A struck bar tuned as marimbas are, partials at 1 : 4 : 10 (common practice, no source);
# the higher ones are softer and die away sooner.
PARTIALS = ((1.0, 1.0, 1.0), (3.99, 0.32, 0.32), (10.1, 0.1, 0.12))  # ratio, strength, life


def mallet(phase: Floats, step: float, age: Floats, decay: float, tick: int, heard: slice) -> Floats:
    """A struck bar over the frames `heard` of a stretch; `phase` unwrapped cycles there, `step`
    cycles a frame at most, `age` seconds since the stroke at every `tick` frames of the stretch."""
    out = np.zeros_like(phase)
    for ratio, strength, life in PARTIALS:
        fall = 6.9 / (decay * life)
        # Only what still sounds, 80 dB down being the end, and lies below half the rate.
        sounding = int(np.searchsorted(age, 9.2 / fall)) * tick
        count = min(sounding, heard.stop) - heard.start
        if count > 0 and ratio * step < 0.45:
            body = strength * np.exp(np.maximum(age, 0.0) * -fall)
            still = slice(heard.start, heard.start + count)
            if not loops.add_partial(phase[:count], ratio, SINE, body, tick, heard.start, out[:count]):
                out[:count] += joined(body, tick, still) * sine(ratio * phase[:count])
    return out


def joined(ticks: Floats, spacing: int, heard: slice) -> Floats:
    """Values at every `spacing` frames as values at each of the frames `heard`, by lines."""
    done = loops.joined(ticks, spacing, heard.start, heard.stop - heard.start)
    if done is not None:
        return done
    first = heard.start // spacing
    voice_ticks = ticks[first : -(-heard.stop // spacing) + 1]
    part = np.arange(spacing) / spacing
    every = (voice_ticks[:-1, None] + np.diff(voice_ticks)[:, None] * part).reshape(-1)
    return every[heard.start - first * spacing : heard.stop - first * spacing]


# The oscillators in the order of the synth's choices that run on a wrapped phase.
OSCILLATORS = (saw, pulse)


def envelope(age: Floats, off: float, attack: float, decay: float, sustain: float, release: float) -> Floats:
    """Linear attack, exponential decay to the sustain level, exponential release: 0..1.

    All in seconds since the note began; `off` is when the key goes up. Decay and release name
    the time to fall by 60 dB.
    """

    def held(t: Floats) -> Floats:
        falling = sustain + (1.0 - sustain) * np.exp(-np.maximum(t - attack, 0.0) * (6.9 / decay))
        return np.where(t < attack, np.maximum(t, 0.0) / attack, falling)

    after = np.maximum(age - off, 0.0)
    return held(np.minimum(age, off)) * np.exp(-after * (6.9 / release))
