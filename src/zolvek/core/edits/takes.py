# SPDX-License-Identifier: GPL-3.0-or-later
"""Takes: recorded passes kept next to a lane, and spans of them chosen for its curve."""

from __future__ import annotations

import numpy as np

from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shaping import between
from zolvek.core.curve.spans import cut, piece, splice
from zolvek.core.curve.thinning import thinned
from zolvek.core.edits.replacement import LANE_COLOURS
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Lane
from zolvek.core.model.take import Choice, Comp, Take
from zolvek.core.records import replace


def take_of(lane: Lane, key: str) -> Take:
    """The take of this id. Raises ZolvekError if there is none."""
    for take in lane.takes:
        if take.id == key:
            return take
    raise ZolvekError(f"There is no take “{key}”.", f"lane {lane.id}")


def with_take(lane: Lane, curve: Curve, first: float, last: float) -> Lane:
    """Another take next to the lane."""
    number = 1 + max((int(t.id.rpartition("-")[2]) for t in lane.takes if "-" in t.id), default=0)
    take = Take(f"take-{number}", f"Take {number}", curve, first, last, colour=(number - 1) % LANE_COLOURS)
    return replace(lane, takes=(*lane.takes, take))


def changed(lane: Lane, key: str, **changes: object) -> Lane:
    """The take of this id changed: its name, rating, colour, whether it is muted, its span."""
    take = replace(take_of(lane, key), **changes)
    return replace(lane, takes=tuple(take if item.id == key else item for item in lane.takes))


def without_take(lane: Lane, key: str) -> Lane:
    """The take gone; what was chosen of it goes back to the curve under it."""
    comp = lane.comp
    if comp is not None:
        for choice in comp.choices:
            if choice.take == key:
                lane = unchosen(lane, choice.first, choice.last)
    return replace(lane, takes=tuple(take for take in lane.takes if take.id != key))


def cropped(lane: Lane, key: str, first: float, last: float) -> Lane:
    """The take cut down to a span."""
    take = take_of(lane, key)
    first, last = max(first, take.first), min(last, take.last)
    if not last > first:
        raise ZolvekError("The span is outside the take.", take.name, "Select a part of it.")
    return changed(lane, key, first=first, last=last)


def chosen(lane: Lane, key: str, first: float, last: float, glide: float, tolerance: float) -> Lane:
    """A span of a take in the lane's curve. Raises ZolvekError where the take is not there."""
    take = take_of(lane, key)
    first, last = max(first, take.first), min(last, take.last)
    if not last > first:
        raise ZolvekError("The take does not cover the span.", take.name, "Drag over a part of it.")
    comp = lane.comp or Comp(lane.curve)
    rest = tuple(part for choice in comp.choices for part in _outside(choice, first, last))
    choices = tuple(sorted((*rest, Choice(first, last, key)), key=lambda each: each.first))
    put = _joined_piece(lane.curve, take.curve, first, last, glide, tolerance)
    return replace(lane, curve=splice(lane.curve, first, put, last), comp=Comp(comp.under, choices, glide))


def unchosen(lane: Lane, first: float, last: float) -> Lane:
    """The curve under the comp again over a span."""
    comp = lane.comp
    if comp is None:
        return lane
    choices = tuple(part for choice in comp.choices for part in _outside(choice, first, last))
    curve = splice(lane.curve, first, piece(comp.under, first, last), last)
    return replace(lane, curve=curve, comp=replace(comp, choices=choices) if choices else None)


def _outside(choice: Choice, first: float, last: float) -> list[Choice]:
    """What of a choice lies outside a span."""
    parts = []
    if choice.first < first:
        parts.append(replace(choice, last=min(choice.last, first)))
    if choice.last > last:
        parts.append(replace(choice, first=max(choice.first, last)))
    return parts


def _joined_piece(base: Curve, take: Curve, first: float, last: float, glide: float, tolerance: float) -> Curve:
    """The take's span from beat 0, thinned, with a glide from the curve and back to it."""
    curve = thinned(piece(take, first, last), tolerance, shapes=True).curve
    glide = min(glide, (last - first) / 2.0)
    if glide <= 0.0:
        return curve
    length = last - first
    ends = np.array([float(base.before(first)), float(base.at(last))])
    return between(ends, cut(curve, [glide, length - glide]), glide, length)


def auditioned(lane: Lane, keys: list[str]) -> Curve:
    """The lane's curve with these takes over it, as they would sound, whole."""
    curve = lane.curve
    for key in keys:
        take = take_of(lane, key)
        curve = splice(curve, take.first, piece(take.curve, take.first, take.last), take.last)
    return curve
