# SPDX-License-Identifier: GPL-3.0-or-later
"""Drags of the frame round a selection: of one of its handles, and of a copy."""

from __future__ import annotations

from dataclasses import dataclass

from zolvek.core.curve import shaping
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.spans import clear, piece, splice
from zolvek.studio.session.session import NONE_CHOSEN, Session
from zolvek.studio.views.timeline.drag import Drag, DragKeys, Pointer, moved
from zolvek.studio.views.timeline.selection_frame import Frame, Handle


@dataclass(eq=False)
class FrameDrag(Drag):
    """A drag of a handle: always computed from the curve as it was."""

    session: Session
    handle: Handle
    frame: Frame
    curve: Curve
    beat: float
    height: float  # of the lane, in pixels

    def update(self, pointer: Pointer) -> None:
        """Move the handle to the pointer."""
        frame, session = self.frame, self.session
        if self.handle.shaper is None:
            end = moved(session, frame.last, self.beat + pointer.beats, pointer.keys)
            curve = self._stretched(max(end, frame.first + 1e-3))
        else:
            shaper = self.handle.shaper(frame, pointer.beats, pointer.rise(self.height))
            curve = shaping.on_span(self.curve, frame.first, frame.last, shaper, session.settings.editing.edge_ramp)
        session.edit_curve(self.handle.label, curve, NONE_CHOSEN, self)

    def _stretched(self, end: float) -> Curve:
        """The framed part reaches to `end`; what it leaves behind goes straight on."""
        frame = self.frame
        part = piece(self.curve, frame.first, frame.last)
        put = shaping.stretched(part, (end - frame.first) / (frame.last - frame.first))
        base = clear(self.curve, frame.first, frame.last) if end < frame.last else self.curve
        return splice(base, frame.first, put)


@dataclass(eq=False)
class CopyDrag(Drag):
    """A drag that leaves a copy of the framed span where it is dropped."""

    session: Session
    frame: Frame
    curve: Curve

    def update(self, pointer: Pointer) -> None:
        """Move the copy to the pointer."""
        session, frame = self.session, self.frame
        to = moved(session, frame.first, frame.first + pointer.beats, DragKeys())  # Ctrl is held to copy
        put = piece(self.curve, frame.first, frame.last)
        session.edit_curve("Copy the span", splice(self.curve, to, put), NONE_CHOSEN, self)
