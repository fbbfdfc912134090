"""The shapes a segment can have: the one table that declares them, and all that one can do.

A shape says how far a segment has risen (0..1, from its own point's value to the next
point's) at u = 0..1 of its way. Everything that draws, plays, edits or writes curves reads
this table; nothing else tells shapes apart.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from zolvek.core.arrays import Bools, Floats

# Forms, `prepare` and guesses take numbers as well as arrays, and only what a compiler knows too:
# the loops of thinning are compiled with them.

FLAT = 1e-12  # a steepness that is none
STEEPEST = 1.0 - 1e-15  # amount of a bend that is dragged
# Where fitting looks at a run, as parts of its way, to guess the amount that would follow it.
PLACES = (0.25, 0.375, 0.5, 0.625, 0.75)
# The mean of a smooth shape over a part of its way: points and weights of Gauss–Legendre's rule
# (Abramowitz and Stegun, Handbook of mathematical functions, 25.4.30), in so many pieces.
NODES, WEIGHTS = np.polynomial.legendre.leggauss(8)
PIECES = 8

Form = Callable[..., Floats]
Prepare = Callable[[Floats], tuple[Floats, ...]]
Extent = Callable[[Floats, Floats, Floats], tuple[Floats, Floats]]


def _steepness(a: Floats) -> tuple[Floats, Floats]:
    """k = −4·artanh(a) and e^k − 1; for a line, a k so small that it makes no difference."""
    k = -4.0 * np.arctanh(a)
    k = k + 2.0 * FLAT * (np.abs(k) < FLAT)
    return k, np.expm1(k)


def _bend(u: Floats, k: Floats, whole: Floats) -> Floats:
    """(e^(k·u) − 1)/(e^k − 1): the line at k = 0; (1 + a)/2 at u = ½."""
    return np.expm1(k * u) / whole


def _s_curve(u: Floats, k: Floats, whole: Floats) -> Floats:
    """Two mirrored bends that meet in the middle."""
    low = u < 0.5
    half = 0.5 * np.expm1(k * (1.0 - np.abs(1.0 - 2.0 * u))) / whole
    return low * half + (1.0 - low) * (1.0 - half)


def _mirrored(a: Floats) -> tuple[Floats, Floats]:
    k = 4.0 * np.arctanh(a)
    k = k + 2.0 * FLAT * (np.abs(k) < FLAT)
    return k, np.expm1(k)


def _hold(u: Floats) -> Floats:
    return np.where(u >= 1.0, 1.0, 0.0)


def _hold_before(u: Floats) -> Floats:
    return np.zeros_like(u)


def _line(u: Floats) -> Floats:
    return u


def _cosine(u: Floats) -> Floats:
    return 0.5 - 0.5 * np.cos(np.pi * u)


def edge(n: Floats) -> Floats:
    """How far from a step's edge, in steps, rounding may put a place that lies on it: a segment that
    has been cut and moved is counted in other numbers than the whole one."""
    return 1e-12 + 4e-16 * n


def _stairs(u: Floats, n: Floats) -> Floats:
    return np.minimum(np.floor(u * (n + 1.0) + edge(n)), n) / n


def _stairs_before(u: Floats, n: Floats) -> Floats:
    return np.clip(np.ceil(u * (n + 1.0) - edge(n)) - 1.0, 0.0, n) / n


def _pulses(u: Floats, n: Floats) -> Floats:
    half = np.minimum(np.floor(2.0 * n * u + edge(n)), 2.0 * n - 1.0)
    return half % 2.0


def _pulses_before(u: Floats, n: Floats) -> Floats:
    half = np.clip(np.ceil(2.0 * n * u - edge(n)) - 1.0, 0.0, 2.0 * n - 1.0)
    return half % 2.0


def _waves(u: Floats, n: Floats) -> Floats:
    return 0.5 - 0.5 * np.cos(np.pi * (2.0 * n + 1.0) * u)


def _nothing(a: Floats) -> tuple[()]:
    return ()


def _itself(a: Floats) -> tuple[Floats]:
    return (a,)


# Extents over u0 <= u < u1: the value *at* u1 belongs to what follows, but a limit counts.


def _hold_extent(u0: Floats, u1: Floats, a: Floats) -> tuple[Floats, Floats]:
    return np.zeros_like(u0), np.zeros_like(u0)


def _ends(form: Form, prepare: Prepare) -> Extent:
    """The extent of what never turns back: its two ends."""

    def extent(u0: Floats, u1: Floats, a: Floats) -> tuple[Floats, Floats]:
        constants = prepare(a)
        return form(u0, *constants), form(u1, *constants)

    return extent


def _stairs_extent(u0: Floats, u1: Floats, n: Floats) -> tuple[Floats, Floats]:
    first = _stairs(u0, n)
    return first, np.maximum(first, _stairs_before(u1, n))


def _pulses_extent(u0: Floats, u1: Floats, n: Floats) -> tuple[Floats, Floats]:
    first = np.minimum(np.floor(2.0 * n * u0 + edge(n)), 2.0 * n - 1.0)
    last = np.maximum(np.ceil(2.0 * n * u1 - edge(n)) - 1.0, first)
    both = last > first
    odd = first % 2.0
    return np.where(both, 0.0, odd), np.where(both, 1.0, odd)


def _waves_extent(u0: Floats, u1: Floats, n: Floats) -> tuple[Floats, Floats]:
    w0, w1 = (2.0 * n + 1.0) * u0, (2.0 * n + 1.0) * u1
    y0, y1 = _waves(u0, n), _waves(u1, n)
    low = np.where(np.floor(w1 / 2.0) >= np.ceil(w0 / 2.0), 0.0, np.minimum(y0, y1))
    top = np.floor((w1 - 1.0) / 2.0) >= np.ceil((w0 - 1.0) / 2.0)
    return low, np.where(top, 1.0, np.maximum(y0, y1))


# Sums: the integral of the rise from 0 to u, where there is a closed form.


def _bend_sum(u: Floats, a: Floats) -> Floats:
    """(expm1(k·u)/k − u)/(e^k − 1); near the line, its series in k."""
    k, whole = _steepness(a)
    with np.errstate(all="ignore"):
        exact = (np.expm1(k * u) / k - u) / whole
    near = u**2 / 2.0 + k * (u**3 / 6.0 - u**2 / 4.0)
    near += k**2 * (u**4 / 24.0 - u**3 / 12.0 + u**2 / 24.0)
    return np.where(np.abs(k) < 1e-4, near, exact)


def _s_curve_sum(u: Floats, a: Floats) -> Floats:
    low = u < 0.5
    half = 0.25 * _bend_sum(np.where(low, 2.0 * u, 2.0 - 2.0 * u), -a)
    return np.where(low, half, u - 0.5 + half)


def _hold_sum(u: Floats, a: Floats) -> Floats:
    return np.zeros_like(u)


def _line_sum(u: Floats, a: Floats) -> Floats:
    return u * u / 2.0


def _cosine_sum(u: Floats, a: Floats) -> Floats:
    return u / 2.0 - np.sin(np.pi * u) / (2.0 * np.pi)


def _stairs_sum(u: Floats, n: Floats) -> Floats:
    steps = np.minimum(np.floor(u * (n + 1.0)), n)
    return (steps * (steps - 1.0) / 2.0 / (n + 1.0) + steps * (u - steps / (n + 1.0))) / n


def _pulses_sum(u: Floats, n: Floats) -> Floats:
    cycle = np.floor(u * n)
    return (cycle / 2.0 + np.maximum(u * n - cycle - 0.5, 0.0)) / n


def _waves_sum(u: Floats, n: Floats) -> Floats:
    turn = np.pi * (2.0 * n + 1.0)
    return u / 2.0 - np.sin(turn * u) / (2.0 * turn)


# Places on the way, for one amount.


def _no_places(a: float) -> Floats:
    return np.empty(0)


def _stairs_edges(n: float) -> Floats:
    return np.arange(1, int(n) + 1) / (n + 1.0)


def _pulses_edges(n: float) -> Floats:
    return np.arange(1, 2 * int(n)) / (2.0 * n)


def _waves_turns(n: float) -> Floats:
    return np.arange(1, 2 * int(n) + 1) / (2.0 * n + 1.0)


def _middle(a: float) -> Floats:
    return np.array([0.5])


# Amounts: of a part that is a shape of the same kind, of one seen backwards, through a place.


def _no_part(a: Floats, u0: Floats, u1: Floats) -> Floats:
    return np.zeros_like(u0)


def _bend_part(a: Floats, u0: Floats, u1: Floats) -> Floats:
    """e^(k·u) over a part of its way is a bend again, its k shared out by length."""
    return np.tanh(np.arctanh(a) * (u1 - u0))


def _same(a: Floats) -> Floats:
    return a


def _opposite(a: Floats) -> Floats:
    return -a


def _searched(form: Form, prepare: Prepare, falls: Callable[[float], bool]) -> Callable[..., float]:
    """The amount with which a shape passes through height y at u: found by bisection in artanh(a),
    in which the height rises steadily, or where `falls(u)`, falls."""

    def through(u: float, y: float) -> float:
        ends = [-18.0, 18.0]
        falling = falls(u)
        for _ in range(64):
            middle = 0.5 * (ends[0] + ends[1])
            here = float(form(np.array([u]), *prepare(np.array([np.tanh(middle)])))[0])
            ends[int((here > y) != falling)] = middle
        return float(np.clip(np.tanh(0.5 * (ends[0] + ends[1])), -STEEPEST, STEEPEST))

    return through


# Guesses of the amount with which a shape follows a run, from its heights at PLACES.


def _guess_nothing(a: Any, b: Any, c: Any, d: Any, e: Any) -> Any:
    return 0.0 * c


def _guess_bend(a: Any, b: Any, c: Any, d: Any, e: Any) -> Any:
    """It passes through the run's own middle: y(½) = (1 + a)/2."""
    return 2.0 * c - 1.0


def _guess_bend_by_three(a: Any, b: Any, c: Any, d: Any, e: Any) -> Any:
    """By three places instead of one: less at the mercy of a single sample."""
    return c + 0.5 * (b + d) - 1.0


def _guess_s_curve(a: Any, b: Any, c: Any, d: Any, e: Any) -> Any:
    """Both halves are bends that pass through their own middles."""
    return 1.0 - 2.0 * (a + 1.0 - e)


Guess = Callable[[Any, Any, Any, Any, Any], Any]


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

    `prepare` turns amounts into the constants that `form` takes after u, so that they are reckoned
    once a segment; `extent` takes u0 <= u1 and amounts, all of one length.
    """

    key: str
    label: str
    amount: Amount
    form: Form
    prepare: Prepare
    extent: Extent
    steady: bool = False  # it never turns back on its way, and holds no inner jump
    before: Form | None = None  # its limit from the left, where that is another
    jumps: Callable[[float], Floats] = _no_places  # where it jumps inside
    turns: Callable[[float], Floats] = _no_places  # where it turns back, or bends sharply
    part: Callable[[Floats, Floats, Floats], Floats] | None = None  # amount of a part of it
    backwards: Callable[[Floats], Floats] | None = None  # amount of it seen backwards
    through: Callable[[float, float], float] | None = None  # amount for a height y at u
    guesses: tuple[Guess, ...] = ()  # with which fitting tries it
    sum: Callable[[Floats, Floats], Floats] | None = None  # the integral of its rise from 0 to u
    straight: bool = False  # lines between its points are the shape itself
    ends_early: bool = False  # it does not rise to the next value on its way, but jumps there

    def rise(self, u: Floats, amounts: Floats) -> Floats:
        """How far a segment has risen, 0..1, at each `u`."""
        return self.form(u, *self.prepare(amounts))

    def rise_before(self, u: Floats, amounts: Floats) -> Floats:
        """The limit of that from the left."""
        return (self.before or self.form)(u, *self.prepare(amounts))

    def strokes(self, amount: float) -> int:
        """How many strokes it draws."""
        return 1 + len(self.jumps(amount)) + len(self.turns(amount))

    def mean(self, u0: Floats, u1: Floats, amounts: Floats) -> Floats:
        """Its mean rise from u0 to u1: exact where its integral is known."""
        length = u1 - u0
        if self.sum is not None:
            wide = np.where(length > 0.0, length, 1.0)
            found = (self.sum(u1, amounts) - self.sum(u0, amounts)) / wide
            return np.where(length > 1e-9, found, self.rise(u0, amounts))
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
        "hold", "Hold", NONE, _hold, _nothing, _hold_extent, True,
        before=_hold_before, part=_no_part, sum=_hold_sum, ends_early=True,
    ),
    Shape(
        "line", "Line", NONE, _line, _nothing, _ends(_line, _nothing), True,
        part=_no_part, backwards=_same, guesses=(_guess_nothing,), sum=_line_sum, straight=True,
    ),
    Shape(
        "bend", "Bend", BEND, _bend, _steepness, _ends(_bend, _steepness), True,
        part=_bend_part, backwards=_opposite, through=_searched(_bend, _steepness, _never),
        guesses=(_guess_bend, _guess_bend_by_three), sum=_bend_sum,
    ),
    Shape(
        "s-curve", "S-curve", BEND, _s_curve, _mirrored, _ends(_s_curve, _mirrored), True,
        turns=_middle, backwards=_same, through=_searched(_s_curve, _mirrored, _first_half),
        guesses=(_guess_s_curve,), sum=_s_curve_sum,
    ),
    Shape(
        "cosine", "Cosine", NONE, _cosine, _nothing, _ends(_cosine, _nothing), True,
        backwards=_same, guesses=(_guess_nothing,), sum=_cosine_sum,
    ),
    Shape(
        "stairs", "Stairs", COUNT, _stairs, _itself, _stairs_extent,
        before=_stairs_before, jumps=_stairs_edges, backwards=_same, sum=_stairs_sum,
    ),
    Shape(
        "pulses", "Pulses", COUNT, _pulses, _itself, _pulses_extent,
        before=_pulses_before, jumps=_pulses_edges, backwards=_same, sum=_pulses_sum,
    ),
    Shape(
        "waves", "Waves", COUNT, _waves, _itself, _waves_extent,
        turns=_waves_turns, backwards=_same, sum=_waves_sum,
    ),
)  # fmt: skip
CODES: dict[str, int] = {shape.key: code for code, shape in enumerate(SHAPES)}
HOLD, LINE, BENT, S_CURVE, COSINE = (
    CODES[key] for key in ("hold", "line", "bend", "s-curve", "cosine")
)
