"""A filter whose cutoff may change at every sample, without a Python loop over samples.

The topology-preserving state-variable low-pass (Zavalishin, The Art of VA Filter Design,
chapter 4): bilinear, so that at resonance 0 its −3 dB point is the cutoff exactly.
"""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats

SILENCE = 1e-30  # a state below this is none: numbers near the smallest are slow to reckon with


def damping(resonance: Floats) -> Floats:
    """The filter's k = 1/Q for a resonance of 0..1: Butterworth at 0, near self-oscillation at 1."""
    return np.sqrt(2.0) * (1.0 - resonance) ** 1.5 + 0.04 * resonance


def lowpass(x: Floats, g: Floats, k: Floats, state: Floats) -> tuple[Floats, Floats]:
    """Low-pass `x`.

    `x`: (frames,). `g` = tan(π·cutoff/rate) and `k` = 1/Q: (frames,) or (1,). `state`: (2,),
    zeros at first. Returns the output and the state after it.

    The two states follow z[n+1] = A[n]·z[n] + b[n]·x[n]. Written for all samples at once that
    is a lower triangular system with three bands, which BLAS solves from the top down.
    """
    from scipy.linalg.blas import dtbsv

    a1 = 1.0 / (1.0 + g * (g + k))
    a2 = g * a1
    a3 = g * a2
    bands = np.zeros((4, 2 * len(x)), order="F")  # row: distance below the diagonal
    bands[2, :-2:2] = _from_second(1.0 - 2.0 * a1)
    bands[3, :-2:2] = _from_second(-2.0 * a2)
    bands[1, 1:-2:2] = _from_second(2.0 * a2)
    bands[2, 1:-2:2] = _from_second(2.0 * a3 - 1.0)
    fed = np.empty(2 * len(x))
    fed[0::2] = 2.0 * a2 * x
    fed[1::2] = 2.0 * a3 * x
    fed[0] += (2.0 * a1[0] - 1.0) * state[0] - 2.0 * a2[0] * state[1]
    fed[1] += 2.0 * a2[0] * state[0] + (1.0 - 2.0 * a3[0]) * state[1]
    after = dtbsv(3, bands, fed, lower=1, diag=1, overwrite_x=1)
    first, second = _before(after[0::2], state[0]), _before(after[1::2], state[1])
    last = np.where(np.abs(after[-2:]) < SILENCE, 0.0, after[-2:])
    return a2 * first + (1.0 - a3) * second + a3 * x, last


def _from_second(values: Floats) -> Floats:
    """The values from the second sample on; a single value stands for all."""
    return values if len(values) == 1 else values[1:]


def _before(after: Floats, first: float) -> Floats:
    """The state before each sample, from the state after each."""
    out = np.empty_like(after)
    out[0], out[1:] = first, after[:-1]
    return out
