# SPDX-License-Identifier: GPL-3.0-or-later
"""The field in which a cell of a table is edited: it stays while its text can't be used, and says why under itself."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QModelIndex, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from zolvek.studio.toolkit.fields import Entry

LEAVING = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Tab, Qt.Key.Key_Backtab)


class CellField(Entry):
    """A cell's field; `check` says what is wrong with a text, "" for nothing."""

    def __init__(self, parent: QWidget | None, name: str, check: Callable[[str], str]) -> None:
        super().__init__(name, lambda _: None)
        self.setParent(parent)
        self.setFrame(False)
        self.check = check

    def _take(self) -> None:
        """The table takes the text."""


class CellEditor(QStyledItemDelegate):
    """`check` says what is wrong with a text for a cell; `name` is the cell's for assistive tools."""

    def __init__(
        self, view: QAbstractItemView, check: Callable[[QModelIndex, str], str], name: Callable[[QModelIndex], str]
    ) -> None:
        super().__init__(view)
        self.check, self.name = check, name

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget | None:
        """See Qt."""
        return CellField(parent, self.name(index), lambda text: self.check(index, text))

    def eventFilter(self, editor: QObject | None, event: QEvent | None) -> bool:
        """A key that leaves the field does so with a text that can be used."""
        leaves = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() in LEAVING
        if leaves and isinstance(editor, CellField):
            fault = editor.check(editor.text())
            editor.refuse(fault)
            if fault:
                editor.selectAll()
                return True
        return super().eventFilter(editor, event)
