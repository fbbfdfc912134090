# SPDX-License-Identifier: GPL-3.0-or-later
"""The preview: what a panel would make, shown over the current curve, and a lane shown behind."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.studio.session.document import Document
from zolvek.studio.session.focus import Focus

Errors = tuple[Floats, Floats]  # beats, and how far a preview strays there


class Preview(QObject):
    """`curve`: what would be made; `errors`: where and how far it strays. `behind`: a lane that is
    shown faintly behind the focus."""

    changed = pyqtSignal()

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document = document
        self.curve: Curve | None = None
        self.errors: Errors | None = None
        self.behind: str | None = None
        focus.changed.connect(lambda: self.show(None))
        document.changed.connect(self._follow)

    def show(self, curve: Curve | None, errors: Errors | None = None) -> None:
        """Show a curve as a preview, or None."""
        if curve is not self.curve:
            self.curve, self.errors = curve, errors
            self.changed.emit()

    def show_behind(self, lane: str | None) -> None:
        """Show a lane behind the focus lane, or None."""
        self.behind = lane
        self.changed.emit()

    def _follow(self) -> None:
        if self.behind is not None and not self.document.project.has_lane(self.behind):
            self.show_behind(None)
