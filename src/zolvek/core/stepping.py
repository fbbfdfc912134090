"""Stepping: a curve as whole steps at whole ticks, with the fewest changes that follow it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.errors import ZolvekError
from zolvek.core.meter import TICKS
from zolvek.core.playing import Heard
from zolvek.core.tempo import TempoMap

COMPILED_FROM = 20_000  # runs from which on the loop is worth compiling
LONGEST = 60_000.0  # milliseconds that a change may wait at most


@dataclass(frozen=True)
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


@dataclass(frozen=True, eq=False)
class Stream:
    """One lane's steps: `tick` increasing, `value` from 0 to the highest; `strays`: how far they
    stray from the curve at most, in steps, and the tick that is at."""

    lane: str
    tick: Ints
    value: Ints
    strays: float
    at: int


def moments(heard: Heard, length: float, tempo: TempoMap, resolution: Resolution) -> Ints:
    """The ticks at which steps may change, the end of the project last: all of them, or those as
    far apart as is wanted, and wherever the curve jumps."""
    last = max(int(np.ceil(length * TICKS)), 1)
    ticks = np.arange(0, last + 1, resolution.ticks)
    if resolution.milliseconds > 0.0:
        seconds = np.arange(
            0.0, float(tempo.seconds(last / TICKS)), resolution.milliseconds / 1_000.0
        )
        apart = np.ceil(tempo.beats(seconds) * TICKS - 1e-6).astype(np.intp)
        ticks = apart if len(apart) < len(ticks) else ticks
    if len(ticks) <= last:
        jumps = np.floor(heard.leaps * TICKS + 1e-6).astype(np.intp)
        ticks = np.unique(np.concatenate((ticks, jumps[(jumps >= 0) & (jumps < last)])))
    return np.append(ticks[ticks < last], last)


def stepped(
    heard: Heard, length: float, highest: int, tempo: TempoMap, resolution: Resolution
) -> Stream:
    """The fewest changes that keep the steps 0..`highest` within half a step (and the tolerance)
    of the lane's curve at every instant.

    Where the curve runs through more than a step between two ticks, the step nearest to the middle
    of what it does there is taken.
    """
    ticks = moments(heard, length, tempo, resolution)
    low, high = heard.curve.extents(ticks / TICKS)
    low, high = low * highest, high * highest
    slack = 0.5 + resolution.tolerance * highest
    least = np.clip(np.ceil(high - slack - 1e-9), 0, highest).astype(np.intp)
    most = np.clip(np.floor(low + slack + 1e-9), 0, highest).astype(np.intp)
    torn = least > most
    middle = np.floor((low + high) / 2.0 + 0.5).astype(np.intp)
    least[torn] = most[torn] = middle[torn]
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
        from zolvek.core.thinning import compiled

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
