# SPDX-License-Identifier: GPL-3.0-or-later
"""The shapes a segment can have: the one table that declares them, and all that one can do.

A shape says how far a segment has risen (0..1, from its own point's value to the next
point's) at u = 0..1 of its way. Everything that draws, plays, edits or writes curves reads
this table; nothing else says shapes apart.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Bools, Floats
from zolvek.core.curve import easings
from zolvek.core.curve.easings import Extent, Guess, Prepare, Rise

# Where fitting looks at a run, as parts of its way, to guess the amount that would follow it.
PLACES = (0.25, 0.375, 0.5, 0.625, 0.75)
# The mean of a smooth shape over a part of its way: points and weights of Gauss–Legendre's rule
# (Abramowitz and Stegun, Handbook of mathematical functions, 25.4.30), in so many pieces.
NODES, WEIGHTS = np.polynomial.legendre.leggauss(8)
PIECES = 8


def _no_amount(a: Floats) -> Bools:
    return np.isfinite(a)


def _open_unit(a: Floats) -> Bools:
    return np.abs(a) < 1.0


def _count(a: Floats) -> Bools:
    return (a >= 1.0) & (a <= 100_000.0) & (a == np.floor(a))


class Amount(NamedTuple):
    """What a shape's amount means and which amounts are allowed."""

    kind: str  # "none", "bend" or "count"
    default: float
    allowed: Callable[[Floats], Bools]
    words: str


NONE = Amount("none", 0.0, _no_amount, "no amount")
BEND = Amount("bend", 0.0, _open_unit, "an amount between −1 and 1, both excluded")
COUNT = Amount("count", 4.0, _count, "a whole number from 1 on as its amount")


class Shape(NamedTuple):
    """One row. The first six fields are what a shape has to say; the others what may be known of it,
    with what holds for any shape as their default.

    `prepare` turns amounts into the constants that `easing` takes after u, so that they are computed
    once a segment; `extent` takes u0 <= u1 and amounts, all of one length.
    """

    key: str
    label: str
    amount: Amount
    easing: Rise
    prepare: Prepare
    extent: Extent
    steady: bool = False  # it never turns back on its way, and holds no inner jump
    before: Rise | None = None  # its limit from the left, where that is another
    jumps: Callable[[float], Floats] = easings.no_places  # where it jumps inside
    turns: Callable[[float], Floats] = easings.no_places  # where it turns back, or bends sharply
    part: Callable[[Floats, Floats, Floats], Floats] | None = None  # amount of a part of it
    joined: Callable[[Floats], float] | None = None  # amount of the one that a row of them is
    backwards: Callable[[Floats], Floats] | None = None  # amount of it seen backwards
    through: Callable[[float, float], float] | None = None  # amount for a height y at u
    guesses: tuple[Guess, ...] = ()  # with which fitting tries it
    sum: Callable[[Floats, Floats], Floats] | None = None  # the integral of its rise from 0 to u
    straight: bool = False  # lines between its points are the shape itself
    ends_early: bool = False  # it does not rise to the next value on its way, but jumps there

    def rise(self, u: Floats, amounts: Floats) -> Floats:
        """How far a segment has risen, 0..1, at each `u`."""
        return self.easing(u, *self.prepare(amounts))

    def rise_before(self, u: Floats, amounts: Floats) -> Floats:
        """The limit of that from the left."""
        return (self.before or self.easing)(u, *self.prepare(amounts))

    def strokes(self, amount: float) -> int:
        """How many strokes it draws."""
        return 1 + len(self.jumps(amount)) + len(self.turns(amount))

    def mean(self, u0: Floats, u1: Floats, amounts: Floats) -> Floats:
        """Its mean rise from u0 to u1: exact where its integral is known."""
        length = u1 - u0
        if self.sum is not None:
            wide = np.where(length > 0.0, length, 1.0)
            result = (self.sum(u1, amounts) - self.sum(u0, amounts)) / wide
            return np.where(length > 1e-9, result, self.rise(u0, amounts))
        at = (np.arange(PIECES)[:, None] + 0.5 + 0.5 * NODES).ravel() / PIECES
        u = (u0[:, None] + length[:, None] * at).ravel()
        y = self.rise(u, np.repeat(amounts, len(at))).reshape(len(u0), len(at))
        return y @ (np.tile(WEIGHTS, PIECES) / (2.0 * PIECES))


def _never(u: float) -> bool:
    return False


def _first_half(u: float) -> bool:
    return u < 0.5


SHAPES: tuple[Shape, ...] = (
    Shape(
        "hold", "Hold", NONE, easings.hold, easings.nothing, easings.hold_extent, True,
        before=easings.hold_before, part=easings.no_part, sum=easings.hold_sum, ends_early=True,
    ),
    Shape(
        "line", "Line", NONE, easings.line, easings.nothing, easings.ends(easings.line, easings.nothing), True,
        part=easings.no_part, backwards=easings.same, guesses=(easings.guess_nothing,), sum=easings.line_sum,
            straight=True,
    ),
    Shape(
        "bend", "Bend", BEND, easings.bend, easings.steepness, easings.ends(easings.bend, easings.steepness), True,
        part=easings.bend_part, joined=easings.bends_joined, backwards=easings.opposite,
            through=easings.searched(easings.bend, easings.steepness, _never),
        guesses=(easings.guess_bend, easings.guess_bend_by_three), sum=easings.bend_sum,
    ),
    Shape(
        "s-curve", "S-curve", BEND, easings.s_curve, easings.mirrored, easings.ends(easings.s_curve, easings.mirrored),
            True,
        turns=easings.middle, backwards=easings.same, through=easings.searched(easings.s_curve, easings.mirrored,
            _first_half),
        guesses=(easings.guess_s_curve,), sum=easings.s_curve_sum,
    ),
    Shape(
        "cosine", "Cosine", NONE, easings.cosine, easings.nothing, easings.ends(easings.cosine, easings.nothing), True,
        backwards=easings.same, guesses=(easings.guess_nothing,), sum=easings.cosine_sum,
    ),
    Shape(
        "stairs", "Stairs", COUNT, easings.stairs, easings.itself, easings.stairs_extent,
        before=easings.stairs_before, jumps=easings.stairs_edges, backwards=easings.same, sum=easings.stairs_sum,
    ),
    Shape(
        "pulses", "Pulses", COUNT, easings.pulses, easings.itself, easings.pulses_extent,
        before=easings.pulses_before, jumps=easings.pulses_edges, backwards=easings.same, sum=easings.pulses_sum,
    ),
    Shape(
        "waves", "Waves", COUNT, easings.waves, easings.itself, easings.waves_extent,
        turns=easings.waves_turns, backwards=easings.same, sum=easings.waves_sum,
    ),
)  # fmt: skip
CODES: dict[str, int] = {shape.key: code for code, shape in enumerate(SHAPES)}
HOLD, LINE, BENT, S_CURVE, COSINE = (CODES[key] for key in ("hold", "line", "bend", "s-curve", "cosine"))
