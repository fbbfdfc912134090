# SPDX-License-Identifier: GPL-3.0-or-later
"""The whole project in miniature: sections, silhouettes of all lanes, and the shown window."""

from __future__ import annotations

import time

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QGroupBox

from zolvek.core.edits.lanes import moves
from zolvek.core.model.project import Lane
from zolvek.core.same import Same
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import curve_painting
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.cancel_keys import CancelKeys
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.shared.description import Description
from zolvek.studio.views.shared.spoken_texts import described_view

HEIGHT, TOP, EDGE = 74, 18, 6
LATER_MS = 60
GROUP = 32  # lanes that are drawn into one picture, which stays until one of them changes
DRAWING_SECONDS = 0.25  # that a picture may take; what is left follows
DASH, DASH_ROWS = 3.0, 14  # the rows of dashes from the bottom up
MOST_NEAR = 12
HINT = "Drag the frame to scroll · drag its edges to zoom · double-click to show a section"


class Overview(QGroupBox):
    def __init__(self, session: Session, view: Viewport) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.setFixedHeight(HEIGHT)
        self.setMouseTracking(True)
        self.setAccessibleName("Overview of the whole project")
        Description(self, lambda: described_view(session, view), session.document.changed, view.changed)
        self.whole = Viewport(session.project.length)
        self.groups: dict[object, QPixmap] = {}
        self.lanes: QPixmap | None = None  # all silhouettes, as long as they hold
        self.grabbed = ""
        self.grab_beat = 0.0
        self.before = (view.first, view.beats)  # what was shown when it was grabbed
        self.keys = CancelKeys(self, self.cancel)
        self.playhead = 0.0
        session.playhead.changed.connect(self._move_playhead)
        # While a point is dragged the miniature follows a little later: the lane comes first.
        self.later = QTimer(self)
        self.later.setSingleShot(True)
        self.later.setInterval(LATER_MS)
        self.later.timeout.connect(self._renew)
        session.document.changed.connect(self.later.start)
        for signal in (session.focus.changed, session.look.changed):
            signal.connect(self._renew)
        for signal in (session.span.changed, view.changed):
            signal.connect(self.update)

    def _renew(self) -> None:
        self.lanes = None
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.lanes = None

    def _move_playhead(self) -> None:
        new = self.whole.x(self.session.playhead.beat)
        for x in (self.playhead, new):
            self.update(int(x) - 2, TOP, 5, HEIGHT - TOP)
        self.playhead = new

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        project = self.session.project
        self.whole.set_length(project.length)
        self.whole.show(0.0, project.length)
        self.whole.set_width(self.width())
        painter.fillRect(self.rect(), themes.color(theme.desk))
        sheet = QRectF(0, TOP, self.width(), HEIGHT - TOP - 4)
        painter.fillRect(sheet, themes.color(theme.sheet))
        self._paint_sections(painter, theme, sheet)
        if self.lanes is None or self.lanes.devicePixelRatio() != self.devicePixelRatioF():
            self.lanes = self._together(theme, sheet)
        painter.drawPixmap(0, TOP, self.lanes)
        left, right = self.whole.x(self.view.first), self.whole.x(self.view.last)
        shade = themes.color(theme.desk, 0.55)
        painter.fillRect(QRectF(0, TOP, left, sheet.height()), shade)
        painter.fillRect(QRectF(right, TOP, self.width() - right, sheet.height()), shade)
        painter.setPen(QPen(themes.color(theme.ink), 1.2))
        painter.drawRect(QRectF(left + 0.5, TOP + 0.5, right - left - 1.5, sheet.height() - 1))
        curve_painting.draw_playhead(painter, self.whole.x(self.session.playhead.beat), sheet, theme)

    def _paint_sections(self, painter: QPainter, theme: themes.Theme, sheet: QRectF) -> None:
        project = self.session.project
        painter.setFont(themes.font(9.5))
        for section, first, end in project.section_spans():
            left, right = self.whole.x(first), self.whole.x(end)
            painter.setPen(QPen(themes.color(theme.bar_line), 1.0))
            painter.drawLine(QPointF(left + 0.5, 3), QPointF(left + 0.5, sheet.bottom()))
            painter.setPen(themes.color(theme.quiet))
            area = QRectF(left + 5, 0, right - left - 6, TOP)
            name = painter.fontMetrics().elidedText(section.name, Qt.TextElideMode.ElideRight, int(area.width()))
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, name)

    def _together(self, theme: themes.Theme, sheet: QRectF) -> QPixmap:
        """The focus and its device's lanes as curves; of the others where they move, a dash for each in
        each section."""
        picture = self._empty(sheet)
        painter = QPainter(picture)
        focus = self.session.lane
        lanes = [lane for lane in self.session.project.lanes() if not lane.hidden]
        near = [x for x in lanes if focus is not None and x.device == focus.device and x.id != focus.id]
        own = {lane.id for lane in near} | {focus.id if focus is not None else ""}
        shown = [lane for lane in lanes if lane.id not in own]
        groups = [shown[i : i + GROUP] for i in range(0, len(shown), GROUP)]
        kept: dict[object, QPixmap] = {}
        began = time.monotonic()
        for group in groups:
            key = (theme.key, self.width(), self.devicePixelRatioF(), self.whole.key,
                   tuple(Same(lane) for lane in group), tuple(self.session.project.section_spans()))  # fmt: skip
            result = self.groups.get(key)
            if result is None:
                if time.monotonic() - began > DRAWING_SECONDS:
                    self.later.start()  # the rest a little later: there are very many
                    continue
                result = self._drawn(group, theme, sheet)
            kept[key] = result
            painter.drawPixmap(0, 0, result)
        self.groups = kept
        painter.setOpacity(0.75)
        for lane in near[:MOST_NEAR]:
            self._draw(painter, lane, sheet, themes.lane_ink(theme, lane), 1.0)
        painter.setOpacity(1.0)
        if focus is not None and not focus.hidden:
            self._draw(painter, focus, sheet, themes.lane_ink(theme, focus), 2.0)
        painter.end()
        return picture

    def _drawn(self, lanes: list[Lane], theme: themes.Theme, sheet: QRectF) -> QPixmap:
        picture = self._empty(sheet)
        painter = QPainter(picture)
        spans = self.session.project.section_spans() or ()
        for index, lane in enumerate(lanes):
            row = sheet.height() - 3.5 - DASH * (index % DASH_ROWS)
            painter.setPen(QPen(themes.color(themes.lane_ink(theme, lane), 0.7), 1.6))
            for _, first, last in spans:
                if last > first and moves(lane, first, last):
                    left, right = self.whole.x(first) + 3.0, self.whole.x(last) - 3.0
                    painter.drawLine(QPointF(left, row), QPointF(max(right, left + 1.0), row))
        painter.end()
        return picture

    def _draw(self, painter: QPainter, lane: Lane, sheet: QRectF, ink: str, width: float) -> None:
        inner = QRectF(0, 4, sheet.width(), sheet.height() - 8)
        curve_painting.draw_curve(painter, lane.curve, self.whole, inner, ink, width)

    def _empty(self, sheet: QRectF) -> QPixmap:
        ratio = self.devicePixelRatioF()
        picture = QPixmap((sheet.size() * ratio).toSize())
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        return picture

    def _part(self, x: float) -> str:
        left, right = self.whole.x(self.view.first), self.whole.x(self.view.last)
        if abs(x - left) <= EDGE:
            return "left"
        if abs(x - right) <= EDGE:
            return "right"
        return "frame" if left < x < right else "outside"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = event.position().x()
        self.before = self.view.first, self.view.beats
        self.keys.begin()
        self.grabbed = self._part(x)
        beat = self.whole.beat(x)
        if self.grabbed == "outside":
            self.view.show(beat - self.view.beats / 2.0, self.view.beats)
            self.grabbed = "frame"
        self.grab_beat = beat - self.view.first

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.session.notices.hover(HINT)
        x = event.position().x()
        beat = min(max(self.whole.beat(x), 0.0), self.view.length)
        if self.grabbed == "frame":
            self.view.show(beat - self.grab_beat, self.view.beats)
        elif self.grabbed == "left":
            self.view.show(min(beat, self.view.last - 0.25), max(self.view.last - beat, 0.25))
        elif self.grabbed == "right":
            self.view.show(self.view.first, max(beat - self.view.first, 0.25))
        part = self.grabbed or self._part(x)
        edge = part in ("left", "right")
        self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.OpenHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.keys.end()
        self.grabbed = ""

    def cancel(self) -> None:
        """What was shown is shown again."""
        self.grabbed = ""
        self.view.show(*self.before)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        first, last = self.session.project.section_at(self.whole.beat(event.position().x()))
        self.view.show(first, last - first)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.view.zoom(0.8 ** (event.angleDelta().y() / 120.0), self.whole.beat(event.position().x()))
        event.accept()

    def leaveEvent(self, event: object) -> None:
        self.session.notices.hover("")
