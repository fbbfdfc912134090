# SPDX-License-Identifier: GPL-3.0-or-later
"""A filter whose settings may change at every sample, without a Python loop over samples.

The topology-preserving state-variable filter (Zavalishin, The Art of VA Filter Design, chapter
4): bilinear, so that its responses are those of the audio-EQ cookbook's biquads exactly
(Bristow-Johnson; W3C Audio EQ Cookbook). The mixes that make bells and shelves of it are
Simper's (Solving the continuous SVF equations using trapezoidal integration, 2013).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.native import loops

SILENCE = 1e-30  # a state below this is none: numbers near the smallest are slow to compute with
RUN_FRAMES = 8_192  # frames solved at a time: what is worked on stays in the processor's cache
HIGHEST = 0.49  # of the sample rate: corners above it stay here


def damping(resonance: Floats) -> Floats:
    """The filter's k = 1/Q for a resonance of 0..1: Butterworth at 0, near self-oscillation at 1."""
    return np.sqrt(2.0) * (1.0 - resonance) ** 1.5 + 0.04 * resonance


def warped(hertz: Floats, rate: int) -> Floats:
    """g = tan(π·f/rate), which the bilinear transform makes of a corner at f Hz."""
    return np.tan(np.pi * np.minimum(hertz, HIGHEST * rate) / rate)


class Setting(NamedTuple):
    """What `svf` takes: g, k and the mix of input, band and low, each one value or one a frame."""

    g: Floats
    k: Floats
    mix: tuple[Floats | float, Floats | float, Floats | float]


def low_pass(g: Floats, k: Floats) -> Setting:
    """Coefficients of a low-pass (Zavalishin, The Art of VA Filter Design)."""
    return Setting(g, k, (0.0, 0.0, 1.0))


def high_pass(g: Floats, k: Floats) -> Setting:
    """Coefficients of a high-pass."""
    return Setting(g, k, (1.0, -k, -1.0))


def band_pass(g: Floats, k: Floats) -> Setting:
    """0 dB at its middle, whatever the Q."""
    return Setting(g, k, (0.0, k, 0.0))


def bell(g: Floats, k: Floats, gain_db: Floats) -> Setting:
    """Coefficients of a bell of a gain in dB."""
    a = np.power(10.0, gain_db / 40.0)
    return Setting(g, k / a, (1.0, k / a * (a * a - 1.0), 0.0))


def low_shelf(g: Floats, k: Floats, gain_db: Floats) -> Setting:
    """Coefficients of a low shelf of a gain in dB."""
    a = np.power(10.0, gain_db / 40.0)
    return Setting(g / np.sqrt(a), k, (1.0, k * (a - 1.0), a * a - 1.0))


def high_shelf(g: Floats, k: Floats, gain_db: Floats) -> Setting:
    """Coefficients of a high shelf of a gain in dB."""
    a = np.power(10.0, gain_db / 40.0)
    return Setting(g * np.sqrt(a), k, (a * a, k * (1.0 - a) * a, 1.0 - a * a))


PASSES: tuple[Callable[[Floats, Floats], Setting], ...] = (low_pass, high_pass, band_pass)


def svf(x: Floats, setting: Setting, state: Floats) -> tuple[Floats, Floats]:
    """Filter `x`, (channels, frames). `state`: (channels, 2), zeros at first. Returns the output
    and the state after it.

    The two states follow z[n+1] = A[n]·z[n] + b[n]·x[n]. In C a frame at a time;
    written for many samples at once a lower triangular system with three bands, which BLAS solves from the top down.
    """
    done = loops.svf(x, (setting.g, setting.k, *setting.mix), state)
    return _in_runs(x, setting, state) if done is None else done


def _in_runs(x: Floats, setting: Setting, state: Floats) -> tuple[Floats, Floats]:
    frames = x.shape[1]
    out = np.empty_like(x, dtype=np.float64)
    bands = np.zeros((min(RUN_FRAMES, frames), 2, 4))  # worked on run after run
    for start in range(0, frames, RUN_FRAMES):
        run = slice(start, start + RUN_FRAMES)
        g, k = _run(setting.g, run), _run(setting.k, run)
        mix = tuple(_run(part, run) for part in setting.mix)
        own = bands[: min(RUN_FRAMES, frames - start)]
        out[:, run], state = _solved(x[:, run], Setting(g, k, mix), state, own)
    return out, state


def _run(values: Floats | float, run: slice) -> Any:
    """The values of a run of frames; a single one stands for all."""
    return values if np.ndim(values) == 0 or np.size(values) == 1 else values[run]  # type: ignore[index]  # run is a slice of what is an array there


def _solved(x: Floats, setting: Setting, state: Floats, bands: Floats) -> tuple[Floats, Floats]:
    """A run of frames. `bands`, (frames, 2, 4): for each state of each sample what it gives to
    itself and the three states that follow; the last sample's go nowhere."""
    from scipy.linalg.blas import dtbsv

    g, k, (direct, band, low) = setting
    a1 = 1.0 / (1.0 + g * (g + k))
    first_to_second = 2.0 * g * a1
    first_kept, second_kept = 2.0 * a1 - 1.0, 1.0 - g * first_to_second
    sound_to_second = g * first_to_second
    bands[:-1, 0, 2] = -_from_second(first_kept)
    bands[:-1, 0, 3] = -_from_second(first_to_second)
    bands[:-1, 1, 1] = _from_second(first_to_second)
    bands[:-1, 1, 2] = -_from_second(second_kept)
    matrix = bands.reshape(-1, 4).T
    out, ends = np.empty_like(x, dtype=np.float64), np.empty_like(state)
    for channel, (samples, before) in enumerate(zip(x, state, strict=True)):
        states = np.empty((len(samples) + 1, 2))
        states[0] = before
        fed = states[1:]
        np.multiply(first_to_second, samples, out=fed[:, 0])
        np.multiply(sound_to_second, samples, out=fed[:, 1])
        fed[0, 0] += first_kept[0] * before[0] - first_to_second[0] * before[1]
        fed[0, 1] += first_to_second[0] * before[0] + second_kept[0] * before[1]
        fed[:] = dtbsv(3, matrix, fed.reshape(-1), lower=1, diag=1).reshape(-1, 2)
        # The trapezoidal rule: what comes out lies half-way between the states around it.
        out[channel] = 0.5 * low * (states[:-1, 1] + states[1:, 1])
        if np.any(band):
            out[channel] += 0.5 * band * (states[:-1, 0] + states[1:, 0])
        if np.any(direct):
            out[channel] += direct * samples
        ends[channel] = np.where(np.abs(states[-1]) < SILENCE, 0.0, states[-1])
    return out, ends


def _from_second(values: Floats) -> Floats:
    """The values from the second sample on; a single value stands for all."""
    return values if len(values) == 1 else values[1:]
