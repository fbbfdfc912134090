# SPDX-License-Identifier: GPL-3.0-or-later
"""A dial: a ring with a needle, its name above and its value under it.

It is a slider of the toolkit's that paints itself: so it has a role, a range and a value for assistive tools, which can
set it too.
"""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QAbstractSlider

from zolvek.core.model.project import Lane
from zolvek.core.movement.evaluation.lane_evaluation import played, reach_heard
from zolvek.core.value.parameter import Parameter
from zolvek.studio.commands.controls import touch, type_control
from zolvek.studio.session.asking import Ask
from zolvek.studio.session.control_moves import turn
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.cancel_keys import CancelKeys
from zolvek.studio.toolkit.event_time import event_time
from zolvek.studio.views.shared.description import Description

WIDTH, HEIGHT, RING = 74, 86, 16
START, SWEEP = 225.0, 270.0  # degrees: lower left, and the travel to lower right
TRAVEL_PX = 160.0  # pixels of a drag from end to end
MOST_CUT = 64  # texts that are kept as they fit
STEPS = 1_000  # of a continuous control, as assistive tools count them


class Dial(QAbstractSlider):
    """Shows one parameter: the needle is what is heard at the playhead, the notch on the ring
    the control's own present value where a lane moves it away."""

    def __init__(self, session: Session, ask: Ask, device: str, parameter: Parameter, name: str = "") -> None:
        super().__init__()
        self.session, self.ask = session, ask
        self.device, self.parameter = device, parameter
        self.name = name or parameter.name  # over the ring
        self.setFixedSize(WIDTH, HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(parameter.name)
        self.setToolTip(f"{parameter.name}: drag, scroll or use the arrow keys; Enter types a value")
        self.start: tuple[float, float] | None = None
        self.gesture: object = None
        self.moved = False
        self.keys = CancelKeys(self, self.cancel)
        self.shown: tuple[float, float, bool, bool] | None = None
        self.cut: dict[tuple[str, int, float], str] = {}  # texts as they fit, which takes long to find
        self.found: tuple[object, float, float] = (None, 0.0, 0.0)  # heard lane, beat, position
        self.setRange(0, parameter.steps - 1 if parameter.steps > 1 else STEPS)
        self.valueChanged.connect(self._set_by_value)
        self.description = Description(self, self._described)

    def sizeHint(self) -> QSize:
        return self.size()

    @property
    def own(self) -> float:
        """The control's present position."""
        project = self.session.project
        return project.device_track(self.device).device(self.device).position(self.parameter.id)

    def state(self) -> tuple[float, float, bool, bool]:
        """Position heard, own position, whether a lane is applied, whether it is the focus."""
        track = self.session.project.device_track(self.device)
        lane = track.lane_on(self.device, self.parameter.id)
        present = track.device(self.device).position(self.parameter.id)
        applied = lane is not None and not lane.bypassed
        heard = present
        tried = self.session.audition.listening.tried
        held = dict(self.session.held.values)
        if lane and lane.id in held:
            heard = self._of(lane, held[lane.id])
        elif tried and lane and tried[0] == lane.id:
            heard = self._of(lane, float(tried[1].at(self.session.playhead.beat)))
        elif applied and lane:
            heard = self._at_place(lane)
        return heard, present, applied, lane is not None and lane.id == self.session.focus.id

    def _of(self, lane: Lane, value: float) -> float:
        """The position that a value of the lane's curve stands for."""
        low, high = reach_heard(lane, self.session.project)
        return min(max(low + (high - low) * value, 0.0), 1.0)

    def _at_place(self, lane: Lane) -> float:
        """Where the lane has the control now; kept, as most edits are of another lane."""
        heard, beat = played(lane, self.session.project), self.session.playhead.beat
        if self.found[:2] != (heard, beat):
            self.found = heard, beat, float(heard.at(beat))
        return self.found[2]

    def refresh(self) -> None:
        """Repaint if anything it shows has changed."""
        state = self.state()
        if state != self.shown:
            self.shown = state
            self.update()
            self.description.later()

    def _set_by_value(self, value: int) -> None:
        """An assistive tool has set it."""
        touch(self.session, self.device, self.parameter.id)
        self._set(self._position(value))

    def _position(self, value: int) -> float:
        """The position that a value of the slider stands for."""
        steps = self.parameter.steps
        return float(self.parameter.position(value)) if steps > 1 else value / self.maximum()

    def _value(self, position: float) -> int:
        """The slider's value at a position."""
        steps = self.parameter.steps
        return round(float(self.parameter.value(position))) if steps > 1 else round(position * self.maximum())

    def _described(self) -> str:
        """What a screen reader says of it; its value follows."""
        if not self.session.project.has_device(self.device):  # its device goes, and it with it
            return ""
        heard, present, applied, _ = self.state()
        own = f", its own value is {self.parameter.text(present)}" if applied and abs(present - heard) > 1e-9 else ""
        blocked = self.blockSignals(True)  # only who sets it from outside moves the control
        self.setValue(self._value(heard))
        self.blockSignals(blocked)
        return f"{self.parameter.text(heard)}{own}"

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.description.describe()
        super().focusInEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = themes.THEMES[self.session.settings.window.theme]
        heard, present, applied, focused = self.shown = self.state()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        weight = themes.QFont.Weight.DemiBold if focused else themes.QFont.Weight.Normal
        painter.setFont(themes.font(9.5, weight))
        painter.setPen(themes.color(theme.curve if focused else theme.ink))
        self._words(painter, QRectF(0, 2, WIDTH, 18), self.name)
        track = self.session.project.device_track(self.device)
        lane = track.lane_on(self.device, self.parameter.id)
        if lane is not None and lane.id in self.session.passes.armed:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(themes.color(theme.selection))
            painter.drawEllipse(QPointF(WIDTH - 12, 28), 4.0, 4.0)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.parameter.taper == "switch":
            self._lever(painter, theme, heard >= 0.5, applied)
        else:
            self._ring(painter, theme, heard, present, applied)
        painter.setPen(themes.color(theme.ink))
        painter.setFont(themes.font(9.5))
        self._words(painter, QRectF(0, 63, WIDTH, 20), self.parameter.text(heard))
        if self.hasFocus():
            painter.setPen(QPen(themes.color(theme.curve), 1.0, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(1.5, 1.5, self.width() - 3, self.height() - 5))

    def _words(self, painter: QPainter, area: QRectF, text: str) -> None:
        """A text that gives way in its middle: names differ at their ends."""
        key = text, painter.font().weight(), painter.font().pointSizeF()
        if key not in self.cut:
            if len(self.cut) > MOST_CUT:
                self.cut.clear()
            mode = Qt.TextElideMode.ElideMiddle
            self.cut[key] = painter.fontMetrics().elidedText(text, mode, int(area.width()))
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, self.cut[key])

    @property
    def _center(self) -> QPointF:
        return QPointF(WIDTH / 2, 42)

    def _lever(self, painter: QPainter, theme: themes.Theme, on: bool, applied: bool) -> None:
        """A switch: a lever that lies to the left, or to the right when it is on."""
        track = QRectF(self._center.x() - 17, self._center.y() - 9, 34, 18)
        ink = theme.curve if applied else theme.ink
        painter.setPen(QPen(themes.color(ink if on else theme.bar_line), 2.0))
        painter.setBrush(themes.color(ink, 0.18) if on else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(track, 9, 9)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(themes.color(ink if on else theme.quiet))
        at = track.right() - 9 if on else track.left() + 9
        painter.drawEllipse(QPointF(at, track.center().y()), 5.5, 5.5)

    def _ring(self, painter: QPainter, theme: themes.Theme, heard: float, present: float, applied: bool) -> None:
        center = self._center
        draw_ring(painter, theme, center, RING, heard, theme.curve if applied else theme.ink)
        if applied and abs(present - heard) > 0.005:
            _needle(painter, center, present, RING + 1.0, RING + 5.0, theme.ghost)

    def _set(self, position: float, seconds: float | None = None) -> None:
        turn(self.session, self.device, self.parameter.id, position, self.gesture, seconds)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        touch(self.session, self.device, self.parameter.id)
        if event.button() == Qt.MouseButton.LeftButton:
            recorder = self.session.passes.hands
            heard = self.state()[0]
            taken = recorder is not None and recorder.press(self.device, self.parameter.id, heard, event_time(event))
            # A hand that is recorded takes the control from where it is heard to stand.
            self.start = event.position().y(), heard if taken else self.own
            self.gesture = object()
            self.moved = False
            self.keys.begin()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.start is not None:
            fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            travel = (self.start[0] - event.position().y()) / TRAVEL_PX * fine
            if travel:
                self.moved = True
                self._set(self.start[1] + travel, event_time(event))

    def cancel(self) -> None:
        """The drag is undone: the control is where it was."""
        start, gesture = self.start, self.gesture
        if start is not None and self.session.passes.hands is not None:
            self._set(start[1])
            self.session.passes.hands.release(self.device, self.parameter.id, None)
        self.start = self.gesture = None
        self.session.document.cancel_gesture(gesture, lambda: None)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self.start is not None and not self.moved and self.parameter.taper == "switch":
            self._set(0.0 if self.own >= 0.5 else 1.0)
        if self.start is not None and self.session.passes.hands is not None:
            seconds = event_time(event) if event is not None else None
            self.session.passes.hands.release(self.device, self.parameter.id, seconds)
        if self.start is not None:
            self.keys.end()
            self.start = self.gesture = None
            self.session.document.end_gesture()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._set(self.parameter.default_position)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        touch(self.session, self.device, self.parameter.id)
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
            touch(self.session, self.device, self.parameter.id)
            self._nudge(ways[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_value()
        else:
            event.ignore()  # not the base's: Home, Page up and others are commands of the window

    def menu_kind(self, at: object) -> str:
        """The kind of its context menu."""
        touch(self.session, self.device, self.parameter.id)
        return "dial"

    def type_value(self) -> None:
        """Ask for a value."""
        touch(self.session, self.device, self.parameter.id)
        self.session.notices.attempt(lambda: type_control(self.session, self.ask))


def draw_ring(painter: QPainter, theme: themes.Theme, center: QPointF, size: float, position: float, ink: str) -> None:
    """A dial's ring of radius `size`, filled up to `position`, and its needle."""
    ring = QRectF(center.x() - size, center.y() - size, 2 * size, 2 * size)
    pen = QPen(themes.color(theme.bar_line), 3.0)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    painter.setPen(pen)
    painter.drawArc(ring, int(START * 16), int(-SWEEP * 16))
    pen.setColor(themes.color(ink))
    painter.setPen(pen)
    painter.drawArc(ring, int(START * 16), int(-SWEEP * position * 16))
    _needle(painter, center, position, size / 4.0, size - 5.0, theme.ink)


def _needle(painter: QPainter, center: QPointF, position: float, inner: float, outer: float, ink: str) -> None:
    angle = math.radians(START - SWEEP * position)
    direction = QPointF(math.cos(angle), -math.sin(angle))
    painter.setPen(QPen(themes.color(ink), 2.0))
    painter.drawLine(center + direction * inner, center + direction * outer)
