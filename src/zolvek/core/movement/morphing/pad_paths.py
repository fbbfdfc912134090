# SPDX-License-Identifier: GPL-3.0-or-later
"""Pads: two to eight states placed on a square, mixed by where the puck is.

The weights are Shepard's (A two-dimensional interpolation function for irregularly-spaced data,
1968): each state counts by the inverse square of its distance, so that it alone counts where it
lies. For four states at the corners of a rectangle bilinear weights are offered too.
"""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Numbers, distinct, floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import knots
from zolvek.core.curve.point_edits import TICK
from zolvek.core.curve.shapes import HOLD, LINE
from zolvek.core.curve.spans import splice
from zolvek.core.curve.thinning import thinned
from zolvek.core.edits import states
from zolvek.core.edits.lanes import all_absolute
from zolvek.core.edits.replacement import add_lanes, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.pad import FEWEST, Pad, PadCorner
from zolvek.core.model.project import Device, Project
from zolvek.core.model.state import Values
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.movement.generators.lfo_points import as_curve
from zolvek.core.movement.morphing.lane_writing import ready
from zolvek.core.records import replace
from zolvek.core.time.rates import Rate

AT_ONCE = 8_192  # places weighed in one go: what is worked on stays in the cache
A_BEAT = 8  # places of a path that are looked at to begin with
BETWEEN = np.array([0.25, 0.5, 0.75])  # of a stretch, where it is compared with a line
PART = 0.2  # of the tolerance, that lines between the places may be off
DEEPEST, MOST_PLACES = 12, 400_000
TRAVELS = {
    "line": "Back and forth",
    "circle": "Circle",
    "eight": "Figure of eight",
    "wander": "Random",
}


def weights(corners: tuple[PadCorner, ...], x: Numbers, y: Numbers, weighing: str = "distance") -> Floats:
    """How much each state counts at each place: (states, places), never negative, summing to 1;
    at a state that one alone. Raises ZolvekError for fewer than two states, or for bilinear weights
    where the four are not a rectangle's corners."""
    if len(corners) < FEWEST:
        raise ZolvekError("A pad needs two states.", "pad", "Add another state.")
    px, py = np.ravel(floats(x)), np.ravel(floats(y))
    if weighing == "corners":
        return _bilinear(corners, px, py)
    out = np.empty((len(corners), len(px)))
    for start in range(0, len(px), AT_ONCE):
        part = slice(start, start + AT_ONCE)
        near = out[:, part]
        for row, corner in zip(near, corners, strict=True):
            np.square(px[part] - corner.x, out=row)
            row += np.square(py[part] - corner.y)
        # The nearest's distance over each one's own: 1 for the nearest, no division by nothing.
        least = near.min(axis=0)
        here = least < 1e-24
        np.divide(least, near, out=near, where=near > 0.0)
        if here.any():
            near[:, here] = near[:, here] * 0.0
            nearest = np.argmin(
                np.stack([np.square(px[part][here] - c.x) + np.square(py[part][here] - c.y) for c in corners]),
                axis=0,
            )
            near[nearest, np.flatnonzero(here)] = 1.0
        near /= near.sum(axis=0)
    return out


def _bilinear(corners: tuple[PadCorner, ...], x: Floats, y: Floats) -> Floats:
    """The product of the shares along both sides of the rectangle."""
    xs, ys = sorted({c.x for c in corners}), sorted({c.y for c in corners})
    places = {(c.x, c.y) for c in corners}
    if len(corners) != 4 or len(xs) != 2 or len(ys) != 2 or len(places) != 4:
        raise ZolvekError(
            "The four states are not the corners of a rectangle.",
            "pad",
            "Use weighting by distance.",
        )
    u = np.clip((x - xs[0]) / (xs[1] - xs[0]), 0.0, 1.0)
    v = np.clip((y - ys[0]) / (ys[1] - ys[0]), 0.0, 1.0)
    return np.stack([(u if c.x == xs[1] else 1.0 - u) * (v if c.y == ys[1] else 1.0 - v) for c in corners])


def mixed(project: Project, pad: Pad, x: Numbers, y: Numbers) -> dict[str, Floats]:
    """The positions of all parameters that differ between the pad's states, at each place; choices
    are those of the state that counts most. Raises ZolvekError where a state lacks a parameter."""
    device = project.device_track(pad.device).device(pad.device)
    share = weights(pad.corners, x, y, pad.weighing)
    corner_values: list[Values] = [
        _whole(project, pad.device, states.state_of(project, corner.state).of(pad.device)) for corner in pad.corners
    ]
    strongest = np.argmax(share, axis=0)
    result = {}
    for parameter in device.row.parameters:
        corners = np.array([values[parameter.id] for values in corner_values])
        if np.ptp(corners) > states.SAME:
            result[parameter.id] = corners[strongest] if parameter.steps else corners @ share
    return result


def _whole(project: Project, device: str, values: Values) -> Values:
    """A state's values, with the present ones where it says none."""
    this_device = project.device_track(device).device(device)
    states.checked(this_device, values, "on the pad")
    if not values:
        raise ZolvekError("A state has no values of this device.", "pad", "Remove it from the pad.")
    return {**states.present(this_device), **values}


def travelled(
    pad: Pad,
    kind: str,
    rate: Rate,
    span: tuple[float, float],
    project: Project,
    seed: int = 1,
    size: float = 1.0,
) -> Pad:
    """The pad with the puck travelling by itself: a line, a circle, a figure of eight, or a wander
    with a seed, once round each `rate`, over a span."""
    if kind not in TRAVELS:
        raise ZolvekError(f"There is no path “{kind}”.", "pad", f"Choose one of {', '.join(TRAVELS)}.")
    half = replace(rate, period=rate.period / 2.0)
    movements = {
        "line": (Lfo("triangle", rate, amount=size), Lfo("triangle", rate, amount=size)),
        "circle": (Lfo("sine", rate, amount=size), Lfo("sine", rate, phase=0.25, amount=size)),
        "eight": (Lfo("sine", rate, amount=size), Lfo("sine", half, amount=size)),
        "wander": (
            Lfo("smooth-random", rate, amount=size, seed=seed),
            Lfo("smooth-random", rate, amount=size, seed=seed + 1_000_003),
        ),
    }
    first, last = span
    x, y = (as_curve(lfo, first, last, project.tempo) for lfo in movements[kind])
    return replace(pad, x=x, y=y, first=first, last=last)


def as_lanes(project: Project, pad: Pad, tolerance: float) -> Project:
    """The puck's way written into the lanes of all parameters that it moves, within `tolerance` of
    the height; outside its span nothing changes but that new lanes are there."""
    first, last = pad.first, pad.last
    device = project.device_track(pad.device).device(pad.device)
    beats, result = _followed(project, pad, device, tolerance)
    if not result:
        raise ZolvekError("The states on the pad are equal.", "pad", "Add other states.")
    project = add_lanes(all_absolute(project, pad.device), pad.device, list(result))
    track = project.device_track(pad.device)
    lanes = []
    for lane in track.lanes:
        if lane.device == pad.device and lane.parameter in result:
            values = result[lane.parameter]
            lane = ready(project, lane, float(values.min()), float(values.max()), first, last)
            piece = _piece(
                beats - first,
                lane.from_position(values),
                bool(device.parameter(lane.parameter).steps),
                tolerance,
            )
            lane = replace(lane, curve=splice(lane.curve, first, piece, last))
        lanes.append(lane)
    return with_track(project, replace(track, lanes=tuple(lanes)))


def _followed(project: Project, pad: Pad, device: Device, tolerance: float) -> tuple[Floats, dict[str, Floats]]:
    """Beats along the puck's way, and the positions of all parameters there, so closely that lines between
    them are within a part of the tolerance everywhere, and choices change on their tick."""

    def positions(beats: Floats) -> dict[str, Floats]:
        return mixed(project, pad, pad.x.at(beats), pad.y.at(beats))

    first, last = pad.first, pad.last
    turns = np.concatenate([knots(pad.x), knots(pad.y)])
    turns = turns[(turns > first) & (turns < last)]
    grid = np.linspace(first, last, int((last - first) * A_BEAT) + 1)
    beats = distinct(np.concatenate((grid, turns)))
    result = positions(beats)
    steps = np.array([bool(device.parameter(key).steps) for key in result])
    open_ = np.arange(len(beats) - 1)
    for _ in range(DEEPEST):
        if not result or not open_.size or len(beats) > MOST_PLACES:
            break
        length = beats[open_ + 1] - beats[open_]
        between = (beats[open_][:, None] + length[:, None] * BETWEEN).ravel()
        corner_values = positions(between)
        strays = np.zeros(len(open_), bool)
        for (key, here), stepped in zip(corner_values.items(), steps.tolist(), strict=True):
            low, high = result[key][open_], result[key][open_ + 1]
            inside = here.reshape(len(open_), -1)
            if stepped:
                strays |= ((low != high) | (inside != low[:, None]).any(axis=1)) & (length > TICK)
            else:
                line = low[:, None] + (high - low)[:, None] * BETWEEN
                strays |= np.abs(inside - line).max(axis=1) > PART * tolerance
        kept = np.repeat(strays, len(BETWEEN))
        new = between[kept]
        where = np.searchsorted(beats, new)
        result = {key: np.insert(result[key], where, corner_values[key][kept]) for key in result}
        beats = np.insert(beats, where, new)
        # Of each stretch that strays, the parts it has now are looked at next.
        starts = np.searchsorted(beats, np.concatenate((between[kept], beats[:0])))
        open_ = distinct(np.concatenate((starts - 1, starts)))
        open_ = open_[(open_ >= 0) & (open_ < len(beats) - 1)]
    return beats, result


def _piece(beats: Floats, values: Floats, stepped: bool, tolerance: float) -> Curve:
    if stepped:
        new = np.append(True, np.diff(values) != 0.0)
        new[-1] = True
        count = int(new.sum())
        shape = np.append(np.full(count - 1, HOLD), LINE).astype(np.uint8)
        return Curve(beats[new], values[new], shape, np.zeros(count))
    drawn = Curve(beats, values, np.full(len(beats), LINE, np.uint8), np.zeros(len(beats)))
    return thinned(drawn, tolerance * (1.0 - 1.3 * PART), shapes=True, quick=True).curve
