# SPDX-License-Identifier: GPL-3.0-or-later
"""Level and pan: gains without clicks, and the pan law."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.sound.signal.automation import Controls

GLIDE_SECONDS = 0.0015  # in which a sudden change of level is taken, against clicks


def level_gain(decibels: Floats) -> Floats:
    """The gain of a level in dB; silence at −∞."""
    return np.power(10.0, decibels / 20.0)


def mixed(dry: Floats, wet: Floats, controls: Controls) -> Floats:
    """Dry and wet in the share that the parameter "mix" gives."""
    share = controls.spread(controls.values("mix")) / 100.0
    return dry * (1.0 - share) + wet * share


def smoothed(gain: Floats, frames: int, rate: int, state: float) -> tuple[Floats, float]:
    """The gain with its jumps rounded off by a one-pole low-pass, and where it ends. Both have
    one value, which stands for all, or one a frame; `state` is where the last stretch ended,
    negative when there was none."""
    from scipy.signal import lfilter

    if state < 0.0:
        state = float(gain[0])
    if len(gain) == 1 and abs(gain[0] - state) < 1e-12:
        return np.array([state]), state
    keep = float(np.exp(-1.0 / (GLIDE_SECONDS * rate)))
    full = np.full(frames, float(gain[0])) if len(gain) == 1 else np.asarray(gain, float)
    out, _ = lfilter([1.0 - keep], [1.0, -keep], full, zi=[keep * state])
    return out, float(out[-1])


def pan_gains(pan: Floats) -> Floats:
    """Left and right gain, (2, …), for pan −1..1: constant power, −3 dB each at the centre
    (the sine–cosine law; Rumsey and McCormick, Sound and Recording, "pan-pots")."""
    angle = (np.asarray(pan, float) + 1.0) * (np.pi / 4.0)
    return np.stack((np.cos(angle), np.sin(angle)))


def matching_gains(one: float, other: float) -> tuple[float, float]:
    """Gains that bring two loudnesses (LUFS) together, the louder one turned down; a silent one
    changes nothing."""
    if not (np.isfinite(one) and np.isfinite(other)):
        return 1.0, 1.0
    target = min(one, other)
    return float(10.0 ** ((target - one) / 20.0)), float(10.0 ** ((target - other) / 20.0))
