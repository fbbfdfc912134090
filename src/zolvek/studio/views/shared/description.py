# SPDX-License-Identifier: GPL-3.0-or-later
"""What a screen reader says of a widget that paints itself.

PyQt binds no interfaces for assistive tools, so such widgets are built on bases of the toolkit's that have a role: a
group for an area with things in it, a slider for a dial. What is in it stands in the description.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtBoundSignal
from PyQt6.QtWidgets import QWidget

SETTLED_MS = 250  # after the last change: nobody is read to thirty times a second


class Description(QObject):
    """Keeps a widget's accessible description, which `text` makes, a while after the last of the changes."""

    def __init__(self, widget: QWidget, text: Callable[[], str], *changes: pyqtBoundSignal) -> None:
        super().__init__(widget)
        self.text, self.widget = text, widget
        self.settled = QTimer(self)
        self.settled.setSingleShot(True)
        self.settled.setInterval(SETTLED_MS)
        self.settled.timeout.connect(self.describe)
        for change in changes:
            change.connect(self.later)
        self.later()

    def later(self) -> None:
        """Describe it soon."""
        if not self.settled.isActive():
            self.settled.start()

    def describe(self) -> None:
        """Describe it as it is now."""
        self.widget.setAccessibleDescription(self.text())
