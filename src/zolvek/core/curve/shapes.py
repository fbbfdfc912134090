"""The shapes a segment can have: the one table that declares them.

A shape says how far a segment has risen (0..1, from its own point's value to the next
point's) at u = 0..1 of its way. Everything that draws, plays, edits or writes curves reads
this table; nothing else tells shapes apart.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Bools, Floats

FLAT = 1e-12  # a steepness that is none

Form = Callable[..., Floats]
Prepare = Callable[[Floats], tuple[Floats, ...]]
Extent = Callable[[Floats, Floats, Floats], tuple[Floats, Floats]]


def _steepness(a: Floats) -> tuple[Floats, Floats]:
    """k = −4·artanh(a) and e^k − 1; for a line, a k so small that it makes no difference."""
    k = -4.0 * np.arctanh(a)
    k = np.where(np.abs(k) < FLAT, FLAT, k)
    return k, np.expm1(k)


def _bend(u: Floats, k: Floats, whole: Floats) -> Floats:
    """(e^(k·u) − 1)/(e^k − 1): the line at k = 0; (1 + a)/2 at u = ½."""
    return np.expm1(k * u) / whole


def _s_curve(u: Floats, k: Floats, whole: Floats) -> Floats:
    """Two mirrored bends that meet in the middle."""
    low = u < 0.5
    half = 0.5 * np.expm1(k * np.where(low, 2.0 * u, 2.0 - 2.0 * u)) / whole
    return np.where(low, half, 1.0 - half)


def _mirrored(a: Floats) -> tuple[Floats, Floats]:
    return _steepness(-a)


def _hold(u: Floats) -> Floats:
    return np.where(u >= 1.0, 1.0, 0.0)


def _line(u: Floats) -> Floats:
    return u


def _cosine(u: Floats) -> Floats:
    return 0.5 - 0.5 * np.cos(np.pi * u)


def _stairs(u: Floats, n: Floats) -> Floats:
    return np.minimum(np.floor(u * (n + 1.0)), n) / n


def _pulses(u: Floats, n: Floats) -> Floats:
    cycles = u * n
    return np.where((cycles - np.floor(cycles) >= 0.5) | (u >= 1.0), 1.0, 0.0)


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
    last = np.ceil(u1 * (n + 1.0)) - 1.0
    first = _stairs(u0, n)
    return first, np.maximum(first, np.clip(last, 0.0, n) / n)


def _pulses_extent(u0: Floats, u1: Floats, n: Floats) -> tuple[Floats, Floats]:
    first = np.minimum(np.floor(2.0 * n * u0), 2.0 * n - 1.0)
    last = np.maximum(np.ceil(2.0 * n * u1) - 1.0, first)
    both = last > first
    odd = first % 2.0
    return np.where(both, 0.0, odd), np.where(both, 1.0, odd)


def _waves_extent(u0: Floats, u1: Floats, n: Floats) -> tuple[Floats, Floats]:
    w0, w1 = (2.0 * n + 1.0) * u0, (2.0 * n + 1.0) * u1
    y0, y1 = _waves(u0, n), _waves(u1, n)
    low = np.where(np.floor(w1 / 2.0) >= np.ceil(w0 / 2.0), 0.0, np.minimum(y0, y1))
    top = np.floor((w1 - 1.0) / 2.0) >= np.ceil((w0 - 1.0) / 2.0)
    return low, np.where(top, 1.0, np.maximum(y0, y1))


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
    """One row. `prepare` turns amounts into the constants that `form` takes after u, so that
    they are reckoned once a segment; `extent` takes u0, u1 and amounts, all of one length."""

    key: str
    label: str
    amount: Amount
    form: Form
    prepare: Prepare
    extent: Extent
    steady: bool = False  # it never turns back on its way, and holds no inner jump

    def rise(self, u: Floats, amounts: Floats) -> Floats:
        """How far a segment has risen, 0..1, at each `u`."""
        return self.form(u, *self.prepare(amounts))


def _steady(key: str, label: str, amount: Amount, form: Form, prepare: Prepare) -> Shape:
    return Shape(key, label, amount, form, prepare, _ends(form, prepare), True)


SHAPES: tuple[Shape, ...] = (
    Shape("hold", "Hold", NONE, _hold, _nothing, _hold_extent, True),
    _steady("line", "Line", NONE, _line, _nothing),
    _steady("bend", "Bend", BEND, _bend, _steepness),
    _steady("s-curve", "S-curve", BEND, _s_curve, _mirrored),
    _steady("cosine", "Cosine", NONE, _cosine, _nothing),
    Shape("stairs", "Stairs", COUNT, _stairs, _itself, _stairs_extent),
    Shape("pulses", "Pulses", COUNT, _pulses, _itself, _pulses_extent),
    Shape("waves", "Waves", COUNT, _waves, _itself, _waves_extent),
)
CODES: dict[str, int] = {shape.key: code for code, shape in enumerate(SHAPES)}
HOLD, LINE, BENT, S_CURVE, COSINE = (
    CODES[key] for key in ("hold", "line", "bend", "s-curve", "cosine")
)
