# SPDX-License-Identifier: GPL-3.0-or-later
"""Buttons in panels that do actions of the table."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout

from zolvek.studio.services.context import Studio


class ActionButton(QPushButton):
    """A button that does an action of the table under a shorter name, and is greyed with its reason."""

    def __init__(self, text: str, action: QAction) -> None:
        super().__init__(text)
        self.action = action
        self.setCheckable(action.isCheckable())
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(lambda _: self._press())
        action.changed.connect(self._follow)
        self._follow()

    def _press(self) -> None:
        self.action.trigger()
        self._follow()

    def _follow(self) -> None:
        self.setEnabled(self.action.isEnabled())
        self.setToolTip(self.action.toolTip())
        self.setChecked(self.action.isChecked())


def action_buttons(studio: Studio, rows: Iterable[Iterable[tuple[str, str]]]) -> QVBoxLayout:
    """Rows of buttons for actions: (text, id)."""
    layout = QVBoxLayout()
    layout.setSpacing(5)
    for row in rows:
        line = QHBoxLayout()
        line.setSpacing(5)
        for text, key in row:
            made_button = ActionButton(text, studio.action(key))
            made_button.setStyleSheet("padding: 4px 2px;")  # three must find room next to each other
            made_button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            line.addWidget(made_button)
        layout.addLayout(line)
    return layout
