"""Spans of a curve: cut out whole, put back whole, with what lies outside left as it was.

A piece is a curve that begins at beat 0 and ends at the length of its span, with a point at
both ends.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.core.arrays import Floats, Numbers, floats
from zolvek.core.curve.curve import Curve, joined
from zolvek.core.curve.edits import replace
from zolvek.core.curve.shapes import BENT, COSINE, HOLD, LINE, S_CURVE, SHAPES
from zolvek.core.errors import ZolvekError

SAME = 1e-12  # values closer than this make no jump
SMOOTH = (HOLD, LINE, BENT, COSINE)  # shapes with nothing to tell inside
COSINE_PARTS = 24  # bends that stand for a cosine that is cut: within 2e-4 of it

Rows = list[tuple[float, float, int, float]]
Columns = tuple[Floats, Floats, Any, Floats]


def cut(curve: Curve, beats: Numbers) -> Curve:
    """The same curve with a point at each of `beats`.

    It is heard as before: holds, lines, bends and S-curves are cut exactly, steps and cycles
    become the points they consist of, a cosine becomes bends within 2e-4.
    """
    wanted = np.unique(floats(beats))
    missing = wanted[~np.isin(wanted, curve.beat)]
    if not missing.size:
        return curve
    owner = np.searchsorted(curve.beat, missing, side="right") - 1
    last = len(curve) - 1
    held = ((missing[owner < 0], curve.value[0]), (missing[owner == last], curve.value[last]))
    before, after = (
        (b, np.full(len(b), v), np.full(len(b), LINE, np.uint8), np.zeros(len(b))) for b, v in held
    )
    parts, start = [before], 0
    for index in np.unique(owner[(owner >= 0) & (owner < last)]).tolist():
        parts.append(_part(curve, start, index))
        parts.append(_columns(_cut_segment(curve, index, missing[owner == index])))
        start = index + 1
    parts += [_part(curve, start, last + 1), after]
    return Curve(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def _part(curve: Curve, start: int, stop: int) -> Columns:
    part = slice(start, stop)
    return curve.beat[part], curve.value[part], curve.shape[part], curve.amount[part]


def _rows(curve: Curve, start: int, stop: int) -> Rows:
    part = slice(start, stop)
    columns = (curve.beat, curve.value, curve.shape, curve.amount)
    return list(zip(*(column[part].tolist() for column in columns), strict=True))


def _columns(rows: Rows) -> Columns:
    beat, value, shape, amount = zip(*rows, strict=True)
    values = np.clip(floats(value), 0.0, 1.0)
    return floats(beat), values, np.array(shape, np.uint8), floats(amount)


def _cut_segment(curve: Curve, index: int, beats: Floats) -> Rows:
    """The rows that stand for one segment cut at `beats`, without the point it ends in."""
    code = int(curve.shape[index])
    first, last = float(curve.beat[index]), float(curve.beat[index + 1])
    if code not in (HOLD, LINE, BENT):
        broken = Curve(*_columns([*_broken(curve, index), *_rows(curve, index + 1, index + 2)]))
        broken = replace(broken, beat=_onto(broken.beat, beats))
        inner = beats[~np.isin(beats, broken.beat)]
        simple = cut(broken, inner) if inner.size else broken
        return _rows(simple, 0, len(simple) - 1)
    u = np.concatenate(([0.0], (beats - first) / (last - first)))
    values = curve.at(beats)
    steepness = float(np.arctanh(curve.amount[index])) if code == BENT else 0.0
    # e^(k·u) over a part of its way is a bend again, its k shared out by length.
    amounts = np.tanh(steepness * np.diff(np.append(u, 1.0)))
    rows: Rows = [(first, float(curve.value[index]), code, float(amounts[0]))]
    rows += [
        (float(b), float(v), code, float(a))
        for b, v, a in zip(beats, values, amounts[1:], strict=True)
    ]
    return rows


def _onto(own: Floats, beats: Floats) -> Floats:
    """Inner beats that rounding put beside one of `beats`, put onto it."""
    moved = own.copy()
    for beat in beats:
        nearest = 1 + int(np.argmin(np.abs(own[1:-1] - beat))) if len(own) > 2 else 0
        if nearest and abs(own[nearest] - beat) < 1e-9:
            moved[nearest] = beat
    return moved


def steps_of(curve: Curve, index: int) -> tuple[Floats, Floats] | None:
    """Beats and values of the levels that a segment steps through; None where it has none."""
    rows = _broken(curve, index) if SHAPES[curve.shape[index]].key in ("stairs", "pulses") else None
    if rows is None:
        return None
    return np.array([row[0] for row in rows]), np.array([row[1] for row in rows])


def knots(curve: Curve) -> Floats:
    """The beats of all points, and of the steps and turns inside segments that have such."""
    inner = [
        np.array([row[0] for row in _broken(curve, int(i))])
        for i in np.flatnonzero(~np.isin(curve.shape[:-1], SMOOTH))
        if curve.beat[i + 1] > curve.beat[i]
    ]
    return np.unique(np.concatenate([curve.beat, *inner]))


def _broken(curve: Curve, index: int) -> Rows:
    """A segment of more than one part as holds, bends or cosines, without its end point."""
    first, last = float(curve.beat[index]), float(curve.beat[index + 1])
    low, high = float(curve.value[index]), float(curve.value[index + 1])
    code, amount = int(curve.shape[index]), float(curve.amount[index])

    def rows(u: Any, y: Any, shape: int, amounts: Any) -> Rows:
        beat = first + (last - first) * u
        value = low + (high - low) * y
        return [
            (float(b), float(v), shape, float(a))
            for b, v, a in zip(beat, value, amounts, strict=True)
        ]

    n = int(amount)
    key = SHAPES[code].key
    if key == "stairs":
        steps = np.arange(n + 1)
        return rows(steps / (n + 1.0), steps / float(n), HOLD, np.zeros(n + 1))
    if key == "pulses":
        halves = np.arange(2 * n)
        return rows(halves / (2.0 * n), halves % 2.0, HOLD, np.zeros(2 * n))
    if key == "waves":
        turns = np.arange(2 * n + 1)
        return rows(turns / (2.0 * n + 1), turns % 2.0, COSINE, np.zeros(2 * n + 1))
    if code == S_CURVE:
        return rows(np.array([0.0, 0.5]), np.array([0.0, 0.5]), BENT, np.array([-amount, amount]))
    u = np.arange(COSINE_PARTS) / COSINE_PARTS
    edges = SHAPES[COSINE].rise(np.append(u, 1.0), np.zeros(COSINE_PARTS + 1))
    middle = SHAPES[COSINE].rise(u + 0.5 / COSINE_PARTS, np.zeros(COSINE_PARTS))
    # A bend that meets the cosine at both ends and in the middle: y(½) = (1 + a)/2.
    return rows(u, edges[:-1], BENT, 2.0 * (middle - edges[:-1]) / np.diff(edges) - 1.0)


def _ends(curve: Curve, first: float, last: float) -> tuple[Curve, int, int]:
    """The curve with points at both ends of a span, and where they are: the last one on
    `first` and the first one on `last`, the sides of a jump that face the span."""
    if not last > first:
        raise ZolvekError("The span is empty.", remedy="Select a span that ends after it begins.")
    whole = cut(curve, [first, last])
    start = int(np.searchsorted(whole.beat, first, side="right")) - 1
    end = int(np.searchsorted(whole.beat, last, side="left"))
    return whole, start, end


def piece(curve: Curve, first: float, last: float) -> Curve:
    """What the curve does from `first` to `last`, as a piece."""
    whole, start, end = _ends(curve, first, last)
    part = slice(start, end + 1)
    value = whole.value[part].copy()
    if whole.shape[end - 1] == HOLD:
        value[-1] = value[-2]  # what is heard up to the end; the next value is beyond it
    beat = whole.beat[part] - first
    beat[-1] = last - first
    shape, amount = whole.shape[part].copy(), whole.amount[part].copy()
    shape[-1], amount[-1] = LINE, 0.0
    return Curve(beat, value, shape, amount)


def splice(curve: Curve, first: float, put: Curve, last: float | None = None) -> Curve:
    """The curve with the span from `first` to `last` (default: the piece's own length)
    replaced by the piece; where levels differ at an edge there is a jump."""
    length = float(put.beat[-1])
    last = first + length if last is None else last
    whole, _, _ = _ends(curve, first, last)
    left = slice(0, int(np.searchsorted(whole.beat, first, side="left")))
    right_at = int(np.searchsorted(whole.beat, last, side="right")) - 1
    columns = []
    before = _limit_before(whole, first)
    after = float(whole.value[right_at])
    reached = left.stop > 0 or first > 0.0
    keep_left = reached and before is not None and abs(before - put.value[0]) > SAME
    join_right = abs(after - put.value[-1]) <= SAME
    for name in ("beat", "value", "shape", "amount"):
        own, old = getattr(put, name), getattr(whole, name)
        inner = own + first if name == "beat" else own
        parts = [old[left]]
        if keep_left:
            edge = {"beat": first, "value": before, "shape": LINE, "amount": 0.0}[name]
            parts.append(np.array([edge], old.dtype))
        parts.append(inner[:-1] if join_right else inner)
        parts.append(old[right_at:])
        columns.append(np.concatenate(parts))
    columns[0] = np.maximum.accumulate(columns[0])
    return joined(*columns)


def _limit_before(curve: Curve, beat: float) -> float | None:
    """The value just before a point's beat; None when a hold leads there, which needs no point."""
    at = int(np.searchsorted(curve.beat, beat, side="left"))
    if at == 0:
        return float(curve.value[0])
    return None if curve.shape[at - 1] == HOLD else float(curve.value[at])


def clear(curve: Curve, first: float, last: float) -> Curve:
    """A straight way from the level before the span to the level after it."""
    own = piece(curve, first, last)
    ends = [0, len(own) - 1]
    return splice(
        curve, first, Curve(own.beat[ends], own.value[ends], np.full(2, LINE), np.zeros(2))
    )
