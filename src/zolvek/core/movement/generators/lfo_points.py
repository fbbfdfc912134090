# SPDX-License-Identifier: GPL-3.0-or-later
"""LFOs as points. Where rate and amount stand still the curve is exact; where they change it is fitted
within a tolerance."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve.construction import joined
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import knots
from zolvek.core.curve.fitting import approximated
from zolvek.core.curve.means import Sums
from zolvek.core.curve.shapes import COSINE, HOLD, LINE
from zolvek.core.curve.spans import piece
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.generators.lfo import Cycles, Lfo
from zolvek.core.movement.generators.waves import WAVES, WaveCorner
from zolvek.core.time.tempo import TempoMap

MOST_POINTS = 1_000_000
TOLERANCE = 0.001  # within which a changing rate or amount is followed, of the full height
WINDOW = 0.5  # cycles that full smoothing takes the mean over
EDGES = 2.5e-4  # of the height, within which smoothed cycles are followed
NEAR_BEATS = 1e-9  # beats within which a corner lies on the span's edge


def levels(seed: int, count: int, stream: int = 0) -> Floats:
    """Random levels −1..1, one a cycle: NumPy's PCG64 stream, the same on every machine. `stream` 0 is
    that of the seed alone."""
    entropy = [seed, 0, stream] if stream else seed
    return 2.0 * np.random.Generator(np.random.PCG64(entropy)).random(count) - 1.0


def _drawn(seed: int, numbers: Ints, stream: int) -> Floats:
    """The levels of numbered cycles; those before the first have a stream of their own."""
    after = levels(seed, max(int(numbers[-1]) + 1, 0), stream)
    early = np.random.Generator(np.random.PCG64([seed, 1, stream] if stream else [seed, 1]))
    before = (2.0 * early.random(max(-int(numbers[0]), 0)) - 1.0)[::-1]
    kept = after[max(int(numbers[0]), 0) :]
    return np.concatenate((before, kept))[-len(numbers) :]


def points_wanted(lfo: Lfo, first: float, last: float, tempo: TempoMap) -> int:
    """About how many points it takes; given before a very fast one is made."""
    cycles = Cycles(lfo, first, last, tempo)
    count = float(cycles.gone(np.array(last)) - lfo.phase)
    a_cycle = len(lfo.pattern.curve) if lfo.pattern else 2
    return int(count * a_cycle * (4 if lfo.smooth else 2 if lfo.soften else 1)) + 2


def as_curve(
    lfo: Lfo,
    first: float,
    last: float,
    tempo: TempoMap,
    tolerance: float = TOLERANCE,
) -> Curve:
    """The LFO from beat `first` to `last` as a curve; kept to 0..1.

    Steady ones are exact. Changing ones stay within `tolerance` of the movement throughout. Raises ZolvekError for an
    empty span,
    or one of more than a million points.
    """
    wanted = points_wanted(lfo, first, last, tempo)
    if wanted > MOST_POINTS:
        raise ZolvekError(
            f"This makes {wanted:,} points; the limit is {MOST_POINTS:,}.",
            "LFO",
            "Use a slower rate or a shorter span.",
        )
    cycles = Cycles(lfo, first, last, tempo)
    timed = lfo.rate.timed and _tempo_moves(tempo, first, last)
    if lfo.steady and not timed and not clips(lfo):
        return _steady(lfo, cycles)
    return _fitted(lfo, cycles, tolerance)


def _steady(lfo: Lfo, cycles: Cycles) -> Curve:
    """An LFO whose cycles are all alike, by its corners."""
    first, last = cycles.first, cycles.last
    period = lfo.rate.period
    if lfo.rate.timed:
        period *= float(cycles.tempo.bpm(0.5 * (first + last))) / 60.0
    count = (last - first) / period
    numbers = np.arange(int(np.floor(lfo.phase)) - 2, int(np.floor(lfo.phase + count)) + 3)
    position, level, shape, amount = _corners(lfo, numbers, cycles)
    beat = np.maximum.accumulate(first + (position - lfo.phase) * period)
    value = _levelled(lfo, level, np.zeros(1))
    new_curve = joined(beat, np.clip(value, 0.0, 1.0), shape.astype(np.uint8), amount)
    return piece(_onto(new_curve, (first, last)), first, last).shifted(first)


def _onto(made: Curve, edges: tuple[float, float]) -> Curve:
    """Corners that rounding put next to an edge of the span, put onto it."""
    beat = made.beat.copy()
    for edge in edges:
        beat[np.abs(beat - edge) < NEAR_BEATS] = edge
    return joined(beat, made.value, made.shape, made.amount)


def value_at(lfo: Lfo, first: float, last: float, tempo: TempoMap, beats: Floats) -> Floats:
    """The movement itself at each of `beats`, not clipped: what a curve is fitted to."""
    cycles = Cycles(lfo, first, last, tempo)
    gone = cycles.gone(beats)
    # In cycles counted as time all waves are steady, so their corners are exact there.
    low, high = float(np.min(gone)), float(np.max(gone))
    numbers = np.arange(int(np.floor(low)) - 2, int(np.floor(high)) + 3)
    position, level, shape, amount = _corners(lfo, numbers, cycles)
    # The wave over cycles, 0..1: there its corners are exact whatever the rate does.
    wave = joined(np.maximum.accumulate(position), 0.5 + 0.5 * level, shape.astype(np.uint8), amount)
    return _levelled(lfo, 2.0 * wave.at(gone) - 1.0, (beats - first) / (last - first))


def _levelled(lfo: Lfo, unit: Floats, u: Floats) -> Floats:
    """Wave −1..1 at the LFO's amount and centre; `u` 0..1 of the span."""
    amount = lfo.amount * (-1.0 if lfo.invert else 1.0) / 2.0
    if lfo.amount_way is not None:
        depth = lfo.amount_way.at(np.clip(u, 0.0, 1.0))
        return lfo.centre + amount * (2.0 * depth - 1.0 if lfo.both_ways else depth) * unit
    return lfo.centre + amount * unit


def clips(lfo: Lfo) -> bool:
    return lfo.centre + abs(lfo.amount) / 2.0 > 1.0 or lfo.centre - abs(lfo.amount) / 2.0 < 0.0


def _tempo_moves(tempo: TempoMap, first: float, last: float) -> bool:
    """Whether seconds and beats do not go in step throughout the span."""
    inside = [p.beat for p in tempo.points if first < p.beat < last]
    at = np.concatenate(([first, 0.5 * (first + last), last], inside))
    bpm = tempo.bpm(at)
    return bool(np.ptp(bpm) > 1e-12)


def _warped(u: Any, skew: float) -> Any:
    """A place in the cycle with its middle moved: the first half takes (1 + skew)/2 of it."""
    half = (1.0 + skew) / 2.0
    at = np.asarray(u, float)
    return np.where(at <= 0.5, at * 2.0 * half, half + (at - 0.5) * 2.0 * (1.0 - half))


Corners = tuple[Floats, Floats, Ints, Floats]  # where in cycles, level −1..1, shape and amount


def _corners(lfo: Lfo, numbers: Ints, cycles: Cycles) -> Corners:
    """All corners of the given cycles."""
    row = _cycle(lfo)
    if row is None:
        drawn = _drawn(lfo.seed, numbers, lfo.stream)
        shape = np.full(len(numbers), WAVES[lfo.wave].shape)
        result = numbers.astype(float), drawn, shape, np.zeros(len(numbers))
        result = _evened(result, lfo.smooth, float(numbers[0]), float(numbers[-1]))
    else:
        if lfo.smooth > 0.0:
            # A cycle's last corner may come early in it: two more say where the mean goes on to.
            around = _tiled(row, np.arange(-2, 4))
            u, level, shape, amount = _evened(around, lfo.smooth, 0.0, 1.0)
            row = u[:-1], level[:-1], shape[:-1], amount[:-1]
        result = _tiled(row, numbers)
    return _softened(lfo, *result, cycles) if lfo.soften else result


def _cycle(lfo: Lfo) -> Corners | None:
    """The corners of one cycle; None for a random wave, which has none of its own."""
    wave = WAVES[lfo.wave]
    if lfo.pattern is not None and lfo.wave == "pattern":
        curve = lfo.pattern.curve
        if len(curve.part):  # cut segments are given by whole ones
            curve = approximated(curve.at, knots(curve), EDGES, curve.before)
        inside = (curve.beat >= 0.0) & (curve.beat <= lfo.pattern.length)
        u = curve.beat[inside] / lfo.pattern.length
        level, shape = 2.0 * curve.value[inside] - 1.0, curve.shape[inside].astype(int)
        return _warped(u, lfo.skew), level, shape, curve.amount[inside]
    if wave.corners is None:
        return None
    rows = wave.corners(lfo.width)
    if lfo.skew and rows[-1].u == 1.0:  # a saw gets the middle that is to be moved
        rows.insert(1, WaveCorner(0.5, 0.5 * (rows[0].level + rows[-1].level), LINE))
    u, level, shape = (np.array(column, float) for column in zip(*rows, strict=True))
    if wave.skews:
        u = _warped(u, lfo.skew)
    return u, level, shape.astype(int), np.zeros(len(rows))


def _tiled(row: Corners, numbers: Ints) -> Corners:
    """A cycle's corners in each of the given ones."""
    position = (numbers[:, None] + row[0]).ravel()
    times = len(numbers)
    return position, np.tile(row[1], times), np.tile(row[2], times), np.tile(row[3], times)


def _evened(corners: Corners, smooth: float, first: float, last: float) -> Corners:
    """A wave through a running mean over `smooth` times WINDOW cycles, from one cycle to another: a filter
    that leaves the mean as it is. By the exact integrals of its shapes, followed within EDGES."""
    if smooth <= 0.0:
        return corners
    position, level, shape, amount = corners
    wave = joined(np.maximum.accumulate(position), 0.5 + 0.5 * level, shape.astype(np.uint8), amount)
    half, total = 0.5 * WINDOW * smooth, Sums(wave)

    def mean(at: Floats) -> Floats:
        return (total.at(at + half) - total.at(at - half)) / (2.0 * half)

    turns = np.concatenate((position - half, position + half))
    turns = np.concatenate(([first, last], turns[(turns > first + NEAR_BEATS) & (turns < last - NEAR_BEATS)]))
    new_curve = approximated(mean, turns, EDGES, mean)
    return new_curve.beat, 2.0 * new_curve.value - 1.0, new_curve.shape.astype(np.intp), new_curve.amount


def _softened(lfo: Lfo, position: Floats, level: Floats, shape: Ints, amount: Floats, cycles: Cycles) -> Corners:
    """Jumps as ramps of so many seconds: a glide follows each of them."""
    twin = np.append(np.abs(np.diff(position)) < 1e-12, False)  # its next point is the jump's other side
    after_twin = np.append(False, twin[:-1])
    held = np.append(False, (shape[:-1] == HOLD) & (np.abs(np.diff(level)) > 1e-12))
    jumps = after_twin | (held & ~twin)
    if not jumps.any():
        return position, level, shape, amount
    length = np.append(np.diff(position), 1.0)
    beat = cycles.at(position)
    per_cycle = cycles.tempo.seconds(cycles.at(position + 1e-3)) - cycles.tempo.seconds(beat)
    glide = np.minimum(lfo.soften / np.maximum(per_cycle / 1e-3, 1e-12), 0.999 * length)
    before = np.append(level[0], level[:-1])
    at = np.flatnonzero(jumps)
    # The old level stays at the jump; the new one, with its shape, comes a glide later.
    later = position[at] + glide[at]
    share = np.where(length[at] > 0.0, glide[at] / np.maximum(length[at], 1e-12), 0.0)
    following = np.append(level[1:], level[-1])
    reached = np.where(shape[at] == LINE, level[at] + share * (following[at] - level[at]), level[at])
    new_place = np.concatenate((position, later))
    new_level = np.concatenate((np.where(jumps, before, level), reached))
    new_shape = np.concatenate((np.where(jumps, LINE, shape), shape[at])).astype(int)
    new_amount = np.concatenate((np.where(jumps, 0.0, amount), amount[at]))
    order = np.argsort(new_place, kind="stable")
    keep = ~np.append(twin, np.zeros(len(at), bool))[order]
    floating = (column[order][keep] for column in (new_place, new_level, new_amount))
    position, level, amount = floating
    return position, level, new_shape[order][keep], amount


def _fitted(lfo: Lfo, cycles: Cycles, tolerance: float) -> Curve:
    """A changing LFO as few points: its corners, moved so that cosines meet the centre when it
    does, and what then still strays is cut finer."""
    first, last = cycles.first, cycles.last
    ends = cycles.gone(np.array([first, last]))
    numbers = np.arange(int(np.floor(ends[0])) - 1, int(np.floor(ends[1])) + 2)
    position, _, shape, _ = _corners(lfo, numbers, cycles)
    knots = cycles.at(np.clip(position, ends[0] - 0.5, ends[1] + 0.5))
    if np.all(shape == COSINE):
        knots = _leaning(lfo, cycles, position, knots)
    inside = knots[(knots > first + 1e-9) & (knots < last - 1e-9)]
    tempo = [p.beat for p in cycles.tempo.points if first < p.beat < last]
    crossings = np.empty(0)
    if lfo.amount_way is not None:
        crossings = lfo.amount_way.beat * (last - first) + first
        if lfo.both_ways:
            crossings = np.append(crossings, _through_zero(lfo.amount_way) * (last - first) + first)
    turns = np.concatenate(([first, last], inside, tempo if lfo.rate.timed else [], crossings))
    turns = turns[(turns >= first) & (turns <= last)]

    def function(beats: Floats) -> Floats:
        return value_at(lfo, first, last, cycles.tempo, beats)

    return approximated(function, turns, tolerance)


def _through_zero(depth: Curve) -> Floats:
    """Where, between two points, an amount that goes both ways passes zero along a line."""
    low, high = depth.value[:-1] - 0.5, depth.value[1:] - 0.5
    turns = (low * high < 0.0) & (depth.shape[:-1] == LINE)
    share = low[turns] / (low[turns] - high[turns])
    return depth.beat[:-1][turns] + share * np.diff(depth.beat)[turns]


def _leaning(lfo: Lfo, cycles: Cycles, position: Floats, knots: Floats) -> Floats:
    """Extremes moved in time so that a cosine between two of them passes the centre just when the
    movement does: at an extreme a small move changes the value next to nothing, half way it is
    all that matters."""
    middle = cycles.at(0.5 * (position[1:] + position[:-1]))
    u = (knots - cycles.first) / (cycles.last - cycles.first)
    size = np.abs(_levelled(lfo, np.ones(len(knots)), u) - lfo.centre)
    # Where between two extremes of unlike size the cosine passes the centre.
    share = np.clip(size[:-1] / np.maximum(size[:-1] + size[1:], 1e-12), 0.05, 0.95)
    crossing = np.arccos(1.0 - 2.0 * share) / np.pi
    off = knots[:-1] + crossing * np.diff(knots) - middle
    shift = np.concatenate(([off[0]], 0.5 * (off[1:] + off[:-1]), [off[-1]]))
    moved = knots - shift
    return np.maximum.accumulate(moved)
