"""Shaping: what is done to a whole piece of a curve. All on arrays, none reorders points.

Each function takes a curve and returns one; values are kept to 0..1. `on_span` does one of
them to a span of a longer curve.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.building import columns_of, joined, lines
from zolvek.core.curve.curve import WHOLE, Curve
from zolvek.core.curve.rules import present
from zolvek.core.curve.shapes import HOLD, LINE, SHAPES
from zolvek.core.curve.spans import cut, piece, splice
from zolvek.core.curve.thinning import fitted
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_BEATS

FADE_PARTS = 16  # parts of a faded piece, each of which a line follows closely


def valued(curve: Curve, value: Floats, factor: float = 1.0) -> Curve:
    """The curve with other values, kept to 0..1; `factor`: how many times as far it swings."""
    part = curve.part * (1.0, 1.0, factor) if len(curve.part) else curve.part
    return curve.having(value=np.clip(value, 0.0, 1.0), part=part)


def lifted(curve: Curve, by: float) -> Curve:
    """All values moved by `by`."""
    return valued(curve, curve.value + by)


def scaled(curve: Curve, factor: float, about: float = 0.0) -> Curve:
    """All values' distance from the level `about` times `factor`."""
    return valued(curve, about + (curve.value - about) * factor, factor)


def tilted(curve: Curve, left: float = 0.0, right: float = 0.0) -> Curve:
    """Values moved by `left` at the first point, `right` at the last, in line between."""
    first, last = curve.beat[0], curve.beat[-1]
    u = (curve.beat - first) / (last - first) if last > first else np.zeros(len(curve))
    return valued(curve, curve.value + left + (right - left) * u)


def inverted(curve: Curve, about: float = 0.5) -> Curve:
    """Values mirrored at the level `about`."""
    return valued(curve, 2.0 * about - curve.value, -1.0)


def stretched(curve: Curve, factor: float) -> Curve:
    """All times from the first point on times `factor`, above 0."""
    if not 0.0 < factor < np.inf:
        raise ZolvekError(f"A factor of {factor:g} can't stretch time.", remedy="Use one above 0.")
    first = curve.beat[0]
    beat = first + (curve.beat - first) * factor
    return joined(beat, curve.value, curve.shape, curve.amount, curve.part)


def mirrored(curve: Curve) -> Curve:
    """Backwards in time, first and last beat staying where they are. A shape that has no mirror image
    of its own is run through backwards; a hold, whose jump comes first then, is told by a point."""
    told = _holds_told(curve)
    beat = told.beat[0] + told.beat[-1] - told.beat[::-1]
    codes = told.shape[:-1][::-1]
    amount, parts = told.amount[:-1][::-1].copy(), told.parts[:-1][::-1].copy()
    whole = (parts[:, 0] == 0.0) & (parts[:, 1] == 1.0)
    parts[:, 2] = np.where(whole, np.diff(told.value)[::-1], parts[:, 2])
    parts[:, :2] = parts[:, 1::-1]  # from its end to its beginning
    for code in present(codes):
        mirror = SHAPES[code].backwards
        if mirror is not None:
            mine = codes == code
            amount[mine] = mirror(amount[mine])
            parts[mine, :2] = 1.0 - parts[mine, :2]  # it rises from 0 to 1 again
            parts[mine, 2] *= -1.0
    parts[codes == HOLD] = WHOLE
    return _holds_short(
        Curve(
            beat, told.value[::-1], np.append(codes, LINE), np.append(amount, 0.0),
            np.append(parts, [WHOLE], axis=0),
        )
    )  # fmt: skip


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
        return curve.having(value=value)
    return Curve(
        np.insert(curve.beat, at + 1, curve.beat[at + 1]),
        np.insert(value, at + 1, value[at]),
        np.insert(curve.shape, at + 1, LINE),
        np.insert(curve.amount, at + 1, 0.0),
        np.insert(curve.parts, at + 1, WHOLE, axis=0),
    )


def _holds_short(curve: Curve) -> Curve:
    """Without the points at the end of holds that `_holds_told` puts there."""
    before = np.append(False, (curve.shape[:-1] == HOLD) & (np.diff(curve.value) == 0.0))
    return curve.rows(~(before & curve.jumps()))


def faded(curve: Curve, fade_in: bool, level: float) -> Curve:
    """Out of the flat `level` into the curve, or from the curve into it, evenly over the piece."""
    first, last = curve.beat[0], curve.beat[-1]
    parts = cut(curve, np.linspace(first, last, FADE_PARTS + 1))
    u = (parts.beat - first) / (last - first)
    weight = u if fade_in else 1.0 - u
    return valued(parts, level + (parts.value - level) * weight)


def flattened(curve: Curve, level: float | None = None) -> Curve:
    """One level throughout: the one given, or the mean over time of what is there."""
    if level is None:
        grid = np.linspace(curve.beat[0], curve.beat[-1], 2_049)
        level = float(curve.at((grid[1:] + grid[:-1]) / 2.0).mean())
    ends = [0, len(curve) - 1] if len(curve) > 1 else [0]
    return lines(curve.beat[ends], np.full(len(ends), np.clip(level, 0.0, 1.0)))


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
    return fitted(grid, np.clip(smooth, 0.0, 1.0), tolerance)


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
    parts = np.tile(curve.parts, (times, 1))
    parts[:, 2] *= scale**turn
    shape, amount = np.tile(curve.shape, times), np.tile(curve.amount, times)
    return joined(
        beat[keep], np.clip(value[keep], 0.0, 1.0), shape[keep], amount[keep], parts[keep]
    )


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
        new = between(old.value[[0, -1]], edged, ramp, last - first)
    return splice(curve, first, new, last)


def between(ends: Floats, inner: Curve, ramp: float, length: float) -> Curve:
    """A piece of `length` beats: in a line from the first of the `ends` to what `inner` does from
    `ramp` on, and from what it does `ramp` before the end in a line to the second."""
    inside = inner.rows((inner.beat >= ramp) & (inner.beat <= length - ramp))
    shape, amount, parts = inside.shape.copy(), inside.amount.copy(), inside.parts.copy()
    shape[-1], amount[-1], parts[-1] = LINE, 0.0, WHOLE
    inside = inside.having(shape=shape, amount=amount, part=parts)
    edges = [lines([beat], [value]) for beat, value in zip((0.0, length), ends, strict=True)]
    return Curve(*columns_of((edges[0], inside, edges[1])))
