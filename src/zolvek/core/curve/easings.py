# SPDX-License-Identifier: GPL-3.0-or-later
"""What shapes are made of: how far each has risen at u, its extent, its integral, and what else is
known of it. Plain functions of u, 0..1, and of amounts; `shapes` puts them into its rows."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from zolvek.core.arrays import Floats

# Forms, `prepare` and guesses take numbers as well as arrays, and only what a compiler knows too:
# the loops of thinning are compiled with them.

FLAT = 1e-12  # a steepness that is none
STEEPEST = 1.0 - 1e-15  # amount of a bend that is dragged or joined

Rise = Callable[..., Floats]
Prepare = Callable[[Floats], tuple[Floats, ...]]
Extent = Callable[[Floats, Floats, Floats], tuple[Floats, Floats]]


def steepness(a: Floats) -> tuple[Floats, Floats]:
    """k = −4·artanh(a) and e^k − 1; for a line, a k so small that it makes no difference."""
    k = -4.0 * np.arctanh(a)
    k = k + 2.0 * FLAT * (np.abs(k) < FLAT)
    return k, np.expm1(k)


def bend(u: Floats, k: Floats, whole: Floats) -> Floats:
    """(e^(k·u) − 1)/(e^k − 1): the line at k = 0; (1 + a)/2 at u = ½."""
    return np.expm1(k * u) / whole


def s_curve(u: Floats, k: Floats, whole: Floats) -> Floats:
    """Two mirrored bends that meet in the middle."""
    low = u < 0.5
    half = 0.5 * np.expm1(k * (1.0 - np.abs(1.0 - 2.0 * u))) / whole
    return low * half + (1.0 - low) * (1.0 - half)


def mirrored(a: Floats) -> tuple[Floats, Floats]:
    """The amounts of the two bends that an S-curve of amount `a` is made of."""
    k = 4.0 * np.arctanh(a)
    k = k + 2.0 * FLAT * (np.abs(k) < FLAT)
    return k, np.expm1(k)


def hold(u: Floats) -> Floats:
    """0 everywhere but at the end; `u` 0..1 along the segment, any shape."""
    return np.where(u >= 1.0, 1.0, 0.0)


def hold_before(u: Floats) -> Floats:
    """The hold's limit from the left."""
    return np.zeros_like(u)


def line(u: Floats) -> Floats:
    """`u` itself."""
    return u


def cosine(u: Floats) -> Floats:
    """(1 − cos πu)/2."""
    return 0.5 - 0.5 * np.cos(np.pi * u)


def edge(n: Floats) -> Floats:
    """How far from a step's edge, in steps, rounding may put a place that lies on it: a segment that
    has been cut and moved is counted in other numbers than the whole one."""
    return 1e-12 + 4e-16 * n


def stairs(u: Floats, n: Floats) -> Floats:
    """`n` equal steps, right-continuous."""
    return np.minimum(np.floor(u * (n + 1.0) + edge(n)), n) / n


def stairs_before(u: Floats, n: Floats) -> Floats:
    """The stairs' limit from the left."""
    return np.clip(np.ceil(u * (n + 1.0) - edge(n)) - 1.0, 0.0, n) / n


def pulses(u: Floats, n: Floats) -> Floats:
    """`n` cycles, low in the first half of each; right-continuous."""
    half = np.minimum(np.floor(2.0 * n * u + edge(n)), 2.0 * n - 1.0)
    return half % 2.0


def pulses_before(u: Floats, n: Floats) -> Floats:
    """The pulses' limit from the left."""
    half = np.clip(np.ceil(2.0 * n * u - edge(n)) - 1.0, 0.0, 2.0 * n - 1.0)
    return half % 2.0


def waves(u: Floats, n: Floats) -> Floats:
    """`n` + ½ cosine cycles."""
    return 0.5 - 0.5 * np.cos(np.pi * (2.0 * n + 1.0) * u)


def nothing(a: Floats) -> tuple[()]:
    """What a shape without preparation computes from its amount."""
    return ()


def itself(a: Floats) -> tuple[Floats]:
    """The amount as it is."""
    return (a,)


# Extents over u0 <= u < u1: the value *at* u1 belongs to what follows, but a limit counts.


def hold_extent(u0: Floats, u1: Floats, a: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest rise between `u0` and `u1`, arrays of one shape."""
    return np.zeros_like(u0), np.zeros_like(u0)


def ends(easing: Rise, prepare: Prepare) -> Extent:
    """The extent of what never turns back: its two ends."""

    def extent(u0: Floats, u1: Floats, a: Floats) -> tuple[Floats, Floats]:
        constants = prepare(a)
        return easing(u0, *constants), easing(u1, *constants)

    return extent


def stairs_extent(u0: Floats, u1: Floats, n: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest rise between `u0` and `u1`, for `n` steps."""
    first = stairs(u0, n)
    return first, np.maximum(first, stairs_before(u1, n))


def pulses_extent(u0: Floats, u1: Floats, n: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest rise between `u0` and `u1`, for `n` cycles."""
    first = np.minimum(np.floor(2.0 * n * u0 + edge(n)), 2.0 * n - 1.0)
    last = np.maximum(np.ceil(2.0 * n * u1 - edge(n)) - 1.0, first)
    both = last > first
    odd = first % 2.0
    return np.where(both, 0.0, odd), np.where(both, 1.0, odd)


def waves_extent(u0: Floats, u1: Floats, n: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest rise between `u0` and `u1`, for `n` + ½ cycles."""
    w0, w1 = (2.0 * n + 1.0) * u0, (2.0 * n + 1.0) * u1
    y0, y1 = waves(u0, n), waves(u1, n)
    low = np.where(np.floor(w1 / 2.0) >= np.ceil(w0 / 2.0), 0.0, np.minimum(y0, y1))
    top = np.floor((w1 - 1.0) / 2.0) >= np.ceil((w0 - 1.0) / 2.0)
    return low, np.where(top, 1.0, np.maximum(y0, y1))


# Sums: the integral of the rise from 0 to u, where there is a closed form.


def bend_sum(u: Floats, a: Floats) -> Floats:
    """(expm1(k·u)/k − u)/(e^k − 1); near the line, its series in k."""
    k, whole = steepness(a)
    with np.errstate(all="ignore"):
        exact = (np.expm1(k * u) / k - u) / whole
    near = u**2 / 2.0 + k * (u**3 / 6.0 - u**2 / 4.0)
    near += k**2 * (u**4 / 24.0 - u**3 / 12.0 + u**2 / 24.0)
    return np.where(np.abs(k) < 1e-4, near, exact)


def s_curve_sum(u: Floats, a: Floats) -> Floats:
    """The integral of the S-curve from 0 to `u`."""
    low = u < 0.5
    half = 0.25 * bend_sum(np.where(low, 2.0 * u, 2.0 - 2.0 * u), -a)
    return np.where(low, half, u - 0.5 + half)


def hold_sum(u: Floats, a: Floats) -> Floats:
    """The integral of the hold from 0 to `u`."""
    return np.zeros_like(u)


def line_sum(u: Floats, a: Floats) -> Floats:
    """The integral of the line from 0 to `u`."""
    return u * u / 2.0


def cosine_sum(u: Floats, a: Floats) -> Floats:
    """The integral of the cosine from 0 to `u`."""
    return u / 2.0 - np.sin(np.pi * u) / (2.0 * np.pi)


def stairs_sum(u: Floats, n: Floats) -> Floats:
    """The integral of the stairs from 0 to `u`."""
    steps = np.minimum(np.floor(u * (n + 1.0)), n)
    return (steps * (steps - 1.0) / 2.0 / (n + 1.0) + steps * (u - steps / (n + 1.0))) / n


def pulses_sum(u: Floats, n: Floats) -> Floats:
    """The integral of the pulses from 0 to `u`."""
    cycle = np.floor(u * n)
    return (cycle / 2.0 + np.maximum(u * n - cycle - 0.5, 0.0)) / n


def waves_sum(u: Floats, n: Floats) -> Floats:
    """The integral of the waves from 0 to `u`."""
    turn = np.pi * (2.0 * n + 1.0)
    return u / 2.0 - np.sin(turn * u) / (2.0 * turn)


# Places on the way, for one amount.


def no_places(a: float) -> Floats:
    """A shape without jumps or corners inside: an empty array."""
    return np.empty(0)


def stairs_edges(n: float) -> Floats:
    """Where the stairs jump, 0..1."""
    return np.arange(1, int(n) + 1) / (n + 1.0)


def pulses_edges(n: float) -> Floats:
    """Where the pulses jump, 0..1."""
    return np.arange(1, 2 * int(n)) / (2.0 * n)


def waves_turns(n: float) -> Floats:
    """Where the waves turn, 0..1."""
    return np.arange(1, 2 * int(n) + 1) / (2.0 * n + 1.0)


def middle(a: float) -> Floats:
    """The middle of the segment, where an S-curve has its point of inflection."""
    return np.array([0.5])


# Amounts: of a part that is a shape of the same kind, of one seen backwards, through a place.


def no_part(a: Floats, u0: Floats, u1: Floats) -> Floats:
    """Shapes of which no part is another shape of their own kind."""
    return np.zeros_like(u0)


def bend_part(a: Floats, u0: Floats, u1: Floats) -> Floats:
    """e^(k·u) over a part of its way is a bend again, its k shared out by length."""
    return np.tanh(np.arctanh(a) * (u1 - u0))


def bends_joined(a: Floats) -> float:
    """The bend whose parts, one after the other, have these amounts: their k together."""
    return float(np.clip(np.tanh(np.arctanh(a).sum()), -STEEPEST, STEEPEST))


def same(a: Floats) -> Floats:
    """The amount of the mirrored segment: unchanged."""
    return a


def opposite(a: Floats) -> Floats:
    """The amount of the mirrored segment: negated."""
    return -a


def searched(easing: Rise, prepare: Prepare, falls: Callable[[float], bool]) -> Callable[..., float]:
    """The amount with which a shape passes through height y at u: found by bisection in artanh(a),
    in which the height rises steadily, or where `falls(u)`, falls."""

    def through(u: float, y: float) -> float:
        ends = [-18.0, 18.0]
        falling = falls(u)
        for _ in range(64):
            middle = 0.5 * (ends[0] + ends[1])
            here = float(easing(np.array([u]), *prepare(np.array([np.tanh(middle)])))[0])
            ends[int((here > y) != falling)] = middle
        return float(np.clip(np.tanh(0.5 * (ends[0] + ends[1])), -STEEPEST, STEEPEST))

    return through


# Guesses of the amount with which a shape follows a run, from its heights at PLACES.


def guess_nothing(a: Any, b: Any, c: Any, d: Any, e: Any) -> Any:
    """Shapes whose amount is not guessed while thinning."""
    return 0.0 * c


def guess_bend(a: Any, b: Any, c: Any, d: Any, e: Any) -> Any:
    """It passes through the run's own middle: y(½) = (1 + a)/2."""
    return 2.0 * c - 1.0


def guess_bend_by_three(a: Any, b: Any, c: Any, d: Any, e: Any) -> Any:
    """By three places instead of one: less at the mercy of a single sample."""
    return c + 0.5 * (b + d) - 1.0


def guess_s_curve(a: Any, b: Any, c: Any, d: Any, e: Any) -> Any:
    """Both halves are bends that pass through their own middles."""
    return 1.0 - 2.0 * (a + 1.0 - e)


Guess = Callable[[Any, Any, Any, Any, Any], Any]
