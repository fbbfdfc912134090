"""What a lane plays: its curve, with its cycle and its slots unrolled into points."""

from __future__ import annotations

from dataclasses import replace

from zolvek.core.curve import Curve
from zolvek.core.project import Lane, Pattern
from zolvek.core.shaping import repeated
from zolvek.core.spans import piece, splice


def played(lane: Lane, length: float) -> Lane:
    """The lane as it is heard over `length` beats: no cycle and no slots, only points.

    A lane that has neither is returned itself; the result is kept with the lane.
    """
    if lane.cycle is None and not lane.switches:
        return lane
    kept = lane.__dict__.get("_played")
    if kept is None or kept[0] != length:
        curve = lane.curve
        if lane.cycle is not None:
            curve = cycled(curve, lane.cycle.beat, lane.cycle.length, length)
        curve = switched(curve, lane, length)
        kept = (length, replace(lane, curve=curve, cycle=None, slots=(), switches=()))
        lane.__dict__["_played"] = kept
    return kept[1]


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
