# SPDX-License-Identifier: GPL-3.0-or-later
"""A page that is behind another one is brought up to date when it is shown, not with every edit."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QEvent, QObject, pyqtBoundSignal
from PyQt6.QtWidgets import QWidget


class RefreshWhileShown(QObject):
    """Calls `refresh` with every signal while the widget is visible, and when it is shown."""

    def __init__(self, widget: QWidget, refresh: Callable[[], None], signals: Iterable[pyqtBoundSignal]) -> None:
        super().__init__(widget)
        self.widget, self.refresh = widget, refresh
        for signal in signals:
            signal.connect(self._changed)
        widget.installEventFilter(self)

    def _changed(self) -> None:
        if self.widget.isVisible():
            self.refresh()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Show:
            self.refresh()
        return False
