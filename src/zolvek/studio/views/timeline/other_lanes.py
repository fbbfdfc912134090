# SPDX-License-Identifier: GPL-3.0-or-later
"""The other shown lanes, in low rows under the focus lane, on the same time axis."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QGroupBox

from zolvek.core.curve import point_edits
from zolvek.core.edits.lanes import beside
from zolvek.core.edits.targets import base
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.same import Same
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import curve_painting
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.outline import points_shown, range_shown
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.shared.description import Description
from zolvek.studio.views.shared.spoken_texts import described_rows
from zolvek.studio.views.timeline.drag import CLICK_PX, Drag, Dragging, DragKeys, Pointer, moved, snapped
from zolvek.studio.views.timeline.hit_test import Hit, HitKind, hit
from zolvek.studio.views.timeline.plot import SCALE

ROW, TALL = 46, 92
MOST_KEPT = 256  # drawn rows
MOST_POINTS = 40  # in view, that a low lane shows


class PointDrag(Drag):
    """A point of one of the other lanes; the focus stays where it is."""

    def __init__(self, session: Session, lane: Lane, index: int, height: float) -> None:
        self.session, self.height = session, height
        self.lane, self.curve, self.index = lane.id, lane.curve, index
        self.target = base(session.project, lane.id)

    def update(self, pointer: Pointer) -> None:
        """Move the point to the pointer."""
        session, beat = self.session, float(self.curve.beat[self.index])
        to = beat + pointer.beats
        if not pointer.keys.free:
            to = moved(session, beat, to, pointer.keys) if abs(pointer.delta.x()) >= CLICK_PX else beat
        rise = pointer.rise(self.height)
        curve, where = point_edits.move(
            self.curve, np.array([self.index]), to - beat, rise, session.settings.editing.collisions
        )
        project = self.target.put(session.document.before(self), lambda _: curve)
        session.document.edit(f"Move a point of {session.project.label_of(self.lane)}", project, self)
        at = where[0]
        value = self.target.parameter.text(float(self.target.to_position(curve.value[at])))
        self.text = f"{value}   {session.project.meter.text(float(curve.beat[at]))}"


class SweepDrag(Drag):
    """With Shift, over rows: those are worked on with the focus, as one, and the time it goes over is the span; on
    one spot it takes the row along, or no longer. `rows` gives the lanes between two heights."""

    acts = True

    def __init__(self, session: Session, rows: Callable[[float, float], set[str]], beat: float, at: QPointF) -> None:
        self.session, self.rows, self.beat = session, rows, beat
        self.also, self.span = session.span.also, session.span.beats
        session.span.take_along(self.also ^ rows(at.y(), at.y()))

    def update(self, pointer: Pointer) -> None:
        """Sweep to the pointer."""
        session = self.session
        rows = self.rows(*sorted((pointer.start.y(), pointer.at.y())))
        if abs(pointer.delta.x()) < CLICK_PX:
            session.span.take_along(self.also ^ rows)
            return
        ends = sorted(snapped(session, beat, DragKeys()) for beat in (self.beat, pointer.beat))
        first, last = (min(beat, session.project.length) for beat in ends)
        if last > first:
            session.span.beats = (first, last)
        session.span.take_along(self.also | rows)

    def cancel(self) -> None:
        """Take along, and select, what was before."""
        self.session.span.beats = self.span
        self.session.span.take_along(self.also)


class OtherLanes(QGroupBox):
    """One row a lane; a press makes it the focus, and its points can be dragged where they are."""

    def __init__(self, session: Session, view: Viewport) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.setMouseTracking(True)
        self.setAccessibleName("Other lanes")
        changes = session.document.changed, session.focus.changed, session.look.changed, session.playhead.changed
        Description(self, lambda: described_rows(session, self.lanes), *changes)
        self.rows: dict[object, QPixmap] = {}
        self.playhead = -1.0
        self.shown: object = None
        self.looked_at: tuple[Project, tuple[Same, ...]] | None = None  # the project and lanes of the last fit
        self.dragging = Dragging(session, view, self)
        for signal in (
            session.document.changed, session.focus.changed, session.look.changed, session.span.changed, view.changed,
        ):  # fmt: skip
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
        """The lanes that are shown."""
        session, settings = self.session, self.session.settings
        moving = session.span.beats or (self.view.first, self.view.last)
        return beside(
            session.project,
            session.focus.id,
            settings.window.related_first,
            session.look.kept,
            moving if settings.window.moving_only else None,
        )

    def _tops(self) -> list[tuple[Lane, int, int]]:
        """Each shown lane with its row's top and height."""
        result, top = [], 0
        for lane in self.lanes:
            height = TALL if lane.tall else ROW
            result.append((lane, top, height))
            top += height
        return result

    def _fit(self) -> None:
        """Repaint if another lane than the focus has changed."""
        now = self.session.project, tuple(Same(lane) for lane in self.lanes)
        if self.looked_at is not None and now[0] is self.looked_at[0] and now[1] == self.looked_at[1]:
            return
        self.looked_at = now
        shown = [self._content(row.of) for row in now[1]]
        if shown == self.shown:
            return
        self.shown = shown
        self.setMinimumHeight(max(sum(height for _, _, height in self._tops()), ROW))
        self.update()

    def _content(self, lane: Lane) -> tuple[object, ...]:
        """All of the project that a row is drawn from."""
        project = self.session.project
        return (
            Same(lane),
            Same(played(lane, project)),
            Same(project.meter),
            project.length,
            project.label_of(lane.id),
        )

    def sizeHint(self) -> QSize:
        return QSize(400, self.minimumHeight())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        assert event is not None
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        painter.fillRect(event.rect(), themes.color(theme.desk))
        for lane, top, height in self._tops():
            if top < event.rect().bottom() + 1 and top + height > event.rect().top():
                painter.drawPixmap(0, top, self._row(lane, theme, height))
                self._value(painter, theme, lane, top)
        x = SCALE + self.view.x(self.session.playhead.beat)
        if x >= SCALE:
            curve_painting.draw_playhead(painter, x, QRectF(self.rect()), theme)

    def _row(self, lane: Lane, theme: themes.Theme, height: int) -> QPixmap:
        """A lane's row, drawn once for each curve and view."""
        ratio = self.devicePixelRatioF()
        project = self.session.project
        key = (self._content(lane), lane.id in self.session.passes.armed, theme.key, self.view.key, self.width(),
               ratio, self.session.span.beats, lane.id in self.session.span.also)  # fmt: skip
        row = self.rows.get(key)
        if row is not None:
            return row
        if len(self.rows) > MOST_KEPT:
            self.rows.clear()
        pixmap = QPixmap(QSize(self.width(), height) * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(themes.color(theme.desk))
        painter = QPainter(pixmap)
        sheet = QRectF(SCALE, 1, self.width() - SCALE, height - 3)
        painter.fillRect(sheet, themes.color(theme.sheet))
        if self.session.span.beats:
            left, right = (min(max(SCALE + self.view.x(b), SCALE), self.width()) for b in self.session.span.beats)
            painter.fillRect(QRectF(left, 1, right - left, height - 3), themes.color(theme.wash, 0.55))
        if lane.id in self.session.span.also:
            painter.fillRect(QRectF(SCALE - 5, 1, 4, height - 3), themes.color(theme.selection))
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        for _, beat in curve_painting.shown_bars(project, self.view):
            x = round(SCALE + self.view.x(beat)) + 0.5
            painter.drawLine(QPointF(x, sheet.top()), QPointF(x, sheet.bottom()))
        ink = theme.ghost if lane.bypassed else themes.lane_ink(theme, lane)
        inner = sheet.adjusted(0, 5, 0, -5)
        heard = played(lane, project)
        curve_painting.draw_curve(painter, heard.drawn, self.view, inner, ink, 1.3)
        self._points(painter, theme, lane, inner, ink)
        self._label(painter, theme, lane, sheet)
        painter.end()
        self.rows[key] = pixmap
        return pixmap

    def _value(self, painter: QPainter, theme: themes.Theme, lane: Lane, top: int) -> None:
        """What the lane has its control at, at the playhead, in the margin."""
        project, here = self.session.project, self.session.playhead.beat
        position = float(played(lane, project).at(here))
        text = project.parameter_of(lane.id).text(position)
        painter.setFont(themes.font(9.5))
        area = QRectF(2, top + 2, SCALE - 8, 18)
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(area.width()))
        painter.setPen(themes.color(theme.quiet if lane.bypassed else theme.ink))
        painter.drawText(area, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)

    def _label(self, painter: QPainter, theme: themes.Theme, lane: Lane, sheet: QRectF) -> None:
        text = (
            self.session.project.label_of(lane.id)
            + ("  (bypassed)" if lane.bypassed else "")
            + ("  (locked)" if lane.locked else "")
            + ("  (armed)" if lane.id in self.session.passes.armed else "")
        )
        painter.setFont(themes.font(9.5))
        width = painter.fontMetrics().horizontalAdvance(text) + 10
        painter.fillRect(QRectF(sheet.left(), sheet.top(), width, 15), themes.color(theme.sheet, 0.85))
        painter.setPen(themes.color(theme.quiet))
        painter.drawText(QPointF(sheet.left() + 5, sheet.top() + 11.5), text)

    def _move_playhead(self) -> None:
        new = SCALE + self.view.x(self.session.playhead.beat)
        for x in (self.playhead, new):
            if 0 <= x <= self.width():
                self.update(int(x) - 3, 0, 7, self.height())
        self.update(0, 0, int(SCALE), self.height())  # the values there
        self.playhead = new

    def _points(self, painter: QPainter, theme: themes.Theme, lane: Lane, inner: QRectF, ink: str) -> None:
        """The points, where there is room to take hold of them."""
        shown = points_shown(lane.curve, self.view)
        if lane.locked or shown.size > MOST_POINTS:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(themes.color(ink), 1.0))
        painter.setBrush(themes.color(theme.sheet))
        for beat, value in zip(lane.curve.beat[shown], lane.curve.value[shown], strict=True):
            x, y = SCALE + self.view.x(float(beat)), inner.bottom() - float(value) * inner.height()
            painter.drawPolygon(curve_painting.diamond(x, y, 3.0))

    def _hit(self, at: QPointF) -> tuple[Lane, Hit, QRectF] | None:
        """The lane at a place, what of it is there, and where its curve is drawn."""
        for lane, top, height in self._tops():
            if top <= at.y() < top + height:
                inner = QRectF(SCALE, top + 6, self.width() - SCALE, height - 13)
                result = hit(lane.curve, self.view, at.x() - SCALE, at.y(), inner.top(), inner.height())
                points = len(range_shown(lane.curve, self.view)) <= MOST_POINTS
                return lane, result if points and at.x() >= SCALE - 4 else Hit(HitKind.NONE), inner
        return None

    def _lane_at(self, y: float) -> Lane | None:
        return next((lane for lane, top, height in self._tops() if top <= y < top + height), None)

    def menu_kind(self, at: QPoint | None) -> str:
        """The kind of its context menu."""
        lane = self._lane_at(at.y()) if at is not None else None
        if lane is not None:
            self.session.focus.on(lane.id)
        return "other-lane" if lane is not None or at is None else ""

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        if self.dragging.update(event):
            return
        result = self._hit(at)
        on_point = result is not None and result[1].kind == HitKind.POINT and not result[0].locked
        shapes = Qt.CursorShape
        self.setCursor(
            shapes.SizeAllCursor if on_point else shapes.PointingHandCursor if result else shapes.ArrowCursor
        )
        label = self.session.project.label_of(result[0].id) if result else ""
        hint = (
            f"Drag to move this point of {label}"
            if on_point
            else f"Click to work on {label} · Ctrl-click or Shift-drag to work on several lanes together"
        )
        self.session.notices.hover(hint if result else "")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        result = self._hit(event.position())
        if result is None or event.button() != Qt.MouseButton.LeftButton:
            return
        (lane, what, inner), at = result, event.position()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            beat = max(self.view.beat(at.x() - SCALE), 0.0)
            self.dragging.begin(at, lambda: SweepDrag(self.session, self._rows, beat, at))
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.session.span.take_along(self.session.span.also ^ {lane.id})
        elif what.kind == HitKind.POINT and not lane.locked:
            self.dragging.begin(at, lambda: PointDrag(self.session, lane, what.index, inner.height()))
        else:
            self.session.focus.on(lane.id)

    def _rows(self, low: float, high: float) -> set[str]:
        """The lanes whose rows lie between two heights."""
        return {lane.id for lane, top, height in self._tops() if top < high + 1 and top + height > low}

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A point that was only pressed brings its lane up, selected."""
        clicked = self.dragging.finish()
        if isinstance(clicked, PointDrag):
            self.session.focus.on(clicked.lane)
            self.session.points.choose(np.array([clicked.index]))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            beat = self.view.beat(event.position().x() - SCALE)
            self.view.zoom(0.8 ** (event.angleDelta().y() / 120.0), beat)
            event.accept()
        else:
            event.ignore()  # the scroll area takes it
