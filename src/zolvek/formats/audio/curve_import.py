# SPDX-License-Identifier: GPL-3.0-or-later
"""A sound file read in as a curve: as the control signal that it is, or by following its level."""

from __future__ import annotations

import os

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.construction import joined
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import LINE
from zolvek.core.curve.thinning import thinned
from zolvek.core.errors import ZolvekError
from zolvek.core.time.tempo import TempoMap

MOST_SAMPLES = 20_000_000  # of one file that are looked at
CONTROL_POINTS = 200_000  # samples up to which shapes are tried, not lines only
MOST_JUMPS = 20_000  # of a control signal: what jumps more often is sound
SUDDEN = 0.02  # of the height: a control signal that goes further in one sample jumps
CONTROL_HZ = 4_000  # at which a control signal is looked at, where it does not jump
FOLLOW_HZ = 200  # places a second at which a level is given


def read(path: str | os.PathLike[str]) -> tuple[Floats, int]:
    """All channels' mean as float64 (frames,), and frames a second. Raises ZolvekError."""
    from zolvek.formats.audio.streams import opened

    try:
        with opened(str(path)) as file:
            if file.frames * file.channels > MOST_SAMPLES:
                raise ZolvekError("The audio is too long for a curve.", str(path), "Shorten it.")
            data = file.read(dtype="float64", always_2d=True)
            rate = int(file.samplerate)
    except ZolvekError:
        raise
    except (OSError, RuntimeError) as error:  # libsndfile's errors are RuntimeErrors
        raise ZolvekError("The audio file can't be read.", str(path), "Use a WAV or FLAC file.") from error
    if len(data) < 2 or rate < 1 or not np.isfinite(data).all():
        raise ZolvekError("The audio file is empty or damaged.", str(path), "Replace it.")
    return data.mean(axis=1), rate


def as_control(
    sound: Floats,
    rate: int,
    tempo: TempoMap,
    first: float,
    tolerance: float = 0.001,
    swing: str = "both",
) -> Curve:
    """The curve that a control signal says, from beat `first` on, thinned within `tolerance` of
    the height. `swing`: it spans "both" (−1 to 1) or "up" (0 to 1)."""
    value = np.clip(0.5 + 0.5 * sound if swing == "both" else sound, 0.0, 1.0)
    begin = float(tempo.seconds(first))
    at = np.arange(len(value))
    change = np.abs(np.diff(value))
    sudden = change > SUDDEN
    # Looked at often enough for any movement, next to each jump, and where a rest ends.
    jumping = np.zeros(len(value), bool)
    jumping[:: max(rate // CONTROL_HZ, 1)] = True
    jumping[[0, -1]] = True
    jumping[1:] |= sudden
    jumping[:-1] |= sudden
    starts = (change[1:] > 0.0) & (change[:-1] == 0.0)
    jumping[1:-1] |= starts | ((change[1:] == 0.0) & (change[:-1] > 0.0))
    jumping[1:-1] &= ~((change[1:] == 0.0) & (change[:-1] == 0.0))
    at, value = at[jumping], value[jumping]
    jumps = np.flatnonzero((np.diff(at) == 1) & (np.abs(np.diff(value)) > SUDDEN))
    if len(jumps) > MOST_JUMPS:
        raise ZolvekError(
            f"It jumps {len(jumps):,} times, so it is audio and not a control signal.",
            remedy="Follow its level instead.",
        )
    beats = tempo.beats(begin + at / rate)
    # A jump lies at the first sample that has its new value.
    beats = np.insert(beats, jumps + 1, beats[jumps + 1])
    value = np.insert(value, jumps + 1, value[jumps])
    return _thinned(beats, value, tolerance)


def followed(
    sound: Floats,
    rate: int,
    tempo: TempoMap,
    first: float,
    attack: float = 0.01,
    release: float = 0.2,
    tolerance: float = 0.005,
) -> Curve:
    """The sound's level as a curve from beat `first` on: the rectified signal through a one-pole
    follower that rises with `attack` and falls with `release` (seconds to go 63 % of the way), its
    highest at 1, thinned."""
    if not (0.0 < attack <= 10.0 and 0.0 < release <= 10.0):
        raise ZolvekError("Attack and release must be above 0 and at most 10 s.", remedy="Use 10 ms and 200 ms.")
    hop = max(rate // FOLLOW_HZ, 1)
    peaks = np.maximum.reduceat(np.abs(sound), np.arange(0, len(sound), hop))
    rise, fall = (float(np.exp(-hop / (rate * seconds))) for seconds in (attack, release))
    level, now = np.empty(len(peaks)), 0.0
    for i, peak in enumerate(peaks.tolist()):
        keep = rise if peak > now else fall
        now = keep * now + (1.0 - keep) * peak
        level[i] = now
    if level.max() <= 0.0:
        raise ZolvekError("The file is silent.", remedy="Choose another file.")
    # What a hop comes to is known at its end.
    seconds = float(tempo.seconds(first)) + np.arange(len(level) + 1) * hop / rate
    jumping = np.append(0.0, level / level.max())
    return _thinned(tempo.beats(seconds), jumping, tolerance)


def _thinned(beats: Floats, value: Floats, tolerance: float) -> Curve:
    drawn = joined(
        np.maximum.accumulate(beats),
        value,
        np.full(len(beats), LINE, np.uint8),
        np.zeros(len(beats)),
    )
    return thinned(drawn, tolerance, shapes=len(beats) < CONTROL_POINTS, quick=True).curve
