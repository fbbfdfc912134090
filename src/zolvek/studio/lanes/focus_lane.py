"""The focus lane: the tall one that is edited by hand."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QWidget

from zolvek.core.arrays import floats
from zolvek.core.curve import edits
from zolvek.core.model.project import Lane
from zolvek.core.movement.layers import Layered
from zolvek.core.movement.playing import played
from zolvek.studio import commands
from zolvek.studio import theme as themes
from zolvek.studio.lanes import painting
from zolvek.studio.lanes.backdrop import HIGHEST, LOWEST, Backdrops, draw_backdrop
from zolvek.studio.lanes.frame import GRAB, HANDLES, CopyDrag, Frame, FrameDrag, Handle, frame_of
from zolvek.studio.lanes.gestures import (
    Drag,
    Held,
    begin_add,
    begin_bend,
    begin_drawing,
    begin_move,
)
from zolvek.studio.lanes.hits import Hit, hit
from zolvek.studio.lanes.outline import by_column, largest_in, points_shown, polygon
from zolvek.studio.lanes.value_scale import marks
from zolvek.studio.session import NONE_CHOSEN, Session
from zolvek.studio.viewport import Viewport

SCALE = 64  # pixels at the left for the value scale
PAD = 12  # above value 1 and below value 0
MOST_DIAMONDS = 90  # drawn of a selection that is too dense to take hold of
ERROR_STRIP = 16.0  # pixels that the largest error of a preview is tall
CLICK = 4  # pixels a press may wander and still be a click

HINTS = {
    "point": "Drag to move this point · Shift holds one axis · Ctrl frees it from the grid",
    "segment": "Drag to move this segment · hold B to bend it · double press adds a point",
    "bend": "Drag to bend: the curve follows the pointer",
    "empty": "Press to add a point · Shift and drag selects a box",
    "freehand": "Draw a stroke; it becomes few shaped points",
    "line": "Drag to draw a straight line",
    "form": "Drag a span: the form goes from the level of the press to that of the pointer",
    "reach": "Drag to set this end of the lane's reach; while it plays you hear that end",
}
CURSORS = {
    "point": Qt.CursorShape.SizeAllCursor,
    "segment": Qt.CursorShape.OpenHandCursor,
    "bend": Qt.CursorShape.SplitVCursor,
    "empty": Qt.CursorShape.CrossCursor,
    "freehand": Qt.CursorShape.CrossCursor,
    "line": Qt.CursorShape.CrossCursor,
    "form": Qt.CursorShape.CrossCursor,
    "reach": Qt.CursorShape.SizeVerCursor,
    "handle": Qt.CursorShape.SizeAllCursor,
}


@dataclass(eq=False)
class ReachDrag:
    """A drag of one end of the reach (0 low, 1 high) on the value scale."""

    end: int
    reach: tuple[float, float]
    y: float


class FocusLane(QWidget):
    """Shows the session's focus lane and turns the pointer into edits of it."""

    def __init__(self, session: Session, view: Viewport) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(160)
        self.setAccessibleName("Focus lane")
        self.setAccessibleDescription(
            "The curve of the chosen parameter; draw and drag points here"
        )
        self.drag: Drag | FrameDrag | CopyDrag | None = None
        self.handle: Handle | None = None  # under the pointer
        self.reaching: ReachDrag | None = None
        self.box: tuple[QPointF, QPointF] | None = None
        self.press: QPointF | None = None
        self.pressed_on = Hit("empty")
        self.over = Hit("empty")
        self.pointer: QPointF | None = None
        self.bending = False
        self.sheet: tuple[object, QPixmap] | None = None
        self.playhead = -1.0
        self.backdrops = Backdrops(session)
        self.backdrops.changed.connect(self.update)
        for signal in (
            session.project_changed, session.focus_changed, session.selection_changed,
            session.span_changed, session.grid_changed, session.theme_changed, view.changed,
            session.preview_changed,
        ):  # fmt: skip
            signal.connect(self.update)
        session.place_changed.connect(self._move_playhead)

    # --- geometry ---

    @property
    def plot(self) -> QRectF:
        return QRectF(SCALE, PAD, max(self.width() - SCALE, 1), max(self.height() - 2 * PAD, 1))

    def beat_at(self, x: float) -> float:
        return self.view.beat(x - SCALE)

    def value_at(self, y: float) -> float:
        plot = self.plot
        return float(np.clip(1.0 - (y - plot.top()) / plot.height(), 0.0, 1.0))

    def point_at(self, beat: float, value: float) -> QPointF:
        """Where a point of the curve is on the widget."""
        plot = self.plot
        return QPointF(SCALE + self.view.x(beat), plot.bottom() - value * plot.height())

    def resizeEvent(self, event: object) -> None:
        self.view.set_width(max(self.width() - SCALE, 1))

    # --- painting ---

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.theme]
        lane = self.session.lane
        painter.drawPixmap(0, 0, self._sheet(theme, lane))
        if lane is None:
            painter.setPen(themes.color(theme.quiet))
            text = "No lane yet. Touch a dial or a parameter in the index, then press A."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        self._paint_span(painter, theme)
        behind = self.session.behind
        if behind and behind != lane.id:
            other = self.session.project.lane(behind)
            painting.draw_curve(painter, other.curve, self.view, self.plot, theme.ghost, 1.2)
        preview = self.session.preview
        self._paint_layers(painter, theme)
        own = theme.layer if self.session.aside else themes.lane_ink(theme, lane)
        ink = own if preview is None else theme.ghost
        painting.draw_curve(
            painter, lane.curve, self.view, self.plot, ink, dashed=preview is not None
        )
        if preview is not None:
            painting.draw_curve(painter, preview, self.view, self.plot, own, 2.2)
        self._paint_errors(painter, theme)
        self._paint_pass(painter, theme, lane)
        self._paint_frame(painter, theme)
        self._paint_points(painter, theme, lane)
        self._paint_over(painter, theme, lane)

    def _paint_errors(self, painter: QPainter, theme: themes.Theme) -> None:
        """How far a thinned preview strays, as a strip along the foot: its highest bar is the
        largest error."""
        errors = self.session.errors
        if errors is None or self.session.preview is None:
            return
        band = largest_in(errors, self.view.first, self.view.last, self.view.width)
        most = max(float(errors[1].max()), 1e-12)
        foot = self.height() - 1.0
        painter.setPen(QPen(themes.color(theme.selection, 0.55), 1.0))
        for x in np.flatnonzero(band > 0.0).tolist():
            tall = ERROR_STRIP * band[x] / most
            painter.drawLine(QPointF(SCALE + x + 0.5, foot - tall), QPointF(SCALE + x + 0.5, foot))

    def _paint_pass(self, painter: QPainter, theme: themes.Theme, lane: Lane) -> None:
        """What a hand has done in the pass that is going on."""
        recorder = self.session.recorder
        view = self.view
        if recorder is None:
            return
        beat, value = recorder.live(lane.id, view.first, view.last)
        if len(beat) > 1:
            plot = self.plot
            x, y = by_column(SCALE + view.xs(beat), plot.bottom() - value * plot.height())
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            # Two fine strokes: a long broad one takes Qt thirty times as long.
            painter.setPen(QPen(themes.color(theme.selection), 1.0))
            for below in (-0.4, 0.4):
                painter.drawPolyline(polygon(x, y + below))

    def _paint_layers(self, painter: QPainter, theme: themes.Theme) -> None:
        """What is heard, where that is not the curve itself: cycle, slots and layers; while a
        layer is drawn on, the base behind it; and where the reach's edge cuts."""
        own = self.session.own_lane
        assert own is not None
        heard = played(own, self.session.project)
        if self.session.aside:
            middle = round(self.plot.center().y()) + 0.5
            painter.setPen(QPen(themes.color(theme.bar_line), 1.0, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(SCALE, middle), QPointF(self.width(), middle))
            painting.draw_curve(
                painter, own.curve, self.view, self.plot, theme.ghost, 1.2, dashed=True
            )
        if heard.plain:
            return
        painting.draw_curve(painter, heard.curve, self.view, self.plot, theme.layer, 1.4)
        if isinstance(heard.curve, Layered) and not heard.curve.fit:
            self._paint_cut(painter, theme, heard.curve)

    def _paint_cut(self, painter: QPainter, theme: themes.Theme, curve: Layered) -> None:
        """Bars along the edges of the lane where layers go beyond its reach."""
        view, plot = self.view, self.plot
        edges = floats(
            view.first + np.arange(view.width // 2 + 1) * (2.0 * view.beats / view.width)
        )
        low, high = curve.ranges(curve.raw, edges)
        for over, y in ((high > 1.0 + 1e-9, plot.top() - 5), (low < -1e-9, plot.bottom() + 2)):
            for place in np.flatnonzero(over).tolist():
                area = QRectF(SCALE + 2.0 * place, y, 2.0, 3.0)
                painter.fillRect(area, themes.color(theme.selection))

    def _sheet(self, theme: themes.Theme, lane: Lane | None) -> QPixmap:
        """Paper, grid and scale: kept until something of it changes."""
        session = self.session
        reach = (lane.id, lane.reach, session.layer, session.axis) if lane else None
        ratio = self.devicePixelRatioF()
        backdrop = self.backdrops.shown()
        key = (theme.key, self.size(), self.view.key, session.grid, session.value_grid, reach,
               ratio, id(session.project.meter), session.project.sections, id(backdrop))  # fmt: skip
        if self.sheet and self.sheet[0] == key:
            return self.sheet[1]
        pixmap = QPixmap(self.size() * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(themes.color(theme.sheet))
        painter = QPainter(pixmap)
        plot = self.plot
        full = QRectF(plot.left(), 0, plot.width(), self.height())
        painter.fillRect(QRectF(0, 0, SCALE, self.height()), themes.color(theme.desk))
        if backdrop is not None and lane is not None:
            hertz = self._hertz(lane)
            draw_backdrop(painter, backdrop, lane, hertz, self.view, plot, theme)
        painting.draw_time_grid(painter, session.project, session.grid, self.view, full, theme)
        painting.draw_section_bounds(painter, session.project, self.view, full, theme)
        if lane:
            self._paint_levels(painter, theme, lane)
            self._paint_scale(painter, theme, lane)
        painter.end()
        self.sheet = (key, pixmap)
        return pixmap

    def _hertz(self, lane: Lane) -> tuple[float, float] | None:
        """The frequencies at the lane's bottom and top, where its scale is one of octaves that
        can be heard."""
        parameter = self.session.parameter
        if self.session.aside:
            own = self.session.own_lane
            assert own is not None
            parameter, lane = self.session.project.parameter_of(own.id), own
        if parameter.unit != "Hz" or parameter.taper != "exponential":
            return None
        low, high = (float(f) for f in parameter.value(np.array(lane.reach)))
        heard = min(low, high) >= LOWEST - 1.0 and max(low, high) <= HIGHEST + 1.0
        return (low, high) if heard else None

    def _paint_levels(self, painter: QPainter, theme: themes.Theme, lane: Lane) -> None:
        """The lines of the value grid, as far as they can be told apart."""
        levels = self.session.value_grid.levels(lane, self.session.parameter)
        plot = self.plot
        if levels.size < 2 or plot.height() / levels.size < painting.CLOSEST_LINES:
            return
        painter.setPen(QPen(themes.color(theme.hairline, 0.75), 1.0))
        for level in levels.tolist():
            y = round(plot.bottom() - level * plot.height()) + 0.5
            painter.drawLine(QPointF(SCALE, y), QPointF(self.width(), y))

    def _paint_scale(self, painter: QPainter, theme: themes.Theme, lane: Lane) -> None:
        plot = self.plot
        painter.setFont(themes.font(8.5))
        for value, text in marks(self.session.parameter, lane, plot.height()):
            y = round(plot.bottom() - value * plot.height()) + 0.5
            painter.setPen(QPen(themes.color(theme.hairline), 1.0))
            painter.drawLine(QPointF(SCALE - 4, y), QPointF(self.width(), y))
            painter.setPen(themes.color(theme.quiet))
            area = QRectF(0, y - 10, SCALE - 8, 20)
            painter.drawText(
                area, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text
            )

    def _paint_span(self, painter: QPainter, theme: themes.Theme) -> None:
        span = self.session.span
        if span:
            left, right = (SCALE + self.view.x(beat) for beat in span)
            area = QRectF(
                max(left, SCALE), 0, min(right, self.width()) - max(left, SCALE), self.height()
            )
            if area.width() > 0:
                painter.fillRect(area, themes.color(theme.wash, 0.45))

    def _corners(self, frame: Frame) -> QRectF:
        top, bottom = self.point_at(frame.first, frame.high), self.point_at(frame.last, frame.low)
        return QRectF(top, bottom).adjusted(0, -10, 0, 10)

    def _spot(self, handle: Handle, frame: Frame) -> QPointF:
        box = self._corners(frame)
        return QPointF(box.left() + handle.x * box.width(), box.bottom() - handle.y * box.height())

    def _paint_frame(self, painter: QPainter, theme: themes.Theme) -> None:
        frame = frame_of(self.session)
        if frame is None or self.session.preview is not None:
            return
        painter.setPen(QPen(themes.color(theme.selection), 1.0, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(self._corners(frame))
        for handle in HANDLES:
            at = self._spot(handle, frame)
            if at.x() >= SCALE - 4:
                painter.setPen(QPen(themes.color(theme.selection), 1.3))
                held = self.handle is handle
                painter.setBrush(themes.color(theme.selection if held else theme.raised))
                painter.drawEllipse(at, 4.0, 4.0)

    def _handle_at(self, at: QPointF) -> Handle | None:
        frame = frame_of(self.session)
        if frame is None or at.x() < SCALE:
            return None
        near = [(QLineF(self._spot(h, frame), at).length(), h) for h in HANDLES]
        distance, handle = min(near, key=lambda pair: pair[0])
        return handle if distance <= GRAB else None

    def _paint_points(self, painter: QPainter, theme: themes.Theme, lane: Lane) -> None:
        curve, chosen = lane.curve, self.session.chosen
        shown = points_shown(curve, self.view)
        if shown.size > self.view.width / 7:
            # Too close together to take hold of: only what is selected, and the hovered one.
            inside = chosen[(chosen >= shown[0]) & (chosen <= shown[-1])]
            shown = inside[:: max(1, inside.size // MOST_DIAMONDS)]
            if self.over.kind == "point" and self.over.index < len(curve):
                shown = np.append(shown, self.over.index)
        picked = np.zeros(len(curve), bool)
        picked[chosen] = True
        picked = picked[shown]
        drawn = self.session.aside
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for index, selected in zip(shown.tolist(), picked.tolist(), strict=True):
            if index >= len(curve):
                continue
            at = self.point_at(curve.beat[index], curve.value[index])
            if at.x() < SCALE - 6:
                continue
            hovered = self.over == Hit("point", index)
            if float(curve.beat[index]) in lane.pins:
                painter.setPen(QPen(themes.color(theme.ink), 1.6))
                painter.drawLine(at + QPointF(-5, 9), at + QPointF(5, 9))
            own = theme.layer if drawn else themes.lane_ink(theme, lane)
            ink = theme.selection if selected else own
            painter.setPen(QPen(themes.color(ink), 1.5))
            painter.setBrush(themes.color(ink if selected else theme.sheet))
            painter.drawPolygon(
                painting.diamond(at.x(), at.y(), 6.5 if hovered else painting.DIAMOND)
            )

    def _paint_over(self, painter: QPainter, theme: themes.Theme, lane: Lane) -> None:
        """What comes and goes: hovered segment, box, values at the pointer, playhead."""
        if (
            self.over.kind == "segment"
            and self.drag is None
            and self.over.index < len(lane.curve) - 1
        ):
            index = self.over.index
            left, right = (self.view.x(float(lane.curve.beat[i])) for i in (index, index + 1))
            plot = self.plot
            part = QRectF(SCALE + left, plot.top(), right - left, plot.height()).intersected(plot)
            painter.save()
            painter.setClipRect(part.adjusted(0, -4, 0, 4))
            painting.draw_curve(painter, lane.curve, self.view, plot, theme.selection, 2.4)
            painter.restore()
        if self.box:
            painter.setPen(QPen(themes.color(theme.selection), 1.0, Qt.PenStyle.DashLine))
            painter.setBrush(themes.color(theme.selection, 0.08))
            painter.drawRect(QRectF(*self.box).normalized())
        if self.pointer is not None:
            self._paint_values(painter, theme, lane, self.pointer)
        x = SCALE + self.view.x(self.session.place)
        if SCALE <= x <= self.width():
            painting.draw_playhead(painter, x, QRectF(self.rect()), theme)

    def _paint_values(
        self, painter: QPainter, theme: themes.Theme, lane: Lane, pointer: QPointF
    ) -> None:
        """The value and position at the pointer, or of the point that is held."""
        beat, value = self.aim(pointer)
        text = f"{self.value_text(lane, value)}   {self.session.project.meter.text(max(beat, 0.0))}"
        painter.setFont(themes.font(9.5, themes.QFont.Weight.Medium))
        width = painter.fontMetrics().horizontalAdvance(text) + 16
        x = (
            pointer.x() + 14
            if pointer.x() + 20 + width < self.width()
            else pointer.x() - width - 14
        )
        y = max(pointer.y() - 34, 4)
        tag = QRectF(x, y, width, 22)
        painter.setPen(QPen(themes.color(theme.bar_line), 1.0))
        painter.setBrush(themes.color(theme.raised))
        painter.drawRect(tag)
        painter.setPen(themes.color(theme.ink))
        painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, text)

    def aim(self, pointer: QPointF) -> tuple[float, float]:
        """Beat and value that a press at the pointer means, or the held point's own."""
        lane = self.session.lane
        index = self.over.index
        held = isinstance(self.drag, Drag) and self.drag.kind in ("move", "add")
        if held and self.session.chosen.size:
            index = int(self.session.chosen[0])
            if isinstance(self.drag, Drag) and self.drag.segment >= 0 and self.drag.kind == "move":
                place = int(np.searchsorted(self.drag.points, self.drag.segment))
                index = int(self.session.chosen[min(place, self.session.chosen.size - 1)])
        elif self.over.kind != "point":
            index = -1
        if lane is not None and 0 <= index < len(lane.curve):
            return float(lane.curve.beat[index]), float(lane.curve.value[index])
        beat = self.beat_at(pointer.x())
        if self.over.kind == "empty" and not self._held().free:
            beat = float(self.session.grid.snap(beat, self.session.project.meter))
        return beat, self.value_at(pointer.y())

    def value_text(self, lane: Lane, value: float) -> str:
        return self.session.parameter.text(float(lane.to_position(value)))

    def _move_playhead(self) -> None:
        """Repaint where the playhead was and is, not the whole lane."""
        new = SCALE + self.view.x(self.session.place)
        for x in (self.playhead, new):
            if -4 <= x <= self.width() + 4:
                self.update(int(x) - 3, 0, 7, self.height())
        self.playhead = new

    # --- pointer and keys ---

    def _held(self, event: QMouseEvent | None = None) -> Held:
        from PyQt6.QtWidgets import QApplication

        keys = event.modifiers() if event else QApplication.keyboardModifiers()
        modifier = Qt.KeyboardModifier
        return Held(
            bool(keys & modifier.ControlModifier), bool(keys & modifier.ShiftModifier), self.bending
        )

    def _hit(self, at: QPointF) -> Hit:
        lane = self.session.lane
        plot = self.plot
        if lane is None or at.x() < SCALE - 8:
            return Hit("none")
        return hit(lane.curve, self.view, at.x() - SCALE, at.y(), plot.top(), plot.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        lane = self.session.lane
        if event.button() != Qt.MouseButton.LeftButton or lane is None:
            return
        at = event.position()
        self.press, self.pressed_on, held = at, self._hit(at), self._held(event)
        self.session.try_to(lambda: self._begin(at, held, lane))
        self.update()

    def _begin(self, at: QPointF, held: Held, lane: Lane) -> None:
        beat, value = self.beat_at(at.x()), self.value_at(at.y())
        found, session = self.pressed_on, self.session
        handle = self._handle_at(at)
        frame = frame_of(session)
        if held.free and held.axis and frame and frame.first <= beat <= frame.last:
            self.drag = CopyDrag(session, frame, lane.curve, beat, session.chosen)
        elif found.kind == "none":
            end = self._reach_end(at)
            self.reaching = ReachDrag(end, lane.reach, at.y()) if end is not None else None
            if end is not None:
                # Heard while it is dragged: the curve is held at that end.
                session.hold({lane.id: float(end)})
        elif session.tool != "points":
            self.drag = begin_drawing(session, session.tool, beat, value, held)
        elif handle is not None and found.kind != "point":
            frame = frame_of(session)
            assert frame is not None
            self.drag = FrameDrag(session, handle, frame, lane.curve, beat, value, session.chosen)
        elif found.kind == "point":
            if found.index not in session.chosen and not held.axis:
                session.choose(np.array([found.index]))
            group = np.union1d(session.chosen, [found.index])
            self.drag = begin_move(session, group, found.index, beat, value)
        elif found.kind == "segment" and held.bend:
            self.drag = begin_bend(session, found.index, beat, value)
        elif found.kind == "segment":
            ends = np.array([found.index, found.index + 1])
            group = session.chosen if np.isin(ends, session.chosen).all() else ends
            self.drag = begin_move(session, group, found.index, beat, value)
        elif found.kind == "empty" and held.axis:
            self.box = (at, at)
        elif found.kind == "empty":
            self.drag = begin_add(session, beat, value, held)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = self.pointer = event.position()
        if self.box:
            self.box = (self.box[0], at)
        elif self.reaching is not None:
            self._drag_reach(at)
        elif self.drag is not None and self.press is not None:
            way = at - self.press
            if self.drag.moved or max(abs(way.x()), abs(way.y())) >= CLICK:
                if isinstance(self.drag, Drag) and self.drag.kind == "move" and not self.drag.moved:
                    self.session.choose(self.drag.points)
                along = abs(way.x()) >= abs(way.y())
                drag = self.drag
                value = drag.value - way.y() / self.plot.height()
                beat = drag.beat + way.x() / self.view.width * self.view.beats
                self.session.try_to(lambda: drag.update(beat, value, self._held(event), along))
        else:
            self._hover(at)
        self.update()

    def _hover(self, at: QPointF) -> None:
        self.over = self._hit(at)
        self.handle = self._handle_at(at) if self.over.kind != "point" else None
        if self.over.kind == "none":
            kind = "reach" if self._reach_end(at) is not None else "none"
            self.setCursor(CURSORS.get(kind, Qt.CursorShape.ArrowCursor))
            self.session.say(HINTS.get(kind, ""))
            return
        if self.session.tool != "points" or self.handle is not None:
            if self.handle is not None:
                self.over = Hit("handle")
            kind = "handle" if self.handle is not None else self.session.tool
            self.setCursor(CURSORS[kind])
            self.session.say(self.handle.hint if self.handle is not None else HINTS[kind])
            return
        kind = "bend" if self.over.kind == "segment" and self.bending else self.over.kind
        self.setCursor(CURSORS.get(kind, Qt.CursorShape.ArrowCursor))
        self.session.say(HINTS.get(kind, ""))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.box:
            self._choose_box(QRectF(*self.box).normalized())
            self.box = None
        elif self.reaching is not None:
            self.session.end_gesture()
            self.session.hold({})
            self.reaching = None
        elif self.drag is not None:
            if self.drag.moved or self.drag.kind == "add":
                self.drag.finish()
            else:
                self._click(self._held(event))
            self.drag = None
        self.press = None
        self._hover(event.position())
        self.update()

    def _reach_end(self, at: QPointF) -> int | None:
        """Which end of the reach the pointer is on in the value scale: 0 low, 1 high."""
        plot = self.plot
        if abs(at.y() - plot.top()) < GRAB + 2:
            return 1
        return 0 if abs(at.y() - plot.bottom()) < GRAB + 2 else None

    def _drag_reach(self, at: QPointF) -> None:
        """The end of the reach follows the pointer; the curve keeps its form."""
        drag = self.reaching
        assert drag is not None
        low, high = drag.reach
        way = (drag.y - at.y()) / self.plot.height() * (high - low)
        ends = [low, high]
        ends[drag.end] = float(np.clip(ends[drag.end] + way, 0.0, 1.0))
        if abs(ends[1] - ends[0]) > 0.01:
            self.session.try_to(
                lambda: commands.set_reach(self.session, ends[0], ends[1], False, drag)
            )

    def _click(self, held: Held) -> None:
        """A press that did not move selects; with Shift it adds to or takes from the selection."""
        found, session = self.pressed_on, self.session
        if found.kind not in ("point", "segment") or session.tool != "points":
            return
        ends = [found.index] if found.kind == "point" else [found.index, found.index + 1]
        if held.axis:
            inside = np.isin(ends, session.chosen).all()
            join = np.setdiff1d if inside else np.union1d
            session.choose(join(session.chosen, ends).astype(np.intp))
        else:
            session.choose(np.array(ends))

    def _choose_box(self, box: QRectF) -> None:
        lane = self.session.lane
        if lane is None:
            return
        first, last = self.beat_at(box.left()), self.beat_at(box.right())
        low, high = self.value_at(box.bottom()), self.value_at(box.top())
        self.session.choose(edits.points_in(lane.curve, first, last, low, high))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        lane = self.session.lane
        found = self._hit(event.position())
        if lane is None or found.kind != "segment":
            return self.mousePressEvent(event)
        beat = self.beat_at(event.position().x())
        snapped = (
            beat
            if self._held(event).free
            else self.session.grid.snap(beat, self.session.project.meter)
        )
        curve, index = edits.add(lane.curve, float(snapped), float(lane.curve.at(snapped)))
        self.session.edit_curve("Add a point", curve, np.array([index]))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        steps = (event.angleDelta().y() or event.angleDelta().x()) / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.view.zoom(0.8**steps, self.beat_at(event.position().x()))
        else:
            self.view.scroll(-0.12 * steps)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_B and not event.modifiers():
            self.bending = True
            if self.pointer is not None and self.drag is None:
                self._hover(self.pointer)
        elif event.key() == Qt.Key.Key_Escape:
            self.give_up()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.bending = False
            if self.pointer is not None and self.drag is None:
                self._hover(self.pointer)
        else:
            super().keyReleaseEvent(event)

    def give_up(self) -> None:
        """Escape: a drag is undone, a box dropped, and with neither the selection let go."""
        if self.session.preview is not None:
            self.session.show_preview(None)
        elif self.drag is not None:
            self.drag.cancel()
            self.drag = None
        elif self.box:
            self.box = None
        elif self.session.chosen.size:
            self.session.choose(NONE_CHOSEN)
        else:
            self.session.choose_span(None)
        self.press = None
        self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self.pointer, self.over = None, Hit("empty")
        self.session.say("")
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.bending = False
