# SPDX-License-Identifier: GPL-3.0-or-later
"""The curve: points in time, and a shape from each to the next."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints, Numbers, floats, frozen
from zolvek.core.curve.extents import extents
from zolvek.core.curve.rules import (
    first_fault,
    fitting_swing,
    plainly_right,
    present,
    right,
    risen,
    swings,
    together,
)
from zolvek.core.curve.shapes import LINE, SHAPES
from zolvek.core.errors import ZolvekError
from zolvek.native import loops

# Evaluating in runs of this many beats keeps what is worked on in the processor's cache.
RUN = 65_536
FEW = 24  # points that are looked at one by one
# A segment never reaches its own end: that beat belongs to the next point, however u is rounded.
BELOW_ONE = float(np.nextafter(1.0, 0.0))
COLUMNS = ("beat", "value", "shape", "amount", "part")
NO_PARTS = np.empty((0, 3))
NO_PARTS.flags.writeable = False
WHOLE = (0.0, 1.0, 0.0)


@dataclass(frozen=True, eq=False)
class Curve:
    """Parallel read-only arrays of one length, at least one point.

    `beat` float64, non-decreasing, at most two points on one beat (a jump, right-continuous), others at least
    CLOSEST_POINTS apart (closer ones come onto one beat);
    `value` float64, 0..1; `shape` uint8, an index into shapes.SHAPES; `amount` float64.
    Point i's shape and amount describe the segment from point i to i+1. Before the first and
    after the last point the curve holds.

    `part` (points, 3), or empty where every segment runs through the whole of its shape: where in
    the shape, 0..1, each begins and ends (backwards where it ends before it begins), and its
    swing, the values' difference over the whole of the shape, for shapes whose ends don't say it.
    Raises ZolvekError naming the first point that is wrong.
    """

    beat: Floats
    value: Floats
    shape: np.ndarray[Any, np.dtype[np.uint8]]
    amount: Floats
    part: Floats = field(default_factory=lambda: NO_PARTS)

    def __post_init__(self) -> None:
        for name, dtype in (
            ("beat", float),
            ("value", float),
            ("shape", np.uint8),
            ("amount", float),
        ):
            object.__setattr__(self, name, frozen(getattr(self, name), dtype))
        sizes = {len(self.beat), len(self.value), len(self.shape), len(self.amount)}
        if sizes == {0} or len(sizes) != 1:
            raise ZolvekError("A curve needs a beat, value, shape and amount for each point.")
        part = _parts(self.part, len(self.beat))
        object.__setattr__(self, "part", part)
        columns = self.beat, self.value, self.shape, self.amount
        if not len(part) and (plainly_right if len(self.beat) <= FEW else right)(*columns):
            return
        moved = together(self.beat)
        if moved is not None:
            self._keep(*moved)
            part, columns = self.part, (self.beat, self.value, self.shape, self.amount)
        fault = first_fault(*columns, part)
        if fault:
            where, what, remedy = fault
            raise ZolvekError(what, f"point {where + 1}", remedy)
        if len(part):
            part = fitting_swing(self.value, self.shape, self.amount, part)
            object.__setattr__(self, "part", frozen(part))

    def _keep(self, beat: Floats, which: Ints) -> None:
        """These points alone, on these beats."""
        rows = {name: getattr(self, name)[which] for name in ("value", "shape", "amount")}
        rows["part"] = self.part[which] if len(self.part) else NO_PARTS
        for name, array in {"beat": beat, **rows}.items():
            object.__setattr__(self, name, frozen(array, array.dtype))

    def __len__(self) -> int:
        return len(self.beat)

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        return isinstance(other, Curve) and all(
            np.array_equal(getattr(self, name), getattr(other, name)) for name in COLUMNS
        )

    def __hash__(self) -> int:
        return hash((self.beat.tobytes(), self.value.tobytes()))

    # --- its rows ---

    def rows(self, which: Any) -> Curve:
        """The points that are chosen by indices, booleans or a slice, in that order."""
        part = self.part[which] if len(self.part) else NO_PARTS
        return Curve(self.beat[which], self.value[which], self.shape[which], self.amount[which], part)

    def having(self, **columns: Any) -> Curve:
        """The curve with some of its columns changed."""
        return Curve(**({name: getattr(self, name) for name in COLUMNS} | columns))

    def shifted(self, beats: float) -> Curve:
        """All points later by so many beats."""
        return self.having(beat=self.beat + beats)

    @property
    def parts(self) -> Floats:
        """As `part`, given for every point even where all are whole: (points, 3)."""
        return self.part if len(self.part) else np.tile(WHOLE, (len(self), 1))

    def at(self, beats: Numbers) -> Floats:
        """The value at each of `beats` (any shape, any order), exact by the shapes table."""
        at = floats(beats)
        if at.size == 1:
            return np.full(at.shape, self._at_one(float(at.flat[0])))
        flat = np.ascontiguousarray(np.ravel(at))
        columns = self._columns
        done = None if columns is None else loops.curve_at(columns, flat)
        if done is not None:
            if len(self.part):
                self._at_parts(flat, done)
            return done.reshape(at.shape)
        # With more points than beats, or beats in any order, each beat looks for its own place.
        if flat.size < max(64, len(self)) or np.any(flat[1:] < flat[:-1]):
            return self._at_any(flat).reshape(at.shape)
        out = np.empty_like(flat)
        for start in range(0, flat.size, RUN):
            self._at_rising(flat[start : start + RUN], out[start : start + RUN])
        if len(self.part):
            self._at_parts(flat, out)
        return out.reshape(at.shape)

    @cached_property
    def _columns(self) -> loops.CurveColumns | None:
        """Beats, values, shapes and what these prepare of each amount, as the loop in C takes them; None for shapes
        that it does not know."""
        codes = present(self.shape)
        if codes[-1] >= len(loops.SHAPES):
            return None
        result = np.zeros((2, len(self)))
        for code in codes.tolist():
            rows = slice(None) if len(codes) == 1 else self.shape == code
            for column, constant in zip(result, SHAPES[code].prepare(self.amount[rows]), strict=False):
                column[rows] = constant
        beat, value, shape = (np.ascontiguousarray(column) for column in (self.beat, self.value, self.shape))
        return loops.CurveColumns(beat, value, shape, result[0], result[1])

    def __getstate__(self) -> dict[str, Any]:
        """Its columns alone: what is kept with it is made again elsewhere."""
        return {name: getattr(self, name) for name in COLUMNS}

    def _at_parts(self, flat: Floats, out: Floats) -> None:
        """Evaluate again what runs through a part of its shape."""
        index = np.searchsorted(self.beat, flat, side="right") - 1
        inner = (index >= 0) & (index < len(self) - 1)
        cut = np.zeros(len(self), bool)
        cut[:-1] = (self.part[:-1] != WHOLE).any(axis=1)
        again = np.flatnonzero(inner & cut[np.clip(index, 0, len(self) - 1)])
        if again.size:
            i = index[again]
            out[again] = self._segment(i, self.progress(i, flat[again]))

    def _at_one(self, beat: float) -> float:
        """As `_at_any` for a single beat: a dial that turns asks for one at a time."""
        i = int(self.beat.searchsorted(beat, side="right")) - 1
        if i < 0 or i >= len(self) - 1:
            return float(self.value[max(i, 0)])
        if len(self.part):
            return float(self._at_any(floats([beat]))[0])
        start, low, high = self.beat[i], self.value[i], self.value[i + 1]
        u = min((beat - start) / (self.beat[i + 1] - start), BELOW_ONE)
        rise = SHAPES[self.shape[i]].rise(np.array([u]), self.amount[i : i + 1])
        return float(low + (high - low) * rise[0])

    def _at_any(self, flat: Floats) -> Floats:
        index = np.searchsorted(self.beat, flat, side="right") - 1
        inner = (index >= 0) & (index < len(self) - 1)
        out = self.value[np.clip(index, 0, len(self) - 1)]
        if inner.any():
            i = index[inner]
            out[inner] = self._segment(i, self.progress(i, flat[inner]))
        return out

    def before(self, beats: Numbers) -> Floats:
        """The limit of the value from the left at each of `beats`: at a jump, what it leaves."""
        at = floats(beats)
        flat = np.ravel(at)
        index = np.searchsorted(self.beat, flat, side="left") - 1
        inner = (index >= 0) & (index < len(self) - 1)
        out = self.value[np.clip(index, 0, len(self) - 1)]
        if inner.any():
            i = index[inner]
            length = self.beat[i + 1] - self.beat[i]
            out[inner] = self._segment(i, (flat[inner] - self.beat[i]) / length, before=True)
        return out.reshape(at.shape)

    def _at_rising(self, beats: Floats, out: Floats) -> None:
        """Evaluate at increasing `beats` into `out`.

        Finding each point's place among the beats and repeating is a good deal faster than
        finding each beat's place among the points, as long as there are fewer points.
        """
        low = max(int(np.searchsorted(self.beat, beats[0], side="right")) - 1, 0)
        high = int(np.searchsorted(self.beat, beats[-1], side="right"))
        if high <= low:
            out[:] = self.value[0]
            return
        index = np.searchsorted(beats, self.beat[low:high], side="left")
        if self.beat[low] <= beats[0]:
            index[0] = 0
        # Before the first point and after the last one the curve holds.
        head = int(index[0])
        tail = int(index[-1]) if high == len(self) else len(beats)
        out[:head], out[tail:] = self.value[0], self.value[-1]
        if tail <= head:
            return
        stop = high if high < len(self) else high - 1
        segments = slice(low, stop)
        counts = np.diff(np.append(index[: stop - low], tail))
        evaluate = self._lines if np.all(self.shape[segments] == LINE) else self._shapes
        evaluate(beats[head:tail], out[head:tail], segments, counts)

    def _lines(self, beats: Floats, out: Floats, segments: slice, counts: Ints) -> None:
        """Evaluate lines, `counts` beats in each of the `segments`: linear, so no u is needed."""
        first = slice(segments.start, segments.stop + 1)
        length, rise = np.diff(self.beat[first]), np.diff(self.value[first])
        slope = rise / np.where(length > 0.0, length, np.inf)
        np.subtract(beats, np.repeat(self.beat[segments], counts), out=out)
        out *= np.repeat(slope, counts)
        out += np.repeat(self.value[segments], counts)

    def _shapes(self, beats: Floats, out: Floats, segments: slice, counts: Ints) -> None:
        """As `_lines`, for any shapes: the beats are taken in the order of their segments'
        shapes, so that each shape is worked out for all of its beats in one go."""
        codes = self.shape[segments]
        order = np.argsort(codes, kind="stable")
        share = counts[order]
        ends = np.cumsum(share)
        # Where each beat of the new order stands in the old one.
        begins = np.cumsum(counts) - counts
        source = np.repeat(begins[order] - (ends - share), share) + np.arange(len(beats))
        index = order + segments.start
        length = self.beat[index + 1] - self.beat[index]
        u = beats[source]
        u -= np.repeat(self.beat[index], share)
        u /= np.repeat(np.where(length > 0.0, length, 1.0), share)
        np.minimum(u, BELOW_ONE, out=u)
        edges = np.searchsorted(codes[order], np.arange(len(SHAPES) + 1))
        cuts = np.append(0, ends)[edges]
        for code in np.flatnonzero(np.diff(cuts)):
            rows, beats_of = slice(edges[code], edges[code + 1]), slice(cuts[code], cuts[code + 1])
            constants = SHAPES[code].prepare(self.amount[index[rows]])
            repeated = (np.repeat(constant, share[rows]) for constant in constants)
            u[beats_of] = SHAPES[code].easing(u[beats_of], *repeated)
        u *= np.repeat(self.value[index + 1] - self.value[index], share)
        u += np.repeat(self.value[index], share)
        out[source] = u

    def progress(self, index: Ints, beats: Floats) -> Floats:
        """How far along segment `index` (0..1) each of `beats` lies."""
        length = self.beat[index + 1] - self.beat[index]
        u = (beats - self.beat[index]) / np.where(length > 0.0, length, 1.0)
        return np.clip(u, 0.0, BELOW_ONE)

    def _segment(self, index: Ints, u: Floats, before: bool = False) -> Floats:
        """The value at `u` of each segment `index`, or its limit from the left."""
        low, high = self.value[index], self.value[index + 1]
        codes, amount = self.shape[index], self.amount[index]
        if not len(self.part):
            return low + (high - low) * risen(codes, u, amount, before)
        begin, end, _ = self.part[index].T
        back = end < begin
        part = np.where(u >= 1.0, end, begin + u * (end - begin))
        y = risen(codes, part, amount, before)
        if back.any():  # seen backwards, what was the limit from the left is that from the right
            y[back] = risen(codes[back], part[back], amount[back], not before)
        segments, which = np.unique(index, return_inverse=True)
        y0, swing, tilt = (item[which] for item in self.swing(segments))
        return np.clip(low + swing * (y - y0) + tilt * u, 0.0, 1.0)

    def swing(self, index: Ints) -> tuple[Floats, Floats, Floats]:
        """What makes the value of a segment from y, how far its shape has risen, and u, how far it has
        gone: its first value + swing·(y − y0) + tilt·u; y0, swing and tilt."""
        codes, amount = self.shape[index], self.amount[index]
        rise = self.value[index + 1] - self.value[index]
        begin, end, part = self.part[index].T
        y0, y1 = risen(codes, begin, amount), risen(codes, end, amount)
        whole = y1 - y0
        fraction = np.divide(rise, whole, out=np.zeros_like(rise), where=np.abs(whole) > 0.0)
        wild = swings(codes, self.part[index])
        swing = np.where(wild, part, fraction)
        # Whatever the swing leaves of the way to the next value is gone in a line.
        tilt = np.where(wild | (whole == 0.0), rise - whole * swing, 0.0)
        return y0, swing, tilt

    def extent(self, first: float, last: float) -> tuple[float, float]:
        """The exact lowest and highest value from `first` to `last`, both included."""
        low, high = self.extents(floats([first, max(last, np.nextafter(first, np.inf))]))
        at = self.at([first, last])
        return float(min(low[0], at.min())), float(max(high[0], at.max()))

    def extents(self, edges: Floats) -> tuple[Floats, Floats]:
        """The exact lowest and highest value in each span edges[i] <= beat < edges[i+1].

        `edges` float64, increasing, of n + 1; returns two arrays of n.
        """
        return extents(self, edges)

    def segment_at(self, beat: float) -> int:
        """The segment that holds `beat`: −1 before the first point, len − 1 after the last."""
        return int(np.searchsorted(self.beat, beat, side="right")) - 1

    def jumps(self) -> Bools:
        """True at each point that has the next one on its own beat."""
        return np.append(np.diff(self.beat) == 0.0, False)


def _parts(part: Any, count: int) -> Floats:
    """The column of parts, empty where all are whole."""
    result = np.asarray(part, float)
    if not result.size:
        return NO_PARTS
    if result.shape != (count, 3):
        raise ZolvekError(
            "A curve needs a part for each point, or none.",
            remedy="A part is where it begins and ends, and its swing.",
        )
    whole = (result[:, 0] == 0.0) & (result[:, 1] == 1.0)  # what is whole needs no swing
    if whole.all():
        return NO_PARTS
    return frozen(np.where(whole[:, None], WHOLE, result))
