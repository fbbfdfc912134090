"""Thinning: as few points as keep a curve within a tolerance, at every instant.

With lines only it is the known optimum for points at free places: the path of fewest links
through the corridor that the tolerance leaves round the curve, found by the greedy funnel (Imai
and Iri, Polygonal approximations of a curve, 1988; the straight line through ranges is
O'Rourke's, An on-line algorithm for fitting straight lines between data ranges, 1981). With
shapes, runs are followed as far as a bend, a cosine or an S-curve can.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints
from zolvek.core.curve import thinning_loops
from zolvek.core.curve.curve import Curve, joined
from zolvek.core.curve.shapes import BENT, COSINE, HOLD, LINE, S_CURVE
from zolvek.core.curve.thinning_loops import farthest, funnel
from zolvek.core.errors import ZolvekError
from zolvek.core.records import record

LEAST = 1e-6  # of the height: no tolerance is finer
COMPILED_FROM = 300  # samples from which on the loops are worth compiling
ROUNDING = 1e-9  # of the tolerance and the height, kept back for arithmetic
SAMPLED = 0.06  # share of the tolerance that is spent on telling shapes by lines
DENSE = 24  # places between neighbouring points where errors are looked for
CLOSE = 256  # places in a whole smooth segment, where that is fewer
SMOOTH = (BENT, S_CURVE, COSINE)
COUNT_TRIES = 30
FRAMES = (0.35, 0.6)  # shares of the tolerance for the line whose corners shapes may begin at
MOST_TURNS = 4_000
LONG = 50_000  # samples from which on fewer ways are tried
HELPERS = {"farthest": ("_rise", "_between", "_follows")}  # what a loop calls, callees first


@record(eq=False)
class Thinned:
    """A thinned curve and the one it was made of; how far apart they are is reckoned when asked."""

    curve: Curve
    original: Curve

    @property
    def before(self) -> int:
        return len(self.original)

    @property
    def after(self) -> int:
        return len(self.curve)

    @cached_property
    def _furthest(self) -> tuple[float, float]:
        return deviation(self.original, self.curve)

    @property
    def error(self) -> float:
        """The largest error, in curve values."""
        return self._furthest[0]

    @property
    def beat(self) -> float:
        """Where it is."""
        return self._furthest[1]


def thinned(
    curve: Curve,
    tolerance: float,
    shapes: bool = False,
    keep: Any = None,
    quick: bool = False,
) -> Thinned:
    """The curve with the fewest points found that stay within `tolerance` (curve values) of it.
    `quick` tries one way of shaping instead of several.

    Its ends and its jumps stay, and the points `keep` (indices or booleans). Raises ZolvekError
    for a tolerance that is none.
    """
    if not np.isfinite(tolerance) or tolerance < 0.0:
        raise ZolvekError(f"A tolerance of {tolerance} can't be used.", remedy="Use one above 0.")
    tolerance = max(tolerance, LEAST)
    spent = 0.0 if _is_lines(curve) else SAMPLED  # what telling shapes by lines takes of it
    inner = tolerance * (1.0 - spent - ROUNDING) - ROUNDING * 1e-3
    if len(curve) >= COMPILED_FROM:  # though each of its runs may be short
        worthwhile.update(("funnel", "farthest"))
    parts = [
        _thin_run(run_beats, run_values, inner, shapes, quick)
        for run_beats, run_values in _runs(curve, tolerance * SAMPLED, keep)
    ]
    made = _with_ends(_glued(parts), curve)
    if len(made) >= len(curve):
        made = curve
    return Thinned(made, curve)


def _with_ends(made: Curve, curve: Curve) -> Curve:
    """With the very first and last values, which a curve that jumps at its first or last beat holds
    before and after all that its runs tell."""
    first, last = (abs(made.value[i] - curve.value[i]) > ROUNDING for i in (0, -1))
    if not (first or last):
        return made
    ends = [place for place, missing in ((0, first), (len(curve) - 1, last)) if missing]
    where = [0 if place == 0 and first else len(made) for place in ends]
    return Curve(
        np.insert(made.beat, where, curve.beat[ends]),
        np.insert(made.value, where, curve.value[ends]),
        np.insert(made.shape, where, LINE),
        np.insert(made.amount, where, 0.0),
    )


def thinned_to(curve: Curve, count: int, shapes: bool = False, keep: Any = None) -> Thinned:
    """The curve with at most `count` points at the least error found, by halving the tolerance.

    Raises ZolvekError when its ends, jumps and kept points alone are more.
    """
    if count < 2:
        raise ZolvekError("A curve needs two points to move.", remedy="Keep 2 or more.")
    low, high = LEAST, 1.0
    best = thinned(curve, high, shapes, keep)
    if best.after > count:
        raise ZolvekError(
            f"Its ends, jumps and kept points alone are {best.after}.",
            remedy="Keep that many, or let some of them go.",
        )
    for _ in range(COUNT_TRIES):
        middle = float(np.sqrt(low * high)) if low > 0.0 else high / 2.0
        tried = thinned(curve, middle, shapes, keep)
        if tried.after <= count:
            best, high = (tried if tried.error <= best.error else best), middle
        else:
            low = middle
        if high / low < 1.0 + 1e-3:
            break
    return best


def deviation(curve: Curve, other: Curve) -> tuple[float, float]:
    """The largest difference of two curves in value, and the beat it is at, looked for closely
    between all their points."""
    if _is_lines(curve) and _is_lines(other):
        # Between points both run straight: the largest difference is at a point of either.
        far = np.abs(curve.value - other.at(curve.beat)), np.abs(curve.at(other.beat) - other.value)
        jump = curve.jumps().any() or other.jumps().any()
        if not jump:
            side = int(far[1].max() > far[0].max())
            at = int(np.argmax(far[side]))
            return float(far[side][at]), float((curve, other)[side].beat[at])
    beats, difference = differences(curve, other)
    at = int(np.argmax(difference))
    return float(difference[at]), float(beats[at])


def _is_lines(curve: Curve) -> bool:
    return bool(np.all(curve.shape[:-1] == LINE))


def differences(curve: Curve, other: Curve) -> tuple[Floats, Floats]:
    """Beats, and how far apart the two curves are there; both sides of a jump are looked at."""
    knots = np.unique(np.concatenate((curve.beat, other.beat)))
    if len(knots) == 1:
        return knots, np.abs(curve.at(knots) - other.at(knots))
    first, length = knots[:-1], np.diff(knots)
    counts = np.maximum(_places(curve, first, length), _places(other, first, length))
    # After its places each stretch has one just before its end, in case that is a jump.
    ends = np.cumsum(counts + 1)
    step = np.repeat(length / counts, counts + 1)
    within = np.arange(ends[-1]) - np.repeat(ends - counts - 1, counts + 1)
    beats = np.append(np.repeat(first, counts + 1) + step * within, knots[-1])
    beats[ends - 1] = np.nextafter(knots[1:], -np.inf)
    beats = np.maximum.accumulate(beats)
    return beats, np.abs(curve.at(beats) - other.at(beats))


def _places(curve: Curve, first: Floats, length: Floats) -> Ints:
    """At how many places of each stretch between knots errors are looked for: one where the curve
    runs straight; fewer where a stretch is a small part of a smooth segment."""
    index = np.searchsorted(curve.beat, first, side="right") - 1
    inside = (index >= 0) & (index < len(curve) - 1)
    index = np.clip(index, 0, max(len(curve) - 2, 0))
    whole = curve.beat[index + 1] - curve.beat[index] if len(curve) > 1 else np.ones(len(first))
    part = np.ceil(CLOSE * length / np.where(whole > 0.0, whole, 1.0))
    shape = curve.shape[index]
    counts = np.where(np.isin(shape, SMOOTH), np.clip(part, 1, DENSE), DENSE)
    straight = ~inside | (shape == LINE) | (shape == HOLD)
    return np.where(straight, 1, counts).astype(np.intp)


# --- runs: what lies between ends, jumps and kept points, told by lines ---


def _runs(curve: Curve, tolerance: float, keep: Any) -> list[tuple[Floats, Floats]]:
    """Stretches without a jump, as samples joined by lines within `tolerance` of the curve."""
    beats, values, fixed = told_by_lines(curve, tolerance, keep)
    cuts = np.flatnonzero(fixed)
    runs = []
    for first, last in itertools.pairwise(cuts.tolist()):
        if beats[last] > beats[first]:
            runs.append((beats[first : last + 1], values[first : last + 1]))
    if not runs:
        runs.append((beats[:1], values[:1]))
    return runs


def told_by_lines(curve: Curve, tolerance: float, keep: Any = None) -> tuple[Floats, Floats, Bools]:
    """Samples of a curve (jumps as two on one beat) whose lines stay within `tolerance` of it,
    and which of them are to stay: ends, jumps and kept points."""
    count = len(curve)
    kept = np.zeros(count, bool)
    if keep is not None:
        kept[keep] = True
    jump = curve.jumps()
    kept |= jump | np.append(False, jump[:-1])
    kept[[0, -1]] = True
    plain = (curve.shape[:-1] == LINE) | (np.diff(curve.beat) == 0.0)
    if plain.all():
        return curve.beat, curve.value, kept
    parts_beat, parts_value, parts_kept = [], [], []
    start = 0
    for index in np.flatnonzero(~plain).tolist():
        inner, values = _inside(curve, index, tolerance)
        stop = index + 1
        parts_beat += [curve.beat[start:stop], inner]
        parts_value += [curve.value[start:stop], values]
        told = np.zeros(len(inner), bool)
        twins = np.diff(inner) == 0.0
        told[:-1] |= twins
        told[1:] |= twins
        if len(inner) and inner[-1] == curve.beat[stop]:
            told[-1] = kept[stop] = True  # a hold ends in a jump
        parts_kept += [kept[start:stop], told]
        start = stop
    parts_beat.append(curve.beat[start:])
    parts_value.append(curve.value[start:])
    parts_kept.append(kept[start:])
    beats, values = np.concatenate(parts_beat), np.concatenate(parts_value)
    fixed = np.concatenate(parts_kept)
    # Three on a beat tell no more than two: a hold that runs into a jump.
    middle = np.zeros(len(beats), bool)
    middle[1:-1] = (beats[1:-1] == beats[:-2]) & (beats[1:-1] == beats[2:])
    return beats[~middle], values[~middle], fixed[~middle]


def _inside(curve: Curve, index: int, tolerance: float) -> tuple[Floats, Floats]:
    """Samples between a segment's two points; steps as two on one beat."""
    from zolvek.core.curve.spans import steps_of

    first, last = float(curve.beat[index]), float(curve.beat[index + 1])
    code = int(curve.shape[index])
    if code == HOLD:
        same = curve.value[index] == curve.value[index + 1]
        return (np.empty(0), np.empty(0)) if same else (np.array([last]), curve.value[[index]])
    steps = steps_of(curve, index)
    if steps is not None:
        beat = np.repeat(steps[0][1:], 2)
        value = np.stack((steps[1][:-1], steps[1][1:]), axis=1).ravel()
        if steps[1][-1] != curve.value[index + 1]:
            beat, value = np.append(beat, last), np.append(value, steps[1][-1])
        return beat, value
    count = 8
    while True:
        grid = np.linspace(first, last, count + 1)
        values = curve.at(grid[:-1])
        values = np.append(values, curve.value[index + 1])
        middle = curve.at(0.5 * (grid[1:] + grid[:-1]))
        if np.abs(middle - 0.5 * (values[1:] + values[:-1])).max() <= tolerance or count > 4_096:
            return grid[1:-1], values[1:-1]
        count *= 2


# --- thinning one run ---


def _thin_run(beats: Floats, values: Floats, tolerance: float, shapes: bool, quick: bool) -> Curve:
    if len(beats) < 3:
        return Curve(beats, values, np.full(len(beats), LINE, np.uint8), np.zeros(len(beats)))
    lines = _lines(beats, values, tolerance)
    if not shapes:
        return lines
    if quick:
        return min(lines, _piece_by_turns(beats, values, tolerance, FRAMES[0]), key=len)
    # Points may lie on the samples, or on the optimal line's corners, where noise is averaged out;
    # and a run may be followed from one turn to the next, as cosines want.
    tries = [
        lines,
        _checked(beats, values, _shaped(beats, values, beats, values, tolerance), tolerance),
    ]
    for share in FRAMES if len(beats) < LONG else FRAMES[:1]:
        frame = _lines(beats, values, tolerance * share)
        for corners in (frame, _with_turns(beats, values, frame)):
            made = _shaped(beats, values, corners.beat, corners.value, tolerance)
            tries.append(_checked(beats, values, made, tolerance))
        turns = _turns(beats, values, frame)
        cuts = [0, *turns.tolist(), len(beats) - 1]
        if 2 < len(cuts) < MOST_TURNS:
            pieces = [
                _piece_by_turns(beats[a : b + 1], values[a : b + 1], tolerance, share)
                for a, b in itertools.pairwise(cuts)
            ]
            tries.append(_glued(pieces))
    return min(tries, key=len)


def _piece_by_turns(beats: Floats, values: Floats, tolerance: float, share: float) -> Curve:
    """One way up or down, from its turn to the next."""
    frame = _lines(beats, values, tolerance * share)
    made = _shaped(beats, values, frame.beat, frame.value, tolerance)
    return _checked(beats, values, made, tolerance)


def _turns(beats: Floats, values: Floats, frame: Curve) -> Ints:
    """The samples at which the run really turns: those furthest out between the corners beside
    each corner where its optimal line turns back."""
    rise = np.sign(np.diff(frame.value))
    corner = np.flatnonzero(rise[1:] * rise[:-1] < 0.0) + 1
    first = np.searchsorted(beats, frame.beat[corner - 1])
    last = np.searchsorted(beats, frame.beat[corner + 1], side="right")
    found = [
        a + int(np.argmax(values[a:b]) if up > 0 else np.argmin(values[a:b]))
        for a, b, up in zip(first.tolist(), last.tolist(), rise[corner - 1].tolist(), strict=True)
        if b > a
    ]
    return np.unique(np.array([i for i in found if 0 < i < len(beats) - 1], np.intp))


def _with_turns(beats: Floats, values: Floats, frame: Curve) -> Curve:
    """The optimal line's corners, and the samples at which the run turns."""
    turns = _turns(beats, values, frame)
    at = np.concatenate((frame.beat, beats[turns]))
    order = np.argsort(at, kind="stable")
    value = np.concatenate((frame.value, values[turns]))[order]
    new = np.append(True, np.diff(at[order]) > 0.0)
    count = int(new.sum())
    return Curve(at[order][new], value[new], np.full(count, LINE, np.uint8), np.zeros(count))


def _checked(beats: Floats, values: Floats, made: Curve, tolerance: float) -> Curve:
    """Segments that stray between the samples are told by lines instead."""
    told = Curve(beats, values, np.full(len(beats), LINE, np.uint8), np.zeros(len(beats)))
    at, far = differences(told, made)
    wrong = at[far > tolerance * (1.0 + 1e-9) + 1e-12]
    if not len(wrong):
        return made
    bad = np.unique(np.clip(np.searchsorted(made.beat, wrong, side="right") - 1, 0, len(made) - 2))
    parts, start = [], 0
    for segment in bad.tolist():
        parts.append(_part(made, start, segment + 1))
        first, last = float(made.beat[segment]), float(made.beat[segment + 1])
        inside = slice(
            int(np.searchsorted(beats, first, side="right")), int(np.searchsorted(beats, last))
        )
        x = np.concatenate(([first], beats[inside], [last]))
        y = np.concatenate(([made.value[segment]], values[inside], [made.value[segment + 1]]))
        parts.append(_lines(x, y, tolerance))
        start = segment + 1
    parts.append(_part(made, start, len(made)))
    return _chained(parts)


def _chained(parts: list[Curve]) -> Curve:
    """Parts that each begin at the point the last ended with: the later part's is the one."""
    ends = [len(part) - 1 for part in parts[:-1]] + [len(parts[-1])]
    columns = (
        np.concatenate([getattr(p, name)[:end] for p, end in zip(parts, ends, strict=True)])
        for name in ("beat", "value", "shape", "amount")
    )
    return joined(*columns)


def _part(curve: Curve, start: int, stop: int) -> Curve:
    rows = slice(start, stop)
    return Curve(curve.beat[rows], curve.value[rows], curve.shape[rows], curve.amount[rows])


def _lines(beats: Floats, values: Floats, tolerance: float) -> Curve:
    """The fewest lines through the corridor, the ends fixed."""
    low = np.clip(values - tolerance, 0.0, 1.0)
    high = np.clip(values + tolerance, 0.0, 1.0)
    low[[0, -1]] = high[[0, -1]] = values[[0, -1]]
    # Counted from the run's own start: a project's far beats have few digits left for slopes.
    scale = float(beats[-1] - beats[0])
    at = (beats - beats[0]) / scale
    found = _loop(funnel, len(beats))(at, low, high)
    x, y = found[:, 0] * scale + beats[0], np.clip(found[:, 1], 0.0, 1.0)
    x[0], x[-1] = beats[0], beats[-1]
    y[0], y[-1] = values[0], values[-1]
    return Curve(np.maximum.accumulate(x), y, np.full(len(x), LINE, np.uint8), np.zeros(len(x)))


def _shaped(
    beats: Floats, values: Floats, corner_beats: Floats, corner_values: Floats, tolerance: float
) -> Curve:
    """From corner to corner as far as one shape follows the samples."""
    rows = _loop(farthest, len(beats))(beats, values, corner_beats, corner_values, tolerance)
    index = rows[:, 0].astype(np.intp)
    return Curve(corner_beats[index], corner_values[index], rows[:, 1].astype(np.uint8), rows[:, 2])


def _loop(function: Callable[..., Floats], samples: int) -> Callable[..., Floats]:
    """The loop, compiled where that is worth while, or where it has been before."""
    if samples >= COMPILED_FROM:
        worthwhile.add(function.__name__)
    return compiled(function) if function.__name__ in worthwhile else function


worthwhile: set[str] = set()


@lru_cache(maxsize=4)
def compiled(function: Callable[..., Floats]) -> Callable[..., Floats]:
    """The loop as machine code; as it is where the compiler can't be loaded."""
    try:
        import numba
    except ImportError:
        return function
    for name in HELPERS.get(function.__name__, ()):
        helper = getattr(thinning_loops, name)
        if not hasattr(helper, "py_func"):
            setattr(thinning_loops, name, numba.njit(cache=True, nogil=True)(helper))
    return numba.njit(cache=True, nogil=True)(function)


def _glued(parts: list[Curve]) -> Curve:
    """Runs one after another: where one begins on the beat and value that the last ended with,
    the point is one."""
    beat, value, shape, amount = (
        np.concatenate([getattr(part, name) for part in parts])
        for name in ("beat", "value", "shape", "amount")
    )
    ends = np.cumsum([len(part) for part in parts])[:-1] - 1
    keep = np.ones(len(beat), bool)
    if len(ends):
        same = (beat[ends] == beat[ends + 1]) & (value[ends] == value[ends + 1])
        keep[ends[same]] = False
    return _with_holds(joined(beat[keep], value[keep], shape[keep], amount[keep]))


def _with_holds(curve: Curve) -> Curve:
    """A level line that ends in a jump is a hold, and needs no point at its end."""
    jump = np.append(curve.jumps()[1:], [False])  # the next point begins a jump
    level = np.append((np.diff(curve.value) == 0.0) & (curve.shape[:-1] == LINE), False)
    holds = level & jump
    shape = np.where(holds, HOLD, curve.shape).astype(np.uint8)
    gone = np.append(False, holds[:-1])
    return Curve(curve.beat[~gone], curve.value[~gone], shape[~gone], curve.amount[~gone])


def extremes(curve: Curve) -> Bools:
    """The points at which the curve turns back: higher or lower than both their neighbours."""
    rise = np.sign(np.diff(curve.value))
    turning = np.zeros(len(curve), bool)
    turning[1:-1] = (rise[1:] * rise[:-1]) < 0.0
    return turning


def straightened(curve: Curve) -> Curve:
    """One segment from the first point to the last."""
    ends = [0, len(curve) - 1]
    return Curve(curve.beat[ends], curve.value[ends], np.full(2, LINE, np.uint8), np.zeros(2))
