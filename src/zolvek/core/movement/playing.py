"""What a lane plays: its curve with its cycle and slots unrolled, and its layers applied."""

from __future__ import annotations

from functools import cached_property

from zolvek.core.arrays import Floats, Numbers
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.places import leaps
from zolvek.core.curve.shaping import repeated
from zolvek.core.curve.spans import piece, splice
from zolvek.core.model.pattern import Pattern
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.layering import Layered, layered
from zolvek.core.records import Record, replace


class Heard(Record, frozen=True, eq=False):
    """A lane as it is heard: what its curve comes to, over its reach."""

    lane: Lane
    curve: Curve | Layered

    @property
    def plain(self) -> bool:
        """Whether it is just the lane's own curve."""
        return self.curve is self.lane.curve

    def at(self, beats: Numbers) -> Floats:
        """The parameter's position at each of `beats`."""
        return self.lane.to_position(self.curve.at(beats))

    @cached_property
    def leaps(self) -> Floats:
        """The beats at which it jumps."""
        return leaps(self.curve) if isinstance(self.curve, Curve) else self.curve.leaps


def played(lane: Lane, project: Project) -> Heard:
    """The lane as it is heard in the project; kept with the lane."""
    kept = lane.__dict__.get("_played")
    if kept is None or kept[0] != project.length or kept[1] is not project.tempo:
        curve: Curve | Layered = unrolled(lane, project.length)
        if lane.layers:
            curve = layered(curve, lane, project.tempo, project.length)  # type: ignore[arg-type]  # what is layered is heard as a curve is
        kept = (project.length, project.tempo, Heard(lane, curve))
        lane.__dict__["_played"] = kept
    return kept[2]


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
    return splice(
        curve, end, _cropped(repeated(piece(curve, first, end), span, times), length - end)
    )


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
