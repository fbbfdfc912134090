# SPDX-License-Identifier: GPL-3.0-or-later
"""The pad: states as corners to drag, the puck that mixes them, and its path."""

from __future__ import annotations

import time

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGroupBox

from zolvek.core.edits.states import state_of
from zolvek.core.model.pad import CLOSEST, Pad
from zolvek.core.records import replace
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.cancel_keys import CancelKeys
from zolvek.studio.toolkit.curve_painting import diamond
from zolvek.studio.toolkit.outline import polygon
from zolvek.studio.views.shared.description import Description

GRAB = 10.0
EDGE_PX = 14.0  # pixels round the square


class PadView(QGroupBox):
    """Drag the puck to hear a mix, a state's diamond to place it; with `drawing` on, a drag draws
    the puck's path."""

    puck_moved = pyqtSignal(float, float)
    puck_released = pyqtSignal()
    cancelled = pyqtSignal()  # the drag of the puck
    placed = pyqtSignal(str, float, float)  # a state, and where it was dropped
    drawn = pyqtSignal(object)  # rows of seconds, x, y

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.pad: Pad | None = None
        self.puck = QPointF(0.5, 0.5)
        self.held = ""  # "puck", or the state that is dragged
        self.drawing = False
        self.stroke: list[tuple[float, float, float]] = []
        self.before: tuple[QPointF, Pad | None] = (self.puck, None)  # as they were when the drag began
        self.keys = CancelKeys(self, self.cancel)
        self.setMinimumHeight(196)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Pad of states")
        Description(self, self._described, session.document.changed, self.puck_released, session.playhead.changed)
        session.look.changed.connect(self.update)
        session.playhead.changed.connect(self._follow)

    def _described(self) -> str:
        """What a screen reader says of it."""
        states = ""
        if self.pad is not None:
            states = ", ".join(state_of(self.session.project, corner.state).name for corner in self.pad.corners)
        return f"Puck {self.puck.x():.0%} across, {1.0 - self.puck.y():.0%} up. States: {states or 'none'}."

    def show_pad(self, pad: Pad) -> None:
        """Show a pad."""
        self.pad = pad
        self.update()

    def _follow(self) -> None:
        """While it plays over its path the puck goes along it."""
        pad, beat = self.pad, self.session.playhead.beat
        if pad is not None and not self.held and len(pad.x) > 1 and pad.first <= beat <= pad.last:
            self.puck = QPointF(float(pad.x.at(beat)), float(pad.y.at(beat)))
            self.update()

    @property
    def square(self) -> QRectF:
        """The square of the pad."""
        return QRectF(EDGE_PX, EDGE_PX, self.width() - 2 * EDGE_PX, self.height() - 2 * EDGE_PX)

    def spot(self, x: float, y: float) -> QPointF:
        """The pixel of a position on the pad."""
        area = self.square
        return QPointF(area.left() + x * area.width(), area.bottom() - y * area.height())

    def _place(self, at: QPointF) -> tuple[float, float]:
        area = self.square
        x = (at.x() - area.left()) / area.width()
        y = (area.bottom() - at.y()) / area.height()
        return float(np.clip(x, 0.0, 1.0)), float(np.clip(y, 0.0, 1.0))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        at, pad = event.position(), self.pad
        self.before = QPointF(self.puck), pad
        self.keys.begin()
        if self.drawing:
            self.held, self.stroke = "path", []
            self._draw(at)
            return
        for corner in pad.corners if pad is not None else ():
            spot = self.spot(corner.x, corner.y)
            if abs(spot.x() - at.x()) + abs(spot.y() - at.y()) < GRAB:
                self.held = corner.state
                return
        self.held = "puck"
        self._move(at)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        if self.held == "path":
            self._draw(at)
        elif self.held == "puck":
            self._move(at)
        elif self.held and self.pad is not None:
            x, y = self._place(at)
            others = [c for c in self.pad.corners if c.state != self.held]
            if all(np.hypot(c.x - x, c.y - y) > 2 * CLOSEST for c in others):
                corners = tuple(replace(c, x=x, y=y) if c.state == self.held else c for c in self.pad.corners)
                self.pad = replace(self.pad, corners=corners)
                self.update()

    def cancel(self) -> None:
        """The drag is undone: the puck and the states are where they were."""
        held, self.held, self.stroke = self.held, "", []
        self.puck, self.pad = self.before
        if held == "puck":
            self.cancelled.emit()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.keys.end()
        held, self.held = self.held, ""
        if held == "path":
            self.drawn.emit(self.stroke)
        elif held == "puck":
            self.puck_released.emit()
        elif held and self.pad is not None:
            corner = next(c for c in self.pad.corners if c.state == held)
            self.placed.emit(held, corner.x, corner.y)

    def _move(self, at: QPointF) -> None:
        self.puck = QPointF(*self._place(at))
        self.puck_moved.emit(self.puck.x(), self.puck.y())
        self.update()

    def _draw(self, at: QPointF) -> None:
        x, y = self._place(at)
        self.puck = QPointF(x, y)
        self.stroke.append((time.perf_counter(), x, y))
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        ways = {
            Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1),
            Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Left: (-1, 0),
        }  # fmt: skip
        if event.key() in ways:
            x, y = ways[Qt.Key(event.key())]
            self._move(self.spot(self.puck.x() + 0.02 * x, self.puck.y() + 0.02 * y))
            self.puck_released.emit()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        area = self.square
        painter.fillRect(self.rect(), themes.color(theme.sheet))
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        for part in (0.25, 0.5, 0.75):
            painter.drawLine(self.spot(part, 0), self.spot(part, 1))
            painter.drawLine(self.spot(0, part), self.spot(1, part))
        painter.setPen(QPen(themes.color(theme.bar_line), 1.0))
        painter.drawRect(area)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_path(painter, theme)
        painter.setFont(themes.font(9.5))
        known = {state.id for state in self.session.project.states}
        for corner in self.pad.corners if self.pad is not None else ():
            at = self.spot(corner.x, corner.y)
            painter.setPen(QPen(themes.color(theme.curve), 1.5))
            painter.setBrush(themes.color(theme.curve if corner.state == self.held else theme.sheet))
            painter.drawPolygon(diamond(at.x(), at.y(), 6.0))
            if corner.state in known:
                name = state_of(self.session.project, corner.state).name
                painter.setPen(themes.color(theme.ink))
                side = Qt.AlignmentFlag.AlignLeft if corner.x < 0.5 else Qt.AlignmentFlag.AlignRight
                left = at.x() + 9 if corner.x < 0.5 else at.x() - 109
                below = at.y() + 2 if corner.y > 0.5 else at.y() - 18
                painter.drawText(QRectF(left, below, 100, 16), side, name)
        at = self.spot(self.puck.x(), self.puck.y())
        painter.setPen(QPen(themes.color(theme.selection), 1.8))
        painter.setBrush(themes.color(theme.selection, 0.25))
        painter.drawEllipse(at, 7.0, 7.0)

    def _paint_path(self, painter: QPainter, theme: themes.Theme) -> None:
        pad = self.pad
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.held == "path" and len(self.stroke) > 1:
            _, x, y = np.array(self.stroke).T
        elif pad is not None and len(pad.x) > 1:
            beats = np.linspace(pad.first, np.nextafter(pad.last, 0.0), 600)
            x, y = pad.x.at(beats), pad.y.at(beats)
        else:
            return
        area = self.square
        painter.setPen(QPen(themes.color(theme.layer), 1.4))
        painter.drawPolyline(polygon(area.left() + x * area.width(), area.bottom() - y * area.height()))
