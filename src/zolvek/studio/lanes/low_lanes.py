"""The other shown lanes, low, under the focus lane on the same time axis."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QWidget

from zolvek.core.model.project import Lane
from zolvek.core.movement.playing import played
from zolvek.studio import theme as themes
from zolvek.studio.lanes import painting
from zolvek.studio.lanes.focus_lane import SCALE
from zolvek.studio.session import Session
from zolvek.studio.viewport import Viewport

ROW, TALL = 46, 92
MOST_KEPT = 256  # drawn rows


class LowLanes(QWidget):
    """One row a lane; a press makes it the focus."""

    def __init__(self, session: Session, view: Viewport) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.setMouseTracking(True)
        self.setAccessibleName("Other lanes")
        self.rows: dict[object, QPixmap] = {}
        self.playhead = -1.0
        self.shown: object = None
        for signal in (session.document.changed, session.focus.changed):
            signal.connect(self._fit)
        for signal in (
            session.look.changed,
            session.tools.changed,
            session.span.changed,
            view.changed,
        ):
            signal.connect(self.update)
        session.playhead.changed.connect(self._move_playhead)
        session.passes.changed.connect(self.update)
        self._fit()

    @property
    def lanes(self) -> list[Lane]:
        return [
            lane
            for lane in self.session.project.lanes()
            if not lane.hidden and lane.id != self.session.focus.id
        ]

    def _tops(self) -> list[tuple[Lane, int, int]]:
        """Each shown lane with its row's top and height."""
        found, top = [], 0
        for lane in self.lanes:
            height = TALL if lane.tall else ROW
            found.append((lane, top, height))
            top += height
        return found

    def _fit(self) -> None:
        """Repaint if another lane than the focus has changed."""
        shown = [(lane.id, id(lane)) for lane in self.lanes]
        if shown == self.shown:
            return
        self.shown = shown
        self.setMinimumHeight(max(sum(height for _, _, height in self._tops()), ROW))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(400, sum(height for _, _, height in self._tops()))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        assert event is not None
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.theme]
        painter.fillRect(event.rect(), themes.color(theme.desk))
        for lane, top, height in self._tops():
            if top < event.rect().bottom() + 1 and top + height > event.rect().top():
                painter.drawPixmap(0, top, self._row(lane, theme, height))
        x = SCALE + self.view.x(self.session.playhead.beat)
        if x >= SCALE:
            painting.draw_playhead(painter, x, QRectF(self.rect()), theme)

    def _row(self, lane: Lane, theme: themes.Theme, height: int) -> QPixmap:
        """A lane's row, drawn once for each curve and view."""
        ratio = self.devicePixelRatioF()
        project = self.session.project
        key = (lane.id, id(lane), lane.id in self.session.passes.armed, theme.key, self.view.key, self.width(),
               ratio, self.session.span.beats, id(project.meter))  # fmt: skip
        found = self.rows.get(key)
        if found is not None:
            return found
        if len(self.rows) > MOST_KEPT:
            self.rows.clear()
        pixmap = QPixmap(QSize(self.width(), height) * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(themes.color(theme.desk))
        painter = QPainter(pixmap)
        sheet = QRectF(SCALE, 1, self.width() - SCALE, height - 3)
        painter.fillRect(sheet, themes.color(theme.sheet))
        if self.session.span.beats:
            left, right = (
                min(max(SCALE + self.view.x(b), SCALE), self.width())
                for b in self.session.span.beats
            )
            painter.fillRect(
                QRectF(left, 1, right - left, height - 3), themes.color(theme.wash, 0.55)
            )
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        for _, beat in painting.shown_bars(project, self.view):
            x = round(SCALE + self.view.x(beat)) + 0.5
            painter.drawLine(QPointF(x, sheet.top()), QPointF(x, sheet.bottom()))
        ink = theme.ghost if lane.bypassed else themes.lane_ink(theme, lane)
        inner = sheet.adjusted(0, 5, 0, -5)
        heard = played(lane, project)
        painting.draw_curve(painter, heard.curve, self.view, inner, ink, 1.3)
        self._label(painter, theme, lane, sheet)
        painter.end()
        self.rows[key] = pixmap
        return pixmap

    def _label(self, painter: QPainter, theme: themes.Theme, lane: Lane, sheet: QRectF) -> None:
        text = (
            self.session.project.label_of(lane.id)
            + ("  (bypassed)" if lane.bypassed else "")
            + ("  (locked)" if lane.locked else "")
            + ("  (armed)" if lane.id in self.session.passes.armed else "")
        )
        painter.setFont(themes.font(9.5))
        width = painter.fontMetrics().horizontalAdvance(text) + 10
        painter.fillRect(
            QRectF(sheet.left(), sheet.top(), width, 15), themes.color(theme.sheet, 0.85)
        )
        painter.setPen(themes.color(theme.quiet))
        painter.drawText(QPointF(sheet.left() + 5, sheet.top() + 11.5), text)

    def _move_playhead(self) -> None:
        new = SCALE + self.view.x(self.session.playhead.beat)
        for x in (self.playhead, new):
            if 0 <= x <= self.width():
                self.update(int(x) - 3, 0, 7, self.height())
        self.playhead = new

    def _lane_at(self, y: float) -> Lane | None:
        return next((lane for lane, top, height in self._tops() if top <= y < top + height), None)

    def menu_kind(self, at: QPoint | None) -> str:
        lane = self._lane_at(at.y()) if at is not None else None
        if lane is not None:
            self.session.focus.on(lane.id)
        return "low" if lane is not None or at is None else ""

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        lane = self._lane_at(event.position().y())
        self.setCursor(Qt.CursorShape.PointingHandCursor if lane else Qt.CursorShape.ArrowCursor)
        label = self.session.project.label_of(lane.id) if lane else ""
        self.session.notices.say(f"Press to work on {label}" if lane else "")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        lane = self._lane_at(event.position().y())
        if lane and event.button() == Qt.MouseButton.LeftButton:
            self.session.focus.on(lane.id)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            beat = self.view.beat(event.position().x() - SCALE)
            self.view.zoom(0.8 ** (event.angleDelta().y() / 120.0), beat)
            event.accept()
        else:
            event.ignore()  # the scroll area takes it
