# SPDX-License-Identifier: GPL-3.0-or-later
"""Fields that choose hits: of which track, in which band, and how strong."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSlider, QWidget

from zolvek.studio.toolkit.widgets import choice, field_label, form, note, pick

LABEL_PX = 90  # the width of labels, so that fields stand in one line
Rows = Sequence[tuple[str, str]]


class HitChoice(NamedTuple):
    """A track's id, "" for the one that is shown, a band, and the least strength in percent."""

    source: str
    band: str
    least: int


class HitFields(QWidget):
    """`apply` is called with each choice, while it is made, and returns what it comes to, in words."""

    def __init__(self, sources: Rows, bands: Rows, now: HitChoice, apply: Callable[[HitChoice], str]) -> None:
        super().__init__()
        self.apply = apply
        self.source = choice(list(sources), "Hits of", lambda _: self._changed())
        self.band = choice(list(bands), "Band", lambda _: self._changed())
        self.least = QSlider(Qt.Orientation.Horizontal)
        self.least.setRange(0, 100)
        self.least.setPageStep(10)
        self.least.setAccessibleName("Minimum strength")
        self.least.setToolTip("Hits that are weaker are left out")
        self.reported = note()
        fields = form()
        fields.setContentsMargins(0, 0, 0, 0)
        for text, widget in (("Hits of", self.source), ("Band", self.band), ("Min. strength", self.least)):
            label = field_label(text)
            label.setBuddy(widget)
            label.setMinimumWidth(LABEL_PX)
            fields.addRow(label, widget)
        fields.addRow("", self.reported)
        self.setLayout(fields)
        self.show_choice(now)
        self.least.valueChanged.connect(lambda _: self._changed())
        self._changed()

    @property
    def choice(self) -> HitChoice:
        """What is chosen."""
        return HitChoice(str(self.source.currentData()), str(self.band.currentData()), self.least.value())

    def show_choice(self, now: HitChoice) -> None:
        """Show a choice."""
        pick(self.source, now.source)
        pick(self.band, now.band)
        self.least.setValue(now.least)

    def _changed(self) -> None:
        self.reported.setText(self.apply(self.choice))
