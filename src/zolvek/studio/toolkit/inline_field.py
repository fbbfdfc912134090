# SPDX-License-Identifier: GPL-3.0-or-later
"""A field over a picture, for what is written there: a name, a tempo, a meter."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QListWidget, QWidget

from zolvek.studio.toolkit.fields import Entry

LEAST = 84


class InPlace(Entry):
    """Shown over `area` of its parent with what is there; Enter takes what is typed, Esc or leaving it
    gives it up."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__("Name", self._typed)
        self.setParent(parent)
        self.take: Callable[[str], object] = lambda _: None
        self.setStyleSheet("padding: 0px 4px; min-height: 15px;")
        self.hide()

    def ask(self, area: QRectF, name: str, text: str, take: Callable[[str], object]) -> None:
        """Ask for a text in place, over a rectangle."""
        parent = self.parentWidget()
        assert parent is not None
        self.take = take
        self.setAccessibleName(name)
        self.setText(text)
        width = max(int(area.width()), LEAST)
        left = min(max(int(area.left()), 0), max(parent.width() - width, 0))
        self.setGeometry(left, int(area.top()), width, int(area.height()))
        self.show()
        self.raise_()
        self.selectAll()
        self.setFocus(Qt.FocusReason.MouseFocusReason)

    def _typed(self, text: str) -> None:
        self.take(text)
        self.hide()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        super().keyPressEvent(event)
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.hide()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.hide()


class RowName(InPlace):
    """Over a row of a list: `renamed` is given the new name."""

    def __init__(self, rows: QListWidget, renamed: Callable[[str], object]) -> None:
        viewport = rows.viewport()
        assert viewport is not None
        super().__init__(viewport)
        self.rows, self.renamed = rows, renamed

    def begin(self, name: str, text: str) -> None:
        """Ask for another name over the current row."""
        item = self.rows.currentItem()
        if item is None:
            return
        self.rows.scrollToItem(item)
        area = QRectF(self.rows.visualItemRect(item)).adjusted(0, 1, 0, -1)
        area.setHeight(min(area.height(), 24.0))
        self.ask(area, name, text, self.renamed)
