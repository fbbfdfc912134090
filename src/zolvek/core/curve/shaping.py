"""Shaping: what is done to a whole piece of a curve. All on arrays, none reorders points.

Each function takes a curve and returns one; values are kept to 0..1. `on_span` does one of
them to a span of a longer curve.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve, joined
from zolvek.core.curve.edits import replace
from zolvek.core.curve.fitting import fit
from zolvek.core.curve.shapes import BENT, HOLD, LINE
from zolvek.core.curve.spans import cut, piece, splice
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_BEATS

FADE_PARTS = 16  # parts of a faded piece, each of which a line follows closely


def _valued(curve: Curve, value: Floats) -> Curve:
    return replace(curve, value=np.clip(value, 0.0, 1.0))


def lifted(curve: Curve, by: float) -> Curve:
    """All values moved by `by`."""
    return _valued(curve, curve.value + by)


def scaled(curve: Curve, factor: float, about: float = 0.0) -> Curve:
    """All values' distance from the level `about` times `factor`."""
    return _valued(curve, about + (curve.value - about) * factor)


def tilted(curve: Curve, left: float = 0.0, right: float = 0.0) -> Curve:
    """Values moved by `left` at the first point, `right` at the last, in line between."""
    first, last = curve.beat[0], curve.beat[-1]
    u = (curve.beat - first) / (last - first) if last > first else np.zeros(len(curve))
    return _valued(curve, curve.value + left + (right - left) * u)


def inverted(curve: Curve, about: float = 0.5) -> Curve:
    """Values mirrored at the level `about`."""
    return _valued(curve, 2.0 * about - curve.value)


def stretched(curve: Curve, factor: float) -> Curve:
    """All times from the first point on times `factor`, above 0."""
    if not 0.0 < factor < np.inf:
        raise ZolvekError(f"A factor of {factor:g} can't stretch time.", remedy="Use one above 0.")
    first = curve.beat[0]
    beat = first + (curve.beat - first) * factor
    return joined(beat, curve.value, curve.shape, curve.amount)


def mirrored(curve: Curve) -> Curve:
    """Backwards in time, first and last beat staying where they are.

    Every shape is its own mirror image but the bend, whose amount changes sign, and the hold,
    whose jump comes first: it is told by a point of its own.
    """
    told = _holds_told(curve)
    beat = told.beat[0] + told.beat[-1] - told.beat[::-1]
    shape = np.append(told.shape[:-1][::-1], LINE)
    amount = np.append(told.amount[:-1][::-1], 0.0)
    amount[shape == BENT] *= -1.0
    return _holds_short(Curve(beat, told.value[::-1], shape, amount))


def _holds_told(curve: Curve) -> Curve:
    """With a point at the end of every hold that jumps, so that no hold changes its value."""
    jumps = (curve.shape[:-1] == HOLD) & (np.diff(curve.value) != 0.0) & (np.diff(curve.beat) > 0.0)
    twin = np.append(np.diff(curve.beat)[1:] == 0.0, False)  # the next point begins a jump
    # A hold into a jump's first point passes that value by: it is the held one.
    value = curve.value.copy()
    passed = np.flatnonzero(jumps & twin) + 1
    value[passed] = value[passed - 1]
    at = np.flatnonzero(jumps & ~twin)
    if not at.size:
        return replace(curve, value=value)
    return Curve(
        np.insert(curve.beat, at + 1, curve.beat[at + 1]),
        np.insert(value, at + 1, value[at]),
        np.insert(curve.shape, at + 1, LINE),
        np.insert(curve.amount, at + 1, 0.0),
    )


def _holds_short(curve: Curve) -> Curve:
    """Without the points at the end of holds that `_holds_told` puts there."""
    before = np.append(False, (curve.shape[:-1] == HOLD) & (np.diff(curve.value) == 0.0))
    keep = ~(before & curve.jumps())
    return Curve(curve.beat[keep], curve.value[keep], curve.shape[keep], curve.amount[keep])


def faded(curve: Curve, fade_in: bool, level: float) -> Curve:
    """Out of the flat `level` into the curve, or from the curve into it, evenly over the piece."""
    first, last = curve.beat[0], curve.beat[-1]
    parts = cut(curve, np.linspace(first, last, FADE_PARTS + 1))
    u = (parts.beat - first) / (last - first)
    weight = u if fade_in else 1.0 - u
    return _valued(parts, level + (parts.value - level) * weight)


def flattened(curve: Curve, level: float | None = None) -> Curve:
    """One level throughout: the one given, or the mean over time of what is there."""
    if level is None:
        grid = np.linspace(curve.beat[0], curve.beat[-1], 2_049)
        level = float(curve.at((grid[1:] + grid[:-1]) / 2.0).mean())
    ends = [0, len(curve) - 1] if len(curve) > 1 else [0]
    count = len(ends)
    value = np.full(count, np.clip(level, 0.0, 1.0))
    return Curve(curve.beat[ends], value, np.full(count, LINE, np.uint8), np.zeros(count))


def smoothed(curve: Curve, beats: float, tolerance: float = 0.004) -> Curve:
    """Low-passed over time with a bell of standard deviation `beats`, the ends kept, and fitted
    anew within `tolerance`."""
    first, last = float(curve.beat[0]), float(curve.beat[-1])
    if not last - first > CLOSEST_BEATS:
        return curve  # the two ends stay, and there is nothing between them
    grid = np.linspace(first, last, 1_025)
    sigma = beats / (grid[1] - grid[0])
    reach = min(int(4 * sigma) + 1, len(grid) - 1)
    bell = np.exp(-0.5 * (np.arange(-reach, reach + 1) / max(sigma, 1e-9)) ** 2)
    value = curve.at(grid)
    # Mirrored through its end points, so that both ends stay where they are.
    padded = np.concatenate(
        (2 * value[0] - value[reach:0:-1], value, 2 * value[-1] - value[-2 : -reach - 2 : -1])
    )
    smooth = np.convolve(padded, bell / bell.sum(), "valid")
    smooth[0], smooth[-1] = value[0], value[-1]
    return fit(grid, np.clip(smooth, 0.0, 1.0), tolerance)


def repeated(
    curve: Curve, length: float, times: int, scale: float = 1.0, tilt: float = 0.0
) -> Curve:
    """The piece `times` times, one every `length` beats. With each repeat the distance from
    its first value grows by the factor `scale`, and the level rises by `tilt` over its length.

    Raises ZolvekError when the piece is longer than `length`.
    """
    if times < 1 or length <= 0.0 or curve.beat[-1] > length + 1e-9:
        raise ZolvekError(
            "That can't be repeated.", remedy="Repeat at least once, at its own length or more."
        )
    count = len(curve)
    turn = np.repeat(np.arange(times), count)
    beat = np.tile(curve.beat, times) + turn * length
    base = curve.value[0]
    value = base + (np.tile(curve.value, times) - base) * scale**turn
    value += tilt * (turn + np.tile(curve.beat, times) / length)
    keep = np.ones(count * times, bool)
    seam = np.arange(1, times) * count
    touching = (beat[seam] - beat[seam - 1] <= 1e-9) if times > 1 else np.empty(0, bool)
    beat[seam[touching] - 1] = beat[seam[touching]]
    same = touching & (np.abs(value[seam] - value[seam - 1]) <= 1e-12)
    keep[seam[same] - 1] = False
    # A piece that begins with a jump would make three on a beat where it meets the one before.
    if count > 1 and curve.beat[1] == curve.beat[0]:
        keep[seam[touching & ~same]] = False
    if count > 1 and curve.beat[-2] == curve.beat[-1]:
        keep[seam[touching & ~same] - 1] = False
    shape, amount = np.tile(curve.shape, times), np.tile(curve.amount, times)
    return joined(beat[keep], np.clip(value[keep], 0.0, 1.0), shape[keep], amount[keep])


def on_span(
    curve: Curve, first: float, last: float, shape: Callable[[Curve], Curve], ramp: float = 0.0
) -> Curve:
    """`shape` done to what lies from beat `first` to `last`. At the edges it jumps, or with a
    `ramp` (beats, inside the span) goes in a line from the old level to the new."""
    old = piece(curve, first, last)
    new = shape(old)
    ramp = min(ramp, (last - first) / 2.0)
    if ramp > 0.0:
        edged = cut(new, [ramp, last - first - ramp])
        inner = (edged.beat >= ramp) & (edged.beat <= last - first - ramp)
        beat = np.concatenate(([0.0], edged.beat[inner], [last - first]))
        value = np.concatenate((old.value[:1], edged.value[inner], old.value[-1:]))
        codes = np.concatenate(([LINE], edged.shape[inner], [LINE])).astype(np.uint8)
        amount = np.concatenate(([0.0], edged.amount[inner], [0.0]))
        codes[-2], amount[-2] = LINE, 0.0
        new = Curve(beat, value, codes, amount)
    return splice(curve, first, new, last)
