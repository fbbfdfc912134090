# SPDX-License-Identifier: GPL-3.0-or-later
"""What to draw of a curve: its line as vertices, or as a band when points are denser than
pixels. Pure functions on arrays; pixels come in and go out as floats."""

from __future__ import annotations

from typing import cast

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF

from zolvek.core.arrays import Floats, Ints, floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.deviation import STRAIGHT
from zolvek.core.curve.discontinuities import inner_jumps
from zolvek.core.curve.rules import COUNTING
from zolvek.core.movement.evaluation.layering import LayeredCurve
from zolvek.studio.toolkit.viewport import Viewport

INVISIBLE_PX = 0.06  # pixels that a line may lie aside
SLIMMINGS = 3
NOWHERE = np.empty(0)


def points_shown(curve: Curve, view: Viewport) -> Ints:
    """The points inside the view."""
    shown = range_shown(curve, view)
    return np.arange(shown.start, shown.stop)


def range_shown(curve: Curve, view: Viewport) -> range:
    """As `points_shown`, however many there are in no time."""
    low, high = np.searchsorted(curve.beat, [view.first, view.last], side="left").tolist()
    return range(low, max(min(high + 1, len(curve)), low))


def line(curve: Curve, view: Viewport) -> tuple[Floats, Floats]:
    """The curve in the view as a line: x in pixels, values 0..1. Steps are vertical."""
    low, high = np.searchsorted(curve.beat, [view.first, view.last], side="left")
    inner = np.arange(low, high)
    segments = np.arange(max(low - 1, 0), min(high, len(curve) - 1))
    curved = not STRAIGHT[curve.shape[segments]].all()
    step = view.beats / view.width
    # Straight segments need their ends only; anything else a vertex at every pixel.
    edges = np.array([view.first, view.last])
    grid = view.first + np.arange(view.width + 1) * step if curved else edges
    steps = inner_jumps(curve.rows(slice(segments[0], segments[-1] + 2))) if curved else NOWHERE
    vertex_beats = np.concatenate((curve.beat[inner], steps))
    # Of two points on one beat both say where it comes from, and where it is.
    sides = np.stack((curve.before(vertex_beats), curve.at(vertex_beats)), axis=1)
    beats = np.concatenate((np.repeat(vertex_beats, 2), grid))
    values = np.concatenate((sides.ravel(), curve.at(grid)))
    order = np.argsort(beats, kind="stable")
    return view.xs(beats[order]), values[order]


def band(curve: Curve | LayeredCurve, view: Viewport) -> tuple[Floats, Floats]:
    """The lowest and highest value of the curve in each pixel of the view's width."""
    edges = floats(view.first + np.arange(view.width + 1) * (view.beats / view.width))
    low, high = curve.extents(edges)
    # Neighbouring columns must touch, or a steep curve falls apart.
    joined_low, joined_high = low.copy(), high.copy()
    joined_low[1:] = np.minimum(low[1:], high[:-1])
    joined_high[1:] = np.maximum(high[1:], low[:-1])
    return joined_low, joined_high


def by_column(x: Floats, y: Floats, width: float = 2.0) -> tuple[Floats, Floats]:
    """A line of many vertices, x rising, as one that looks the same: the lowest and the highest
    of each `width` pixels, in the order in which the line goes."""
    column = np.floor(x / width)
    starts = np.flatnonzero(np.diff(column, prepend=-np.inf))
    if len(x) <= 2 * len(starts):
        return x, y
    ends = np.append(starts[1:], len(x)) - 1
    low, high = np.minimum.reduceat(y, starts), np.maximum.reduceat(y, starts)
    up = y[ends] >= y[starts]
    before, after = np.where(up, low, high), np.where(up, high, low)
    return np.stack((x[starts], x[ends]), 1).ravel(), np.stack((before, after), 1).ravel()


def slimmed(x: Floats, y: Floats) -> tuple[Floats, Floats]:
    """A line in pixels without the vertices that nobody would miss: the painter's time goes by
    their number. Every second one goes, three times over, where the line bends little there."""
    for _ in range(SLIMMINGS):
        inner = slice(1, len(x) - 1)
        span = x[2:] - x[:-2]
        slope = np.divide(x[inner] - x[:-2], span, out=np.zeros(len(span)), where=span > 0.0)
        aside = np.abs(y[inner] - y[:-2] - slope * (y[2:] - y[:-2]))
        kept = np.ones(len(x), bool)
        # What stands straight up is a step: both its ends stay.
        kept[inner] = (aside > INVISIBLE_PX) | (span <= 0.0)
        kept[::2] = True
        x, y = x[kept], y[kept]
    return x, y


def dense(curve: Curve, view: Viewport) -> bool:
    """Whether there are so many points in view that the band is what to draw."""
    low, high = np.searchsorted(curve.beat, [view.first, view.last])
    if high - low > view.width / 3:
        return True
    inner = slice(low, max(high - 1, low))
    # Pulses, stairs and waves draw several strokes in one segment.
    counted = curve.amount[inner][COUNTING[curve.shape[inner]]].sum()
    return (high - low) + 2.0 * counted > view.width / 3


def layered_line(curve: LayeredCurve, view: Viewport) -> tuple[Floats, Floats]:
    """A layered curve in the view as a line, a vertex at every pixel and on both sides of each of
    its knots: x in pixels, values 0..1."""
    grid = view.first + np.arange(view.width + 1) * (view.beats / view.width)
    low, high = np.searchsorted(curve.knots, [view.first, view.last])
    knots = curve.knots[low:high]
    beats = np.concatenate((grid, knots, knots))
    values = np.concatenate((curve.at(grid), curve.before(knots), curve.at(knots)))
    order = np.argsort(beats, kind="stable")
    return view.xs(beats[order]), values[order]


def layered_dense(curve: LayeredCurve, view: Viewport) -> bool:
    """Whether a layered curve is drawn as a band."""
    low, high = np.searchsorted(curve.knots, [view.first, view.last])
    return bool(high - low > view.width / 3)


def largest_in(errors: tuple[Floats, Floats], first: float, last: float, columns: int) -> Floats:
    """The largest of (beats, sizes) in each of `columns` even parts of a stretch of beats."""
    at, size = errors
    inside = (at >= first) & (at < last)
    column = ((at[inside] - first) / (last - first) * columns).astype(np.intp)
    result = np.zeros(columns)
    np.maximum.at(result, np.minimum(column, columns - 1), size[inside])
    return result


def polygon(x: Floats, y: Floats) -> QPolygonF:
    """Vertices as Qt takes them, without a Python loop."""
    made = QPolygonF([QPointF()] * len(x))
    if len(x):
        memory = made.data()
        memory.setsize(16 * len(x))
        flat = np.frombuffer(cast("memoryview", memory), np.float64)
        flat[0::2], flat[1::2] = x, y
    return made
