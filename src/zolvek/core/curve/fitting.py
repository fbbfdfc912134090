# SPDX-License-Identifier: GPL-3.0-or-later
"""Fitting: any function of time as few shaped points, within a tolerance, all at once.

Between the knots given the function has to be smooth; at a knot it may jump. Every stretch
between two knots is tried as a line, a cosine and a bend; those that none of them follows are
halved and tried again, all stretches side by side on arrays.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints, distinct
from zolvek.core.curve.construction import joined, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import HOLD, LINE, PLACES, SHAPES

Function = Callable[[Floats], Floats]

INSIDE = np.arange(1, 24) / 24.0  # where a stretch is compared with the shape tried
GUESSED_AT = np.searchsorted(INSIDE, np.array(PLACES) - 1e-9)
# The shapes that are tried when a line does not do, and how their amounts are guessed.
ATTEMPTS = [(code, guess) for code, row in enumerate(SHAPES) for guess in row.guesses if not row.straight]
MARGIN = 0.8  # of the tolerance, as what lies between those places is not looked at
STEEPEST = 0.998
HALVINGS = 14
HALVED = 44  # times that the place of a crossing is
SHORTEST_FIT_BEATS = 1e-7  # beats; below it there is nothing left to follow
SAME = 1e-12
ROUNDING_BEATS = 1e-10  # beats, far more than rounding, far less than is heard
JUMP = 1e-7  # of the height: what is less comes of the hair


def approximated(function: Function, knots: Floats, tolerance: float, before: Function | None = None) -> Curve:
    """A curve within `tolerance` of `function`, kept to 0..1, from the first knot to the last.

    `function` takes increasing beats, right-continuous; `knots` are increasing beats, all those at which
    it jumps or turns a corner among them. Where it leaves 0..1 is found here. `before` is its limit from
    the left; without one, values a hair next to the knots stand for it.
    """
    knots = distinct(np.concatenate((knots, _crossings(function, distinct(knots)))))
    if len(knots) == 1:
        return lines(knots, np.clip(function(knots), 0.0, 1.0))
    first, last = knots[:-1], knots[1:]
    done: list[tuple[Floats, Floats, Floats, Floats, Ints, Floats]] = []
    for halving in range(HALVINGS + 1):
        low, high, inner = _sampled(function, first, last, before)
        code, amount, fits = _shaped(low, high, inner, tolerance * MARGIN)
        fits |= (last - first < SHORTEST_FIT_BEATS) | (halving == HALVINGS)
        done.append(tuple(a[fits] for a in (first, last, low, high, code, amount)))  # type: ignore[arg-type]  # six arrays
        if fits.all():
            break
        middle = 0.5 * (first[~fits] + last[~fits])
        first, last = _pairs(first[~fits], middle, last[~fits])
    columns = [np.concatenate(column) for column in zip(*done, strict=True)]
    order = np.argsort(columns[0], kind="stable")
    return _joined(*(column[order] for column in columns))


def _pairs(first: Floats, middle: Floats, last: Floats) -> tuple[Floats, Floats]:
    begin = np.stack((first, middle), axis=1).ravel()
    end = np.stack((middle, last), axis=1).ravel()
    return begin, end


def _crossings(function: Function, knots: Floats) -> Floats:
    """Where the function crosses 0 and 1 between knots: corners of what is kept to 0..1."""
    if len(knots) < 2:
        return np.empty(0)
    first, length = knots[:-1], np.diff(knots)
    share = np.concatenate(([1e-9], INSIDE, [1.0 - 1e-9]))
    grid = first[:, None] + length[:, None] * share
    values = function(grid.ravel()).reshape(grid.shape)
    highs = [np.empty(0)]
    for bound in (0.0, 1.0):
        beyond = values > bound
        stretch, column = np.nonzero(beyond[:, 1:] != beyond[:, :-1])
        if not len(stretch):
            continue
        low, high, up = grid[stretch, column], grid[stretch, column + 1], beyond[stretch, column + 1]
        for _ in range(HALVED):
            middle = 0.5 * (low + high)
            order = np.argsort(middle, kind="stable")
            here = np.empty(len(middle), bool)
            here[order] = function(middle[order]) > bound
            low, high = np.where(here == up, low, middle), np.where(here == up, middle, high)
        highs.append(high)
    return np.concatenate(highs)


def _sampled(function: Function, first: Floats, last: Floats, before: Function | None) -> tuple[Floats, Floats, Floats]:
    """Values at the start of each stretch, just before its end, and inside: (stretches, 23). A jump may be
    a rounding away from its knot, and is no part of a stretch."""
    length = last - first
    grid = first[:, None] + length[:, None] * INSIDE
    if before is not None:
        inner = np.clip(function(grid.ravel()), 0.0, 1.0).reshape(grid.shape)
        ends = function(first), before(last)
        return np.clip(ends[0], 0.0, 1.0), np.clip(ends[1], 0.0, 1.0), inner
    hair = np.minimum(ROUNDING_BEATS, 1e-3 * length)
    beats = np.column_stack((first + hair, grid, last - hair))
    values = np.clip(function(beats.ravel()), 0.0, 1.0).reshape(beats.shape)
    return values[:, 0], values[:, -1], values[:, 1:-1]


def _shaped(low: Floats, high: Floats, inner: Floats, tolerance: float) -> tuple[Ints, Floats, Bools]:
    """The shape and amount that follow each stretch, and whether any does."""
    rise = (high - low)[:, None]
    code = np.full(len(low), LINE)
    amount = np.zeros(len(low))
    fits = np.abs(low[:, None] + rise * INSIDE - inner).max(axis=1) <= tolerance
    safe = np.where(np.abs(rise) > SAME, rise, 1.0)
    share = (inner - low[:, None]) / safe
    heights = [share[:, column] for column in GUESSED_AT]
    for shape, guess in ATTEMPTS:
        left = ~fits & (np.abs(rise[:, 0]) > SAME)
        if not left.any():
            break
        tried = np.clip(guess(*(height[left] for height in heights)), -STEEPEST, STEEPEST)
        u = np.broadcast_to(INSIDE, (int(left.sum()), len(INSIDE)))
        y = SHAPES[shape].rise(u.ravel(), np.repeat(tried, len(INSIDE))).reshape(u.shape)
        error = np.abs(low[left, None] + rise[left] * y - inner[left]).max(axis=1)
        kept = error <= tolerance
        result = np.flatnonzero(left)[kept]
        code[result], amount[result], fits[result] = shape, tried[kept], True
    return code, amount, fits


def _joined(first: Floats, last: Floats, low: Floats, high: Floats, code: Ints, amount: Floats) -> Curve:
    """The stretches as one curve; where one ends at another level than the next begins with
    there is a jump, given by a hold where the stretch is level."""
    following = np.append(low[1:], high[-1])
    level = np.abs(high - low) <= SAME
    jump = np.abs(high - following) > JUMP
    jump[-1] = True  # the very last point stands for its end
    shape = np.where(level & jump & (np.arange(len(first)) < len(first) - 1), HOLD, code)
    twin = jump & ~((shape == HOLD) & level)
    twin[-1] = True
    places = np.repeat(np.arange(len(first)), 1 + twin)
    is_end = np.append(False, places[1:] == places[:-1])
    beat = np.where(is_end, last[places], first[places])
    value = np.where(is_end, high[places], low[places])
    shapes = np.where(is_end, LINE, shape[places]).astype(np.uint8)
    amounts = np.where(is_end, 0.0, amount[places])
    return _without_idle(joined(beat, np.clip(value, 0.0, 1.0), shapes, amounts))


def _without_idle(curve: Curve) -> Curve:
    """Without points between level stretches of one level, none of them in a jump."""
    if len(curve) < 3:
        return curve
    value, beat, shape = curve.value, curve.beat, curve.shape
    calm = (shape == LINE) | (shape == HOLD)
    idle = np.zeros(len(curve), bool)
    idle[1:-1] = (
        (np.abs(value[1:-1] - value[:-2]) <= SAME)
        & calm[:-2]
        & (beat[1:-1] > beat[:-2])
        & (beat[2:] > beat[1:-1])
        & (shape[1:-1] == shape[:-2])
        & ((np.abs(value[2:] - value[1:-1]) <= SAME) | (shape[1:-1] == HOLD))
    )
    return curve.rows(~idle)
