"""The curve: points in time, and a shape on the way from each to the next."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints, Numbers, floats, frozen
from zolvek.core.curve.shapes import CODES, HOLD, LINE, SHAPES
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import MOST_BEATS
from zolvek.core.records import record

# Evaluating in runs of this many beats keeps what is worked on in the processor's cache.
RUN = 65_536
DENSE = 60  # spans for each point from which on most of them hold none
FEW = 24  # points that are looked at one by one
# A segment never reaches its own end: that beat belongs to the next point, however u is rounded.
BELOW_ONE = float(np.nextafter(1.0, 0.0))


@record(eq=False)
class Curve:
    """Parallel read-only arrays of one length, at least one point.

    `beat` float64, non-decreasing, at most two points on one beat (a jump, right-continuous);
    `value` float64, 0..1; `shape` uint8, an index into shapes.SHAPES; `amount` float64.
    Point i's shape and amount describe the segment from point i to i+1. Before the first and
    after the last point the curve holds. Raises ZolvekError naming the first point that is wrong.
    """

    beat: Floats
    value: Floats
    shape: np.ndarray[Any, np.dtype[np.uint8]]
    amount: Floats

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
        if len(self.beat) <= FEW and _plainly_right(self):
            return
        fault = first_fault(self.beat, self.value, self.shape, self.amount)
        if fault:
            place, what, remedy = fault
            raise ZolvekError(what, f"point {place + 1}", remedy)

    def __getattr__(self, name: str) -> Any:
        # Asked only for what is not there: the arrays of a curve that core.packing has packed.
        packed = self.__dict__.get("_packed")
        if packed is None or name not in ("beat", "value", "shape", "amount"):
            raise AttributeError(name)
        self.__dict__.update(packed.arrays())
        self.__dict__.pop("_packed", None)
        return self.__dict__[name]

    def __len__(self) -> int:
        return len(self.beat)

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        return isinstance(other, Curve) and all(
            np.array_equal(getattr(self, name), getattr(other, name))
            for name in ("beat", "value", "shape", "amount")
        )

    def __hash__(self) -> int:
        return hash((self.beat.tobytes(), self.value.tobytes()))

    def at(self, beats: Numbers) -> Floats:
        """The value at each of `beats` (any shape, any order), exact by the shapes table."""
        at = floats(beats)
        if at.size == 1:
            return np.full(at.shape, self._at_one(float(at.flat[0])))
        flat = np.ravel(at)
        # With more points than beats, or beats in any order, each beat looks for its own place.
        if flat.size < max(64, len(self)) or np.any(flat[1:] < flat[:-1]):
            return self._at_any(flat).reshape(at.shape)
        out = np.empty_like(flat)
        for start in range(0, flat.size, RUN):
            self._at_rising(flat[start : start + RUN], out[start : start + RUN])
        return out.reshape(at.shape)

    def _at_one(self, beat: float) -> float:
        """As `_at_any` for a single beat: a dial that turns asks for one at a time."""
        i = int(self.beat.searchsorted(beat, side="right")) - 1
        if i < 0 or i >= len(self) - 1:
            return float(self.value[max(i, 0)])
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
        place = np.searchsorted(beats, self.beat[low:high], side="left")
        if self.beat[low] <= beats[0]:
            place[0] = 0
        # Before the first point and after the last one the curve holds.
        head = int(place[0])
        tail = int(place[-1]) if high == len(self) else len(beats)
        out[:head], out[tail:] = self.value[0], self.value[-1]
        if tail <= head:
            return
        stop = high if high < len(self) else high - 1
        segments = slice(low, stop)
        counts = np.diff(np.append(place[: stop - low], tail))
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
            own, beats_of = slice(edges[code], edges[code + 1]), slice(cuts[code], cuts[code + 1])
            constants = SHAPES[code].prepare(self.amount[index[own]])
            repeated = (np.repeat(constant, share[own]) for constant in constants)
            u[beats_of] = SHAPES[code].form(u[beats_of], *repeated)
        u *= np.repeat(self.value[index + 1] - self.value[index], share)
        u += np.repeat(self.value[index], share)
        out[source] = u

    def progress(self, index: Ints, beats: Floats) -> Floats:
        """How far along segment `index` (0..1) each of `beats` lies."""
        length = self.beat[index + 1] - self.beat[index]
        u = (beats - self.beat[index]) / np.where(length > 0.0, length, 1.0)
        return np.clip(u, 0.0, BELOW_ONE)

    def _segment(self, index: Ints, u: Floats) -> Floats:
        """The value at `u` of each segment `index`."""
        codes = self.shape[index]
        y = np.empty_like(u)
        for code in present(codes):
            mine = codes == code
            y[mine] = SHAPES[code].rise(u[mine], self.amount[index[mine]])
        low = self.value[index]
        return low + (self.value[index + 1] - low) * y

    def extent(self, first: float, last: float) -> tuple[float, float]:
        """The exact lowest and highest value from `first` to `last`, both included."""
        low, high = self.extents(floats([first, max(last, np.nextafter(first, np.inf))]))
        at = self.at([first, last])
        return float(min(low[0], at.min())), float(max(high[0], at.max()))

    def extents(self, edges: Floats) -> tuple[Floats, Floats]:
        """The exact lowest and highest value in each span edges[i] <= beat < edges[i+1].

        `edges` float64, increasing, of n + 1; returns two arrays of n.
        """
        if len(edges) > DENSE * len(self):
            return self._dense_extents(edges)
        return self._exact_extents(edges)

    def _dense_extents(self, edges: Floats) -> tuple[Floats, Floats]:
        """As `extents`, where most spans are a small part of a segment: what counts there are the
        values at both ends, if it is a segment that does not turn back. Only spans that hold a
        point, or lie in a segment that turns or jumps, are looked at closely."""
        at = self.at(edges)
        low, high = np.minimum(at[:-1], at[1:]), np.maximum(at[:-1], at[1:])
        count = len(low)
        close = np.zeros(count + 1, bool)
        place = (
            np.searchsorted(edges, self.beat, side="left") - 1
        )  # a point at a span's very end too
        close[place[(place >= 0) & (place < count)]] = True
        steady = np.array([shape.steady for shape in SHAPES])[self.shape[:-1]]
        first = np.clip(place[:-1][~steady], 0, count)
        last = np.clip(place[1:][~steady] + 1, 0, count)
        change = np.bincount(first, minlength=count + 1) - np.bincount(last, minlength=count + 1)
        close |= np.cumsum(change) > 0
        close[count] = False
        if close[:count].any():
            # All of them in one go: what lies between two is one long span that nobody asks for.
            needed = np.flatnonzero(close | np.concatenate(([False], close[:count])))
            wanted = close[needed[:-1]] & (np.diff(needed) == 1)
            least, most = self._exact_extents(edges[needed])
            low[needed[:-1][wanted]], high[needed[:-1][wanted]] = least[wanted], most[wanted]
        return low, high

    def _exact_extents(self, edges: Floats) -> tuple[Floats, Floats]:
        if all(SHAPES[code].steady for code in present(self.shape)):
            return self._steady_extents(edges)
        inside = self.beat[(self.beat > edges[0]) & (self.beat < edges[-1])]
        cuts = np.concatenate((edges, inside))
        cuts.sort(kind="stable")
        left, right = cuts[:-1], cuts[1:]
        index = _before(self.beat, left) - 1
        low = self.value[np.clip(index, 0, len(self) - 1)]
        high = low.copy()
        inner = (index >= 0) & (index < len(self) - 1) & (right > left)
        i = index[inner]
        if i.size:
            u0, u1 = self.progress(i, left[inner]), self.progress(i, right[inner])
            y0, y1, codes = np.empty_like(u0), np.empty_like(u0), self.shape[i]
            for code in present(codes):
                mine = codes == code
                y0[mine], y1[mine] = SHAPES[code].extent(u0[mine], u1[mine], self.amount[i[mine]])
            base, rise = self.value[i], self.value[i + 1] - self.value[i]
            a, b = base + rise * y0, base + rise * y1
            low[inner], high[inner] = np.minimum(a, b), np.maximum(a, b)
        if not len(inside):
            return low, high
        groups = np.searchsorted(cuts, edges[:-1], side="left")
        return np.minimum.reduceat(low, groups), np.maximum.reduceat(high, groups)

    def _steady_extents(self, edges: Floats) -> tuple[Floats, Floats]:
        """As `extents`, where no segment turns back: what counts is the points inside a span
        and the value at its ends, the last one as a limit."""
        first, last = self.at(edges[:-1]), self.at(np.nextafter(edges[1:], -np.inf))
        low, high = np.minimum(first, last), np.maximum(first, last)
        place = np.searchsorted(self.beat, edges, side="left")
        after = np.searchsorted(self.beat, edges, side="right")
        some = np.flatnonzero(place[1:] > after[:-1])
        if some.size:
            # Points on the edges themselves are told by the ends; they must not count twice,
            # for the two of a jump lie on different sides.
            on_edge = np.concatenate((place[after > place], after[after > place] - 1))
            start, stop = int(after[some[0]]), int(place[-1])
            on_edge = on_edge[(on_edge >= start) & (on_edge < stop)] - start
            least = self._reached(start, stop)
            most = least.copy()
            least[on_edge], most[on_edge] = np.inf, -np.inf
            # Between spans that hold points there are none but those, so each run may end
            # where the next begins, and the last one at the end of what is looked at.
            runs = after[some] - start
            low[some] = np.minimum(low[some], np.minimum.reduceat(least, runs))
            high[some] = np.maximum(high[some], np.maximum.reduceat(most, runs))
        return low, high

    def _reached(self, start: int, stop: int) -> Floats:
        """The values of some points, but for one at the end of a hold that a jump leaves at
        once, which the curve never takes: the held value."""
        value = self.value[start:stop].copy()
        inner = np.arange(max(start, 1), min(stop, len(self) - 1))
        passed = inner[(self.shape[inner - 1] == HOLD) & (self.beat[inner] == self.beat[inner + 1])]
        value[passed - start] = self.value[passed - 1]
        return value

    def segment_at(self, beat: float) -> int:
        """The segment that holds `beat`: −1 before the first point, len − 1 after the last."""
        return int(np.searchsorted(self.beat, beat, side="right")) - 1

    def jumps(self) -> Bools:
        """True at each point that has the next one on its own beat."""
        return np.append(np.diff(self.beat) == 0.0, False)


def _before(few: Floats, many: Floats) -> Ints:
    """How many of `few` lie at or before each of `many`, both increasing: quicker than looking
    each of many up among few."""
    place = np.searchsorted(many, few, side="left")
    return np.cumsum(np.bincount(place, minlength=len(many) + 1))[: len(many)]


def _plainly_right(curve: Curve) -> bool:
    """Whether a curve of few points keeps all rules: as `first_fault` finds, but quicker than
    arrays are where there is next to nothing in them."""
    beat, value, codes = curve.beat.tolist(), curve.value.tolist(), curve.shape.tolist()
    for place, (b, v, code) in enumerate(zip(beat, value, codes, strict=True)):
        if not (-MOST_BEATS <= b <= MOST_BEATS and 0.0 <= v <= 1.0 and code < len(SHAPES)):
            return False
        if place and (b < beat[place - 1] or (place > 1 and b == beat[place - 2])):
            return False
    # An amount of 0 suits every shape but those that count something.
    return all(
        SHAPES[code].amount.allowed(amount)
        for code, amount in zip(codes, curve.amount.tolist(), strict=True)
        if amount != 0.0 or SHAPES[code].amount.kind == "count"
    )


def leaps(curve: Curve) -> Floats:
    """The beats at which a curve jumps: two points on one beat, or the end of a hold."""
    twin = np.diff(curve.beat) == 0.0
    held = (curve.shape[:-1] == HOLD) & (np.diff(curve.value) != 0.0)
    return np.unique(curve.beat[1:][twin | held])


def present(codes: Any) -> Ints:
    """Which shape codes occur; a good deal faster than sorting or hashing them."""
    return np.flatnonzero(np.bincount(codes, minlength=len(SHAPES)))


def first_fault(
    beat: Floats, value: Floats, shape: Any, amount: Floats
) -> tuple[int, str, str] | None:
    """The first point that breaks a curve's rules: its index, what is wrong, the remedy."""
    tests: list[tuple[Bools, str, str]] = [
        (~np.isfinite(beat), "The beat is not a number.", "Write a number of quarter notes."),
        (
            np.abs(beat) > MOST_BEATS,
            "The beat is out of all bounds.",
            f"Beats go up to {MOST_BEATS:,.0f}.",
        ),
        (
            np.concatenate(([False], beat[1:] < beat[:-1])),
            "The beat is earlier than the one before.",
            "Put the points in order of time.",
        ),
        (
            np.concatenate(([False, False], beat[2:] == beat[:-2]))[: len(beat)],
            "Three points share a beat.",
            "A jump has two points; leave one out.",
        ),
        (
            ~((value >= 0.0) & (value <= 1.0)),
            "The value is not between 0 and 1.",
            "Values are positions from 0 to 1.",
        ),
        (shape >= len(SHAPES), "There is no such shape.", shape_help()),
    ]
    for code, row in enumerate(SHAPES):
        mine = shape == code
        if mine.any():
            tests.append(
                (
                    mine & ~row.amount.allowed(amount),
                    f"The amount does not suit the shape {row.key}.",
                    f"It takes {row.amount.words}.",
                )
            )
    faults = [(int(np.argmax(bad)), what, remedy) for bad, what, remedy in tests if bad.any()]
    return min(faults, key=lambda fault: fault[0]) if faults else None


def shape_help() -> str:
    return "Shapes are " + ", ".join(shape.key for shape in SHAPES) + "."


def joined(beat: Floats, value: Floats, shape: Any, amount: Floats) -> Curve:
    """A curve from columns whose beats were reckoned: where rounding has brought three or more
    points onto one beat, only the first and the last of them stay."""
    keep = np.ones(len(beat), bool)
    keep[1:-1] = ~((beat[1:-1] == beat[:-2]) & (beat[1:-1] == beat[2:]))
    return Curve(beat[keep], value[keep], shape[keep], amount[keep])


def flat(value: float, beat: float = 0.0) -> Curve:
    """A curve that stays at `value`."""
    return curve([(beat, value)])


def curve(
    points: Iterable[
        tuple[float, float] | tuple[float, float, str] | tuple[float, float, str, float]
    ],
) -> Curve:
    """A curve from rows of beat, value and, if not a line, shape key and amount."""
    rows = []
    for point in points:
        key = str(point[2]) if len(point) > 2 else "line"
        code = CODES[key]
        amount = float(point[3]) if len(point) > 3 else SHAPES[code].amount.default
        rows.append((point[0], point[1], code, amount))
    beat, value, shape, amount_ = zip(*rows, strict=True)
    return Curve(floats(beat), floats(value), np.array(shape, np.uint8), floats(amount_))
