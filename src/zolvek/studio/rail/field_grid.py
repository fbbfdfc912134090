"""Entries in two columns, each under its label, read by the unit that it has."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QGridLayout, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.core.records import record
from zolvek.core.time.rates import parse_rate
from zolvek.core.value.units import read
from zolvek.studio.widgets import Entry, field_label


@record
class Field:
    """One entry: `unit` "%" is typed in percent and used in 0..1; "" is taken as it is; "rate" and
    "seed" are read as such. `waves` are those it means anything for."""

    key: str
    label: str
    default: str
    unit: str = "%"
    tip: str = ""


class FieldGrid(QWidget):
    """Entries in two columns, each under its label."""

    def __init__(
        self, title: str, fields: tuple[Field, ...], changed: Callable[[], object]
    ) -> None:
        super().__init__()
        self.fields, self.changed = fields, changed
        self.entries: dict[str, Entry] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        for place, field in enumerate(fields):
            row, side = 2 * (place // 2), place % 2
            label = field_label(field.label)
            grid.addWidget(label, row, side)
            entry = Entry(f"{title}: {field.label}", partial(self._typed, field), field.tip)
            entry.setText(field.default)
            grid.addWidget(entry, row + 1, side)
            self.entries[field.key] = entry

    def _typed(self, field: Field, text: str) -> bool:
        try:
            self._read(field, text)
        except ZolvekError:
            return False
        self.changed()
        return True

    def set(self, key: str, text: str) -> None:
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
        return {f.key: self._read(f, self.entries[f.key].text()) for f in self.fields}

    def _read(self, field: Field, text: str) -> Any:
        clean = text.strip()
        if not clean:
            return None
        if field.unit == "rate":
            return parse_rate(clean)
        if field.unit == "list":
            numbers = [float(x) for x in re.findall(r"\d+(?:\.\d+)?", clean)]
            return tuple(min(n / 100.0, 1.0) for n in numbers)
        unit = "s" if field.unit == "s" else "%"
        number = read(clean, unit)
        if number is None or not np.isfinite(number):
            raise ZolvekError(f"“{text}” can't be read.", field.label, f"Write {field.default}.")
        return number if unit == "s" else number / 100.0
