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

SILENCE = 1e-30  # a state below this is none: numbers near the smallest are slow to reckon with
RUN = 4_096  # frames solved at a time: what is worked on stays in the processor's cache
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
    return Setting(g, k, (0.0, 0.0, 1.0))


def high_pass(g: Floats, k: Floats) -> Setting:
    return Setting(g, k, (1.0, -k, -1.0))


def band_pass(g: Floats, k: Floats) -> Setting:
    """0 dB at its middle, whatever the Q."""
    return Setting(g, k, (0.0, k, 0.0))


def bell(g: Floats, k: Floats, gain_db: Floats) -> Setting:
    a = np.power(10.0, gain_db / 40.0)
    return Setting(g, k / a, (1.0, k / a * (a * a - 1.0), 0.0))


def low_shelf(g: Floats, k: Floats, gain_db: Floats) -> Setting:
    a = np.power(10.0, gain_db / 40.0)
    return Setting(g / np.sqrt(a), k, (1.0, k * (a - 1.0), a * a - 1.0))


def high_shelf(g: Floats, k: Floats, gain_db: Floats) -> Setting:
    a = np.power(10.0, gain_db / 40.0)
    return Setting(g * np.sqrt(a), k, (a * a, k * (1.0 - a) * a, 1.0 - a * a))


PASSES: tuple[Callable[[Floats, Floats], Setting], ...] = (low_pass, high_pass, band_pass)


def svf(x: Floats, setting: Setting, state: Floats) -> tuple[Floats, Floats]:
    """Filter `x`, (channels, frames). `state`: (channels, 2), zeros at first. Returns the output
    and the state after it.

    The two states follow z[n+1] = A[n]·z[n] + b[n]·x[n]. Written for many samples at once that
    is a lower triangular system with three bands, which BLAS solves from the top down.
    """
    out = np.empty_like(x, dtype=np.float64)
    for start in range(0, x.shape[1], RUN):
        run = slice(start, start + RUN)
        g, k = _run(setting.g, run), _run(setting.k, run)
        direct, band, low = (_run(part, run) for part in setting.mix)
        out[:, run], state = _solved(x[:, run], Setting(g, k, (direct, band, low)), state)
    return out, state


def _run(values: Floats | float, run: slice) -> Any:
    """The values of a run of frames; a single one stands for all."""
    return values if np.ndim(values) == 0 or np.size(values) == 1 else values[run]  # type: ignore[index]


def _solved(x: Floats, setting: Setting, state: Floats) -> tuple[Floats, Floats]:
    from scipy.linalg.blas import dtbsv

    g, k, (direct, band, low) = setting
    frames = x.shape[1]
    a1 = 1.0 / (1.0 + g * (g + k))
    a2 = g * a1
    a3 = g * a2
    bands = np.zeros((4, 2 * frames), order="F")  # row: distance below the diagonal
    bands[2, :-2:2] = _from_second(1.0 - 2.0 * a1)
    bands[3, :-2:2] = _from_second(-2.0 * a2)
    bands[1, 1:-2:2] = _from_second(2.0 * a2)
    bands[2, 1:-2:2] = _from_second(2.0 * a3 - 1.0)
    out, ends = np.empty_like(x, dtype=np.float64), np.empty_like(state)
    for channel, (own, before) in enumerate(zip(x, state, strict=True)):
        fed = np.empty(2 * frames)
        fed[0::2] = 2.0 * a2 * own
        fed[1::2] = 2.0 * a3 * own
        fed[0] += (2.0 * a1[0] - 1.0) * before[0] - 2.0 * a2[0] * before[1]
        fed[1] += 2.0 * a2[0] * before[0] + (1.0 - 2.0 * a3[0]) * before[1]
        after = dtbsv(3, bands, fed, lower=1, diag=1, overwrite_x=1)
        first, second = _before(after[0::2], before[0]), _before(after[1::2], before[1])
        out[channel] = low * (a2 * first + (1.0 - a3) * second + a3 * own)
        if np.any(band):
            out[channel] += band * (a1 * first + a2 * (own - second))
        if np.any(direct):
            out[channel] += direct * own
        ends[channel] = np.where(np.abs(after[-2:]) < SILENCE, 0.0, after[-2:])
    return out, ends


def _from_second(values: Floats) -> Floats:
    """The values from the second sample on; a single value stands for all."""
    return values if len(values) == 1 else values[1:]


def _before(after: Floats, first: float) -> Floats:
    """The state before each sample, from the state after each."""
    out = np.empty_like(after)
    out[0], out[1:] = first, after[:-1]
    return out
