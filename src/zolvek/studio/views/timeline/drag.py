# SPDX-License-Identifier: GPL-3.0-or-later
"""The one protocol of all drags on the timeline: a widget begins one, its pointer updates it, and it is finished or
cancelled. Undo, what was selected before, the width of a click, Esc and the text at the foot are here."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QObject, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QWidget

from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.cancel_keys import CancelKeys
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.timeline.plot import SCALE

CLICK_PX = 4  # pixels that a press may wander and still be a click


class DragKeys(NamedTuple):
    """The keys that change a drag."""

    free: bool = False  # time does not snap
    axis: bool = False  # one axis is held
    bend: bool = False


class Pointer(NamedTuple):
    """Where a drag has come to: `at`, in pixels of the widget, from where it began, `start`; `beat`: the one under
    the pointer, at least 0; `beats`: how far it went in time."""

    at: QPointF
    start: QPointF
    beat: float
    beats: float
    keys: DragKeys

    @property
    def delta(self) -> QPointF:
        """How far it went, in pixels."""
        return self.at - self.start

    @property
    def along(self) -> bool:
        """It went at least as far in time as across it."""
        return abs(self.delta.x()) >= abs(self.delta.y())

    def rise(self, height: float) -> float:
        """How far it went up, as a part of a height in pixels."""
        return -self.delta.y() / height


class Drag:
    """What a press holds. `update` works from the project as it was at the press, so that a drag depends on where the
    pointer is and not on how it got there. Its edits name the drag as their gesture: together they are one step."""

    text = ""  # what it does now, for the foot of the window
    acts = False  # a press alone does something: it is never a mere click

    def update(self, pointer: Pointer) -> None:
        """Do what the drag does, for the pointer's position. Raises ZolvekError where that can't be."""
        raise NotImplementedError

    def finish(self) -> None:
        """Do what is left when the button comes up; the step is ended after it."""

    def cancel(self) -> None:
        """Undo what is not a part of the step; the step is undone after it."""


class Dragging(QObject):
    """The drag of one widget, `drag`, or None. While there is one, Esc and undo cancel it."""

    def __init__(self, session: Session, view: Viewport, widget: QWidget) -> None:
        super().__init__(widget)
        self.session, self.view, self.widget = session, view, widget
        self.drag: Drag | None = None
        self.start = QPointF()
        self.moved = False
        self.keys = CancelKeys(self, self.cancel)

    def begin(self, at: QPointF, take: Callable[[], Drag | None]) -> None:
        """Begin the drag that `take` gives, if any, at a pixel of the widget. Its ZolvekError is reported."""
        self.finish()  # one whose release went to a dialog
        arranging = self.session.arranging
        self.points = self.session.points.chosen
        self.block, self.notes = arranging.block, (arranging.notes_of or "", arranging.notes)
        taken: list[Drag | None] = []
        if not self.session.notices.attempt(lambda: taken.append(take())) or taken[0] is None:
            return
        self.drag, self.start, self.moved = taken[0], at, False
        self.keys.begin()

    def update(self, event: QMouseEvent, bend: bool = False) -> bool:
        """Take the drag to the pointer; False where there is none."""
        drag = self.drag
        if drag is None:
            return False
        at = event.position()
        delta = at - self.start
        self.moved = self.moved or max(abs(delta.x()), abs(delta.y())) >= CLICK_PX
        if self.moved:
            beats = delta.x() / self.view.width * self.view.beats
            beat = max(self.view.beat(at.x() - SCALE), 0.0)
            pointer = Pointer(at, self.start, beat, beats, keys_of(event, bend))
            if self.session.notices.attempt(lambda: drag.update(pointer)) and drag.text:
                self.session.notices.say(drag.text)
            self.widget.update()
        return True

    def finish(self) -> Drag | None:
        """End the drag, as one step. Of a mere click nothing is done: the drag is returned."""
        drag = self._leave()
        if drag is None or not (self.moved or drag.acts):
            return drag
        self.session.notices.attempt(drag.finish)
        self.session.document.end_gesture()
        return None

    def cancel(self) -> bool:
        """Cancel the drag: the project and the selection are as they were. False where there is none."""
        drag = self._leave()
        if drag is None:
            return False
        drag.cancel()
        self.session.document.cancel_gesture(drag, self._select)
        return True

    def _leave(self) -> Drag | None:
        drag, self.drag = self.drag, None
        if drag is not None:
            self.keys.end()
            self.widget.update()
        return drag

    def _select(self) -> None:
        self.session.points.place(self.points)
        self.session.arranging.place_block(self.block)
        self.session.arranging.place_notes(*self.notes)


def keys_of(event: QMouseEvent | None = None, bend: bool = False) -> DragKeys:
    """The keys that are held at an event, or now."""
    held = event.modifiers() if event else QApplication.keyboardModifiers()
    modifier = Qt.KeyboardModifier
    return DragKeys(bool(held & modifier.ControlModifier), bool(held & modifier.ShiftModifier), bend)


def snapped(session: Session, beat: float, keys: DragKeys) -> float:
    """A beat of the song, on the grid unless the drag is free of it."""
    beat = max(beat, 0.0)
    return beat if keys.free else float(session.tools.grid.snap(beat, session.project.meter))


def moved(session: Session, beat: float, to: float, keys: DragKeys) -> float:
    """Where something at `beat` lands that is moved to `to`: on the grid, or as far from it as it was, by the
    setting."""
    to = max(to, 0.0)
    return to if keys.free else session.tools.moved(beat, to, session.project.meter)
