"""Stepping: a curve as whole steps at whole ticks, with the fewest changes that follow it; and
back, from a stream of steps to a curve."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve import Curve, joined
from zolvek.core.errors import ZolvekError
from zolvek.core.meter import TICKS
from zolvek.core.playing import Heard
from zolvek.core.records import record
from zolvek.core.shapes import HOLD, LINE
from zolvek.core.tempo import TempoMap
from zolvek.core.thinning import compiled, thinned

COMPILED_FROM = 20_000  # runs from which on the loop is worth compiling
LONGEST = 60_000.0  # milliseconds that a change may wait at most


@record
class Resolution:
    """How closely steps follow: changes lie at least `ticks` and `milliseconds` apart, and beyond
    half a step they may stray by `tolerance` of the height."""

    ticks: int = 1
    milliseconds: float = 0.0
    tolerance: float = 0.0

    def __post_init__(self) -> None:
        fits = self.ticks >= 1 and 0.0 <= self.milliseconds <= LONGEST
        if not (fits and 0.0 <= self.tolerance <= 0.5):
            raise ZolvekError(
                "The resolution can't be used.",
                remedy="Take 1 tick or more, 0 ms or more, and a tolerance up to 50 %.",
            )


@record(eq=False)
class Stream:
    """One lane's steps: `tick` increasing, `value` from 0 to the highest; `strays`: how far they
    stray from the curve at most, in steps, and the tick that is at."""

    lane: str
    tick: Ints
    value: Ints
    strays: float
    at: int


def moments(
    heard: Heard, length: float, tempo: TempoMap, resolution: Resolution
) -> tuple[Ints, Floats]:
    """The ticks at which steps may change, the end of the project last: all of them, or those as
    far apart as is wanted, and wherever the curve jumps; and the beats they stand for. For the tick
    nearest to a jump that is the jump's own, so that it is sent whole."""
    last = max(int(np.ceil(length * TICKS)), 1)
    fastest = max(point.bpm for point in tempo.points) / 60_000.0  # beats a millisecond
    apart = max(resolution.ticks, int(np.ceil(resolution.milliseconds * fastest * TICKS - 1e-6)))
    ticks = np.arange(0, last + 1, apart)
    jumps = heard.leaps[(heard.leaps > 0.5 / TICKS) & (heard.leaps < (last - 0.5) / TICKS)]
    nearest = np.round(jumps * TICKS).astype(np.intp)
    if apart > 1:
        ticks = np.unique(np.concatenate((ticks, nearest)))
    ticks = np.append(ticks[ticks < last], last)
    beats = ticks / TICKS
    beats[np.searchsorted(ticks, nearest)] = jumps
    return ticks, beats


def stepped(
    heard: Heard, length: float, highest: int, tempo: TempoMap, resolution: Resolution
) -> Stream:
    """The fewest changes that keep the steps 0..`highest` within half a step (and the tolerance)
    of the lane's curve at every instant.

    Where the curve runs through more than a step between two ticks, the step nearest to the middle
    of what it does there is taken.
    """
    ticks, beats = moments(heard, length, tempo, resolution)
    low, high = heard.curve.extents(beats)
    low, high = low * highest, high * highest
    slack = 0.5 + resolution.tolerance * highest + 1e-9
    least = np.ceil(np.maximum(high - slack, 0.0)).astype(np.intp)
    most = np.minimum(low + slack, highest).astype(np.intp)
    torn = least > most
    if torn.any():
        least[torn] = most[torn] = ((low + high)[torn] / 2.0 + 0.5).astype(np.intp)
    place, value = covered(least, most)
    held = np.repeat(value, np.diff(np.append(place, len(least))))
    far = np.maximum(high - held, held - low)
    worst = int(np.argmax(far))
    return Stream(heard.lane.id, ticks[place], value, float(far[worst]), int(ticks[worst]))


def covered(least: Ints, most: Ints) -> tuple[Ints, Ints]:
    """The fewest values, one after another, that lie within least..most everywhere: the places at
    which each begins, and the values. Keeping one as long as any value suits is the fewest there
    can be."""
    new = np.flatnonzero(
        np.concatenate(([True], (least[1:] != least[:-1]) | (most[1:] != most[:-1])))
    )
    low, high = least[new], most[new]
    if np.array_equal(low, high):
        return new, low
    work: Callable[..., tuple[Ints, Ints]] = _kept
    if len(new) >= COMPILED_FROM:
        work = compiled(_kept)  # type: ignore[assignment]
    begins, value = work(low, high)
    return new[begins], value


def _kept(low: Ints, high: Ints) -> tuple[Ints, Ints]:
    """One number at a time, so that a compiler can take it."""
    count = len(low)
    begins, values = np.empty(count, np.int64), np.empty(count, np.int64)
    found, start, bottom, top = 0, 0, low[0], high[0]
    for i in range(1, count):
        lower, upper = max(bottom, low[i]), min(top, high[i])
        if lower > upper:
            begins[found], values[found] = start, (bottom + top) // 2
            found += 1
            start, bottom, top = i, low[i], high[i]
        else:
            bottom, top = lower, upper
    begins[found], values[found] = start, (bottom + top) // 2
    return begins[: found + 1], values[: found + 1]


def real_error(heard: Heard, stream: Stream, highest: int, length: float) -> Floats:
    """How far the stream takes the curve's value, 0..1, from what it is, at every tick."""
    ticks = np.arange(max(int(np.ceil(length * TICKS)), 1))
    place = np.searchsorted(stream.tick, ticks, side="right") - 1
    return stream.value[place] / highest - heard.curve.at(ticks / TICKS)


SHORT = 0.03  # beats: steps that stand for less belong to a fast movement
NEAR = 0.06  # beats beside a change within which the movement is
LEAP, SUDDEN = 3.0 / 127.0, 8.0  # of the height, and times the changes beside it: a jump
REST = 0.5  # beats: a step that stands for longer at a turn was meant to stand


def from_steps(beats: Floats, values: Floats, step: float, tolerance: float | None) -> Curve:
    """The curve that a stream of steps tells: `values` 0..1 that each hold from their beat on;
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
    long = np.stack((stands[:-1] > SHORT, stands[1:] > SHORT), axis=1)
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
    rests = turn & (stands > REST)
    near = np.minimum(0.5 * stands, NEAR)
    beat = np.stack((beats[1:] - near[:-1], beats[1:], beats[1:], beats[1:] + near[1:]), axis=1)
    value = np.stack((sides[:, 0], met[:, 0], met[:, 1], sides[:, 1]), axis=1)
    wanted = np.stack((rests[:-1], np.ones(len(jump), bool), jump, rests[1:]), axis=1)
    drawn = joined(
        np.append(beats[0], beat[wanted]),
        np.append(values[0], value[wanted]),
        np.full(int(wanted.sum()) + 1, LINE, np.uint8),
        np.zeros(int(wanted.sum()) + 1),
    )
    return thinned(drawn, max(tolerance, 1e-5), shapes=True, quick=True).curve
