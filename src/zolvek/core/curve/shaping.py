# SPDX-License-Identifier: GPL-3.0-or-later
"""Shaping: what is done to a whole piece of a curve. All on arrays, none reorders points.

Each function takes a curve and returns one; values are kept to 0..1. `on_span` does one of
them to a span of a longer curve.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats, floats
from zolvek.core.curve.construction import columns_of, joined, lines
from zolvek.core.curve.curve import WHOLE, Curve
from zolvek.core.curve.deviation import is_lines
from zolvek.core.curve.discontinuities import knots
from zolvek.core.curve.fitting import approximated
from zolvek.core.curve.means import mean, means
from zolvek.core.curve.rules import present
from zolvek.core.curve.shapes import HOLD, LINE, SHAPES
from zolvek.core.curve.spans import cut, piece, splice
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_BEATS

RAMPED = 0.001  # of the height, within which a curve with a ramp is followed
JUMP = 1e-9  # of the height
MOST_GATES = 4_096  # steps of a gate
CELLS = 8  # to the standard deviation of a bell that smooths
FEWEST_CELLS, MOST_CELLS = 256, 2_000_000


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


def gated(curve: Curve, step: float, level: float, open_part: float = 0.5) -> Curve:
    """Every `step` beats from the first point on: the curve as it is for a part of the time, then `level`, with jumps
    between. Raises ZolvekError for more steps than a curve has room for."""
    first, last = float(curve.beat[0]), float(curve.beat[-1])
    count = int(np.ceil((last - first) / step - 1e-9)) if step > 0.0 else 0
    if not 1 <= count <= MOST_GATES:
        raise ZolvekError(f"A gate has 1 to {MOST_GATES:,} steps.", "gate", "Choose another rate or span.")
    result = curve
    for number in range(count):
        begin = first + (number + open_part) * step
        end = min(first + (number + 1) * step, last)
        if end - begin > CLOSEST_BEATS:
            result = splice(result, begin, held(level, end - begin), end)
    return result


def held(level: float, length: float) -> Curve:
    """A piece of `length` beats that stays at a level."""
    return joined(np.array([0.0, length]), np.array([level, level]), np.array([HOLD, LINE], np.uint8), np.zeros(2))


def tilted(curve: Curve, left: float = 0.0, right: float = 0.0) -> Curve:
    """Moved by `left` at the first point, `right` at the last, in line between: lines stay lines, other
    shapes are followed within RAMPED."""
    first, last = float(curve.beat[0]), float(curve.beat[-1])
    if not last > first:
        return valued(curve, curve.value + left)

    def lift(beats: Floats) -> Floats:
        return left + (right - left) * (beats - first) / (last - first)

    if is_lines(curve):
        return _clipped_lines(curve.beat, curve.value + lift(curve.beat))
    return _ramped(curve, lambda at: curve.at(at) + lift(at), lambda at: curve.before(at) + lift(at))


def _clipped_lines(beats: Floats, values: Floats) -> Curve:
    """Lines through points, with points where they leave 0..1."""
    length = np.diff(beats)
    new, levels, places = [], [], []
    for bound in (0.0, 1.0):
        over = np.flatnonzero(((values[1:] > bound) != (values[:-1] > bound)) & (length > 0.0))
        part = (bound - values[over]) / (values[over + 1] - values[over])
        new.append(beats[over] + part * length[over])
        levels.append(np.full(len(over), bound))
        places.append(over + 1)
    at, level, owner = (np.concatenate(item) for item in (new, levels, places))
    order = np.argsort(at, kind="stable")
    at, level, owner = at[order], level[order], owner[order]
    inside = (at > beats[owner - 1]) & (at < beats[owner])
    return lines(
        np.insert(beats, owner[inside], at[inside]),
        np.insert(np.clip(values, 0.0, 1.0), owner[inside], level[inside]),
    )


def _ramped(curve: Curve, function: Callable[[Floats], Floats], before: Callable[[Floats], Floats]) -> Curve:
    """What a curve becomes with a ramp; its very last value, a jump or not, is its own."""
    new_curve = approximated(function, knots(curve), RAMPED, before)
    end = float(np.clip(function(curve.beat[-1:])[0], 0.0, 1.0))
    if abs(end - float(new_curve.value[-1])) <= JUMP:
        return new_curve
    return Curve(*columns_of((new_curve, lines(curve.beat[-1:], [end]))))


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
    of its own is run through backwards; a hold, whose jump comes first then, is given by a point."""
    held = _explicit_holds(curve)
    beat = held.beat[0] + held.beat[-1] - held.beat[::-1]
    codes = held.shape[:-1][::-1]
    amount = held.amount[:-1][::-1].copy()
    mirrors = {code: SHAPES[code].backwards for code in present(codes)}
    if not len(held.part) and all(m is not None for code, m in mirrors.items() if code != HOLD):
        for code, mirror in mirrors.items():
            if mirror is not None:
                amount[codes == code] = mirror(amount[codes == code])
        return _holds_short(Curve(beat, held.value[::-1], np.append(codes, LINE), np.append(amount, 0.0)))
    parts = held.parts[:-1][::-1].copy()
    whole = (parts[:, 0] == 0.0) & (parts[:, 1] == 1.0)
    parts[:, 2] = np.where(whole, np.diff(held.value)[::-1], parts[:, 2])
    parts[:, :2] = parts[:, 1::-1]  # from its end to its beginning
    for code, mirror in mirrors.items():
        if mirror is not None:
            mine = codes == code
            amount[mine] = mirror(amount[mine])
            parts[mine, :2] = 1.0 - parts[mine, :2]  # it rises from 0 to 1 again
            parts[mine, 2] *= -1.0
    parts[codes == HOLD] = WHOLE
    return _holds_short(
        Curve(
            beat,
            held.value[::-1],
            np.append(codes, LINE),
            np.append(amount, 0.0),
            np.append(parts, [WHOLE], axis=0),
        )
    )


def _explicit_holds(curve: Curve) -> Curve:
    """With a point at the end of every hold that jumps, so that no hold changes its value."""
    if HOLD not in present(curve.shape[:-1]):
        return curve
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
    """Without the points at the end of holds that `_explicit_holds` puts there."""
    if HOLD not in present(curve.shape[:-1]):
        return curve
    before = np.append(False, (curve.shape[:-1] == HOLD) & (np.diff(curve.value) == 0.0))
    return curve.rows(~(before & curve.jumps()))


def faded(curve: Curve, fade_in: bool, level: float) -> Curve:
    """Out of the flat `level` into the curve, or from the curve into it, evenly over the song: the curve
    times a ramp, within RAMPED."""
    first, last = float(curve.beat[0]), float(curve.beat[-1])
    if not last > first:
        return curve

    def weight(beats: Floats) -> Floats:
        u = (beats - first) / (last - first)
        return u if fade_in else 1.0 - u

    return _ramped(
        curve,
        lambda at: level + (curve.at(at) - level) * weight(at),
        lambda at: level + (curve.before(at) - level) * weight(at),
    )


def flattened(curve: Curve, level: float | None = None) -> Curve:
    """One level throughout: the one given, or the mean over time of what is there."""
    first, last = float(curve.beat[0]), float(curve.beat[-1])
    if level is None:
        level = mean(curve, first, last) if last > first else float(curve.value[-1])
    ends = [0, len(curve) - 1] if len(curve) > 1 else [0]
    return lines(curve.beat[ends], np.full(len(ends), np.clip(level, 0.0, 1.0)))


def smoothed(curve: Curve, beats: float, tolerance: float = 0.002) -> Curve:
    """Low-passed over time with a bell of standard deviation `beats`, the ends kept, and fitted again
    within `tolerance`. Raises ZolvekError where that is too fine for the length.

    What is weighed are exact means of short cells, many to the bell, so nothing that is quicker than they
    are is missed.
    """
    first, last = float(curve.beat[0]), float(curve.beat[-1])
    if not last - first > CLOSEST_BEATS or beats <= 0.0:
        return curve  # the two ends stay, and there is nothing between them
    count = max(int(np.ceil((last - first) / beats * CELLS)), FEWEST_CELLS)
    if count > MOST_CELLS:
        raise ZolvekError("The span is too long for this smoothing.", remedy="Select a shorter span.")
    edges = np.linspace(first, last, count + 1)
    value = means(curve, edges)
    sigma = beats / (edges[1] - edges[0])
    reach = min(int(4.5 * sigma) + 1, count)
    bell = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
    ends = float(curve.value[0]), float(curve.value[-1])
    # Mirrored through its end points, so that both ends stay where they are.
    padded = np.concatenate((2 * ends[0] - value[reach - 1 :: -1], value, 2 * ends[1] - value[: -reach - 1 : -1]))
    smooth = np.convolve(padded, bell / bell.sum(), "valid")
    at = np.concatenate(([first], 0.5 * (edges[1:] + edges[:-1]), [last]))
    held = np.concatenate((ends[:1], smooth, ends[1:]))
    held = np.clip(held, 0.0, 1.0)
    turns = np.concatenate(([first], _turns(at, held), [last]))
    new_curve = approximated(lambda at_: floats(np.interp(at_, at, held)), turns, tolerance)
    value = new_curve.value.copy()
    value[[0, -1]] = ends
    return valued(new_curve, value)


def _turns(at: Floats, held: Floats) -> Floats:
    """Where samples turn back: the tops of the parabolas through each and its neighbours, as half a step
    aside would put all that lies between two of them aside."""
    rise = np.diff(held)
    here = np.flatnonzero(rise[1:] * rise[:-1] < 0.0) + 1
    bent = held[here - 1] - 2.0 * held[here] + held[here + 1]
    aside = np.clip(0.5 * (held[here - 1] - held[here + 1]) / bent, -0.5, 0.5)
    return at[here] + aside * np.where(aside > 0.0, at[here + 1] - at[here], at[here] - at[here - 1])


def repeated(curve: Curve, length: float, times: int, scale: float = 1.0, tilt: float = 0.0) -> Curve:
    """The song `times` times, one every `length` beats. With each repeat the distance from
    its first value grows by the factor `scale`, and the level rises by `tilt` over its length.

    Raises ZolvekError when the song is longer than `length`.
    """
    if times < 1 or length <= 0.0 or curve.beat[-1] > length + 1e-9:
        raise ZolvekError("That can't be repeated.", remedy="Repeat at least once, at its own length or more.")
    count = len(curve)
    turn = np.repeat(np.arange(times), count)
    beat = np.tile(curve.beat, times) + turn * length
    value = repeated_values(curve, length, times, scale, tilt)
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
    return joined(beat[keep], np.clip(value[keep], 0.0, 1.0), shape[keep], amount[keep], parts[keep])


def repeated_values(curve: Curve, length: float, times: int, scale: float = 1.0, tilt: float = 0.0) -> Floats:
    """The values that `repeated` gives to points, before they are kept to 0..1."""
    turn = np.repeat(np.arange(times), len(curve))
    base = curve.value[0]
    value = base + (np.tile(curve.value, times) - base) * scale**turn
    return floats(value + tilt * (turn + np.tile(curve.beat, times) / length))


def on_span(curve: Curve, first: float, last: float, shape: Callable[[Curve], Curve], ramp: float = 0.0) -> Curve:
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
