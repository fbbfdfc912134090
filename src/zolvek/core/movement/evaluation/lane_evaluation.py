# SPDX-License-Identifier: GPL-3.0-or-later
"""What a lane plays: its curve with its cycle and slots unrolled, and its layers applied."""

from __future__ import annotations

from functools import cached_property

from zolvek.core.arrays import Floats, Numbers
from zolvek.core.curve.construction import flat
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import leaps
from zolvek.core.curve.pattern import Pattern
from zolvek.core.curve.shaping import repeated
from zolvek.core.curve.spans import piece, splice
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.evaluation.layering import AppliedLayer, LayeredCurve, layered
from zolvek.core.records import Record, replace
from zolvek.core.value.reach import WHOLE, Reach, around


class EvaluatedLane(Record, frozen=True, eq=False):
    """A lane as it is heard: what its curve comes to, over its reach. `drawn`: what that is of the lane's
    own scale, which is another one where the lane is relative."""

    lane: Lane
    curve: Curve | LayeredCurve
    drawn: Curve | LayeredCurve

    @property
    def plain(self) -> bool:
        """Whether it is just the lane's own curve."""
        return self.drawn is self.lane.curve

    def at(self, beats: Numbers) -> Floats:
        """The parameter's position at each of `beats`."""
        return self.lane.to_position(self.curve.at(beats))

    @cached_property
    def leaps(self) -> Floats:
        """The beats at which it jumps."""
        return leaps(self.curve) if isinstance(self.curve, Curve) else self.curve.leaps


def played(lane: Lane, project: Project) -> EvaluatedLane:
    """The lane as it is heard in the project; kept with the lane."""
    kept = lane.__dict__.get("_played")
    present = _own(lane, project) if lane.relative else 0.0
    if kept is None or kept[0] != project.length or kept[1] is not project.tempo or kept[3] != present:
        base = unrolled(lane, project.length)
        drawn = layered(base, lane, project.tempo, project.length) if lane.layers else base
        evaluated_lane = EvaluatedLane(lane, drawn, drawn)
        if lane.relative:
            low, high = around(lane.reach, present)
            parts = drawn.parts if isinstance(drawn, LayeredCurve) else ()
            # Times the height of the reach, and then from its low end on: clipped where the travel ends.
            mapping = (*_fit(drawn), _by(True, high - low - 1.0), _by(False, low))
            evaluated_lane = EvaluatedLane(replace(lane, reach=WHOLE), LayeredCurve(base, (*parts, *mapping)), drawn)
        kept = (project.length, project.tempo, evaluated_lane, present)
        lane.__dict__["_played"] = kept
    return kept[2]


def _own(lane: Lane, project: Project) -> float:
    return project.device_track(lane.device).device(lane.device).position(lane.parameter)


def _fit(drawn: Curve | LayeredCurve) -> tuple[AppliedLayer, ...]:
    """What presses layers into the reach, as parts."""
    if not (isinstance(drawn, LayeredCurve) and drawn.fit):
        return ()
    low, high = drawn.bounds
    share = 1.0 / (high - low)
    return _by(True, share - 1.0), _by(False, -low * share)


def _by(scales: bool, amount: float) -> AppliedLayer:
    """A part that is the same all the time."""
    return AppliedLayer(scales, 2.0 * amount, flat(1.0), None)


def reach_heard(lane: Lane, project: Project) -> Reach:
    """The positions that the lane's 0 and 1 stand for now: beyond 0..1 for a relative one, it may be."""
    return around(lane.reach, _own(lane, project)) if lane.relative else lane.reach


def unrolled(lane: Lane, length: float) -> Curve:
    """The lane's curve over `length` beats with no cycle and no slots, only points."""
    curve = lane.curve
    if lane.cycle is not None:
        curve = cycled(curve, lane.cycle.beat, lane.cycle.length, length)
    return switched(curve, lane, length) if lane.switches else curve


def without_cycle(lane: Lane, length: float) -> Lane:
    """The lane with cycle and slots written out as points."""
    return replace(lane, curve=unrolled(lane, length), cycle=None, slots=(), switches=())


def cycled(curve: Curve, first: float, span: float, length: float) -> Curve:
    """The curve up to the end of the span, and then the span again and again up to `length`."""
    end = first + span
    times = int(-(-(length - end) // span))
    if times < 1:
        return curve
    return splice(curve, end, _cropped(repeated(piece(curve, first, end), span, times), length - end))


def switched(curve: Curve, lane: Lane, length: float) -> Curve:
    """The curve with each stretch that a switch gives to a slot filled with its pattern."""
    ends = [*(switch.beat for switch in lane.switches[1:]), length]
    for switch, end in zip(lane.switches, ends, strict=False):  # without any, there is one end
        if switch.slot >= 0 and end > switch.beat:
            put = filled(lane.slots[switch.slot], end - switch.beat)
            curve = splice(curve, switch.beat, put)
    return curve


def filled(pattern: Pattern, length: float, scale: float = 1.0, tilt: float = 0.0) -> Curve:
    """The pattern repeated to fill `length` beats, the last time cut off where it must be."""
    times = max(int(-(-length // pattern.length)), 1)
    whole = piece(pattern.curve, 0.0, pattern.length)
    return _cropped(repeated(whole, pattern.length, times, scale, tilt), length)


def _cropped(curve: Curve, length: float) -> Curve:
    return curve if abs(curve.beat[-1] - length) < 1e-9 else piece(curve, 0.0, length)
