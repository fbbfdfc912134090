# SPDX-License-Identifier: GPL-3.0-or-later
"""The ruler over the lanes: bars, sections, the playhead's handle and the selected span."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QGroupBox

from zolvek.studio.services.playback.player import Player
from zolvek.studio.services.playback.scrubbing import Scrubber
from zolvek.studio.services.sounds.hit_marks import Hits
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.curve_painting import shown_bars
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.shared.description import Description
from zolvek.studio.views.shared.spoken_texts import described_time
from zolvek.studio.views.timeline.drag import Dragging, keys_of, snapped
from zolvek.studio.views.timeline.focus_lane import SCALE
from zolvek.studio.views.timeline.ruler_marks import MarkDrag, PlayheadDrag, SpanDrag, mark_at, marks_of

HEIGHT = 38
HINT = "Click to place the playhead · drag to select a span, snapped to the grid · Esc clears it"


HANDLE_FOOT = 30.0  # pixels down to which the handle is taken: below, a span may begin where the playhead is
HANDLE_PX = 6.0  # from the playhead, within which its handle is taken
PLAYHEAD_HINT = "Drag the playhead to scrub · Ctrl: off the grid"
MARK_HINT = "Drag to move this mark of the lane · Ctrl: off the grid"


class Ruler(QGroupBox):
    def __init__(self, session: Session, view: Viewport, player: Player, hits: Hits) -> None:
        super().__init__()
        self.session, self.view, self.player, self.hits = session, view, player, hits
        self.frame = self._frame()
        self.setFixedHeight(HEIGHT)
        self.setMouseTracking(True)
        self.setAccessibleName("Ruler")
        changes = session.document.changed, session.span.changed, session.playhead.changed
        Description(self, lambda: described_time(session), *changes)
        for signal in (
            session.span.changed, session.look.changed, view.changed, hits.changed,
        ):  # fmt: skip
            signal.connect(self.update)
        self.lift = 0  # pixels at the top that are left out, as sections have a row of their own
        session.look.changed.connect(self._fold)
        self._fold()
        session.document.changed.connect(self._follow)
        session.focus.changed.connect(self._follow)
        self.dragging = Dragging(session, view, self)
        self.scrubber = Scrubber(player)
        self.playhead = 0.0
        session.playhead.changed.connect(self._move_playhead)

    def _frame(self) -> tuple[object, ...]:
        """What of the project is shown here."""
        project = self.session.project
        marks = tuple(marks_of(self.session.lane))
        return project.tempo, project.meter, project.sections, project.length, marks

    def _fold(self) -> None:
        self.lift = 18 if self.session.settings.window.time_rows else 0
        self.setFixedHeight(HEIGHT - self.lift)

    def _follow(self) -> None:
        frame = self._frame()
        if frame != self.frame:
            self.frame = frame
            self.update()

    def _move_playhead(self) -> None:
        new = SCALE + self.view.x(self.session.playhead.beat)
        for x in (self.playhead, new):
            if -8 <= x <= self.width() + 8:
                self.update(int(x) - 7, 18 - self.lift, 15, HEIGHT - 18)
        self.playhead = new

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        project = self.session.project
        painter.fillRect(self.rect(), themes.color(theme.desk))
        painter.translate(0, -self.lift)
        painter.setClipRect(QRectF(SCALE, 0, self.width() - SCALE, HEIGHT))
        if not self.lift:
            self._paint_sections(painter, theme)
        if self.session.span.beats:
            left, right = (SCALE + self.view.x(beat) for beat in self.session.span.beats)
            painter.fillRect(QRectF(left, 18, right - left, HEIGHT - 18), themes.color(theme.selection, 0.28))
        painter.setFont(themes.font(9.5))
        for bar, beat in shown_bars(project, self.view, 34.0):
            x = round(SCALE + self.view.x(beat)) + 0.5
            painter.setPen(QPen(themes.color(theme.bar_line), 1.0))
            painter.drawLine(QPointF(x, 20), QPointF(x, HEIGHT))
            painter.setPen(themes.color(theme.quiet))
            painter.drawText(QPointF(x + 4, HEIGHT - 6), str(bar))
        self._paint_hits(painter, theme)
        self._paint_marks(painter, theme)
        x = SCALE + self.view.x(self.session.playhead.beat)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(themes.color(theme.playhead))
        corners = ((x - 5, 20), (x + 5, 20), (x + 5, 27), (x, HEIGHT), (x - 5, 27))
        painter.drawPolygon(QPolygonF([QPointF(*corner) for corner in corners]))

    def _paint_hits(self, painter: QPainter, theme: themes.Theme) -> None:
        """Ticks at the foot, one a pixel at most."""
        beats = self.hits.beats
        seen = beats[(beats >= self.view.first) & (beats <= self.view.last)]
        painter.setPen(QPen(themes.color(theme.layer), 1.0))
        for x in dict.fromkeys(np.round(SCALE + self.view.xs(seen)).tolist()):
            painter.drawLine(QPointF(x + 0.5, HEIGHT - 4.0), QPointF(x + 0.5, HEIGHT))

    def _paint_marks(self, painter: QPainter, theme: themes.Theme) -> None:
        """The ends of the lane's own loop as brackets, and its slots' switches as flags."""
        lane = self.session.lane
        if lane is None:
            return
        ink = themes.color(themes.lane_ink(theme, lane))
        for mark in marks_of(lane):
            x = round(SCALE + self.view.x(mark.beat)) + 0.5
            painter.setPen(QPen(ink, 2.0))
            painter.drawLine(QPointF(x, 20), QPointF(x, HEIGHT - 1))
            offset = {"loop-start": 5.0, "loop-end": -5.0}.get(mark.kind, 0.0)
            for y in (20.5, HEIGHT - 1.5):
                painter.drawLine(QPointF(x, y), QPointF(x + offset, y))
            if mark.kind == "switch":
                painter.fillRect(QRectF(x, 19, 9, 7), ink)

    def _paint_sections(self, painter: QPainter, theme: themes.Theme) -> None:
        project = self.session.project
        painter.setFont(themes.font(9.5, themes.QFont.Weight.Medium))
        for section, first, end in project.section_spans():
            left = max(SCALE + self.view.x(first), SCALE)
            right = SCALE + self.view.x(end)
            if right > SCALE and left < self.width():
                if section.colour:
                    ink = themes.color(themes.section_ink(theme, section), 0.22)
                    painter.fillRect(QRectF(left, 2, max(right - left - 1, 0), 15), ink)
                painter.setPen(themes.color(theme.ink))
                area = QRectF(left + 4, 0, max(right - left - 6, 0), 18)
                name = painter.fontMetrics().elidedText(section.name, Qt.TextElideMode.ElideRight, int(area.width()))
                painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, name)

    def _on_playhead(self, at: QPointF) -> bool:
        """Whether a point is on the playhead's handle."""
        x = SCALE + self.view.x(self.session.playhead.beat)
        return abs(at.x() - x) <= HANDLE_PX and 18 < at.y() + self.lift <= HANDLE_FOOT

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            mark = mark_at(self.session, self.view, event.position().x() - SCALE)
            at = event.position()
            if self._on_playhead(at):
                self.dragging.begin(at, lambda: PlayheadDrag(self.session, self.scrubber))
                return
            if mark is not None and at.y() + self.lift > 18:
                self.dragging.begin(at, lambda: MarkDrag(self.session, mark))
                return
            beat = snapped(self.session, self.view.beat(at.x() - SCALE), keys_of(event))
            self.dragging.begin(at, lambda: SpanDrag(self.session, beat))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.dragging.update(event):
            return
        near = mark_at(self.session, self.view, event.position().x() - SCALE)
        shapes = Qt.CursorShape
        if self._on_playhead(event.position()):
            self.setCursor(shapes.SizeHorCursor)
            self.session.notices.hover(PLAYHEAD_HINT)
            return
        self.setCursor(shapes.SplitHCursor if near else shapes.ArrowCursor)
        plays = f"{near.text} plays from here · " if near and near.text else ""
        self.session.notices.hover(f"{plays}{MARK_HINT}" if near else HINT)

    def menu_kind(self, at: QPoint | None) -> str:
        """What the menu is of: a switch that is pressed goes with the playhead there."""
        mark = mark_at(self.session, self.view, at.x() - SCALE) if at is not None else None
        if mark is not None and mark.kind == "switch":
            self.player.seek(mark.beat)
            return "switch"
        return "ruler"

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        clicked = self.dragging.finish()
        if isinstance(clicked, SpanDrag):
            self.player.seek(clicked.beat)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """A double press selects the section under the pointer."""
        assert event is not None
        beat = self.view.beat(event.position().x() - SCALE)
        self.session.span.choose(self.session.project.section_at(beat))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        steps = event.angleDelta().y() / 120.0
        self.view.zoom(0.8**steps, self.view.beat(event.position().x() - SCALE))
        event.accept()

    def leaveEvent(self, event: object) -> None:
        self.session.notices.hover("")
