# SPDX-License-Identifier: GPL-3.0-or-later
"""Spectrum, loudness and brightness of a sound: pure functions on arrays."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from zolvek.core.arrays import Floats

WINDOW_FRAMES = 4_096  # frames a spectrum is taken from
LOWEST, HIGHEST = 20.0, 20_000.0  # Hz of the bottom and top row of a spectrogram
FLOOR_DB, SPAN_DB = -100.0, 80.0  # level of the faintest shade, and how far up to the darkest
SILENT_DB = -90.0
ABSOLUTE_GATE_LUFS, RELATIVE_GATE_LU, BLOCK_S = -70.0, -10.0, 0.4  # of BS.1770-4
AT_ONCE = 512  # spectra taken in one go


def waveform(sound: np.ndarray, edges: Floats) -> Floats:
    """Lowest and highest sample, (2, n), of the frames between neighbouring `edges` (n + 1
    increasing frame numbers) of `sound` (channels, frames)."""
    starts = np.clip(edges[:-1].astype(np.intp), 0, sound.shape[1] - 1)
    low = np.minimum.reduceat(sound.min(axis=0), starts)
    high = np.maximum.reduceat(sound.max(axis=0), starts)
    return np.stack((low, high))


def spectrogram(sound: np.ndarray, rate: int, centres: Floats, rows: int = 192) -> np.ndarray:
    """Shades 0..255 as uint8 (rows, columns): a column for each of `centres` (frame numbers), a
    row for each step of an even scale of octaves from LOWEST at the bottom (last row) up."""
    mono = np.zeros(sound.shape[1] + WINDOW_FRAMES, np.float32)
    mono[WINDOW_FRAMES // 2 : WINDOW_FRAMES // 2 + sound.shape[1]] = sound.mean(axis=0)
    window = np.hanning(WINDOW_FRAMES).astype(np.float32)
    starts = np.clip(np.round(centres).astype(np.intp), 0, sound.shape[1] - 1)
    pieces = np.lib.stride_tricks.sliding_window_view(mono, WINDOW_FRAMES)
    edges = np.geomspace(LOWEST, HIGHEST, rows + 1) * WINDOW_FRAMES / rate
    bins = np.arange(WINDOW_FRAMES // 2 + 1)
    # A row takes the mean of the bins in it; low rows, narrower than a bin, lie between two.
    first = np.clip(np.ceil(edges[:-1]).astype(np.intp), 0, len(bins) - 1)
    counts = np.floor(np.minimum(edges[1:], len(bins) - 1)).astype(np.intp) - first + 1
    wide = counts >= 2
    middle = np.sqrt(edges[:-1] * edges[1:])
    shades = np.zeros((rows, len(starts)), np.uint8)
    for at in range(0, len(starts), AT_ONCE):
        part = slice(at, at + AT_ONCE)
        power = np.abs(np.fft.rfft(pieces[starts[part]] * window)) ** 2
        sums = np.concatenate((np.zeros((len(power), 1)), np.cumsum(power, axis=1)), axis=1)
        means = (sums[:, first + np.maximum(counts, 0)] - sums[:, first]) / np.maximum(counts, 1)
        low = np.clip(middle.astype(np.intp), 0, len(bins) - 2)
        share = np.clip(middle - low, 0.0, 1.0)
        between = power[:, low] * (1.0 - share) + power[:, low + 1] * share
        level = 10.0 * np.log10(np.where(wide, means, between) / (window.sum() / 2.0) ** 2 + 1e-12)
        shade = np.clip((level - FLOOR_DB) / SPAN_DB, 0.0, 1.0) * 255.0
        shades[:, part] = shade.T[::-1]
    return shades


def level_db(sound: Floats) -> float:
    """Root mean square level of all channels, in dB below full scale."""
    power = float(np.mean(np.square(sound))) if sound.size else 0.0
    return max(10.0 * np.log10(power + 1e-20), SILENT_DB)


def brightness(sound: Floats, rate: int) -> float:
    """The spectral centroid in Hz: the mean frequency, weighted by magnitude."""
    mono = sound.mean(axis=0)
    count = max(len(mono) // WINDOW_FRAMES, 1)
    pieces = np.resize(mono, (count, WINDOW_FRAMES)) if len(mono) >= WINDOW_FRAMES else mono[None]
    spectrum = np.abs(np.fft.rfft(pieces * np.hanning(pieces.shape[1]))).sum(axis=0)
    hertz = np.fft.rfftfreq(pieces.shape[1], 1.0 / rate)
    total = float(spectrum.sum())
    return float((hertz * spectrum).sum() / total) if total > 1e-9 else 0.0


def loudness(sound: Floats, rate: int) -> float:
    """Integrated loudness in LUFS (ITU-R BS.1770-4); −∞ for silence. The weighting is the standard's at
    every rate, by the analogue filters behind its table: De Man, “Evaluation of Implementations of the EBU
    R128 Loudness Measurement”, AES 145 (2018)."""
    shortest = int(BLOCK_S * rate) + 1
    if sound.shape[1] < shortest:
        sound = np.pad(sound, ((0, 0), (0, shortest - sound.shape[1])), mode="wrap")
    power = block_powers(sound, rate)
    with np.errstate(divide="ignore"):
        power = power[lufs(power) >= ABSOLUTE_GATE_LUFS]
        if not power.size:
            return -np.inf
        power = power[lufs(power) > lufs(power.mean()) + RELATIVE_GATE_LU]
    return float(lufs(power.mean()))


def lufs(power: Floats) -> Floats:
    """The loudness of a K-weighted power."""
    return -0.691 + 10.0 * np.log10(power)


def block_powers(sound: Floats, rate: int, seconds: float = BLOCK_S, every: float = 0.1) -> Floats:
    """The K-weighted power of all channels, two at most, in blocks (BS.1770-4: 400 ms, each 100 ms after the last)."""
    from scipy.signal import lfilter

    weighted = sound
    for b, a in k_weighting(rate):
        weighted = lfilter(b, a, weighted, axis=1)
    sums = np.concatenate(([0.0], np.cumsum(np.square(weighted).sum(axis=0))))
    count = max(int(np.round((sound.shape[1] / rate - seconds) / every)) + 1, 1)
    first = (np.arange(count) * every * rate).astype(np.intp)
    last = np.minimum((np.arange(count) * every * rate + seconds * rate).astype(np.intp), sound.shape[1])
    return (sums[last] - sums[first]) / (seconds * rate)


@lru_cache(maxsize=8)
def k_weighting(rate: int) -> tuple[tuple[Floats, Floats], ...]:
    """Numerators and denominators of the standard's two filters."""
    import pyloudnorm

    meter = pyloudnorm.Meter(rate, filter_class="DeMan")
    stages = meter._filters.values()
    return tuple((stage.passband_gain * np.array(stage.b), np.array(stage.a)) for stage in stages)
