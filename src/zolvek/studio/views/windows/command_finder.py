# SPDX-License-Identifier: GPL-3.0-or-later
"""The command finder: type a few letters of what is wanted, press Enter."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from zolvek.studio.actions.action_table import ACTIONS
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
        for action in ACTIONS:
            reason = action.refused(studio)
            keys = f"   {action.keys}" if action.keys else ""
            item = QListWidgetItem(f"{action.text.rstrip('…')}{keys}")
            item.setToolTip(f"{action.tip}\n{reason}" if reason else action.tip)
            item.setData(Qt.ItemDataRole.UserRole, action.id)
            item.setData(REASON, reason)
            if reason:
                item.setForeground(self.palette().placeholderText())
            self.list.addItem(item)
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
                shown = [i for i in range(self.list.count()) if not self.list.item(i).isHidden()]  # type: ignore[union-attr]  # i is below the count
                if shown:
                    now = self.list.currentRow()
                    index = shown.index(now) + direction if now in shown else 0
                    self.list.setCurrentRow(shown[min(max(index, 0), len(shown) - 1)])
                return True
        return super().eventFilter(watched, event)

    def _filter(self, text: str) -> None:
        words = text.lower().split()
        best: tuple[int, int] | None = None  # found in the tip only, row
        for i in range(self.list.count()):
            item = self.list.item(i)
            assert item is not None
            name, whole = item.text().lower(), f"{item.text()} {item.toolTip()}".lower()
            fits = all(word in whole for word in words)
            item.setHidden(not fits)
            rank = (int(not all(word in name for word in words)), i)
            best = rank if fits and (best is None or rank < best) else best
        self.list.setCurrentRow(-1 if best is None else best[1])

    def _say(self, item: QListWidgetItem | None) -> None:
        self.says.setText(item.toolTip().split("\n")[-1] if item is not None else "")

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None and not item.isHidden() and not item.data(REASON):
            self.chosen = item.data(Qt.ItemDataRole.UserRole)
            self.accept()
