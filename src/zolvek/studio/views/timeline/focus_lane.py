# SPDX-License-Identifier: GPL-3.0-or-later
"""The focus lane: the tall one whose curve is drawn and edited."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QGroupBox, QWidget

from zolvek.core.arrays import among
from zolvek.core.curve import point_edits
from zolvek.studio.commands.modes import leave
from zolvek.studio.session.session import Session
from zolvek.studio.session.tools import Tool
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.curve_painting import repaint_playhead
from zolvek.studio.toolkit.key_routing import FOCUS_LANE, TYPED_IN
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.shared.description import Description
from zolvek.studio.views.shared.spoken_texts import described
from zolvek.studio.views.timeline.backdrops import Backdrops
from zolvek.studio.views.timeline.drag import Dragging, DragKeys, keys_of, snapped
from zolvek.studio.views.timeline.hit_test import Hit, HitKind, hit
from zolvek.studio.views.timeline.lane_background import Edits, Sheet
from zolvek.studio.views.timeline.lane_drags import LaneDrag
from zolvek.studio.views.timeline.lane_scene import Hand, draw, scene_of
from zolvek.studio.views.timeline.plot import SCALE, Plot
from zolvek.studio.views.timeline.press_actions import (
    BoxDrag,
    begin,
    select_under,
)
from zolvek.studio.views.timeline.selection_frame import Handle, frame_of

NO_BUTTON = Qt.MouseButton.NoButton

HINTS = {
    "point": "Drag to move this point · Shift: one axis · Ctrl: off the grid",
    "segment": "Drag to move this segment · hold B to bend it · double-click to add a point",
    "bend": "Drag to bend · the curve follows the pointer",
    "empty": "Click to add a point · Shift-drag to select a box",
    "freehand": "Draw a stroke; it becomes a few shaped points",
    "line": "Drag to draw a straight line",
    Tool.STAMP: "Drag a span · the stamp goes from the level where you start to the pointer's",
    "reach": "Drag to set this end of the reach · you hear it during playback",
}
LOCKED = "The lane is locked · press K, or click “Locked” above, to unlock"
CURSORS = {
    "point": Qt.CursorShape.SizeAllCursor,
    "segment": Qt.CursorShape.OpenHandCursor,
    "bend": Qt.CursorShape.SplitVCursor,
    "empty": Qt.CursorShape.CrossCursor,
    "freehand": Qt.CursorShape.CrossCursor,
    "line": Qt.CursorShape.CrossCursor,
    Tool.STAMP: Qt.CursorShape.CrossCursor,
    "reach": Qt.CursorShape.SizeVerCursor,
    "handle": Qt.CursorShape.SizeAllCursor,
}


class FocusLane(QGroupBox):
    """Shows the session's focus lane and turns the pointer into edits of it. A group of the toolkit's that paints
    itself, so that assistive tools have a role for it."""

    def __init__(self, session: Session, view: Viewport) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(96)
        self.setObjectName(FOCUS_LANE)
        self.setAccessibleName("Focus lane")
        changes = session.document.changed, session.focus.changed, session.points.changed, session.playhead.changed
        Description(self, lambda: described(session), *changes)
        self.dragging = Dragging(session, view, self)
        self.handle: Handle | None = None  # under the pointer
        self.pressed_on = Hit(HitKind.EMPTY)
        self.over = Hit(HitKind.EMPTY)
        self.pointer: QPointF | None = None
        self.bending = False
        self.spot: tuple[float, float] | None = None  # beat and value where the menu was opened
        self.from_field = False  # the keyboard has just come from a field that is typed in
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.focusChanged.connect(self._focus_moved)
        self.playhead = -1.0
        self.backdrops = Backdrops(session)
        self.sheet = Sheet(session, self.backdrops)
        self.backdrops.changed.connect(self.update)
        self.edits = Edits(session, self.update)
        for signal in (
            session.focus.changed, session.points.changed,
            session.span.changed, session.tools.changed, session.look.changed, view.changed,
            session.preview.changed,
        ):  # fmt: skip
            signal.connect(self.update)
        session.playhead.changed.connect(self._move_playhead)

    # --- geometry ---

    @property
    def plot(self) -> Plot:
        """Where beats and values are on the lane."""
        return Plot(self.view, self.width(), self.height())

    def resizeEvent(self, event: object) -> None:
        self.view.set_width(max(self.width() - SCALE, 1))

    # --- painting ---

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        plot = self.plot
        painter.drawPixmap(0, 0, self.sheet.picture(plot, theme, self.devicePixelRatioF()))
        shown = scene_of(self.session, plot, self._hand())
        if shown is not None:
            draw(painter, shown)
            return
        painter.setPen(themes.color(theme.quiet))
        text = "No lanes yet. Touch a dial or a parameter in the index, then press A."
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)

    def _hand(self) -> Hand:
        """What the pointer does, to be drawn."""
        target, at = self.session.target, self.pointer
        text = ""
        if at is not None and target is not None:
            beat, value = self.aim(at)
            where = self.session.project.meter.text(max(beat, 0.0))
            text = f"{target.parameter.text(float(target.to_position(value)))}   {where}"
        drag = self.dragging.drag
        box = drag.box if isinstance(drag, BoxDrag) else None
        return Hand(self.over, self.handle, drag is not None and box is None, box, at, text)

    def aim(self, pointer: QPointF) -> tuple[float, float]:
        """Beat and value that a press at the pointer means, or the held point's own."""
        target = self.session.target
        index = self.over.index
        drag, chosen = self.dragging.drag, self.session.points.chosen
        if isinstance(drag, LaneDrag) and drag.kind in ("move", "add") and chosen.size:
            index = int(chosen[0])
            if drag.segment >= 0 and drag.kind == "move":
                grabbed = int(np.searchsorted(drag.points, drag.segment))
                index = int(chosen[min(grabbed, chosen.size - 1)])
        elif self.over.kind != HitKind.POINT:
            index = -1
        if target is not None and 0 <= index < len(target.curve):
            return float(target.curve.beat[index]), float(target.curve.value[index])
        beat = self.plot.beat(pointer.x())
        if self.over.kind == HitKind.EMPTY:
            beat = snapped(self.session, beat, keys_of())
        return beat, self.plot.value(pointer.y())

    def _move_playhead(self) -> None:
        """Repaint where the playhead was and is, not the whole lane."""
        new = SCALE + self.view.x(self.session.playhead.beat)
        repaint_playhead(self, self.playhead, new)
        self.playhead = new

    # --- pointer and keys ---

    def _hit(self, at: QPointF) -> Hit:
        target, area = self.session.target, self.plot.area
        if target is None or at.x() < SCALE - 8:
            return Hit(HitKind.NONE)
        return hit(target.curve, self.view, at.x() - SCALE, at.y(), area.top(), area.height())

    def menu_kind(self, at: QPoint | None) -> str:
        """Select what is pressed, and say what it is; by the menu key what is selected counts."""
        if self.session.target is None:
            return ""
        if at is None:
            return "point" if self.session.points.chosen.size else "empty"
        position = QPointF(at)
        kind = select_under(self.session, self._hit(position))
        if kind != "empty":
            return kind
        self.spot = self.aim(position)
        return "empty"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        from_field, self.from_field = self.from_field, False
        if event.button() != Qt.MouseButton.LeftButton or self.session.target is None:
            return
        at = event.position()
        self.pressed_on, held = self._hit(at), keys_of(event, self.bending)
        if from_field and self.pressed_on.kind == HitKind.EMPTY:
            return  # the press only took the keyboard from a field
        if self.session.lane is not None and self.session.lane.locked:
            self._click(held)  # what is locked can be selected, and copied
            return
        self.dragging.begin(at, lambda: begin(self.session, self.plot, at, self.pressed_on, held))
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = self.pointer = event.position()
        if not self.dragging.update(event, self.bending):
            self._hover(at)
        self.update()

    def _hover(self, at: QPointF) -> None:
        self.over = self._hit(at)
        self.handle = self.plot.handle_at(at, frame_of(self.session)) if self.over.kind != HitKind.POINT else None
        if self.over.kind == HitKind.NONE:
            kind = "reach" if self.plot.reach_end(at.y()) is not None else "none"
            self.setCursor(CURSORS.get(kind, Qt.CursorShape.ArrowCursor))
            self.session.notices.hover(HINTS.get(kind, ""))
            return
        if self.session.lane is not None and self.session.lane.locked:
            self.setCursor(Qt.CursorShape.ArrowCursor)
            self.session.notices.say(LOCKED)
            return
        if self.session.tools.tool != Tool.POINTS or self.handle is not None:
            if self.handle is not None:
                self.over = Hit(HitKind.HANDLE)
            kind = "handle" if self.handle is not None else self.session.tools.tool
            self.setCursor(CURSORS[kind])
            self.session.notices.hover(self.handle.hint if self.handle is not None else HINTS[kind])
            return
        kind = "bend" if self.over.kind == HitKind.SEGMENT and self.bending else self.over.kind
        self.setCursor(CURSORS.get(kind, Qt.CursorShape.ArrowCursor))
        self.session.notices.hover(HINTS.get(kind, ""))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.dragging.finish() is not None:
            self._click(keys_of(event))
        self._hover(event.position())
        self.update()

    def _click(self, held: DragKeys) -> None:
        """A press that did not move selects; with Shift it adds to or takes from the selection."""
        pressed_on, session = self.pressed_on, self.session
        if pressed_on.kind not in (HitKind.POINT, HitKind.SEGMENT) or session.tools.tool != Tool.POINTS:
            return
        ends = [pressed_on.index] if pressed_on.kind == HitKind.POINT else [pressed_on.index, pressed_on.index + 1]
        if held.axis:
            inside = among(ends, session.points.chosen).all()
            join = np.setdiff1d if inside else np.union1d
            session.points.choose(join(session.points.chosen, ends).astype(np.intp))
        else:
            session.points.choose(np.array(ends))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        target = self.session.target
        result = self._hit(event.position())
        if target is None or result.kind != HitKind.SEGMENT:
            return self.mousePressEvent(event)
        beat = snapped(self.session, self.plot.beat(event.position().x()), keys_of(event))
        curve, index = point_edits.add(target.curve, beat, float(target.curve.at(beat)))
        self.session.notices.attempt(lambda: self.session.edit_curve("Add a point", curve, np.array([index])))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        steps = (event.angleDelta().y() or event.angleDelta().x()) / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.view.zoom(0.8**steps, self.plot.beat(event.position().x()))
        else:
            self.view.scroll(-0.12 * steps)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_B and not event.modifiers():
            self.bending = True
            if self.pointer is not None and self.dragging.drag is None:
                self._hover(self.pointer)
        elif event.key() == Qt.Key.Key_Escape:
            self.escape()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.bending = False
            if self.pointer is not None and self.dragging.drag is None:
                self._hover(self.pointer)
        else:
            super().keyReleaseEvent(event)

    def escape(self) -> None:
        """Escape: a drag is cancelled, and without one whatever mode there is is left."""
        if not self.dragging.cancel():
            leave(self.session)
        self.update()

    def _focus_moved(self, old: QWidget | None, new: QWidget | None) -> None:
        if new is self:
            self.from_field = isinstance(old, TYPED_IN) and QApplication.mouseButtons() != NO_BUTTON

    def leaveEvent(self, event: QEvent | None) -> None:
        self.pointer, self.over = None, Hit(HitKind.EMPTY)
        self.session.notices.hover("")
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.bending = False
