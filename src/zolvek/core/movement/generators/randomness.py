# SPDX-License-Identifier: GPL-3.0-or-later
"""Random movement: new values at a rate, jitter of points, and small irregularities as of playing by hand.

All of it comes from a seed, by NumPy's PCG64 stream: the same on every machine.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.core.arrays import Floats, distinct
from zolvek.core.curve.construction import flat, joined, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.fitting import approximated
from zolvek.core.curve.point_edits import TICK, indices
from zolvek.core.curve.shapes import COSINE, HOLD, LINE
from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record
from zolvek.core.time.rates import Rate
from zolvek.core.time.tempo import TempoMap

RANDOM_KINDS: dict[str, tuple[str, int]] = {
    "steps": ("Steps", HOLD),
    "smooth": ("Smooth", COSINE),
    "walk": ("Random walk", LINE),
}
SPREADS = {"even": "Even", "bell": "Bell-shaped", "levels": "A few levels"}
BELL_WIDTH = 3.0  # standard deviations that the bell's span reaches either way
WALK_STEP = 0.1  # standard deviation of a walk's step
EIGHTH = Rate(0.5)
# What is drawn from one seed by different means is different: each of them has a stream of its own, next to
# those of the random waves (core/movement/lfo.py). A file's `stream` 0 is from before they had one.
STREAMS = {"steps": 101, "smooth": 102, "walk": 103, "jitter": 104, "hand": 105, "state": 106}
MOST_VALUES = 1_000_000
LEAST = 1e-6  # of the height: a smaller amount is none
FINEST = 5e-4  # of the height, within which a sum with a curve is followed
HAND_SPACING_BEATS = 0.45  # beats between the user's small corrections, about
HAND_DEPTH = 0.03  # of the height, that they reach at full strength


class RandomMove(Record, frozen=True):
    """New values, one each `every`, from −1 to 1.

    `offset` −1..1 moves their middle, without leaving that range; with `spread` "levels" what is
    heard snaps to the nearest of `levels` (curve values 0..1); `density` 0..1 is how often there
    is a new one; `smoothness` 0..1 rounds steps, and evens out the others. `stream`: which of its
    `seed`'s streams they are drawn from.
    """

    kind: str = "steps"
    every: Rate = EIGHTH
    offset: float = 0.0
    spread: str = "even"
    levels: tuple[float, ...] = ()
    density: float = 1.0
    smoothness: float = 0.0
    seed: int = 1
    stream: int = 0

    def __post_init__(self) -> None:
        faults = (
            (self.kind not in RANDOM_KINDS, f"There is no random movement “{self.kind}”."),
            (self.spread not in SPREADS, f"There is no spread “{self.spread}”."),
            (self.spread == "levels" and not self.levels, "No levels are given."),
            (not all(0.0 <= v <= 1.0 for v in self.levels), "Use levels of 0 to 1."),
            (not -1.0 <= self.offset <= 1.0, "Use an offset of −100 to 100 %."),
            (not 0.0 <= self.density <= 1.0, "Use a density of 0 to 100 %."),
            (not 0.0 <= self.smoothness <= 1.0, "Use a smoothness of 0 to 100 %."),
            (not 0 <= self.seed < 2**63, "A seed is a whole number, 0 or more."),
            (not 0 <= self.stream < 2**31, "A stream is a whole number, 0 or more."),
        )
        for wrong, what in faults:
            if wrong:
                raise ZolvekError(what, "random movement", "Change it there.")


def source(seed: int, stream: int) -> np.random.Generator:
    """The numbers of a seed's stream; 0 is the seed itself."""
    return np.random.Generator(np.random.PCG64([seed, 0, stream] if stream else seed))


def drawn(move: RandomMove, count: int) -> Floats:
    """`count` values −1..1."""
    rng = source(move.seed, move.stream)
    if move.kind == "walk":
        values = _reflected(np.cumsum(rng.standard_normal(count) * WALK_STEP))
    elif move.spread == "bell":
        values = _bell(rng, count)
    else:
        values = 2.0 * rng.random(count) - 1.0
    if move.density < 1.0:
        new = np.append(True, rng.random(count - 1) < move.density) if count else np.empty(0, bool)
        values = values[np.maximum.accumulate(np.where(new, np.arange(count), 0))]
    if move.smoothness > 0.0 and move.kind != "steps":
        values = _averaged(values, move.smoothness)
    return values * (1.0 - abs(move.offset)) + move.offset


def _bell(rng: np.random.Generator, count: int) -> Floats:
    """A normal spread cut off at ±3 standard deviations, which are ±1."""
    result = np.empty(0)
    while len(result) < count:
        more = rng.standard_normal(count + 16)
        result = np.concatenate((result, more[np.abs(more) <= BELL_WIDTH]))
    return result[:count] / BELL_WIDTH


def _reflected(values: Floats) -> Floats:
    """Folded back at −1 and 1."""
    wrapped = np.mod(values + 1.0, 4.0)
    return np.where(wrapped > 2.0, 4.0 - wrapped, wrapped) - 1.0


def _averaged(values: Floats, share: float) -> Floats:
    """Each value with a share of those before it; at 1, all of them count alike."""
    weights = share ** np.arange(min(len(values), 64))
    padded = np.concatenate((np.full(len(weights) - 1, values[0]), values))
    return np.convolve(padded, weights / weights.sum(), "valid")


def random_curve(move: RandomMove, first: float, last: float, tempo: TempoMap) -> Curve:
    """The movement from beat `first` to `last`: −1..1 as 0..1. Raises ZolvekError for an empty
    span or one with more than a million values."""
    if not last > first:
        raise ZolvekError("The span is empty.", remedy="Select a span that ends after it begins.")
    begin, end = (tempo.seconds([first, last]) if move.every.timed else np.array([first, last])).tolist()
    count = int(np.ceil((end - begin) / move.every.period - 1e-9))
    if count > MOST_VALUES:
        raise ZolvekError(
            f"This makes {count:,} values; the limit is {MOST_VALUES:,}.",
            remedy="Use a slower rate or a shorter span.",
        )
    at = begin + np.arange(count) * move.every.period
    beat = np.maximum.accumulate(tempo.beats(at) if move.every.timed else at)
    beat[0] = first
    value = 0.5 + 0.5 * drawn(move, count + 1)
    code = RANDOM_KINDS[move.kind][1]
    if move.kind == "steps" and move.smoothness > 0.0:
        return _gliding(beat, value[:-1], last, move.smoothness)
    ends = value[-2:-1] if code == HOLD else value[-1:]
    shape = np.append(np.full(count, code), LINE).astype(np.uint8)
    return joined(np.append(beat, last), np.append(value[:-1], ends), shape, np.zeros(count + 1))


def _gliding(beat: Floats, value: Floats, last: float, share: float) -> Curve:
    """Steps that each take a share of their length to be reached."""
    length = np.diff(np.append(beat, last))
    before = np.append(value[0], value[:-1])
    beats = np.stack((beat, beat + np.minimum(share, 0.999) * length), axis=1).ravel()
    values = np.stack((before, value), axis=1).ravel()
    shapes = np.tile([COSINE, HOLD], len(beat))
    return joined(
        np.append(beats, last),
        np.append(values, value[-1]),
        np.append(shapes, LINE).astype(np.uint8),
        np.zeros(2 * len(beat) + 1),
    )


def randomised(
    curve: Curve,
    first: float,
    last: float,
    move: RandomMove,
    amount: float,
    tempo: TempoMap,
    follow: bool = True,
) -> Curve:
    """A piece, from beat 0, of what the curve does from `first` to `last` with the random
    movement added, `amount` 0..1 of the height either way; or, not following, about the middle
    instead of the curve. It stays within `amount` of what it follows; 0 changes nothing.
    """
    from zolvek.core.curve.discontinuities import knots
    from zolvek.core.curve.spans import piece

    part = piece(curve, first, last)
    length = float(part.beat[-1])
    if amount <= LEAST and follow:
        return part
    wild = random_curve(move, first, last, tempo)
    wild = wild.shifted(-first)
    base = part if follow else flat(0.5)
    if move.spread == "levels":
        return _on_levels(base, wild, move, amount, length)
    tolerance = min(FINEST, 0.05 * amount)
    reach = 2.0 * (amount - tolerance)

    def function(beats: Floats) -> Floats:
        return base.at(beats) + reach * (wild.at(beats) - 0.5)

    at = np.concatenate((knots(base), wild.beat, [0.0, length]))
    return approximated(function, at[(at >= 0.0) & (at <= length)], tolerance)


def _on_levels(base: Curve, wild: Curve, move: RandomMove, amount: float, length: float) -> Curve:
    """A level for each new value: the one nearest to what would be heard there."""
    beat = distinct(wild.beat[wild.beat < length])
    wanted = base.at(beat) + amount * 2.0 * (wild.at(beat) - 0.5)
    levels = np.sort(np.array(move.levels))
    value = levels[np.argmin(np.abs(levels - wanted[:, None]), axis=1)]
    new = np.append(True, np.diff(value) != 0.0)
    shape = np.append(np.full(int(new.sum()), HOLD), LINE).astype(np.uint8)
    return Curve(
        np.append(beat[new], length),
        np.append(value[new], value[-1]),
        shape,
        np.zeros(len(shape)),
    )


def jittered(
    curve: Curve,
    chosen: Any,
    value: float,
    time: float,
    seed: int,
    step: float | None = None,
) -> Curve:
    """The chosen points moved by up to `value` of the height and up to `time` beats, never past
    a neighbour; with `step`, times move by whole steps of so many beats, so that points that are
    on the grid stay on it. The two points of a jump keep together."""
    which = indices(curve, chosen)
    rng = source(seed, STREAMS["jitter"])
    values, beats = curve.value.copy(), curve.beat.copy()
    values[which] = np.clip(values[which] + value * (2.0 * rng.random(len(which)) - 1.0), 0.0, 1.0)
    moves = time * (2.0 * rng.random(len(which)) - 1.0)
    if step:
        moves = np.trunc(moves / step) * step
    offsets = np.zeros(len(curve))
    offsets[which] = moves
    group = np.cumsum(np.append(0, np.diff(curve.beat) > 0.0))
    starts = np.flatnonzero(np.append(True, np.diff(group) > 0))
    at = curve.beat[starts]
    gaps = np.concatenate(([at[0] * 2.0], np.diff(at), [np.inf]))
    # Half of each gap belongs to either side, so two neighbours can't meet.
    back, on = gaps[:-1] / 2.0 - TICK, gaps[1:] / 2.0 - TICK
    move = offsets[starts]
    if step:
        move = np.where((move < -back) | (move > on), 0.0, move)
    move = np.clip(move, -np.maximum(back, 0.0), np.maximum(on, 0.0))
    beats = np.maximum(beats + move[group], 0.0)
    return curve.having(beat=beats, value=values)


def humanised(curve: Curve, first: float, last: float, strength: float, seed: int) -> Curve:
    """A piece, from beat 0, of what the curve does from `first` to `last` as a hand would do it:
    small slow irregularities, a few percent at full strength (0..1), none at the ends."""
    from zolvek.core.curve.discontinuities import knots
    from zolvek.core.curve.spans import piece

    part = piece(curve, first, last)
    length = float(part.beat[-1])
    if strength <= 0.0:
        return part
    rng = source(seed, STREAMS["hand"])
    count = int(length / HAND_SPACING_BEATS * 1.5) + 8
    at = np.cumsum(HAND_SPACING_BEATS * np.exp(0.35 * rng.standard_normal(count)))
    at = np.concatenate(([0.0], at[at < length - 0.5 * HAND_SPACING_BEATS], [length]))
    sway = _averaged(np.clip(rng.standard_normal(len(at)) / 1.6, -1.0, 1.0), 0.4)
    sway[0] = sway[-1] = 0.0
    wander = lines(at, 0.5 + 0.5 * np.clip(sway, -1.0, 1.0), COSINE)
    depth = 2.0 * strength * HAND_DEPTH

    def function(beats: Floats) -> Floats:
        return part.at(beats) + depth * (wander.at(beats) - 0.5)

    return approximated(function, np.concatenate((knots(part), at)), max(0.05 * strength * HAND_DEPTH, 1e-4))
