# SPDX-License-Identifier: GPL-3.0-or-later
"""Where things are on the focus lane: beats and values to pixels and back."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QLineF, QPointF, QRectF

from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.timeline.selection_frame import GRAB_PX, HANDLES, Frame, Handle

HANDLE_ASIDE_PX = 9.0  # pixels
SCALE = 64  # pixels at the left for the value scale
PAD = 12  # above value 1 and below value 0


class Plot(NamedTuple):
    """The focus lane's paper at a width and a height in pixels."""

    view: Viewport
    width: int
    height: int

    @property
    def area(self) -> QRectF:
        """Where the curve is drawn."""
        return QRectF(SCALE, PAD, max(self.width - SCALE, 1), max(self.height - 2 * PAD, 1))

    def beat(self, x: float) -> float:
        """The beat of a pixel."""
        return self.view.beat(x - SCALE)

    def x(self, beat: float) -> float:
        """The pixel of a beat."""
        return SCALE + self.view.x(beat)

    def value(self, y: float) -> float:
        """The value of a pixel."""
        area = self.area
        return min(max(1.0 - (y - area.top()) / area.height(), 0.0), 1.0)

    def y(self, value: float) -> float:
        """The pixel of a value."""
        area = self.area
        return area.bottom() - value * area.height()

    def point(self, beat: float, value: float) -> QPointF:
        """Where a point of the curve is."""
        return QPointF(self.x(beat), self.y(value))

    def line_y(self, value: float) -> float:
        """Where a fine line at a value is sharp."""
        return round(self.y(value)) + 0.5

    def reach_end(self, y: float) -> int | None:
        """Which end of the reach is at `y` on the value scale: 0 low, 1 high."""
        area = self.area
        if abs(y - area.top()) < GRAB_PX + 2:
            return 1
        return 0 if abs(y - area.bottom()) < GRAB_PX + 2 else None

    def box(self, frame: Frame) -> QRectF:
        """The frame round the selection, with a little air."""
        corners = self.point(frame.first, frame.high), self.point(frame.last, frame.low)
        return QRectF(*corners).adjusted(0, -10, 0, 10)

    def spot(self, handle: Handle, frame: Frame) -> QPointF:
        """The pixel of a handle."""
        box = self.box(frame)
        # Those next to the frame stand off it: a point often lies on its edge.
        aside = HANDLE_ASIDE_PX * (2.0 * handle.x - 1.0) if handle.y == 0.5 else 0.0
        x = box.left() + handle.x * box.width() + aside
        return QPointF(x, box.bottom() - handle.y * box.height())

    def handle_at(self, at: QPointF, frame: Frame | None) -> Handle | None:
        """The handle under the pointer, if any."""
        if frame is None or at.x() < SCALE:
            return None
        near = [(QLineF(self.spot(h, frame), at).length(), h) for h in HANDLES]
        distance, handle = min(near, key=lambda pair: pair[0])
        return handle if distance <= GRAB_PX else None
