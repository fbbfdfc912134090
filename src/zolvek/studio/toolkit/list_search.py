# SPDX-License-Identifier: GPL-3.0-or-later
"""A search field over a list that may have many rows."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget

from zolvek.core.value.text_search import matches, search_words
from zolvek.studio.toolkit.fields import Search

FEW = 8  # rows that need no search


class ListSearch(Search):
    """Shows the rows that have the typed words, and those that are ticked; it is there for more than FEW rows."""

    def __init__(self, name: str, rows: QListWidget) -> None:
        super().__init__(name)
        self.rows = rows
        self.textChanged.connect(lambda _: self.show_matching())

    def show_matching(self) -> None:
        """To be called when the list has been filled."""
        rows = [self.rows.item(number) for number in range(self.rows.count())]
        self.setVisible(len(rows) > FEW)
        words = search_words(self.text()) if len(rows) > FEW else []
        for row in rows:
            if row is not None:
                row.setHidden(row.checkState() != Qt.CheckState.Checked and not matches(words, row.text()))
