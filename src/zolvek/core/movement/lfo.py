"""LFOs, and their way to points.

A wave is told by the points of one cycle; the number of cycles gone by at each beat is a function
that can be turned round, so every point's place is exact. Where rate and amount stand still the
curve is exact; where they change it is fitted within a tolerance.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve.building import joined
from zolvek.core.curve.composing import composed
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import COSINE, HOLD, LINE, S_CURVE
from zolvek.core.errors import ZolvekError
from zolvek.core.model.pattern import Pattern
from zolvek.core.records import record
from zolvek.core.time.rates import Rate
from zolvek.core.time.tempo import TempoMap

MOST_POINTS = 1_000_000
TOLERANCE = 0.001  # within which a changing rate or amount is followed, of the full height
ROUNDEST = 0.75  # amount of the S-curve that a fully smoothed triangle is made of
QUARTER = Rate(1.0)
TABLE = 65_536  # places at which a rate that changes by a curve is added up
EDGE_TOLERANCE = 5e-4  # of the height, within which a cosine cut by the span's edge is fitted
NEAR = 1e-9  # beats within which a corner lies on the span's edge


class Corner(NamedTuple):
    """A point of a wave's cycle: where (0..1 of the cycle), level −1..1, and the shape from it."""

    u: float
    level: float
    shape: int


Corners = Callable[["Lfo"], list[Corner]]


def _sine(lfo: Lfo) -> list[Corner]:
    # At the centre and rising at phase 0: the lowest point lies a quarter before it.
    return [Corner(0.25, 1.0, COSINE), Corner(0.75, -1.0, COSINE)]


def _triangle(lfo: Lfo) -> list[Corner]:
    return [Corner(0.0, -1.0, LINE), Corner(0.5, 1.0, LINE)]


def _saw_up(lfo: Lfo) -> list[Corner]:
    return [Corner(0.0, -1.0, LINE), Corner(1.0, 1.0, LINE)]


def _saw_down(lfo: Lfo) -> list[Corner]:
    return [Corner(0.0, 1.0, LINE), Corner(1.0, -1.0, LINE)]


def _pulse(lfo: Lfo) -> list[Corner]:
    return [Corner(0.0, 1.0, HOLD), Corner(lfo.width, -1.0, HOLD)]


class Wave(NamedTuple):
    """One row: `corners` of a cycle; a random wave has one new level a cycle instead, and goes to
    the next by `shape`."""

    key: str
    label: str
    corners: Corners | None
    shape: int = HOLD


WAVES: dict[str, Wave] = {
    wave.key: wave
    for wave in (
        Wave("sine", "Sine", _sine),
        Wave("triangle", "Triangle", _triangle),
        Wave("saw-up", "Rising saw", _saw_up),
        Wave("saw-down", "Falling saw", _saw_down),
        Wave("pulse", "Pulse", _pulse),
        Wave("sample-hold", "Sample and hold", None, HOLD),
        Wave("smooth-random", "Smooth random", None, COSINE),
        Wave("pattern", "Pattern", None, LINE),
    )
}


@record
class Lfo:
    """A movement that repeats.

    `phase` in cycles; `amount` and `centre` in 0..1 of the height (amount 1 is from lowest to
    highest); `width` 0..1 of a pulse; `skew` −1..1, how far the middle of the cycle is late;
    `smooth` 0..1, how much of each piece a jump takes, and how round a triangle is; `soften`
    seconds that a jump takes; `seed` of the random waves.

    With `rate_end` the rate goes there over the span: evenly in octaves, or with `by_equal_steps`
    in Hz, or by the curve `rate_way` (beats 0..1 of the span; value 0 is the rate, 1 its end).
    `amount_way` is a curve of the same kind that the amount is multiplied by.
    """

    wave: str = "sine"
    rate: Rate = QUARTER
    phase: float = 0.0
    amount: float = 1.0
    centre: float = 0.5
    invert: bool = False
    width: float = 0.5
    skew: float = 0.0
    smooth: float = 0.0
    soften: float = 0.0
    seed: int = 1
    rate_end: Rate | None = None
    by_equal_steps: bool = False
    rate_way: Curve | None = None
    amount_way: Curve | None = None
    pattern: Pattern | None = None

    def __post_init__(self) -> None:
        faults = (
            (self.wave not in WAVES, f"There is no wave “{self.wave}”."),
            (self.wave == "pattern" and self.pattern is None, "Which pattern is a cycle?"),
            (not 0.001 <= self.width <= 0.999, "The width goes from 0.1 to 99.9 %."),
            (not -0.99 <= self.skew <= 0.99, "The skew goes from −99 to 99 %."),
            (not 0.0 <= self.smooth <= 1.0, "The smoothing goes from 0 to 100 %."),
            (not 0.0 <= self.soften <= 10.0, "Edges soften in 0 to 10 s."),
            (not -1.0 <= self.amount <= 1.0, "The amount goes from −100 to 100 %."),
            (not 0.0 <= self.centre <= 1.0, "The centre goes from 0 to 100 %."),
            (not abs(self.phase) <= 1e6, "The phase is out of all bounds."),
            (
                self.rate_end is not None and self.rate_end.timed != self.rate.timed,
                "A rate can't go from notes to seconds.",
            ),
        )
        for wrong, what in faults:
            if wrong:
                raise ZolvekError(what, "LFO", "Change it there.")

    @property
    def steady(self) -> bool:
        """Whether rate and amount stand still."""
        return self.rate_end is None and self.amount_way is None


@record
class Cycles:
    """How many cycles have gone by at each beat of a span, and back: exact inverses."""

    lfo: Lfo
    first: float
    last: float
    tempo: TempoMap

    def __post_init__(self) -> None:
        if not self.last > self.first:
            raise ZolvekError(
                "The span is empty.", remedy="Select a span that ends after it begins."
            )

    def way(self, beats: Floats) -> Floats:
        """What rates are counted in, beats or seconds, from the start of the span."""
        if not self.lfo.rate.timed:
            return beats - self.first
        return self.tempo.seconds(beats) - self.tempo.seconds(self.first)

    def beats(self, way: Floats) -> Floats:
        if not self.lfo.rate.timed:
            return way + self.first
        return self.tempo.beats(way + self.tempo.seconds(self.first))

    @property
    def whole(self) -> float:
        return float(self.way(np.array(self.last)))

    def gone(self, beats: Floats) -> Floats:
        """Cycles at each of `beats`, the phase counted in."""
        return self.lfo.phase + self._added(self.way(beats))

    def at(self, cycles: Floats) -> Floats:
        """The beat at which so many cycles have gone by; the inverse of `gone`."""
        return self.beats(self._back(cycles - self.lfo.phase))

    def _added(self, way: Floats) -> Floats:
        lfo = self.lfo
        if lfo.rate_end is None:
            return way / lfo.rate.period
        low, ratio = 1.0 / lfo.rate.period, lfo.rate.period / lfo.rate_end.period
        u = way / self.whole
        if lfo.rate_way is not None:
            table = self._table()
            return np.interp(u, table[0], table[1])
        if lfo.by_equal_steps:
            return low * self.whole * (u + 0.5 * (ratio - 1.0) * u * u)
        if abs(ratio - 1.0) < 1e-9:
            return low * way
        return low * self.whole * np.expm1(np.log(ratio) * u) / np.log(ratio)

    def _back(self, cycles: Floats) -> Floats:
        lfo = self.lfo
        if lfo.rate_end is None:
            return cycles * lfo.rate.period
        low, ratio = 1.0 / lfo.rate.period, lfo.rate.period / lfo.rate_end.period
        part = cycles / (low * self.whole)
        if lfo.rate_way is not None:
            table = self._table()
            u = np.interp(cycles, table[1], table[0])
        elif lfo.by_equal_steps and abs(ratio - 1.0) >= 1e-9:
            inside = np.maximum(1.0 + 2.0 * (ratio - 1.0) * part, 0.0)
            u = (np.sqrt(inside) - 1.0) / (ratio - 1.0)
        elif abs(ratio - 1.0) < 1e-9:
            u = part
        else:
            u = np.log1p(np.maximum(part * np.log(ratio), -1.0 + 1e-15)) / np.log(ratio)
        return u * self.whole

    def _table(self) -> tuple[Floats, Floats]:
        """A rate that changes by a curve, added up finely (Simpson's rule): u, and cycles."""
        kept = self.__dict__.get("_kept")
        if kept is None:
            lfo = self.lfo
            assert lfo.rate_end is not None and lfo.rate_way is not None
            u = np.linspace(0.0, 1.0, TABLE + 1)
            share = lfo.rate_way.at(0.5 * (u[1:] + u[:-1])), lfo.rate_way.at(u)
            low, high = 1.0 / lfo.rate.period, 1.0 / lfo.rate_end.period
            middle, ends = (
                low + (high - low) * s if lfo.by_equal_steps else low * (high / low) ** s
                for s in share
            )
            parts = (ends[:-1] + 4.0 * middle + ends[1:]) / 6.0 * np.diff(u) * self.whole
            kept = (u, np.concatenate(([0.0], np.cumsum(parts))))
            self.__dict__["_kept"] = kept
        return kept


def levels(seed: int, count: int) -> Floats:
    """Random levels −1..1, one a cycle: NumPy's PCG64 stream, the same on every machine."""
    return 2.0 * np.random.Generator(np.random.PCG64(seed)).random(count) - 1.0


def _drawn(seed: int, numbers: Ints) -> Floats:
    """The levels of numbered cycles; those before the first have a stream of their own."""
    after = levels(seed, max(int(numbers[-1]) + 1, 0))
    early = np.random.Generator(np.random.PCG64([seed, 1]))
    before = (2.0 * early.random(max(-int(numbers[0]), 0)) - 1.0)[::-1]
    kept = after[max(int(numbers[0]), 0) :]
    return np.concatenate((before, kept))[-len(numbers) :]


def points_wanted(lfo: Lfo, first: float, last: float, tempo: TempoMap) -> int:
    """About how many points it takes; told before a very fast one is made."""
    cycles = Cycles(lfo, first, last, tempo)
    count = float(cycles.gone(np.array(last)) - lfo.phase)
    a_cycle = len(lfo.pattern.curve) if lfo.pattern else 2
    return int(count * a_cycle * (2 if lfo.soften or lfo.smooth else 1)) + 2


def as_curve(
    lfo: Lfo,
    first: float,
    last: float,
    tempo: TempoMap,
    tolerance: float = TOLERANCE,
) -> Curve:
    """The LFO from beat `first` to `last` as a curve; kept to 0..1.

    Steady ones are exact. Changing ones stay within `tolerance` of the movement throughout. Raises ZolvekError for an empty span,
    or one of more than a million points.
    """
    wanted = points_wanted(lfo, first, last, tempo)
    if wanted > MOST_POINTS:
        raise ZolvekError(
            f"That makes {wanted:,} points; {MOST_POINTS:,} is the most.",
            "LFO",
            "Use a slower rate or a shorter span.",
        )
    cycles = Cycles(lfo, first, last, tempo)
    timed = lfo.rate.timed and _tempo_moves(tempo, first, last)
    if lfo.steady and not timed and not _clips(lfo):
        return _steady(lfo, cycles)
    return _fitted(lfo, cycles, tolerance)


def _steady(lfo: Lfo, cycles: Cycles) -> Curve:
    """An LFO whose cycles are all alike, by its corners."""
    from zolvek.core.curve.spans import piece

    first, last = cycles.first, cycles.last
    period = lfo.rate.period
    if lfo.rate.timed:
        period *= float(cycles.tempo.bpm(0.5 * (first + last))) / 60.0
    count = (last - first) / period
    numbers = np.arange(int(np.floor(lfo.phase)) - 2, int(np.floor(lfo.phase + count)) + 3)
    place, level, shape, amount = _corners(lfo, numbers, cycles)
    beat = np.maximum.accumulate(first + (place - lfo.phase) * period)
    value = _levelled(lfo, level, np.zeros(1))
    made = joined(beat, np.clip(value, 0.0, 1.0), shape.astype(np.uint8), amount)
    return piece(_onto(made, (first, last)), first, last).shifted(first)


def _onto(made: Curve, edges: tuple[float, float]) -> Curve:
    """Corners that rounding put beside an edge of the span, put onto it."""
    beat = made.beat.copy()
    for edge in edges:
        beat[np.abs(beat - edge) < NEAR] = edge
    return joined(beat, made.value, made.shape, made.amount)


def value_at(lfo: Lfo, first: float, last: float, tempo: TempoMap, beats: Floats) -> Floats:
    """The movement itself at each of `beats`, not clipped: what a curve is fitted to."""
    cycles = Cycles(lfo, first, last, tempo)
    gone = cycles.gone(beats)
    # In cycles counted as time all waves are steady, so their corners are exact there.
    low, high = float(np.min(gone)), float(np.max(gone))
    numbers = np.arange(int(np.floor(low)) - 2, int(np.floor(high)) + 3)
    place, level, shape, amount = _corners(lfo, numbers, cycles)
    # The wave over cycles, 0..1: there its corners are exact whatever the rate does.
    wave = joined(np.maximum.accumulate(place), 0.5 + 0.5 * level, shape.astype(np.uint8), amount)
    return _levelled(lfo, 2.0 * wave.at(gone) - 1.0, (beats - first) / (last - first))


def _levelled(lfo: Lfo, unit: Floats, u: Floats) -> Floats:
    """Wave −1..1 at the LFO's amount and centre; `u` 0..1 of the span."""
    amount = lfo.amount * (-1.0 if lfo.invert else 1.0) / 2.0
    if lfo.amount_way is not None:
        return lfo.centre + amount * lfo.amount_way.at(np.clip(u, 0.0, 1.0)) * unit
    return lfo.centre + amount * unit


def _clips(lfo: Lfo) -> bool:
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


def _corners(lfo: Lfo, numbers: Ints, cycles: Cycles) -> tuple[Floats, Floats, Ints, Floats]:
    """All corners of the given cycles: where in cycles, level −1..1, shape and amount."""
    wave = WAVES[lfo.wave]
    if lfo.pattern is not None and lfo.wave == "pattern":
        own = lfo.pattern.curve
        inside = (own.beat >= 0.0) & (own.beat <= lfo.pattern.length)
        u = own.beat[inside] / lfo.pattern.length
        row = (u, 2.0 * own.value[inside] - 1.0, own.shape[inside].astype(int), own.amount[inside])
    elif wave.corners is None:
        drawn = _drawn(lfo.seed, numbers)
        shape = np.full(len(numbers), wave.shape)
        return _edged(lfo, numbers.astype(float), drawn, shape, np.zeros(len(numbers)), cycles)
    else:
        rows = wave.corners(lfo)
        u, level, shape = (np.array(column, float) for column in zip(*rows, strict=True))
        amount = np.zeros(len(rows))
        if lfo.wave == "triangle" and lfo.smooth > 0.0:
            shape, amount = np.full(len(rows), S_CURVE), np.full(len(rows), ROUNDEST * lfo.smooth)
        row = (u, level, shape.astype(int), amount)
    u = _warped(row[0], lfo.skew)
    count = len(u)
    place = (numbers[:, None] + u).ravel()
    level, shape, amount = (np.tile(column, len(numbers)) for column in row[1:])
    if lfo.wave == "pulse" and count == 2 and lfo.skew:
        place = (numbers[:, None] + row[0]).ravel()  # a pulse has its width instead
    return _edged(lfo, place, level, shape, amount, cycles)


def _edged(
    lfo: Lfo, place: Floats, level: Floats, shape: Ints, amount: Floats, cycles: Cycles
) -> tuple[Floats, Floats, Ints, Floats]:
    """Jumps as ramps, where edges are softened or smoothed: a glide follows each of them."""
    if not (lfo.soften or lfo.smooth):
        return place, level, shape, amount
    twin = np.append(
        np.abs(np.diff(place)) < 1e-12, False
    )  # its next point is the jump's other side
    after_twin = np.append(False, twin[:-1])
    held = np.append(False, (shape[:-1] == HOLD) & (np.abs(np.diff(level)) > 1e-12))
    jumps = after_twin | (held & ~twin)
    if not jumps.any():
        return place, level, shape, amount
    length = np.append(np.diff(place), 1.0)
    glide = lfo.smooth * length
    if lfo.soften:
        beat = cycles.at(place)
        per_cycle = cycles.tempo.seconds(cycles.at(place + 1e-3)) - cycles.tempo.seconds(beat)
        glide = np.maximum(glide, lfo.soften / np.maximum(per_cycle / 1e-3, 1e-12))
    glide = np.minimum(glide, 0.999 * length)
    before = np.append(level[0], level[:-1])
    way = COSINE if lfo.smooth > 0.0 else LINE
    at = np.flatnonzero(jumps)
    # The old level stays at the jump; the new one, with its shape, comes a glide later.
    later = place[at] + glide[at]
    share = np.where(length[at] > 0.0, glide[at] / np.maximum(length[at], 1e-12), 0.0)
    following = np.append(level[1:], level[-1])
    reached = np.where(
        shape[at] == LINE, level[at] + share * (following[at] - level[at]), level[at]
    )
    new_place = np.concatenate((place, later))
    new_level = np.concatenate((np.where(jumps, before, level), reached))
    new_shape = np.concatenate((np.where(jumps, way, shape), shape[at]))
    new_amount = np.concatenate((np.where(jumps, 0.0, amount), amount[at]))
    order = np.argsort(new_place, kind="stable")
    keep = ~np.append(twin, np.zeros(len(at), bool))[order]
    return tuple(column[order][keep] for column in (new_place, new_level, new_shape, new_amount))


def _fitted(lfo: Lfo, cycles: Cycles, tolerance: float) -> Curve:
    """A changing LFO as few points: its corners, moved so that cosines meet the centre when it
    does, and what then still strays is cut finer."""
    first, last = cycles.first, cycles.last
    ends = cycles.gone(np.array([first, last]))
    numbers = np.arange(int(np.floor(ends[0])) - 1, int(np.floor(ends[1])) + 2)
    place, _, shape, _ = _corners(lfo, numbers, cycles)
    knots = cycles.at(np.clip(place, ends[0] - 0.5, ends[1] + 0.5))
    if np.all(shape == COSINE):
        knots = _leaning(lfo, cycles, place, knots)
    inside = knots[(knots > first + 1e-9) & (knots < last - 1e-9)]
    tempo = [p.beat for p in cycles.tempo.points if first < p.beat < last]
    way = np.empty(0)
    if lfo.amount_way is not None:
        way = lfo.amount_way.beat * (last - first) + first
    turns = np.concatenate(([first, last], inside, tempo if lfo.rate.timed else [], way))
    turns = turns[(turns >= first) & (turns <= last)]

    def function(beats: Floats) -> Floats:
        return value_at(lfo, first, last, cycles.tempo, beats)

    return composed(function, turns, tolerance)


def _leaning(lfo: Lfo, cycles: Cycles, place: Floats, knots: Floats) -> Floats:
    """Extremes moved in time so that a cosine between two of them passes the centre just when the
    movement does: at an extreme a small move changes the value next to nothing, half way it is
    all that matters."""
    middle = cycles.at(0.5 * (place[1:] + place[:-1]))
    u = (knots - cycles.first) / (cycles.last - cycles.first)
    size = np.abs(_levelled(lfo, np.ones(len(knots)), u) - lfo.centre)
    # Where between two extremes of unlike size the cosine passes the centre.
    share = np.clip(size[:-1] / np.maximum(size[:-1] + size[1:], 1e-12), 0.05, 0.95)
    crossing = np.arccos(1.0 - 2.0 * share) / np.pi
    off = knots[:-1] + crossing * np.diff(knots) - middle
    shift = np.concatenate(([off[0]], 0.5 * (off[1:] + off[:-1]), [off[-1]]))
    moved = knots - shift
    return np.maximum.accumulate(moved)
