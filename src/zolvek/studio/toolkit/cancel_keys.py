# SPDX-License-Identifier: GPL-3.0-or-later
"""The keys that cancel a drag, wherever the keyboard is: Esc, and undo."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication


class CancelKeys(QObject):
    """Between `begin` and `end` both keys belong to a drag: `cancel` is called, before any command that has them."""

    def __init__(self, parent: QObject, cancel: Callable[[], object]) -> None:
        super().__init__(parent)
        self.cancel = cancel

    def begin(self) -> None:
        """Take the keys."""
        app = QApplication.instance()
        assert app is not None
        app.installEventFilter(self)

    def end(self) -> None:
        """Leave the keys to the commands again."""
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Take a key that cancels, first as one that is not a command's, then as a key."""
        if isinstance(event, QKeyEvent) and (
            event.key() == Qt.Key.Key_Escape or event.matches(QKeySequence.StandardKey.Undo)
        ):
            if event.type() == QEvent.Type.ShortcutOverride:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress:
                self.end()
                self.cancel()
                return True
        return False
