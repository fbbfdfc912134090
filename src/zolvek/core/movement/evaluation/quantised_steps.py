# SPDX-License-Identifier: GPL-3.0-or-later
"""Quantised steps: a curve as whole steps at whole ticks, with the fewest changes that follow it; and
back, from a stream of steps to a curve."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats, Ints, distinct
from zolvek.core.curve.construction import joined
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import HOLD, LINE
from zolvek.core.curve.thinning import thinned
from zolvek.core.errors import ZolvekError
from zolvek.core.model.messages import Scale
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane
from zolvek.core.records import Record
from zolvek.core.time.meter import TICKS
from zolvek.core.time.tempo import TempoMap
from zolvek.native import loops

PIECE = 1 << 20  # ticks that are looked at together
COARSE = (512, 64, 8, 1)  # ticks of a stretch, first and where more may happen in it
CLOSE = (32, 4, 1)  # the same where a curve is looked at by samples, not known exactly
LOOKED_AT = 1 << 18  # ticks of one step, to say where it is furthest off
LONGEST_INTERVAL_MS = 60_000.0  # milliseconds that a change may wait at most


class Resolution(Record, frozen=True):
    """How closely steps follow: changes lie at least `ticks` and `milliseconds` apart, and beyond
    half a step they may stray by `tolerance` of the height."""

    ticks: int = 1
    milliseconds: float = 0.0
    tolerance: float = 0.0

    def __post_init__(self) -> None:
        fits = self.ticks >= 1 and 0.0 <= self.milliseconds <= LONGEST_INTERVAL_MS
        if not (fits and 0.0 <= self.tolerance <= 0.5):
            raise ZolvekError(
                "The resolution can't be used.",
                remedy="Use 1 tick or more, 0 ms or more, and a tolerance up to 50 %.",
            )


class Stream(Record, frozen=True, eq=False):
    """One lane's steps: `tick` increasing, `value` from 0 to the highest; `strays`: how far they
    stray from the curve at most, in steps, and the tick that is at."""

    lane: str
    tick: Ints
    value: Ints
    strays: float
    at: int


class Moments:
    """The ticks at which steps may change, the end of the project last: all of them, or those as far
    apart as is wanted, and wherever the curve jumps; and the beats they stand for. For the tick
    nearest to a jump that is the jump's own, so that it is sent whole.

    They are given a piece at a time, for there are 57,600 of them in a minute at 60 BPM.
    """

    def __init__(self, heard: EvaluatedLane, length: float, tempo: TempoMap, resolution: Resolution) -> None:
        self.last = max(int(np.ceil(length * TICKS)), 1)
        fastest = max(point.bpm for point in tempo.points) / 60_000.0  # beats a millisecond
        gap = int(np.ceil(resolution.milliseconds * fastest * TICKS - 1e-6))
        self.apart = max(resolution.ticks, gap)
        last = (self.last - 0.5) / TICKS
        self.jumps = heard.leaps[(heard.leaps > 0.5 / TICKS) & (heard.leaps < last)]
        self.nearest = np.round(self.jumps * TICKS).astype(np.int64)

    def between(self, first: int, stop: int) -> Ints:
        """Those from tick `first` on, and before `stop`."""
        start = -(-first // self.apart) * self.apart
        ticks = np.arange(start, min(stop, self.last), self.apart)
        if self.apart > 1:
            low, high = np.searchsorted(self.nearest, [first, min(stop, self.last)])
            ticks = distinct(np.concatenate((ticks, self.nearest[low:high])))
        return ticks

    def after(self, tick: int) -> int:
        """The first one from `tick` on."""
        start = -(-tick // self.apart) * self.apart
        index = int(np.searchsorted(self.nearest, tick))
        jump = int(self.nearest[index]) if index < len(self.nearest) else self.last
        return min(start, jump, self.last)

    def beats(self, ticks: Ints) -> Floats:
        """What each of some increasing ticks stands for."""
        beats = ticks / TICKS
        if len(ticks):
            low, high = np.searchsorted(self.nearest, [ticks[0], ticks[-1] + 1])
            index = np.searchsorted(ticks, self.nearest[low:high])
            met = ticks[np.minimum(index, len(ticks) - 1)] == self.nearest[low:high]
            beats[index[met]] = self.jumps[low:high][met]
        return beats


class Bounds:
    """What steps of a scale may be for some extents of the curve: from `least` to `most`."""

    def __init__(self, scale: Scale, tolerance: float) -> None:
        self.scale = scale
        self.slack = 0.5 + tolerance * scale.highest + 1e-9

    def least(self, reached: Floats) -> Ints:
        """The least step for the highest that the curve comes to, 0..1."""
        return np.ceil(np.maximum(self.scale.steps(reached) - self.slack, 0.0)).astype(np.int32)

    def most(self, reached: Floats) -> Ints:
        """The greatest step for the lowest that it comes to."""
        most = self.scale.steps(reached) + self.slack
        return np.minimum(most, self.scale.highest).astype(np.int32)


def stepped(
    heard: EvaluatedLane,
    length: float,
    scale: Scale,
    tempo: TempoMap,
    resolution: Resolution,
    going: Callable[[], object] = lambda: None,
) -> Stream:
    """The fewest changes that keep the steps of `scale` within half a step (and the tolerance) of the
    lane's curve at every instant.

    Where the curve runs through more than a step between two ticks, the step nearest to the middle
    of what it does there is taken. Only where the step may change is the curve looked at tick by
    tick: that, and the memory it takes, goes with how much it moves, not with how long it lasts.
    `going` is called now and then; what it raises ends the work.
    """
    moments, bounds = (
        Moments(heard, length, tempo, resolution),
        Bounds(scale, resolution.tolerance),
    )
    pieces = []
    for first in range(0, moments.last, PIECE):
        going()
        pieces.append(_piece(heard, moments, bounds, first, first + PIECE))
    tick, low, high = (np.concatenate(column) for column in zip(*pieces, strict=True))
    least, most = bounds.least(high), bounds.most(low)
    torn = least > most
    if torn.any():
        middle = 0.5 * (scale.steps(low[torn]) + scale.steps(high[torn]))
        least[torn] = most[torn] = (middle + 0.5).astype(np.int32)
    position, value = covered(least, most)
    held = np.repeat(value, np.diff(np.append(position, len(least))))
    far = np.maximum(scale.steps(high) - held, held - scale.steps(low))
    worst = int(np.argmax(far))
    end = int(tick[worst + 1]) if worst + 1 < len(tick) else moments.last
    strays, at = _worst(heard, moments, int(tick[worst]), end, scale, float(held[worst]))
    return Stream(heard.lane.id, tick[position], value, strays, at)


def _piece(
    heard: EvaluatedLane, moments: Moments, bounds: Bounds, first: int, stop: int
) -> tuple[Ints, Floats, Floats]:
    """Ticks of a stretch, and the lowest and highest value from each to the next: of those, only the
    ones at which what a step may be can change."""
    stop = min(stop, moments.last)
    count = stop - first
    chosen: Ints | None = None  # the ticks, where they are not simply all
    if moments.apart > 1:
        chosen = np.append(moments.between(first, stop), moments.after(stop))
        count = len(chosen) - 1
    if count < 1:
        return np.zeros(0, np.int64), np.zeros(0), np.zeros(0)
    sizes = COARSE if isinstance(heard.curve, Curve) else CLOSE
    starts = np.arange(0, count, sizes[0])
    for finer in (*sizes[1:], 0):
        edges = np.append(starts, count)
        ticks = first + edges if chosen is None else chosen[edges]
        low, high = heard.curve.extents(moments.beats(ticks))
        if not finer:
            break
        # Settled: whatever the curve does in it, a step may be the same at each of its ticks.
        moves = (bounds.least(low) != bounds.least(high)) | (bounds.most(low) != bounds.most(high))
        lengths = np.diff(edges)
        parts = np.where(moves, -(-lengths // finer), 1)
        inside = np.arange(parts.sum()) - np.repeat(np.cumsum(parts) - parts, parts)
        starts = np.repeat(starts, parts) + inside * finer
    return ticks[:-1], low, high


def _worst(
    heard: EvaluatedLane, moments: Moments, first: int, stop: int, scale: Scale, held: float
) -> tuple[float, int]:
    """How many steps a held one is from the curve at most between two ticks, and the tick that is at."""
    ticks = moments.between(first, stop)
    if len(ticks) > LOOKED_AT:
        ticks = ticks[np.linspace(0, len(ticks) - 1, LOOKED_AT).astype(np.int64)]
    low, high = heard.curve.extents(moments.beats(np.append(ticks, stop)))
    far = np.maximum(scale.steps(high) - held, held - scale.steps(low))
    worst = int(np.argmax(far))
    return float(far[worst]), int(ticks[worst])


def step_extents(
    heard: EvaluatedLane, stream: Stream, length: float, tempo: TempoMap, resolution: Resolution
) -> tuple[Floats, Floats]:
    """The lowest and highest value of the curve, 0..1, while each of the stream's steps stands."""
    moments = Moments(heard, length, tempo, resolution)
    return heard.curve.extents(moments.beats(np.append(stream.tick, moments.last)))


def covered(least: Ints, most: Ints) -> tuple[Ints, Ints]:
    """The fewest values, one after another, that lie within least..most everywhere: the places at
    which each begins, and the values. Keeping one as long as any value suits is the fewest there
    can be."""
    new = np.flatnonzero(np.concatenate(([True], (least[1:] != least[:-1]) | (most[1:] != most[:-1]))))
    low, high = least[new], most[new]
    if np.array_equal(low, high):
        return new, low
    begins, value = loops.kept(low, high) or _kept(low, high)
    return new[begins], value


def _kept(low: Ints, high: Ints) -> tuple[Ints, Ints]:
    """The plain form of what loops.c does. Of two that lie as near, the higher: the middle of 127 is sent as 64."""
    count = len(low)
    begins, values = np.empty(count, np.int64), np.empty(count, np.int64)
    result, start, bottom, top = 0, 0, low[0], high[0]
    for i in range(1, count):
        lower, upper = max(bottom, low[i]), min(top, high[i])
        if lower > upper:
            begins[result], values[result] = start, (bottom + top + 1) // 2
            result += 1
            start, bottom, top = i, low[i], high[i]
        else:
            bottom, top = lower, upper
    begins[result], values[result] = start, (bottom + top + 1) // 2
    return begins[: result + 1], values[: result + 1]


SHAPED = 200_000  # points up to which more than lines are tried
SHORT_STEP_BEATS = 0.03  # beats: steps that stand for less belong to a fast movement
NEAR_CHANGE_BEATS = 0.06  # beats next to a change within which the movement is
LEAP, SUDDEN = 3.0 / 127.0, 8.0  # of the height, and times the changes next to it: a jump
REST_BEATS = 0.5  # beats: a step that stands for longer at a turn was meant to stand


def from_steps(beats: Floats, values: Floats, step: float, tolerance: float | None) -> Curve:
    """The curve that a stream of steps says: `values` 0..1 that each hold from their beat on;
    `step` is the height of one.

    Without a tolerance they are held as they are. With one they are joined to a curve that passes
    half-way between two steps where one follows the other, and stays within half a step and the
    tolerance of them; in a fast movement, within the neighbouring steps. Changes of more than a
    step between steps that stand are jumps.
    """
    last = np.append(np.diff(beats) > 0.0, True)  # of several on one beat the last one counts
    beats, values = beats[last], np.clip(values[last], 0.0, 1.0)
    new = np.append(True, np.diff(values) != 0.0)
    beats, values = beats[new], values[new]
    if tolerance is None or len(beats) < 2:
        return Curve(beats, values, np.full(len(beats), HOLD, np.uint8), np.zeros(len(beats)))
    # Column 0 of every array stands for what lies before a change, column 1 for what follows.
    change = np.diff(values)
    stands = np.append(np.diff(beats), np.inf)
    long = np.stack((stands[:-1] > SHORT_STEP_BEATS, stands[1:] > SHORT_STEP_BEATS), axis=1)
    sides = np.stack((values[:-1], values[1:]), axis=1)
    middle = sides.mean(axis=1)
    met = np.clip(middle[:, None], sides - 0.5 * step, sides + 0.5 * step)
    small = np.abs(change) <= step * (1.0 + 1e-6)
    size = np.concatenate(([0.0], np.abs(change), [0.0]))
    sudden = (size[1:-1] > LEAP) & (size[1:-1] > SUDDEN * np.maximum(size[:-2], size[2:]))
    jump = ~small & (long.all(axis=1) | sudden)
    met = np.where((small | ~long.any(axis=1))[:, None], middle[:, None], met)
    met = np.where((long[:, :1] & ~jump[:, None]), met[:, :1], met)
    met = np.where((long[:, 1:] & ~long[:, :1] & ~small[:, None]), met[:, 1:], met)
    met = np.where(jump[:, None], sides, met)
    # Where it turns, and at both ends, a step that stands for long is reached and stays.
    turn = np.concatenate(([True], np.sign(change[1:]) != np.sign(change[:-1]), [True]))
    rests = turn & (stands > REST_BEATS)
    near = np.minimum(0.5 * stands, NEAR_CHANGE_BEATS)
    beat = np.stack((beats[1:] - near[:-1], beats[1:], beats[1:], beats[1:] + near[1:]), axis=1)
    value = np.stack((sides[:, 0], met[:, 0], met[:, 1], sides[:, 1]), axis=1)
    wanted = np.stack((rests[:-1], np.ones(len(jump), bool), jump, rests[1:]), axis=1)
    drawn = joined(
        np.append(beats[0], beat[wanted]),
        np.append(values[0], value[wanted]),
        np.full(int(wanted.sum()) + 1, LINE, np.uint8),
        np.zeros(int(wanted.sum()) + 1),
    )
    shapes = len(drawn) < SHAPED
    return thinned(drawn, max(tolerance, 1e-5), shapes=shapes, quick=True).curve
