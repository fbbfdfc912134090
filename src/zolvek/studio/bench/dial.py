"""A dial: a ring with a needle, its name above and its value under it."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QInputDialog, QWidget

from zolvek.core import project as projects
from zolvek.core.parameter import Parameter
from zolvek.core.playing import played
from zolvek.studio import theme as themes
from zolvek.studio.session import Session

WIDTH, HEIGHT, RING = 80, 86, 16
SWEEP = 270.0  # degrees of travel, from lower left to lower right
TRAVEL = 160.0  # pixels of a drag from end to end


class Dial(QWidget):
    """Shows one parameter: the needle is what is heard at the playhead, the notch on the ring
    the control's own present value where a lane moves it away."""

    def __init__(self, session: Session, device: str, parameter: Parameter) -> None:
        super().__init__()
        self.session, self.device, self.parameter = session, device, parameter
        self.setFixedSize(WIDTH, HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(parameter.name)
        self.setToolTip(f"{parameter.name}: drag, wheel or arrow keys turn it, Enter types a value")
        self.start: tuple[float, float] | None = None
        self.gesture: object = None
        self.shown: tuple[float, float, bool, bool] | None = None

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, HEIGHT)

    @property
    def own(self) -> float:
        """The control's present position."""
        project = self.session.project
        return project.device_track(self.device).device(self.device).position(self.parameter.id)

    def state(self) -> tuple[float, float, bool, bool]:
        """Position heard, own position, whether a lane is applied, whether it is the focus."""
        track = self.session.project.device_track(self.device)
        lane = track.lane_on(self.device, self.parameter.id)
        own = track.device(self.device).position(self.parameter.id)
        applied = lane is not None and not lane.bypassed
        length = self.session.project.length
        heard = float(played(lane, length).at(self.session.place)) if applied and lane else own
        return heard, own, applied, lane is not None and lane.id == self.session.focus

    def refresh(self) -> None:
        """Repaint if anything it shows has changed."""
        state = self.state()
        if state != self.shown:
            self.shown = state
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = themes.THEMES[self.session.settings.theme]
        heard, own, applied, focused = self.shown = self.state()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        name = self.parameter.name
        painter.setFont(
            themes.font(
                8.5, themes.QFont.Weight.DemiBold if focused else themes.QFont.Weight.Normal
            )
        )
        painter.setPen(themes.color(theme.curve if focused else theme.ink))
        name = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, WIDTH - 4)
        painter.drawText(QRectF(0, 2, WIDTH, 18), Qt.AlignmentFlag.AlignCenter, name)
        center = QPointF(WIDTH / 2, 42)
        ring = QRectF(center.x() - RING, center.y() - RING, 2 * RING, 2 * RING)
        pen = QPen(themes.color(theme.bar_line), 3.0)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        painter.setPen(pen)
        start = 225.0
        painter.drawArc(ring, int(start * 16), int(-SWEEP * 16))
        pen.setColor(themes.color(theme.curve if applied else theme.ink))
        painter.setPen(pen)
        painter.drawArc(ring, int(start * 16), int(-SWEEP * heard * 16))
        self._needle(painter, center, heard, 4.0, RING - 5.0, theme.ink, 2.0)
        if applied and abs(own - heard) > 0.005:
            self._needle(painter, center, own, RING + 1.0, RING + 5.0, theme.ghost, 2.0)
        painter.setPen(themes.color(theme.ink))
        painter.setFont(themes.font(9.0))
        painter.drawText(
            QRectF(0, 63, WIDTH, 20), Qt.AlignmentFlag.AlignCenter, self.parameter.text(heard)
        )
        if self.hasFocus():
            painter.setPen(QPen(themes.color(theme.curve), 1.0, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(1.5, 1.5, WIDTH - 3, HEIGHT - 5))

    def _needle(
        self,
        painter: QPainter,
        center: QPointF,
        position: float,
        inner: float,
        outer: float,
        ink: str,
        width: float,
    ) -> None:
        angle = math.radians(225.0 - SWEEP * position)
        way = QPointF(math.cos(angle), -math.sin(angle))
        painter.setPen(QPen(themes.color(ink), width))
        painter.drawLine(center + way * inner, center + way * outer)

    def _set(self, position: float) -> None:
        steps = self.parameter.steps
        if steps:
            position = float(self.parameter.position(self.parameter.value(position)))
        project = projects.set_dial(self.session.project, self.device, self.parameter.id, position)
        text = self.parameter.text(min(max(position, 0.0), 1.0))
        self.session.edit(f"Set {self.parameter.name} to {text}", project, self.gesture)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.session.touch(self.device, self.parameter.id)
        if event.button() == Qt.MouseButton.LeftButton:
            self.start = event.position().y(), self.own
            self.gesture = object()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.start is not None:
            fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            way = (self.start[0] - event.position().y()) / TRAVEL * fine
            if way:
                self._set(self.start[1] + way)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.start = self.gesture = None
        self.session.end_gesture()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._set(self.parameter.default_position)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.session.touch(self.device, self.parameter.id)
        self._nudge(event.angleDelta().y() / 120.0)
        event.accept()

    def _nudge(self, steps: float) -> None:
        size = 1.0 / (self.parameter.steps - 1) if self.parameter.steps > 1 else 0.01
        if self.parameter.steps:
            value = float(self.parameter.value(self.own)) + (1 if steps > 0 else -1)
            self._set(float(self.parameter.position(min(max(value, 0), self.parameter.steps - 1))))
        else:
            self._set(self.own + steps * size)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        ways = {Qt.Key.Key_Up: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Left: -1}
        if event.key() in ways:
            self.session.touch(self.device, self.parameter.id)
            self._nudge(ways[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_value()
        else:
            super().keyPressEvent(event)

    def type_value(self) -> None:
        text, done = QInputDialog.getText(
            self, self.parameter.name, f"{self.parameter.name}:", text=self.parameter.text(self.own)
        )
        if done:
            bpm = float(self.session.project.tempo.bpm(self.session.place))
            self.session.try_to(lambda: self._set(self.parameter.parse(text, bpm)))
