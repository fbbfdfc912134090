# SPDX-License-Identifier: GPL-3.0-or-later
"""The frame round the selected span or points: handles that scale, tilt, stretch and lift."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from zolvek.core.arrays import Ints
from zolvek.core.curve import shaping
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.spans import clear, piece, splice
from zolvek.studio.session.session import NONE_CHOSEN, Session

GRAB = 8.0  # pixels


class Frame(NamedTuple):
    """A box in beats and values round what the selection holds."""

    first: float
    last: float
    low: float
    high: float


def frame_of(session: Session) -> Frame | None:
    """The frame of the selected span, else of the selected points; None without either."""
    target = session.target
    if target is None or session.tools.tool != "points":
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


@dataclass(eq=False)
class FrameDrag:
    """A drag of a handle: always computed from the curve as it was."""

    session: Session
    handle: Handle
    frame: Frame
    curve: Curve
    beat: float
    value: float
    before: Ints
    kind: str = "frame"
    moved: bool = False
    segment: int = -1

    def update(self, beat: float, value: float, held: object, along: bool) -> None:
        """Move the handle to the pointer."""
        self.moved = True
        frame, session = self.frame, self.session
        if self.handle.shaper is None:
            end = beat if getattr(held, "free", False) else session.tools.moved(frame.last, beat, session.project.meter)
            curve = self._stretched(max(end, frame.first + 1e-3))
        else:
            shaper = self.handle.shaper(frame, beat - self.beat, value - self.value)
            curve = shaping.on_span(self.curve, frame.first, frame.last, shaper, session.settings.editing.edge_ramp)
        session.edit_curve(self.handle.label, curve, NONE_CHOSEN, self)

    def _stretched(self, end: float) -> Curve:
        """The song fills up to `end`; what it leaves behind goes straight on."""
        frame = self.frame
        part = piece(self.curve, frame.first, frame.last)
        put = shaping.stretched(part, (end - frame.first) / (frame.last - frame.first))
        base = clear(self.curve, frame.first, frame.last) if end < frame.last else self.curve
        return splice(base, frame.first, put)

    def finish(self) -> None:
        """End the drag: one step."""
        self.session.document.end_gesture()

    def cancel(self) -> None:
        """Undo the drag."""
        self.session.cancel_gesture(self.before)


@dataclass(eq=False)
class CopyDrag:
    """A drag that leaves a copy of the framed span where it is dropped."""

    session: Session
    frame: Frame
    curve: Curve
    beat: float
    before: Ints
    value: float = 0.0
    kind: str = "copy"
    moved: bool = False
    segment: int = -1

    def update(self, beat: float, value: float, held: object, along: bool) -> None:
        """Move the copy to the pointer."""
        self.moved = True
        session, frame = self.session, self.frame
        wanted = max(frame.first + beat - self.beat, 0.0)
        to = session.tools.moved(frame.first, wanted, session.project.meter)
        put = piece(self.curve, frame.first, frame.last)
        session.edit_curve("Copy the span", splice(self.curve, to, put), NONE_CHOSEN, self)

    def finish(self) -> None:
        """End the drag: one step."""
        self.session.document.end_gesture()

    def cancel(self) -> None:
        """Undo the drag."""
        self.session.cancel_gesture(self.before)
