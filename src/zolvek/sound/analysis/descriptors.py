# SPDX-License-Identifier: GPL-3.0-or-later
"""What a passage of sound is like, in numbers that the trade and the literature know, each with its unit.

Spectral centroid, flatness and flux: Lerch, “An Introduction to Audio Content Analysis” (2012), chapter 3; loudness:
ITU-R BS.1770-4; the rate of a movement: the strongest component of the level's spectrum (modulation spectrum; Houtgast
and Steeneken, Acustica 28, 1973).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.sound.analysis.measures import loudness

FRAME, HOP = 2_048, 512
BANDS, LOWEST_HZ = 24, 40.0
FLOOR = 1e-10  # of power, 100 dB below full scale
SILENT_LUFS = -70.0  # the standard's absolute gate
WIDEST_DB = 60.0
RATE_RANGE_HZ = (0.4, 14.0)  # faster ones are the lowest notes' own waves
RATE_PROMINENCE = 4.0  # of the strongest component over the mean of all, below which nothing moves regularly
SPACE_S = (0.1, 0.5)  # seconds after the end of what is played
TAIL_S = 0.6  # seconds that are rendered after the passage, for `space`
PITCH_STEPS = 10  # bins a semitone of the spectra that are shifted against each other
PITCH_RANGE = 24  # semitones
PITCH_LIKENESS = 0.8  # correlation from which one spectrum is the other one, shifted


class Measure(NamedTuple):
    """A measure: its key, what it is called, its unit, the least difference that counts, and how much counts as one
    unit of change in all."""

    key: str
    name: str
    unit: str
    least: float
    one: float
    more: str  # what more of it is called


# Least differences: just noticeable ones, rounded (loudness and pitch: Zwicker and Fastl, "Psychoacoustics", chapter 7;
# the others common practice, no source).
MEASURES = (
    Measure("brightness", "Brightness", "oct", 0.05, 1.0, "brighter"),
    Measure("loudness", "Loudness", "LU", 0.3, 6.0, "louder"),
    Measure("width", "Width", "dB", 0.5, 6.0, "wider"),
    Measure("noise", "Noise", "", 0.01, 0.2, "noisier"),
    Measure("movement", "Movement", "dB", 0.05, 1.0, "busier"),
    Measure("rate", "Rate", "Hz", 0.25, 4.0, "faster"),
    Measure("space", "Space", "dB", 1.0, 12.0, "more spacious"),
    Measure("pitch", "Pitch", "st", 0.1, 12.0, "higher"),
)
KEYS = tuple(measure.key for measure in MEASURES)
BY_KEY = {measure.key: measure for measure in MEASURES}


class Description(NamedTuple):
    """Brightness in octaves above 1 Hz, loudness in LUFS, width in dB (side over mid), noise 0..1 (flatness), movement
    in dB a hop (flux), rate in Hz, space in dB (after the passage over in it), and `tones`: the mean
    spectrum over even steps of pitch, against which others are shifted. Not a number: there is nothing to say it of."""

    brightness: float
    loudness: float
    width: float
    noise: float
    movement: float
    rate: float
    space: float
    tones: Floats


def describe(sound: Floats, rate: int, frames: int) -> Description:
    """Of float64 (2, n) whose first `frames` are the passage, and the rest what rings on after it."""
    passage = sound[:, :frames]
    power = _power(passage.mean(axis=0))
    hertz = np.fft.rfftfreq(FRAME, 1.0 / rate)
    silent = float(np.square(passage).mean()) < FLOOR
    mean = power.mean(axis=0)
    return Description(
        np.nan if silent else _brightness(mean, hertz),
        SILENT_LUFS if silent else max(loudness(passage, rate), SILENT_LUFS),
        np.nan if silent else _width(passage),
        np.nan if silent else flatness(power),
        flux(band_levels(power, rate)),
        modulation_rate(passage, rate),
        np.nan if silent else _space(sound, rate, frames),
        _tones(passage.mean(axis=0), rate),
    )


def _power(mono: Floats) -> Floats:
    """Power spectra of a sound, a frame a HOP: float (frames, bins), of a sine of full scale 1 in all."""
    from scipy.fft import rfft

    if len(mono) < FRAME:
        mono = np.pad(mono, (0, FRAME - len(mono)))
    pieces = np.lib.stride_tricks.sliding_window_view(mono.astype(np.float32), FRAME)[::HOP]
    window = np.hanning(FRAME).astype(np.float32)
    spectrum = rfft(pieces * window, axis=1)
    return (spectrum.real**2 + spectrum.imag**2) * (2.0 / float(window.sum())) ** 2


def _brightness(power: Floats, hertz: np.ndarray) -> float:
    """The spectral centroid of magnitudes, in octaves above 1 Hz."""
    size = np.sqrt(power)
    return float(np.log2(max(float((hertz * size).sum() / max(float(size.sum()), 1e-12)), 1.0)))


def centroid_octaves(mono: Floats, rate: int) -> float:
    """The spectral centroid of a sound, in octaves above 1 Hz; not a number for silence."""
    size = min(FRAME, len(mono))
    pieces = np.lib.stride_tricks.sliding_window_view(mono, size)[:: max(size // 2, 1)]
    spectrum = np.sqrt((np.abs(np.fft.rfft(pieces * np.hanning(size), axis=1)) ** 2).mean(axis=0))
    hertz = np.fft.rfftfreq(size, 1.0 / rate)
    whole = float(spectrum.sum())
    return float(np.log2(max(float((hertz * spectrum).sum()) / whole, 1.0))) if whole > 1e-9 else np.nan


def flatness(power: Floats) -> float:
    """The mean over frames of the spectra's geometric over their arithmetic mean, 0..1; frames count by their power."""
    held = np.maximum(power[:, 1:], FLOOR)
    weight = held.sum(axis=1)
    return float((np.exp(np.log(held).mean(axis=1)) / held.mean(axis=1) * weight).sum() / weight.sum())


def _width(sound: Floats) -> float:
    middle, side = 0.5 * (sound[0] + sound[1]), 0.5 * (sound[0] - sound[1])
    ratio = 10.0 * np.log10((np.square(side).mean() + 1e-14) / (np.square(middle).mean() + 1e-14))
    return float(np.clip(ratio, -WIDEST_DB, WIDEST_DB))


def band_levels(power: Floats, rate: int) -> Floats:
    """Levels in dB of BANDS bands of even octaves, (frames, bands), 80 dB below the loudest at least."""
    edges = np.geomspace(LOWEST_HZ, rate / 2.0, BANDS + 1) * FRAME / rate
    starts = np.unique(np.clip(np.round(edges[:-1]).astype(int), 1, power.shape[1] - 2))
    sums = np.add.reduceat(power, starts, axis=1)
    levels = 10.0 * np.log10(np.maximum(sums, FLOOR))
    return np.maximum(levels, levels.max() - 80.0)


def flux(levels: Floats) -> float:
    """The mean rise of a band's level from one hop to the next, in dB."""
    return float(np.maximum(np.diff(levels, axis=0), 0.0).mean()) if len(levels) > 1 else 0.0


def modulation_rate(sound: Floats, rate: int) -> float:
    """The frequency in Hz at which the level moves most regularly; not a number where it doesn't."""
    step = max(rate // 200, 1)
    count = sound.shape[1] // step
    if count < 128:
        return np.nan
    power = np.square(sound[:, : count * step]).mean(axis=0).reshape(count, step).mean(axis=1)
    # Over 40 ms, so that the wave itself is no movement.
    level = np.sqrt(np.maximum(np.convolve(power, np.hanning(10)[1:-1] / np.hanning(10).sum(), "valid"), 0.0))
    count = len(level)
    if level.max() < 1e-5:
        return np.nan
    size = np.abs(np.fft.rfft((level - level.mean()) * np.hanning(count), 8 * count))
    hertz = np.fft.rfftfreq(8 * count, step / rate)
    inside = (hertz >= max(RATE_RANGE_HZ[0], 3.0 * rate / (step * count))) & (hertz <= RATE_RANGE_HZ[1])
    if not inside.any():
        return np.nan
    inner = size[inside]
    strong = inner.max() > RATE_PROMINENCE * inner.mean() and inner.max() > 0.01 * level.mean() * count
    return float(hertz[inside][inner.argmax()]) if strong else np.nan


def _space(sound: Floats, rate: int, frames: int) -> float:
    first, last = (frames + round(after * rate) for after in SPACE_S)
    after = sound[:, first:last]
    if after.shape[1] < last - first:
        return np.nan
    ratio = (np.square(after).mean() + 1e-14) / (np.square(sound[:, :frames]).mean() + 1e-14)
    return float(max(10.0 * np.log10(ratio), -80.0))


def _tones(mono: Floats, rate: int) -> Floats:
    """The mean magnitude spectrum at even steps of pitch from 60 Hz up."""
    size = 4 * FRAME
    if len(mono) < size:
        mono = np.pad(mono, (0, size - len(mono)))
    pieces = np.lib.stride_tricks.sliding_window_view(mono, size)[:: size // 2]
    from scipy.fft import rfft

    mean = np.abs(rfft((pieces * np.hanning(size)).astype(np.float32), axis=1)).mean(axis=0)
    steps = int(12 * PITCH_STEPS * np.log2(0.45 * rate / 60.0))
    hertz = 60.0 * 2.0 ** (np.arange(steps) / (12.0 * PITCH_STEPS))
    return np.log(np.interp(hertz, np.fft.rfftfreq(size, 1.0 / rate), mean) + 1e-4 * mean.max() + 1e-9)


def pitch_shift(low: Floats, high: Floats) -> float:
    """By how many semitones the second of two `tones` is the first one, shifted; 0 where it is rather the same, not a
    number where it is another sound. Peaks of both are compared as they stand out of what is around them."""
    from scipy.ndimage import uniform_filter1d

    shapes = [np.maximum(part - uniform_filter1d(part, 4 * PITCH_STEPS), 0.0) for part in (low, high)]
    most = PITCH_RANGE * PITCH_STEPS
    first, second = shapes
    whole = np.correlate(second, first, "full")
    middle = len(first) - 1
    near = whole[middle - most : middle + most + 1]
    scale = float(np.sqrt((first**2).sum() * (second**2).sum()))
    if scale <= 0.0:
        return np.nan
    at = int(near.argmax())
    likeness, still = near[at] / scale, near[most] / scale
    if likeness < PITCH_LIKENESS:
        return np.nan
    if still > likeness - 0.05:
        return 0.0
    left, top, right = near[max(at - 1, 0)], near[at], near[min(at + 1, len(near) - 1)]
    bend = left - 2.0 * top + right  # between the steps, by a parabola
    return float((at - most + (0.5 * (left - right) / bend if bend < 0.0 else 0.0)) / PITCH_STEPS)
