# SPDX-License-Identifier: GPL-3.0-or-later
"""Onsets of a sound, and the tempo that fits them.

Onsets are peaks of the spectral flux: how much the spectrum of a frame rises over that of an earlier one
(Bello and others, "A tutorial on onset detection in music signals", IEEE Transactions on Speech and Audio
Processing, 2005), in logarithmic bands, over the highest of neighbouring bands, so that a vibrato does not
count (Böck and Widmer, "Maximum filter vibrato suppression for onset detection", DAFx, 2013). Each is then
placed where the level rises, to a fraction of a millisecond.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, distinct, floats
from zolvek.core.errors import ZolvekError

RATE = 44_100  # at which sounds are looked at
FRAME, HOP = 2_048, 441
LAG_FRAMES = 2  # frames between the spectra that are compared
LOWEST, HIGHEST, BANDS_AN_OCTAVE = 30.0, 17_000.0, 24
CHUNK_SECONDS = 10
PEAK, MEAN, APART = 0.03, 0.10, 0.03  # seconds: of the local peak, of the mean before, between hits
THRESHOLD = 0.18  # of the loudest rises, that a peak stands above the mean
BAND_BORDERS_HZ = (120.0, 2_500.0)  # between low and middle, middle and high
SWELL_FRAMES = 5  # within which a band is loudest after a hit: a low tone takes a while
LOW_ORDER = 6  # of the low-pass by which the low band is measured (Butterworth)
LOW_SWELL_S, LOW_REST_S = 0.08, 0.02  # seconds after a hit, and before it, in which its level is looked at
LOW_POWER = 1.5  # of a level: between level and energy, so that a deep snare stays well below a kick
LEAST_LOW = 0.05  # of the whole level: a sound with less has no low hits
EMPTY_BAND = 0.02  # of the strongest rise of any band: one with less holds no hits of its own
QUIET = 0.02  # of the highest flux: less is none
LOOK = 0.03, 0.035  # seconds before and after a peak in which the level's rise is looked for
STEP_FRAMES = 22  # of the level that is looked at
STEP = STEP_FRAMES / RATE  # seconds
RISE_STEPS = round(0.006 / STEP)  # over which the level before and after is looked at
RISEN = 0.1  # of its way up: where it begins
SLOWEST, QUICKEST, USUAL, SPREAD = 40.0, 240.0, 120.0, 0.9  # BPM, and octaves about the usual
Progress = Callable[[int, int], object]


RATIOS = (1.0, 1.5, 2.0 / 3.0)  # of a tempo, that even hits may be taken for


class Hits(NamedTuple):
    """Where hits are in seconds of the sound, increasing, how strong each is, 0..1, the flux at every hundredth of a
    second, and how much of each hit is low, middle and high (n, 3), 0..1 of the strongest of that band."""

    seconds: Floats
    strength: Floats
    flux: Floats
    bands: Floats


class Tempo(NamedTuple):
    """BPM that the hits say, the second of the first beat, and how sure it is, 0..1: how near hits lie to
    the beats and their halves and quarters."""

    bpm: float
    first: float
    sure: float


def hits_of(name: str, progress: Progress | None = None) -> Hits:
    """The hits of a sound file, read a piece at a time. Raises ZolvekError naming it when it can't be
    read."""
    return found(_pieces(name, progress))


def _pieces(name: str, progress: Progress | None) -> Iterator[Floats]:
    """The file's mean of channels at our rate, ten seconds at a time."""
    import soxr

    from zolvek.formats.audio.streams import opened

    with opened(name) as file:
        rate, done = int(file.samplerate), 0
        turn = soxr.ResampleStream(rate, RATE, 1, dtype="float32") if rate != RATE else None
        try:
            for block in file.blocks(CHUNK_SECONDS * rate, dtype="float32", always_2d=True):
                if not np.isfinite(block).all():
                    raise ZolvekError("The audio file is damaged.", name, "Replace it.")
                done += len(block)
                mono = block.mean(axis=1)
                last = done >= file.frames
                yield np.asarray(turn.resample_chunk(mono, last) if turn else mono, float)
                if progress:
                    progress(done, file.frames)
        except RuntimeError as error:  # libsndfile's
            raise ZolvekError("The audio file is damaged.", name, "Replace it.") from error


def found(pieces: Any) -> Hits:
    """The hits of a sound that comes in pieces of any size, mono, at 44.1 kHz."""
    flux, in_bands, levels, low_levels = [], [], [], []
    low_pass = _low_pass()
    passed = np.zeros((len(low_pass), 2))  # its state, from piece to piece
    from scipy.signal import sosfilt

    weights, lag = _bands(), np.zeros((LAG_FRAMES, 0))
    rest = np.zeros(FRAME // 2)  # frames are centred
    step = STEP_FRAMES
    left = np.zeros((2, 0))  # of the sound and of what is low in it
    total = 0
    for piece in _ended(pieces):
        total += len(piece)
        rest = np.concatenate((rest, piece))
        count = (len(rest) - FRAME) // HOP + 1 if len(rest) >= FRAME else 0
        if count > 0:
            size = _spectra(rest, count, weights)
            bands = np.log10(1.0 + size)
            # Before a sound there is silence: what strikes at its very start is a hit.
            before = np.concatenate((lag if lag.shape[1] else np.zeros((LAG_FRAMES, bands.shape[1])), bands))
            highest = before[:-LAG_FRAMES].copy()  # of a band and its neighbours
            highest[:, 1:] = np.maximum(highest[:, 1:], before[:-LAG_FRAMES, :-1])
            highest[:, :-1] = np.maximum(highest[:, :-1], before[:-LAG_FRAMES, 1:])
            rises = np.maximum(bands - highest, 0.0)
            flux.append(rises.sum(axis=1))
            in_bands.append(np.stack([size[:, part].sum(axis=1) for part in _band_slices(weights)], axis=1))
            lag = before[-LAG_FRAMES:]
            rest = rest[count * HOP :]
        low, passed = sosfilt(low_pass, piece, zi=passed)
        left = np.concatenate((left, np.stack((piece, low))), axis=1)
        whole = left.shape[1] // step * step
        steps = left[:, :whole].reshape(2, -1, step)
        levels.append(np.abs(steps[0]).max(axis=1))
        low_levels.append((steps[1] ** 2).mean(axis=1))
        left = left[:, whole:]
    if not flux:
        return Hits(np.empty(0), np.empty(0), np.empty(0), np.empty((0, 3)))
    every = np.concatenate(flux)
    peaks = _peaks(every)
    level = np.concatenate(levels)
    highest = _highest(level)
    seconds = np.array([_placed(level, highest, peak * HOP / RATE) for peak in peaks.tolist()])
    strength = every[peaks] / max(float(every.max()), 1e-12) if peaks.size else np.empty(0)
    keep = np.append(True, np.diff(seconds) >= APART) if seconds.size else np.empty(0, bool)
    bands = _band_strength(np.concatenate(in_bands), peaks)
    if seconds.size:
        bands[:, 0] = _low_rises(np.concatenate(low_levels), float(level.max()), seconds)
    return Hits(seconds[keep], strength[keep], every, bands[keep])


def _low_pass() -> Floats:
    from scipy.signal import butter

    return floats(butter(LOW_ORDER, BAND_BORDERS_HZ[0], fs=RATE, output="sos"))


def _low_rises(low: Floats, loudest: float, seconds: Floats) -> Floats:
    """How much the level of what is low rises at each hit, 0..1 of the most. `low`: its mean square, a value a STEP;
    `loudest`: the highest level of the whole sound."""
    at = np.round(seconds / STEP).astype(int)
    after, before = round(LOW_SWELL_S / STEP), round(LOW_REST_S / STEP)
    padded = np.concatenate((np.zeros(before), low, np.zeros(after)))
    windows = np.lib.stride_tricks.sliding_window_view
    rise = windows(padded[before:], after)[at].mean(axis=1) - windows(padded, before)[at].mean(axis=1)
    level = np.sqrt(np.maximum(rise, 0.0))
    return floats((level / max(float(level.max()), LEAST_LOW * loudest, 1e-12)) ** LOW_POWER)


def _band_slices(weights: Floats) -> list[slice]:
    """The columns of `_bands` that are low, middle and high."""
    centres = weights.argmax(axis=0) * RATE / FRAME
    edges = [0, *np.searchsorted(centres, BAND_BORDERS_HZ).tolist(), len(centres)]
    return [slice(low, high) for low, high in itertools.pairwise(edges)]


def _band_strength(size: Floats, peaks: np.ndarray[Any, np.dtype[np.intp]]) -> Floats:
    """How strongly each peak rises in each band (n, 3), 0..1: from just before it to the most just after, of the
    strongest peak of that band. A band in which nothing strikes has no strongest one. The lowest is measured
    otherwise, by `_low_rises`, as few bins of a spectrum lie in it."""
    if not peaks.size:
        return np.empty((0, 3))
    padded = np.concatenate((np.zeros((LAG_FRAMES + 1, size.shape[1])), size, np.zeros((SWELL_FRAMES, size.shape[1]))))
    after = np.stack([padded[peaks + LAG_FRAMES + 1 + step] for step in range(SWELL_FRAMES + 1)]).max(axis=0)
    near = np.maximum(after - padded[peaks], 0.0)
    top = near.max(axis=0)
    return near / np.maximum(top, max(EMPTY_BAND * float(top.max()), 1e-12))


def _ended(pieces: Any) -> Iterator[Floats]:
    """The pieces, and silence after them, so that the last hits are seen whole."""
    yield from pieces
    yield np.zeros(FRAME)


def _bands() -> Floats:
    """Triangles over the bins of a frame, (bins, bands), spaced in octaves."""
    count = int(np.log2(HIGHEST / LOWEST) * BANDS_AN_OCTAVE)
    hertz = LOWEST * 2.0 ** (np.arange(count + 2) / BANDS_AN_OCTAVE)
    bins = distinct(np.round(hertz * FRAME / RATE).astype(int))
    every = np.arange(FRAME // 2 + 1)[:, None]
    low, middle, high = bins[:-2], bins[1:-1], bins[2:]
    up = (every - low) / (middle - low)
    down = (high - every) / (high - middle)
    return np.maximum(np.minimum(up, down), 0.0)


def _spectra(sound: Floats, count: int, weights: Floats) -> Floats:
    """What is in each band in each frame, (frames, bands)."""
    from scipy.fft import rfft

    # Single precision is 120 dB better than what a rise has to be.
    frames = np.lib.stride_tricks.sliding_window_view(sound.astype(np.float32), FRAME)[: count * HOP : HOP]
    size = np.abs(rfft(frames * np.hanning(FRAME).astype(np.float32), axis=1, overwrite_x=True))
    return floats(size @ weights.astype(np.float32))


def _peaks(flux: Floats) -> np.ndarray[Any, np.dtype[np.intp]]:
    """Frames at which the flux is highest for a while, and stands out from what was before."""
    from scipy.ndimage import maximum_filter1d, uniform_filter1d

    if flux.max() <= 0.0:
        return np.empty(0, np.intp)
    near = round(PEAK * RATE / HOP)
    before = round(MEAN * RATE / HOP)
    highest = maximum_filter1d(flux, 2 * near + 1, mode="constant")
    # The mean of what was before, with a little of what comes.
    mean = uniform_filter1d(flux, 2 * before + 1, mode="constant")
    loud = float(np.percentile(flux[flux == highest], 90))
    stands = flux >= np.maximum(mean * 1.15 + THRESHOLD * loud, QUIET * flux.max())
    return np.flatnonzero((flux == highest) & stands)


def _highest(level: Floats) -> Floats:
    """The highest level in the RISE_STEPS steps that end before each step, one beyond the last included."""
    padded = np.concatenate((np.zeros(RISE_STEPS), level))
    return floats(np.lib.stride_tricks.sliding_window_view(padded, RISE_STEPS).max(axis=1))


def _placed(level: Floats, highest: Floats, seconds: float) -> float:
    """Where the level begins to rise near a peak of the flux; `highest` is `_highest` of it."""
    low = max(round((seconds - LOOK[0]) / STEP), 0)
    near = level[low : round((seconds + LOOK[1]) / STEP) + 1]
    if near.size < 3:
        return seconds
    # What it was just before, at each place: the rise is what goes beyond that.
    before = highest[low : low + near.size]
    top = np.maximum.accumulate(near[::-1])[::-1].copy()  # towards the end, where the steps come to it
    whole = max(near.size - RISE_STEPS + 1, 0)
    top[:whole] = highest[low + RISE_STEPS : low + RISE_STEPS + whole]
    rise = top - before
    at = int(np.argmax(rise))
    if rise[at] <= 0.0:
        return seconds
    floor, goal = before[at], before[at] + RISEN * rise[at]
    while at > 0 and near[at - 1] > goal and near[at - 1] > floor:
        at -= 1
    while at < near.size - 1 and near[at] < goal:
        at += 1
    return (low + at + 0.5) * STEP


def tempo_of(hits: Hits) -> Tempo:
    """The tempo that hits say: the likeliest of the flux's periods (autocorrelation under a bell about
    120 BPM; Ellis, "Beat tracking by dynamic programming", Journal of New Music Research, 2007), then made
    exact by the hits themselves. Raises ZolvekError where there are too few."""
    if hits.seconds.size < 4 or hits.seconds[-1] - hits.seconds[0] < 2.0:
        raise ZolvekError("There are too few hits to estimate a tempo.", remedy="Mark bar lines by hand.")
    weight = hits.strength
    bpm = _likeliest(hits.seconds, weight, _guess(hits.flux))
    whole = round(bpm)
    strength = _near(hits.seconds, weight, np.array([bpm, float(whole)]))
    if abs(bpm - whole) < 0.06 and strength[1] > 0.985 * strength[0]:
        bpm = float(whole)  # most music is made at whole tempos (common practice, no source)
    return Tempo(round(bpm, 3), _first_beat(hits, bpm), float(min(strength.max(), 1.0)))


def _guess(flux: Floats) -> float:
    """The tempo of the flux's strongest period, between 40 and 240 BPM."""

    centred = flux - flux.mean()
    size = 1 << (2 * centred.size - 1).bit_length()
    like = np.fft.irfft(np.abs(np.fft.rfft(centred, size)) ** 2)[: centred.size]
    like = like / np.arange(centred.size, 0, -1)
    second = RATE / HOP
    low, high = round(60.0 / QUICKEST * second), min(round(60.0 / SLOWEST * second), centred.size - 2)
    lags = np.arange(low, high + 1)
    bell = np.exp(-0.5 * (np.log2(60.0 * second / lags / USUAL) / SPREAD) ** 2)
    score = like[low : high + 1] * bell
    return 60.0 * second / float(lags[np.argmax(score)])


def _near(seconds: Floats, weight: Floats, bpm: Floats) -> Floats:
    """How near hits lie to the beats of each tempo, their halves and their quarters, 0..1."""
    out = np.zeros(len(bpm))
    for part, share in ((1.0, 0.5), (2.0, 0.3), (4.0, 0.2)):
        turns = np.exp(2j * np.pi * part * seconds[None, :] * bpm[:, None] / 60.0)
        out += share * np.abs(turns @ weight) / weight.sum()
    return out


def _exact(seconds: Floats, weight: Floats, guess: float) -> float:
    """The tempo near a guess at which hits lie nearest to the beats: looked for ever closer."""
    width = 0.03
    span = float(seconds[-1] - seconds[0])
    bpm = guess
    while width * bpm * span / 60.0 > 1e-4:
        # Close enough together that no best one lies between two.
        count = int(min(max(64, 16.0 * width * bpm * span / 60.0), 4_000))
        tries = bpm * (1.0 + np.linspace(-width, width, 2 * count + 1))
        bpm = float(tries[np.argmax(_near(seconds, weight, tries))])
        width *= 4.0 / count
    return bpm


def _likeliest(seconds: Floats, weight: Floats, guess: float) -> float:
    """A guess made exact; or what is half as fast again, or two thirds, where hits lie nearer to its beats, halves and
    quarters: three even eighths are as regular as two."""
    result = [_exact(seconds, weight, guess * ratio) for ratio in RATIOS if SLOWEST <= guess * ratio <= QUICKEST]
    tries = np.array(result)
    bell = np.exp(-0.5 * (np.log2(tries / USUAL) / SPREAD) ** 2)
    return float(tries[np.argmax(_near(seconds, weight, tries) * bell)])


def _first_beat(hits: Hits, bpm: float) -> float:
    """The first beat that is a hit: by the phase that most of the strength agrees on."""
    turns = np.exp(2j * np.pi * hits.seconds * bpm / 60.0) @ hits.strength
    if abs(turns) < 0.25 * hits.strength.sum():  # they agree on none
        return float(hits.seconds[0])
    phase = float(np.angle(turns)) / (2.0 * np.pi) * 60.0 / bpm
    period = 60.0 / bpm
    off = (hits.seconds - phase + period / 2.0) % period - period / 2.0
    near = np.flatnonzero(np.abs(off) < min(0.03, period / 8.0))
    return float(hits.seconds[near[0]] if near.size else phase % period)


def job(progress: Progress, name: str) -> Floats:
    """Seconds and bands of `hits_of` (n, 4), as a job of a process of its own."""
    hits = hits_of(name, progress)
    return np.column_stack((hits.seconds, hits.bands))
