# SPDX-License-Identifier: GPL-3.0-or-later
"""What is selected: points of what is drawn on, and a span of time."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.arrays import Ints
from zolvek.core.errors import ZolvekError
from zolvek.studio.session.document import Document
from zolvek.studio.session.focus import Focus

NONE_CHOSEN = np.empty(0, np.intp)


class Points(QObject):
    """`chosen`: the selected points, as increasing indices of the target's curve."""

    changed = pyqtSignal()

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.focus = focus
        self.chosen: Ints = NONE_CHOSEN
        document.changed.connect(self._follow)
        focus.changed.connect(lambda: self.choose(NONE_CHOSEN))

    def choose(self, points: Ints) -> None:
        """Select points."""
        self.chosen = points
        self.changed.emit()

    def place(self, points: Ints) -> None:
        """Set the selection within an edit, which notifies (`Document.edit`)."""
        self.chosen = points

    def _follow(self) -> None:
        if self.chosen.size:
            target = self.focus.target
            there = self.chosen < (len(target.curve) if target else 0)
            if not there.all():
                self.chosen = self.chosen[there]


class Span(QObject):
    """`beats`: first and last beat of the selected span, or None; `begun`: where one is to begin that is
    selected by the playhead. `also`: lanes that edits of spans take along with the focus."""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document, self.known = document, document.opened
        self.beats: tuple[float, float] | None = None
        self.begun: float | None = None
        self.also: frozenset[str] = frozenset()
        document.changed.connect(self._follow)

    def choose(self, beats: tuple[float, float] | None) -> None:
        """Select a span of beats, or None."""
        self.beats = beats
        self.changed.emit()

    def take_along(self, lanes: frozenset[str]) -> None:
        """These lanes are worked on with the focus, as one."""
        self.also = lanes
        self.changed.emit()

    def needed(self) -> tuple[float, float]:
        """The selected span. Raises ZolvekError when there is none."""
        if self.beats is None:
            raise ZolvekError("No span is selected.", remedy="Drag one on the ruler first.")
        return self.beats

    def _follow(self) -> None:
        if self.known is not self.document.opened:
            self.known = self.document.opened
            self.also = frozenset()
            self.choose(None)
        gone = {lane for lane in self.also if not self.document.project.has_lane(lane)}
        if gone:
            self.take_along(self.also - gone)


class Playhead(QObject):
    """`beat`: where the playhead is."""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document, self.known = document, document.opened
        self.beat = 0.0
        document.changed.connect(self._follow)

    def go(self, beat: float) -> None:
        """Move the playhead to a beat."""
        self.beat = min(max(beat, 0.0), self.document.project.length)
        self.changed.emit()

    def _follow(self) -> None:
        if self.known is not self.document.opened:
            self.known = self.document.opened
            self.go(0.0)
