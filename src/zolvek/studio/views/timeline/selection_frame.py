# SPDX-License-Identifier: GPL-3.0-or-later
"""The frame round the selected span or points: handles that scale, tilt, stretch and lift."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from zolvek.core.curve import shaping
from zolvek.core.curve.curve import Curve
from zolvek.studio.session.session import Session
from zolvek.studio.session.tools import Tool

GRAB_PX = 8.0  # pixels


class Frame(NamedTuple):
    """A box in beats and values round what the selection holds."""

    first: float
    last: float
    low: float
    high: float


def frame_of(session: Session) -> Frame | None:
    """The frame of the selected span, else of the selected points; None without either."""
    target = session.target
    if target is None or session.tools.tool != Tool.POINTS:
        return None
    if session.span.beats is not None:
        first, last = session.span.beats
    elif (
        session.points.chosen.size > 1
        and target.curve.beat[session.points.chosen[-1]] > target.curve.beat[session.points.chosen[0]]
    ):
        first, last = (float(target.curve.beat[session.points.chosen[i]]) for i in (0, -1))
    else:
        return None
    low, high = target.curve.extent(first, last - 1e-9)
    return Frame(first, last, low, high)


# How far the pointer went: in beats, and in values.
Shaper = Callable[[Frame, float, float], Callable[[Curve], Curve]]


def _higher(frame: Frame, beats: float, value: float) -> Callable[[Curve], Curve]:
    height = max(frame.high - frame.low, 0.02)
    return lambda piece: shaping.scaled(piece, (height + value) / height, frame.low)


def _lower(frame: Frame, beats: float, value: float) -> Callable[[Curve], Curve]:
    height = max(frame.high - frame.low, 0.02)
    return lambda piece: shaping.scaled(piece, (height - value) / height, frame.high)


class Handle(NamedTuple):
    """Where it sits on the frame (0..1 each way, value upwards), what it is called, and the
    shaping that a drag of it does."""

    key: str
    x: float
    y: float
    hint: str
    label: str
    shaper: Shaper | None


HANDLES = (
    Handle("top", 0.5, 1.0, "Drag to scale from the floor of the frame", "Scale", _higher),
    Handle("bottom", 0.5, 0.0, "Drag to scale from the top of the frame", "Scale", _lower),
    Handle("left", 0.0, 1.0, "Drag to tilt the left end", "Tilt",
           lambda frame, beats, value: lambda piece: shaping.tilted(piece, value, 0.0)),
    Handle("right", 1.0, 1.0, "Drag to tilt the right end", "Tilt",
           lambda frame, beats, value: lambda piece: shaping.tilted(piece, 0.0, value)),
    Handle("level", 0.0, 0.5, "Drag to offset the whole span; it jumps at its edges", "Offset",
           lambda frame, beats, value: lambda piece: shaping.lifted(piece, value)),
    Handle("length", 1.0, 0.5, "Drag to stretch in time", "Stretch", None),
)  # fmt: skip
