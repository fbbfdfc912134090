# SPDX-License-Identifier: GPL-3.0-or-later
"""What a press on the focus lane begins, by what it is on, the selected tool and the keys held."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF

from zolvek.core.arrays import among, distinct
from zolvek.core.curve.point_edits import points_in
from zolvek.studio.commands.lanes import set_reach
from zolvek.studio.session.session import Session
from zolvek.studio.session.tools import Tool
from zolvek.studio.views.timeline.drag import Drag, DragKeys, Pointer
from zolvek.studio.views.timeline.frame_drags import CopyDrag, FrameDrag
from zolvek.studio.views.timeline.hit_test import Hit, HitKind
from zolvek.studio.views.timeline.lane_drags import (
    begin_add,
    begin_bend,
    begin_drawing,
    begin_move,
)
from zolvek.studio.views.timeline.plot import Plot
from zolvek.studio.views.timeline.selection_frame import frame_of


@dataclass(eq=False)
class ReachDrag(Drag):
    """A drag of one end of the reach (0 low, 1 high) on the value scale; the curve keeps its form. It is
    heard while it goes on: the curve is held at that end."""

    session: Session
    lane: str
    end: int
    reach: tuple[float, float]
    height: float  # of the lane, in pixels
    acts = True

    def update(self, pointer: Pointer) -> None:
        """Move the end of the reach."""
        low, high = self.reach
        ends = [low, high]
        ends[self.end] = float(np.clip(ends[self.end] + pointer.rise(self.height) * (high - low), 0, 1))
        if abs(ends[1] - ends[0]) > 0.01:
            set_reach(self.session, ends[0], ends[1], False, self)

    def finish(self) -> None:
        """The lane is no longer held at that end."""
        self.session.held.hold({})

    def cancel(self) -> None:
        """The lane is no longer held at that end."""
        self.session.held.hold({})


@dataclass(eq=False)
class BoxDrag(Drag):
    """A box that selects the points in it."""

    session: Session
    plot: Plot
    start: QPointF
    to: QPointF
    acts = True

    @property
    def box(self) -> QRectF:
        """The box, in pixels."""
        return QRectF(self.start, self.to).normalized()

    def update(self, pointer: Pointer) -> None:
        """Take the corner to the pointer."""
        self.to = pointer.at

    def finish(self) -> None:
        """Select the points in the box."""
        choose_box(self.session, self.plot, self.box)


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
    if found.kind in (HitKind.POINT, HitKind.SEGMENT):
        ends = np.array([found.index, found.index + (found.kind == HitKind.SEGMENT)])
        if not among(ends, session.points.chosen).all():
            session.points.choose(distinct(ends))
    return "" if found.kind == HitKind.NONE else found.kind


def begin(session: Session, plot: Plot, at: QPointF, found: Hit, held: DragKeys) -> Drag | None:
    """The drag that a press at a place begins. Raises ZolvekError where the lane can't be changed."""
    target, height = session.target, plot.area.height()
    if target is None:
        return None
    beat, value = plot.beat(at.x()), plot.value(at.y())
    frame = frame_of(session)
    handle = plot.handle_at(at, frame)
    if held.free and held.axis and frame and frame.first <= beat <= frame.last:
        return CopyDrag(session, frame, target.curve)
    if found.kind == HitKind.NONE:
        end = None if target.aside else plot.reach_end(at.y())
        if end is None:
            return None
        session.held.hold({target.lane: float(end)})
        return ReachDrag(session, target.lane, end, target.reach, height)
    if session.tools.tool != Tool.POINTS:
        return begin_drawing(session, session.tools.tool, beat, value, height)
    if handle is not None and frame is not None and found.kind != HitKind.POINT:
        return FrameDrag(session, handle, frame, target.curve, beat, height)
    return _on_curve(session, plot, at, found, held)


def _on_curve(session: Session, plot: Plot, at: QPointF, found: Hit, held: DragKeys) -> Drag | None:
    """A press with the points tool on a point, a segment or empty space."""
    points, height = session.points, plot.area.height()
    beat, value = plot.beat(at.x()), plot.value(at.y())
    if found.kind == HitKind.POINT:
        if found.index not in points.chosen and not held.axis:
            points.choose(np.array([found.index]))
        group = np.union1d(points.chosen, [found.index])
        return begin_move(session, group, found.index, beat, value, height)
    if found.kind == HitKind.SEGMENT and held.bend:
        return begin_bend(session, found.index, beat, value, height)
    if found.kind == HitKind.SEGMENT:
        ends = np.array([found.index, found.index + 1])
        group = points.chosen if among(ends, points.chosen).all() else ends
        return begin_move(session, group, found.index, beat, value, height)
    if found.kind == HitKind.EMPTY:
        return BoxDrag(session, plot, at, at) if held.axis else begin_add(session, beat, value, height, held)
    return None
