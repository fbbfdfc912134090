# SPDX-License-Identifier: GPL-3.0-or-later
"""Thinning: as few points as keep a curve within a tolerance, at every instant.

With lines only it is the known optimum for points at free places: the path of fewest links
through the corridor that the tolerance leaves round the curve, found by the greedy funnel (Imai
and Iri, Polygonal approximations of a curve, 1988; the straight line through ranges is
O'Rourke's, An on-line algorithm for fitting straight lines between data ranges, 1981). With
shapes, runs are followed as far as a bend, a cosine or an S-curve can.
"""

from __future__ import annotations

from functools import cached_property
from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints, distinct
from zolvek.core.curve.construction import chained, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.deviation import deviation, differences, is_lines
from zolvek.core.curve.polylines import runs_of
from zolvek.core.curve.shapes import BENT, COSINE, HOLD, LINE, PLACES, S_CURVE
from zolvek.core.curve.thinning_loops import farthest, funnel
from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record
from zolvek.native import loops

LEAST = 1e-6  # of the height: no tolerance is finer
ROUNDING = 1e-9  # of the tolerance and the height, kept back for arithmetic
SAMPLED = 0.06  # share of the tolerance that is spent on reporting shapes by lines
COUNT_TRIES = 30
SEVERAL = 4_000  # points up to which several tolerances are tried
LEVEL, LEVELS = 0.84, 4  # tolerances that are tried: powers of it, and how many, an octave in all
MOST_LEVELS = 64  # kept with a curve
SCANNED = tuple(0.94**n for n in range(1, 11))  # and of the one that gives a wanted number of points
FRAMES = (0.35, 0.6)  # shares of the tolerance for the line whose corners shapes may begin at
FOLLOWED = 0.97  # share of the tolerance at the samples: shapes stray a little more between them
MOST_TURNS = 4_000
LONG = 50_000  # samples from which on fewer ways are tried
TRIED = loops.Shapes(LINE, BENT, S_CURVE, COSINE, PLACES)


class ThinResult(Record, frozen=True, eq=False):
    """A thinned curve and the one it was made of; how far apart they are is computed when asked."""

    curve: Curve
    original: Curve

    @property
    def before(self) -> int:
        """How many points there were."""
        return len(self.original)

    @property
    def after(self) -> int:
        """How many points there are."""
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
) -> ThinResult:
    """The curve with the fewest points found that stay within `tolerance` (curve values) of it.
    `quick` tries one way of shaping instead of several.

    Its ends and its jumps stay, and the points `keep` (indices or booleans). Raises ZolvekError
    for a tolerance that is none.
    """
    if not np.isfinite(tolerance) or tolerance < 0.0:
        raise ZolvekError(f"A tolerance of {tolerance} can't be used.", remedy="Use one above 0.")
    tolerance = max(tolerance, LEAST)
    if shapes and not quick and len(curve) < SEVERAL:
        return _by_levels(curve, tolerance, keep)
    return _thinned(curve, tolerance, shapes, keep, quick)


def _by_levels(curve: Curve, tolerance: float, keep: Any) -> ThinResult:
    """The best of several fixed levels of tolerance, from the highest that is allowed down to half of it.

    What shapes follow is found by trying, and a finer tolerance may happen to find what takes fewer points. As a
    larger tolerance looks at the same levels and at coarser ones, it never needs more points. Levels are kept with
    the curve: a tolerance that is slid looks at few new ones.
    """
    kept = curve.__dict__.setdefault("_levels", {})
    mark = None if keep is None else np.asarray(keep).tobytes()
    first = int(np.ceil(np.log(tolerance) / np.log(LEVEL) - 1e-9))
    tries = [_thinned(curve, tolerance, False, keep, False)]  # the optimum of lines: never more for more
    for level in range(first, first + LEVELS):
        key = level, mark
        if key not in kept:
            while len(kept) >= MOST_LEVELS:
                kept.pop(next(iter(kept)))
            kept[key] = _thinned(curve, max(LEVEL**level, LEAST), True, keep, False)
        tries.append(kept[key])
    return min(tries, key=lambda each: (each.after, each.error))


def _thinned(curve: Curve, tolerance: float, shapes: bool, keep: Any, quick: bool) -> ThinResult:
    spent = 0.0 if is_lines(curve) else SAMPLED  # what reporting shapes by lines takes of it
    inner = tolerance * (1.0 - spent - ROUNDING) - ROUNDING * 1e-3
    parts = [
        _thin_run(run_beats, run_values, inner, shapes, quick)
        for run_beats, run_values in runs_of(curve, tolerance * SAMPLED, keep)
    ]
    result = _with_ends(_with_holds(chained(parts)), curve)
    if len(result) >= len(curve):
        result = curve
    return ThinResult(result, curve)


def _with_ends(made: Curve, curve: Curve) -> Curve:
    """With the very first and last values, which a curve that jumps at its first or last beat holds
    before and after all that its runs say."""
    first, last = (abs(made.value[i] - curve.value[i]) > ROUNDING for i in (0, -1))
    if not (first or last):
        return made
    ends = [index for index, missing in ((0, first), (len(curve) - 1, last)) if missing]
    where = [0 if end == 0 and first else len(made) for end in ends]
    return Curve(
        np.insert(made.beat, where, curve.beat[ends]),
        np.insert(made.value, where, curve.value[ends]),
        np.insert(made.shape, where, LINE),
        np.insert(made.amount, where, 0.0),
    )


def thinned_to(curve: Curve, count: int, shapes: bool = False, keep: Any = None) -> ThinResult:
    """The curve with at most `count` points at the least error found, by halving the tolerance.

    Raises ZolvekError when its ends, jumps and kept points alone are more.
    """
    if count < 2:
        raise ZolvekError("A curve needs two points to move.", remedy="Keep 2 or more.")
    low, high = LEAST, 1.0
    best = _thinned(curve, high, shapes, keep, False)
    if best.after > count:
        raise ZolvekError(
            f"Its ends, jumps and pinned points alone are {best.after}.",
            remedy="Keep at least that many, or unpin some.",
        )
    for _ in range(COUNT_TRIES):
        middle = float(np.sqrt(low * high)) if low > 0.0 else high / 2.0
        tried = _thinned(curve, middle, shapes, keep, False)
        if tried.after <= count:
            best, high = (tried if tried.error <= best.error else best), middle
        else:
            low = middle
        if high / low < 1.0 + 1e-3:
            break
    if shapes and len(curve) < SEVERAL:
        # Points need not become fewer all the way: finer tolerances next to that one are looked at too.
        for share in SCANNED:
            tried = _thinned(curve, max(high * share, LEAST), True, keep, False)
            if tried.after <= count and tried.error < best.error:
                best = tried
    return best


# --- thinning one run ---


def _thin_run(beats: Floats, values: Floats, tolerance: float, shapes: bool, quick: bool) -> Curve:
    if len(beats) < 3:
        return lines(beats, values)
    straight = _lines(beats, values, tolerance)
    if not shapes:
        return straight
    if quick:
        frame = _lines(beats, values, tolerance * FRAMES[0])
        return min(straight, _by_turns(beats, values, tolerance, FRAMES[0], frame), key=len)
    # Points may lie on the samples, or on the optimal line's corners, where noise is averaged out;
    # and a run may be followed from one turn to the next, as cosines want.
    tries = [
        straight,
        _checked(beats, values, _shaped(beats, values, beats, values, tolerance), tolerance),
    ]
    for share in FRAMES if len(beats) < LONG else FRAMES[:1]:
        frame = _lines(beats, values, tolerance * share)
        for corners in (frame, _with_turns(beats, values, frame)):
            new_curve = _shaped(beats, values, corners.beat, corners.value, tolerance)
            tries.append(_checked(beats, values, new_curve, tolerance))
        tries.append(_by_turns(beats, values, tolerance, share, frame))
    return min(tries, key=len)


def _by_turns(beats: Floats, values: Floats, tolerance: float, share: float, frame: Curve) -> Curve:
    """From one turn to the next, each way up or down by one shape where there is one that does, else
    by itself; all in one where there are too many."""

    cuts = np.concatenate(([0], _turns(beats, values, frame), [len(beats) - 1]))
    if len(cuts) >= MOST_TURNS:
        cuts = cuts[[0, -1]]
    new_curve = _shaped(beats, values, beats[cuts], values[cuts], tolerance)
    # At the samples alone, for a start: what lies between them is looked at when all is given.
    bad = _segments(new_curve, beats[np.abs(new_curve.at(beats) - values) > tolerance])
    if len(bad):
        corners = [(new_curve.beat, new_curve.value)]
        for segment in bad.tolist():
            x, y = _within(beats, values, new_curve, segment)
            cx, cy = _corners(x, y, tolerance * share)
            corners.append((cx[1:-1], cy[1:-1]))
        at, value = (np.concatenate(column) for column in zip(*corners, strict=True))
        order = np.argsort(at, kind="stable")
        new_curve = _shaped(beats, values, at[order], value[order], tolerance)
    return _with_holds(_checked(beats, values, new_curve, tolerance))


def _turns(beats: Floats, values: Floats, frame: Curve) -> Ints:
    """The samples at which the run really turns: those furthest out between the corners next to
    each corner where its optimal line turns back."""
    rise = np.sign(np.diff(frame.value))
    corner = np.flatnonzero(rise[1:] * rise[:-1] < 0.0) + 1
    first = np.searchsorted(beats, frame.beat[corner - 1])
    last = np.searchsorted(beats, frame.beat[corner + 1], side="right")
    result = [
        a + int(np.argmax(values[a:b]) if up > 0 else np.argmin(values[a:b]))
        for a, b, up in zip(first.tolist(), last.tolist(), rise[corner - 1].tolist(), strict=True)
        if b > a
    ]
    return distinct(np.array([i for i in result if 0 < i < len(beats) - 1], np.intp))


def _with_turns(beats: Floats, values: Floats, frame: Curve) -> Curve:
    """The optimal line's corners, and the samples at which the run turns."""
    turns = _turns(beats, values, frame)
    at = np.concatenate((frame.beat, beats[turns]))
    order = np.argsort(at, kind="stable")
    value = np.concatenate((frame.value, values[turns]))[order]
    new = np.append(True, np.diff(at[order]) > 0.0)
    return lines(at[order][new], value[new])


def _checked(beats: Floats, values: Floats, made: Curve, tolerance: float) -> Curve:
    """Segments that stray, between the samples too, are given by lines instead."""
    bad = _straying(beats, values, made, tolerance)
    if not len(bad):
        return made
    parts, start = [], 0
    for segment in bad.tolist():
        if segment > start:
            parts.append(made.rows(slice(start, segment + 1)))
        parts.append(_lines(*_within(beats, values, made, segment), tolerance))
        start = segment + 1
    if start < len(made) - 1:
        parts.append(made.rows(slice(start, None)))
    return chained(parts)


def _straying(beats: Floats, values: Floats, made: Curve, tolerance: float) -> Ints:
    """The segments that are beyond the tolerance of the samples, or of the lines between them."""
    at, far = differences(lines(beats, values), made, tolerance)
    return _segments(made, at[far > tolerance * (1.0 + 1e-9) + 1e-12])


def _segments(made: Curve, beats: Floats) -> Ints:
    """The segments that hold the beats, each once."""
    result = np.searchsorted(made.beat, beats, side="right") - 1
    return distinct(np.clip(result, 0, len(made) - 2))


def _within(beats: Floats, values: Floats, made: Curve, segment: int) -> tuple[Floats, Floats]:
    """A segment's ends, and the samples between them."""
    ends = made.beat[segment : segment + 2]
    first, last = np.searchsorted(beats, ends[0], side="right"), np.searchsorted(beats, ends[1])
    x = np.concatenate((ends[:1], beats[first:last], ends[1:]))
    y = made.value[segment : segment + 2]
    return x, np.concatenate((y[:1], values[first:last], y[1:]))


def _lines(beats: Floats, values: Floats, tolerance: float) -> Curve:
    return lines(*_corners(beats, values, tolerance))


def _corners(beats: Floats, values: Floats, tolerance: float) -> tuple[Floats, Floats]:
    """The beats and values of the fewest lines through the corridor, the ends fixed."""
    low = np.clip(values - tolerance, 0.0, 1.0)
    high = np.clip(values + tolerance, 0.0, 1.0)
    low[[0, -1]] = high[[0, -1]] = values[[0, -1]]
    # Counted from the run's own start: a project's far beats have few digits left for slopes.
    scale = float(beats[-1] - beats[0])
    at = (beats - beats[0]) / scale
    result = loops.funnel(at, low, high)
    if result is None:
        result = funnel(at, low, high)
    x, y = result[:, 0] * scale + beats[0], np.clip(result[:, 1], 0.0, 1.0)
    x[0], x[-1] = beats[0], beats[-1]
    y[0], y[-1] = values[0], values[-1]
    return np.maximum.accumulate(x), y


def _shaped(beats: Floats, values: Floats, corner_beats: Floats, corner_values: Floats, tolerance: float) -> Curve:
    """From corner to corner as far as one shape follows the samples."""
    allowed = tolerance * FOLLOWED
    rows = loops.farthest(beats, values, corner_beats, corner_values, allowed, TRIED)
    if rows is None:
        rows = farthest(beats, values, corner_beats, corner_values, allowed)
    index = rows[:, 0].astype(np.intp)
    return Curve(corner_beats[index], corner_values[index], rows[:, 1].astype(np.uint8), rows[:, 2])


def _with_holds(curve: Curve) -> Curve:
    """A level line that ends in a jump is a hold, and needs no point at its end."""
    jump = np.append(curve.jumps()[1:], [False])  # the next point begins a jump
    level = np.append((np.diff(curve.value) == 0.0) & (curve.shape[:-1] == LINE), False)
    holds = level & jump
    shape = np.where(holds, HOLD, curve.shape).astype(np.uint8)
    gone = np.append(False, holds[:-1])
    return curve.having(shape=shape).rows(~gone)


def extremes(curve: Curve) -> Bools:
    """The points at which the curve turns back: higher or lower than both their neighbours."""
    rise = np.sign(np.diff(curve.value))
    turning = np.zeros(len(curve), bool)
    turning[1:-1] = (rise[1:] * rise[:-1]) < 0.0
    return turning


def straightened(curve: Curve) -> Curve:
    """One segment from the first point to the last."""
    ends = [0, len(curve) - 1]
    return lines(curve.beat[ends], curve.value[ends])


def fitted(beats: Floats, values: Floats, tolerance: float) -> Curve:
    """A curve of few shaped points within `tolerance` of the samples (`beats` increasing, `values`
    0..1) and of the lines between them."""
    return thinned(lines(beats, values), tolerance, shapes=True, quick=True).curve
