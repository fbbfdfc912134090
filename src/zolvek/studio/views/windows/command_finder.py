# SPDX-License-Identifier: GPL-3.0-or-later
"""The command finder: type a few letters of what is wanted, press Enter."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from zolvek.studio.actions.action_table import ACTIONS
from zolvek.studio.actions.command_search import matching
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import ElidedLabel

REASON = Qt.ItemDataRole.UserRole + 1


class Finder(QDialog):
    def __init__(self, studio: Studio, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(460, 360)
        self.chosen: str | None = None
        self.field = QLineEdit()
        self.field.setPlaceholderText("What would you like to do?")
        self.field.setAccessibleName("Command")
        self.list = QListWidget()
        self.list.setAccessibleName("Matching commands")
        self.refused = {action.id: action.refused(studio) for action in ACTIONS}
        layout = QVBoxLayout(self)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        self.says = ElidedLabel("What the command does, or why it is not available")
        layout.addWidget(self.says)
        self.list.currentItemChanged.connect(self._say)
        self.field.textChanged.connect(self._filter)
        self.field.returnPressed.connect(self._take)
        self.list.itemActivated.connect(lambda _: self._take())
        self.field.installEventFilter(self)
        self._filter("")

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up and down walk the list while the field keeps the keyboard."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            direction = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if direction:
                index = self.list.currentRow() + direction
                self.list.setCurrentRow(min(max(index, 0), self.list.count() - 1))
                return True
        return super().eventFilter(watched, event)

    def _filter(self, text: str) -> None:
        """List what matches, the best first."""
        self.list.clear()
        rows = matching(text)
        for row in rows:
            reason = self.refused.get(row.id, "")
            item = QListWidgetItem(f"{row.text}   {row.keys}" if row.keys else row.text)
            item.setToolTip(f"{row.tip}\n{reason}" if reason else row.tip)
            item.setData(Qt.ItemDataRole.UserRole, row.id)
            item.setData(REASON, reason)
            if reason:
                item.setForeground(self.palette().placeholderText())
            self.list.addItem(item)
        self.list.setCurrentRow(0 if rows else -1)
        if not rows:
            self.says.setText(f"Nothing matches “{text.strip()}”. Try another word.")

    def _say(self, item: QListWidgetItem | None) -> None:
        self.says.setText(item.toolTip().split("\n")[-1] if item is not None else "")

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None and not item.data(REASON):
            self.chosen = item.data(Qt.ItemDataRole.UserRole)
            self.accept()
