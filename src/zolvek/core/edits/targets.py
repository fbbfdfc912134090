# SPDX-License-Identifier: GPL-3.0-or-later
"""Targets: what is drawn on, as a value, wherever in the project its curve lies."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, Ints, Numbers
from zolvek.core.curve.construction import flat, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shaping import valued
from zolvek.core.curve.spans import piece
from zolvek.core.edits.lanes import followed, pins_along, pins_moved
from zolvek.core.edits.layers import with_layer
from zolvek.core.edits.pads import with_pad
from zolvek.core.edits.replacement import with_lane
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer, LayerKind
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.records import replace
from zolvek.core.value import reach as reaches
from zolvek.core.value.parameter import Parameter
from zolvek.core.value.reach import WHOLE, Reach

Edit = Callable[[Curve], Curve]
AXES = {key: Parameter("axis", name, "", "%", 0.0, 100.0) for key, name in (("x", "Across"), ("y", "Up"))}
# What is drawn on a layer is counted in: how far it takes the base, at the layer's full amount.
LAYER_PARAMETERS: dict[str, Parameter] = {
    kind: Parameter("layer", label, "", "±%", -100.0, 100.0)
    for kind, label in ((LayerKind.OFFSET, "Offset"), (LayerKind.SCALE, "Scale"))
}


class Target(NamedTuple):
    """`lane`: the id of the lane it belongs to, or in whose place it is shown. `curve`, counted in
    `parameter` through `reach`. `put(project, edit)` gives a project in which the curve is edited,
    any later one too; it raises ZolvekError where there is no such curve any more, or the lane is
    locked. `aside`: what it is, when it is not the lane's base."""

    lane: str
    curve: Curve
    parameter: Parameter
    reach: Reach
    put: Callable[[Project, Edit], Project]
    aside: str = ""

    def to_position(self, value: Numbers) -> Floats:
        """The parameter's positions for values of the curve."""
        return reaches.to_position(self.reach, value)

    def from_position(self, position: Numbers) -> Floats:
        """The curve's values for positions of the parameter, kept to 0..1."""
        return reaches.from_position(self.reach, position)


def _open(project: Project, lane: str) -> Lane:
    """The lane, where it may be edited."""
    this_lane = project.lane(lane)
    if this_lane.locked:
        raise ZolvekError("The lane is locked.", project.label_of(lane), "Unlock it first (K).")
    return this_lane


def _with_base(project: Project, lane: Lane, after: Curve, pins: tuple[float, ...]) -> Project:
    changed = with_lane(project, replace(lane, curve=after, pins=pins))
    return followed(changed, lane.id, lane.curve, after)


def put_curve(project: Project, target: Target, curve: Curve, moved: tuple[Ints, Ints] | None = None) -> Project:
    """The target with another curve. `moved`: the indices of points before and after, where it is known which have
    moved: their pins go with them. Raises ZolvekError where there is no such curve any more, or the lane is locked."""
    if moved is None or target.aside:
        return target.put(project, lambda _: curve)
    lane = _open(project, target.lane)
    pins = pins_along(lane.pins, lane.curve, curve, moved) if lane.pins else ()
    return _with_base(project, lane, curve, pins)


def base(project: Project, lane: str) -> Target:
    """The lane's own curve. Lanes that are linked to it follow."""
    this_lane = project.lane(lane)

    def put(project: Project, edit: Edit) -> Project:
        this_lane = _open(project, lane)
        after = edit(this_lane.curve)
        pins = pins_moved(this_lane.pins, this_lane.curve, after) if this_lane.pins else ()
        return _with_base(project, this_lane, after, pins)

    parameter = project.parameter_of(lane)
    if this_lane.relative:
        parameter = Parameter("relative", parameter.name, "", "±%", -100.0, 100.0)
    return Target(lane, this_lane.curve, parameter, this_lane.reach, put)


def layer(project: Project, lane: str, key: str) -> Target:
    """The curve of a layer of the lane. Raises ZolvekError where it has none."""

    def drawn(lane_of: Lane) -> tuple[Curve, str, str]:
        this_layer = lane_of.layer(key)
        if this_layer is None or this_layer.curve is None:
            raise ZolvekError("The layer no longer exists.", remedy="Do it again.")
        return this_layer.curve, this_layer.kind, this_layer.label

    def put(project: Project, edit: Edit) -> Project:
        lane_of = _open(project, lane)
        curve, _, _ = drawn(lane_of)
        changed = next(item for item in lane_of.layers if item.id == key)
        return with_layer(project, lane, replace(changed, curve=edit(curve)))

    curve, kind, label = drawn(project.lane(lane))
    return Target(lane, curve, LAYER_PARAMETERS[kind], WHOLE, put, f"the layer {label}")


def layer_depth(project: Project, lane: str, key: str) -> Target:
    """How deep a layer of the lane goes, −100 to 100 % over the project's beats: its amount as a curve.
    Raises ZolvekError where there is no such layer."""

    def drawn(lane: Lane) -> tuple[Layer, Curve, float]:
        result = lane.layer(key)
        if result is None:
            raise ZolvekError("The layer no longer exists.", remedy="Do it again.")
        most = max(abs(result.amount), 1.0)
        if result.amount_way is None:
            return result, flat(0.5 + 0.5 * result.amount / most), most
        amount_way, factor = result.amount_way, result.amount / most
        return result, valued(amount_way, 0.5 + factor * (amount_way.value - 0.5), factor), most

    def put(project: Project, edit: Edit) -> Project:
        result, curve, most = drawn(_open(project, lane))
        return with_layer(project, lane, replace(result, amount=most, amount_way=edit(curve)))

    result, curve, most = drawn(project.lane(lane))
    parameter = Parameter("depth", "Depth", "", "±%", -100.0 * most, 100.0 * most)
    return Target(lane, curve, parameter, WHOLE, put, f"the depth of the layer {result.label}")


FASTER = 4.0  # how much the rate of a steady LFO may be drawn up to begin with


def layer_rate(project: Project, lane: str, key: str) -> Target:
    """The rate of an LFO layer over its span, from its rate to the one at its end, which is four times as
    fast where there is none yet. Raises ZolvekError where there is no such LFO."""

    def drawn(lane: Lane) -> tuple[Layer, Lfo, Curve, tuple[float, float]]:
        result = lane.layer(key)
        if result is None or result.lfo is None:
            raise ZolvekError("The layer is not an LFO.", remedy="Draw its depth, or choose another.")
        first = result.first
        last = max(project.length if result.last is None else result.last, first + 1e-6)
        lfo = result.lfo
        path = lfo.rate_way or (flat(0.0) if lfo.rate_end is None else lines([0.0, 1.0], [0.0, 1.0]))
        return result, lfo, path.having(beat=first + path.beat * (last - first)), (first, last)

    def put(project: Project, edit: Edit) -> Project:
        result, lfo, curve, (first, last) = drawn(_open(project, lane))
        part = piece(edit(curve), first, last)
        path = part.having(beat=np.clip(part.beat / (last - first), 0.0, 1.0))
        end = lfo.rate_end or replace(lfo.rate, period=lfo.rate.period / FASTER)
        changed = replace(lfo, rate_end=end, rate_way=path)
        return with_layer(project, lane, replace(result, lfo=changed))

    result, lfo, curve, _ = drawn(project.lane(lane))
    end = lfo.rate.period / FASTER if lfo.rate_end is None else lfo.rate_end.period
    ends = 1.0 / lfo.rate.period, 1.0 / end
    low, high = (min(ends), max(ends)) if ends[0] != ends[1] else (ends[0], 2.0 * ends[0])
    taper = "linear" if lfo.by_equal_steps else "exponential"
    name = "Rate" if lfo.rate.timed else "Cycles a beat"
    parameter = Parameter("rate", name, "", "Hz" if lfo.rate.timed else "", low, high, low, taper)
    reach = (1.0, 0.0) if ends[1] < ends[0] else WHOLE
    return Target(lane, curve, parameter, reach, put, f"the rate of the layer {result.label}")


# What of a layer can be drawn on.
ASPECTS = {"curve": layer, "depth": layer_depth, "rate": layer_rate}


def pad_axis(project: Project, lane: str, device: str, axis: str) -> Target:
    """A device's pad path, across ("x") or up ("y"), in the lane's place. Raises ZolvekError where
    there is none."""

    def drawn(project: Project) -> Curve:
        pad = next((item for item in project.pads if item.device == device), None)
        if pad is None:
            raise ZolvekError("The pad's path no longer exists.", remedy="Do it again.")
        return pad.x if axis == "x" else pad.y

    def put(project: Project, edit: Edit) -> Project:
        _open(project, lane)
        curve = edit(drawn(project))
        pad = next(item for item in project.pads if item.device == device)
        changed = replace(pad, x=curve) if axis == "x" else replace(pad, y=curve)
        return with_pad(project, changed)

    name = AXES[axis].name.lower()
    return Target(lane, drawn(project), AXES[axis], WHOLE, put, f"the pad's path, {name}")
