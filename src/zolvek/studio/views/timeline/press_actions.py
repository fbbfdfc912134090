# SPDX-License-Identifier: GPL-3.0-or-later
"""What a press on the focus lane begins, by what it is on, the tool in hand and the keys held."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF

from zolvek.core.arrays import Ints
from zolvek.core.curve.point_edits import points_in
from zolvek.studio.commands.lanes import set_reach
from zolvek.studio.session.session import Session
from zolvek.studio.views.timeline.hit_test import Hit
from zolvek.studio.views.timeline.lane_drags import (
    Drag,
    DragKeys,
    begin_add,
    begin_bend,
    begin_drawing,
    begin_move,
)
from zolvek.studio.views.timeline.plot import Plot
from zolvek.studio.views.timeline.selection_frame import CopyDrag, FrameDrag, frame_of

ENDS = ("add", "reach")  # drags that have done something when the user has not moved, too


@dataclass(eq=False)
class ReachDrag:
    """A drag of one end of the reach (0 low, 1 high) on the value scale; the curve keeps its form. It is
    heard while it goes on: the curve is held at that end."""

    session: Session
    lane: str
    end: int
    reach: tuple[float, float]
    value: float
    before: Ints
    beat: float = 0.0
    kind: str = "reach"
    moved: bool = False
    segment: int = -1

    def update(self, beat: float, value: float, held: object, along: bool) -> None:
        """Move the end of the reach."""
        self.moved = True
        low, high = self.reach
        ends = [low, high]
        ends[self.end] = float(np.clip(ends[self.end] + (value - self.value) * (high - low), 0, 1))
        if abs(ends[1] - ends[0]) > 0.01:
            set_reach(self.session, ends[0], ends[1], False, self)

    def finish(self) -> None:
        """End the drag: one step."""
        self.session.document.end_gesture()
        self.session.held.hold({})

    def cancel(self) -> None:
        """Undo the drag."""
        self.session.cancel_gesture(self.before)
        self.session.held.hold({})


def choose_box(session: Session, plot: Plot, box: QRectF) -> None:
    """Select the points inside a box."""
    target = session.target
    if target is not None:
        first, last = plot.beat(box.left()), plot.beat(box.right())
        low, high = plot.value(box.bottom()), plot.value(box.top())
        session.points.choose(points_in(target.curve, first, last, low, high))


def select_under(session: Session, found: Hit) -> str:
    """Select the point or segment that a menu is opened on, unless it is among those selected; what
    it is, "" for nothing."""
    if found.kind in ("point", "segment"):
        ends = np.array([found.index, found.index + (found.kind == "segment")])
        if not np.isin(ends, session.points.chosen).all():
            session.points.choose(np.unique(ends))
    return "" if found.kind == "none" else found.kind


AnyDrag = Drag | FrameDrag | CopyDrag | ReachDrag


def begin(session: Session, plot: Plot, at: QPointF, found: Hit, held: DragKeys) -> AnyDrag | QPointF | None:
    """The drag that a press at a place begins; the place itself where it draws a box round points. Raises
    ZolvekError where the lane can't be changed."""
    target, chosen = session.target, session.points.chosen
    if target is None:
        return None
    beat, value = plot.beat(at.x()), plot.value(at.y())
    frame = frame_of(session)
    handle = plot.handle_at(at, frame)
    if held.free and held.axis and frame and frame.first <= beat <= frame.last:
        return CopyDrag(session, frame, target.curve, beat, chosen)
    if found.kind == "none":
        end = None if target.aside else plot.reach_end(at.y())
        if end is None:
            return None
        session.held.hold({target.lane: float(end)})
        return ReachDrag(session, target.lane, end, target.reach, value, chosen)
    if session.tools.tool != "points":
        return begin_drawing(session, session.tools.tool, beat, value, held)
    if handle is not None and frame is not None and found.kind != "point":
        return FrameDrag(session, handle, frame, target.curve, beat, value, chosen)
    return _on_curve(session, at, found, held, beat, value)


def _on_curve(
    session: Session, at: QPointF, found: Hit, held: DragKeys, beat: float, value: float
) -> Drag | QPointF | None:
    """A press with the points tool on a point, a segment or empty space."""
    points = session.points
    if found.kind == "point":
        if found.index not in points.chosen and not held.axis:
            points.choose(np.array([found.index]))
        group = np.union1d(points.chosen, [found.index])
        return begin_move(session, group, found.index, beat, value)
    if found.kind == "segment" and held.bend:
        return begin_bend(session, found.index, beat, value)
    if found.kind == "segment":
        ends = np.array([found.index, found.index + 1])
        group = points.chosen if np.isin(ends, points.chosen).all() else ends
        return begin_move(session, group, found.index, beat, value)
    if found.kind == "empty":
        return at if held.axis else begin_add(session, beat, value, held)
    return None
