# SPDX-License-Identifier: GPL-3.0-or-later
"""Where nothing moves: for each bar, how much of what is heard changes through the automation, and how much through the
notes and the sound itself.

The song is rendered as it is, and with every lane held through each bar where it stood before it; both are compared in
bands. What differs has been moved in that bar.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import CODES
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import Record, replace
from zolvek.sound.analysis.descriptors import BANDS, LOWEST_HZ
from zolvek.sound.analysis.held_renders import MEASURE_RATE
from zolvek.sound.engine.offline import render_blocks

HOP = 1_024  # frames between spectra of twice as many
SMOOTHED = 5  # spectra that a level is the mean of, a sixth of a second
QUIETEST_DB = -66.0  # of a band: what is fainter is not heard
STILL_DB = 1.0  # through the automation in a bar: with less it stands still (common practice, no source)
LONGEST_S = 3 * 3_600.0
JUST_BEFORE_BEATS = 1e-6

Progress = Callable[[int, int], object]


class BarMovement(Record, frozen=True):
    """`bars`: their numbers from 1; `first` and `last` beat of each; `automation`: how far, in dB, the levels of bands
    are moved at most from where they would be had nothing been moved in that bar, the mean over what is heard;
    `sound`: how far they go by themselves; `silent`: whether nothing is heard."""

    bars: Ints
    first: Floats
    last: Floats
    automation: Floats
    sound: Floats
    silent: np.ndarray

    def still(self, least: int = 1) -> list[tuple[int, int]]:
        """The stretches of bars (first, last) that sound and through which nothing moves by automation, the longest
        first."""
        quiet = np.concatenate(([False], (self.automation < STILL_DB) & ~self.silent, [False]))
        edges = np.flatnonzero(np.diff(quiet.astype(int)))
        runs = [(low, high) for low, high in edges.reshape(-1, 2).tolist() if high - low >= least]
        runs.sort(key=lambda run: (run[0] - run[1], run[0]))
        return [(int(self.bars[low]), int(self.bars[high - 1])) for low, high in runs]


def bar_movement(project: Project, progress: Progress | None = None) -> BarMovement:
    """Every bar of a project. `progress` is given frames done and in all. Raises ZolvekError for an empty project, one
    too long, and where rendering fails."""
    if not project.tracks:
        raise ZolvekError("There is nothing to hear.", "the project", "Add a track first.")
    seconds = float(project.tempo.seconds(project.length))
    if seconds > LONGEST_S:
        raise ZolvekError("The song is too long to measure.", remedy="Measure a part of up to 3 hours.")
    numbers, beats = project.meter.bar_lines(0.0, project.length)
    inside = beats < project.length - 1e-9
    numbers, first = numbers[inside], beats[inside]
    last = np.append(first[1:], project.length)
    versions = project, held_through_bars(project, first)
    levels = [_levels(version, progress, number) for number, version in enumerate(versions)]
    count = min(len(part) for part in levels)
    moving, held = (_smoothed(part[:count]) for part in levels)
    heard = np.maximum(moving, held) > QUIETEST_DB
    difference = np.abs(moving - held)
    times = (np.arange(count) + 1.0) * HOP / MEASURE_RATE
    at = np.searchsorted(times, np.asarray(project.tempo.seconds(np.append(first, project.length)), float))
    # Spectra that reach over a bar line are of both bars.
    edge = SMOOTHED // 2 + 1
    spans = [
        slice(low + edge, high - edge) if high - low > 2 * edge else slice(low, high)
        for low, high in itertools.pairwise(at.tolist())
    ]
    rows = [_bar(difference[span], held[span], heard[span]) for span in spans]
    automation, sound, loud = (np.array(column) for column in zip(*rows, strict=True))
    return BarMovement(numbers, first, last, automation, sound, ~loud.astype(bool))


def held_through_bars(project: Project, starts: Floats) -> Project:
    """Every lane that is heard, held from each of these beats on where it stood just before."""
    tracks = []
    for track in project.tracks:
        lanes = []
        for lane in track.lanes:
            if lane.bypassed:
                continue
            at = np.maximum(starts - JUST_BEFORE_BEATS, 0.0)
            position = np.clip(played(lane, project).at(at), 0.0, 1.0)
            count = len(starts)
            curve = Curve(starts, position, np.full(count, CODES["hold"], np.uint8), np.zeros(count))
            lanes.append(Lane(lane.id, lane.device, lane.parameter, curve))
        tracks.append(replace(track, lanes=tuple(lanes)))
    return replace(project, tracks=tuple(tracks), links=())


def _bar(difference: Floats, held: Floats, heard: np.ndarray) -> tuple[float, float, bool]:
    """How far the difference goes, and the sound, the mean over the bands that are heard; and whether any is."""
    bands = heard.any(axis=0)
    if len(heard) == 0 or not bands.any():
        return 0.0, 0.0, False
    weight = heard[:, bands].mean(axis=0)
    most = np.where(heard, difference, 0.0)[:, bands].max(axis=0)
    ways = most, _way(held[:, bands], heard[:, bands])
    automation, sound = (float((way * weight).sum() / weight.sum()) for way in ways)
    return automation, sound, True


def _way(levels: Floats, heard: np.ndarray) -> Floats:
    """How far each band goes from its lowest to its highest while it is heard."""
    high = np.where(heard, levels, -np.inf).max(axis=0)
    low = np.where(heard, levels, np.inf).min(axis=0)
    return np.where(np.isfinite(high - low), high - low, 0.0)


def _levels(project: Project, progress: Progress | None, number: int) -> Floats:
    """Levels in dB, (hops, 2 · BANDS), of mid and side of the mix."""
    from scipy.fft import rfft

    window = np.hanning(2 * HOP).astype(np.float32)
    scale = (2.0 / float(window.sum())) ** 2
    edges = np.geomspace(LOWEST_HZ, MEASURE_RATE / 2.0, BANDS + 1) * 2 * HOP / MEASURE_RATE
    starts = np.unique(np.clip(np.round(edges[:-1]).astype(int), 1, HOP - 1))
    rest, rows = np.zeros((2, 0), np.float32), []

    def report(done: int, total: int) -> None:
        if progress:
            progress(number * total + done, 2 * total)

    for block in render_blocks(project, rate=MEASURE_RATE, progress=report):
        sides = np.stack((0.5 * (block[0] + block[1]), 0.5 * (block[0] - block[1])))
        rest = np.concatenate((rest, sides), axis=1)
        count = (rest.shape[1] - HOP) // HOP
        if count < 1:
            continue
        pieces = np.lib.stride_tricks.sliding_window_view(rest, 2 * HOP, axis=1)[:, : count * HOP : HOP]
        spectrum = rfft(pieces * window, axis=2)
        power = (spectrum.real**2 + spectrum.imag**2) * scale
        sums = np.add.reduceat(power, starts, axis=2)
        rows.append(np.concatenate((sums[0], sums[1]), axis=1))
        rest = rest[:, count * HOP :]
    power = np.concatenate(rows) if rows else np.zeros((0, 2 * len(starts)))
    return power.astype(float)


def _smoothed(power: Floats) -> Floats:
    from scipy.ndimage import uniform_filter1d

    held = uniform_filter1d(power, SMOOTHED, axis=0, mode="nearest") if len(power) else power
    return 10.0 * np.log10(np.maximum(held, 10.0 ** (QUIETEST_DB / 10.0) / 10.0))


def job(progress: Progress, project: Project) -> BarMovement:
    """`bar_movement`, as a job of a process of its own."""
    return bar_movement(project, progress)
