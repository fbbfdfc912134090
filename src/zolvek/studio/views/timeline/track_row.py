# SPDX-License-Identifier: GPL-3.0-or-later
"""The track row under the focus lane: the clips and notes of its track, edited there."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QGroupBox

from zolvek.core.edits import notes
from zolvek.core.edits.clips import Block
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Track
from zolvek.studio.commands import sources
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit import curve_painting
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.views.shared.description import Description
from zolvek.studio.views.shared.spoken_texts import described_track
from zolvek.studio.views.timeline import track_row_picture
from zolvek.studio.views.timeline.drag import Dragging, DragKeys, snapped
from zolvek.studio.views.timeline.plot import SCALE
from zolvek.studio.views.timeline.track_row_drags import BlockDrag, DrawDrag, NoteDrag, NotesBoxDrag
from zolvek.studio.views.timeline.track_row_picture import Strip, fade_handles

LOW, TALL = 64, 168
LEAST = 36  # where there is little room
NEAR_PX = 5.0  # pixels
HINTS = {
    "block": "Drag the clip · its ends trim it · its rings fade it · Ctrl: off the grid",
    "start": "Drag to trim the start of the clip",
    "end": "Drag to trim the end of the clip or loop",
    "fade-in": "Drag to set the fade-in",
    "fade-out": "Drag to set the fade-out",
    "note": "Drag the note in time and pitch · its end changes its length · Shift adds it to the selection",
    "note-end": "Drag to lengthen the selected notes",
    "empty": "Double-click to add a note · drag to select notes · drop audio files here",
    "": "",
}
# Keys that work on the strip, and the actions that they do.
KEYS = {
    Qt.Key.Key_Delete: "source-delete",
    Qt.Key.Key_Backspace: "source-delete",
    Qt.Key.Key_Up: "notes-up",
    Qt.Key.Key_Down: "notes-down",
    Qt.Key.Key_Left: "source-earlier",
    Qt.Key.Key_Right: "source-later",
}
SHIFTED = {Qt.Key.Key_Up: "notes-octave-up", Qt.Key.Key_Down: "notes-octave-down"}


class Spot(NamedTuple):
    """What lies at a place: a key of HINTS, and the number of the block or note."""

    kind: str
    number: int = -1


class TrackRow(QGroupBox):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session, self.view = studio, studio.session, studio.view
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Track row")
        self.dragging = Dragging(self.session, self.view, self)
        self.shown: tuple[object, ...] = ()
        session = self.session
        changes = session.document.changed, session.focus.changed, session.shown.changed
        Description(self, lambda: described_track(session, self.track), *changes)
        for signal in (session.arranging.changed, self.view.changed, studio.sounds.changed,
                       session.span.changed):  # fmt: skip
            signal.connect(self.update)
        for signal in (session.document.changed, session.focus.changed, session.shown.changed):
            signal.connect(self._follow)
        session.look.changed.connect(self._fold)
        session.playhead.changed.connect(self._move_playhead)
        self.playhead = -1.0
        self._fold()

    @property
    def track(self) -> Track | None:
        """The focus lane's track, else the shown device's."""
        return self.session.shown.track

    def strip(self) -> Strip | None:
        """What the row shows."""
        track = self.track
        if track is None:
            return None
        area = QRectF(SCALE, 2, max(self.width() - SCALE, 1), self.height() - 4)
        return Strip(self.session.project, track, self.view, area, self.studio.sounds.peaks)

    def _fold(self) -> None:
        settings = self.session.settings
        self.setVisible(not settings.window.track_row_hidden)
        self.setMinimumHeight(LEAST)
        self.setMaximumHeight(TALL if settings.window.track_row_tall else LOW)
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(200, self.maximumHeight())

    def _follow(self) -> None:
        project, track, picked = self.session.project, self.track, self.session.arranging
        own = (track.id, track.name, track.muted, track.notes, track.clips, track.colour) if track else ()
        shown = (own, picked.block, picked.notes, project.tempo, project.meter, project.length)
        if shown != self.shown:
            self.shown = shown
            self.update()

    def _move_playhead(self) -> None:
        new = SCALE + self.view.x(self.session.playhead.beat)
        curve_painting.repaint_playhead(self, self.playhead, new)
        self.playhead = new

    def found(self, at: QPointF) -> Spot:
        """What lies at a place: notes lie over blocks."""
        strip = self.strip()
        if strip is None or at.x() < SCALE:
            return Spot("")
        for number in reversed(range(len(strip.track.notes))):
            note = strip.track.notes[number]
            area = strip.note_area(note)
            if area.adjusted(-1, -1, 2, 1).contains(at):
                late = at.x() > area.right() - min(NEAR_PX, area.width() / 3.0)
                return Spot("note-end" if late else "note", number)
        for number in reversed(range(len(strip.track.clips))):
            clip = strip.track.clips[number]
            area = strip.block_area(clip)
            if not area.adjusted(-NEAR_PX, 0, NEAR_PX, 0).contains(at):
                continue
            handles = zip(("fade-in", "fade-out"), fade_handles(strip, clip), strict=True)
            for edge, handle in handles:
                if area.width() > 40.0 and (handle - at).manhattanLength() <= NEAR_PX + 2:
                    return Spot(edge, number)
            for edge, x in (("start", area.left()), ("end", area.right())):
                if abs(x - at.x()) <= NEAR_PX:
                    return Spot(edge, number)
            return Spot("block", number)
        return Spot("empty")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        strip = self.strip()
        if event.button() != Qt.MouseButton.LeftButton or strip is None:
            return
        spot, at = self.found(event.position()), event.position()
        arranging, track = self.session.arranging, strip.track
        if spot.kind.startswith("note"):
            chosen = arranging.notes if arranging.notes_of == track.id else frozenset()
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                chosen = chosen ^ {spot.number}
            elif spot.number not in chosen:
                chosen = frozenset({spot.number})
            arranging.pick_notes(track.id, chosen)
            if spot.number in chosen:
                held = track.notes[spot.number]
                longer = spot.kind == "note-end"
                self.dragging.begin(at, lambda: NoteDrag(self.session, strip, at, held, longer))
        elif spot.number >= 0:
            block = Block(track.id, spot.number)
            arranging.pick_block(block)
            kind = "move" if spot.kind == "block" else spot.kind
            self.dragging.begin(at, lambda: BlockDrag(self.session, strip, block, kind))
        else:
            arranging.pick_notes(track.id, frozenset())
            self.dragging.begin(at, lambda: NotesBoxDrag(self.session, strip, at))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not self.dragging.update(event):
            spot = self.found(event.position())
            shapes = Qt.CursorShape
            edge = spot.kind in ("start", "end", "note-end", "fade-in", "fade-out")
            self.setCursor(shapes.SplitHCursor if edge else shapes.ArrowCursor)
            self.session.notices.hover(HINTS[spot.kind])

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.dragging.finish()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """On an empty place: a note is drawn there; on a block its gain is asked for."""
        assert event is not None
        strip, spot = self.strip(), self.found(event.position())
        if strip is None:
            return
        if spot.kind == "empty":
            at = event.position()
            self.dragging.begin(at, lambda: self._draw(strip, at))
        elif spot.kind == "block":
            self.session.notices.attempt(lambda: sources.type_gain(self.studio))

    def _draw(self, strip: Strip, at: QPointF) -> DrawDrag:
        """A note that begins with the step of the grid that is pressed."""
        notes.need_instrument(strip.track)
        grid, meter = self.session.tools.grid, strip.project.meter
        under = max(strip.beat(at.x()), 0.0)
        beat = float(grid.snap(under, meter))
        if beat > under and grid.on:
            beat = max(beat - grid.step_at(under, meter), 0.0)
        return DrawDrag(self.session, strip, at, beat)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        action = SHIFTED.get(key) if shift else None
        action = action or KEYS.get(key)
        if action is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().keyPressEvent(event)
            return
        result = self.studio.action(action)
        if result.isEnabled():
            result.trigger()
        else:
            self.session.notices.refuse(ZolvekError(str(result.data())))

    def menu_kind(self, at: QPoint | None) -> str:
        """The kind of its context menu."""
        if at is None:
            return "notes" if self.session.arranging.notes else "block"
        spot, track = self.found(QPointF(at)), self.track
        if track is None:
            return ""
        if spot.kind.startswith("note"):
            if spot.number not in self.session.arranging.notes:
                self.session.arranging.pick_notes(track.id, frozenset({spot.number}))
            return "notes"
        if spot.number >= 0:
            self.session.arranging.pick_block(Block(track.id, spot.number))
            return "block"
        return "strip"

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        steps = event.angleDelta().y() / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.view.zoom(0.8**steps, self.view.beat(event.position().x() - SCALE))
        else:
            self.view.scroll(-0.1 * steps)
        event.accept()

    def leaveEvent(self, event: object) -> None:
        self.session.notices.hover("")

    # --- sounds that are dropped here ---

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and sources.sounds_in(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None and sources.sounds_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        result = sources.sounds_in(event.mimeData()) if event is not None else []
        if event is None or not result:
            return
        event.acceptProposedAction()
        beat = snapped(self.session, self.view.beat(event.position().x() - SCALE), DragKeys())
        self.session.notices.attempt(lambda: sources.place(self.studio, result, beat))

    # --- the picture ---

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        painter.fillRect(self.rect(), themes.color(theme.desk))
        strip = self.strip()
        if strip is None:
            return
        painter.fillRect(strip.area, themes.color(theme.sheet))
        painter.setFont(themes.font(9.5))
        painter.setPen(themes.color(theme.quiet))
        side = QRectF(2, 2, SCALE - 8, 16)
        name = painter.fontMetrics().elidedText(strip.track.name, Qt.TextElideMode.ElideRight, int(side.width()))
        painter.drawText(side, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, name)
        painter.setClipRect(strip.area)
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        for _, beat in curve_painting.shown_bars(strip.project, self.view):
            x = round(strip.x(beat)) + 0.5
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        arranging = self.session.arranging
        number = arranging.block.number if arranging.block and arranging.block.track == strip.track.id else None
        chosen = arranging.notes if arranging.notes_of == strip.track.id else frozenset()
        track_row_picture.draw(painter, strip, theme, number, chosen)
        if not strip.track.clips and not strip.track.notes:
            painter.setPen(themes.color(theme.quiet))
            painter.drawText(strip.area, Qt.AlignmentFlag.AlignCenter, sources.empty_words(strip.track))
        for mark in arranging.marks:
            x = strip.x(mark)
            painter.setPen(QPen(themes.color(theme.selection), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        box = self.dragging.drag
        if isinstance(box, NotesBoxDrag):
            painter.setPen(QPen(themes.color(theme.selection), 1.0, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(box.at, box.to).normalized())
        curve_painting.draw_playhead(painter, strip.x(self.session.playhead.beat), strip.area, theme)
