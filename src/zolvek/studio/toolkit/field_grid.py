# SPDX-License-Identifier: GPL-3.0-or-later
"""Entries in two columns, each under its label, read by the unit that it has."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QGridLayout, QWidget

from zolvek.core.movement.movement_settings import Setting
from zolvek.core.movement.settings_parser import read_setting
from zolvek.studio.toolkit.fields import Entry
from zolvek.studio.toolkit.widgets import field_label


class FieldGrid(QWidget):
    """Entries in two columns, each under its label."""

    def __init__(self, title: str, fields: tuple[Setting, ...], changed: Callable[[], object]) -> None:
        super().__init__()
        self.fields, self.changed = fields, changed
        self.entries: dict[str, Entry] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        for index, field in enumerate(fields):
            row, side = 2 * (index // 2), index % 2
            label = field_label(field.label)
            grid.addWidget(label, row, side)
            entry = Entry(f"{title}: {field.label}", partial(self._typed, field), field.tip)
            entry.setText(field.default)
            grid.addWidget(entry, row + 1, side)
            label.setBuddy(entry)
            self.entries[field.key] = entry

    def _typed(self, field: Setting, text: str) -> None:
        read_setting(field, text)
        self.changed()

    def allow(self, key: str, why_not: str) -> None:
        """Let a field be typed into, or say why it means nothing now."""
        entry = self.entries[key]
        entry.setEnabled(not why_not)
        tips = {field.key: field.tip for field in self.fields}
        entry.setToolTip(why_not or tips[key])

    def set(self, key: str, text: str) -> None:
        """Show values in the fields."""
        self.entries[key].setText(text)
        self.changed()

    def fill(self, made: object, texts: dict[str, str]) -> None:
        """What something made of such entries has in them: `texts`, else its attribute in percent."""
        for field in self.fields:
            text = texts.get(field.key)
            if text is None:
                text = f"{100 * getattr(made, field.key):g} %"
            self.entries[field.key].setText(text)

    def values(self) -> dict[str, Any]:
        """What is typed; empty fields are None. Raises ZolvekError naming the field."""
        return {f.key: read_setting(f, self.entries[f.key].text()) for f in self.fields}
