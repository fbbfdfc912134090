# SPDX-License-Identifier: GPL-3.0-or-later
"""The Export panel: what is exported and how, with a report before it is written."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import Pages, column, heading
from zolvek.studio.views.panels.export.audio_and_table_pages import DataPage, SoundPage
from zolvek.studio.views.panels.export.midi_page import MidiPage


class ExportPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio = studio
        layout = column(self)
        layout.addWidget(heading("Export"))
        self.midi = MidiPage(studio)
        self.sound = SoundPage(studio)
        self.data = DataPage(studio)
        self.pages = Pages({"MIDI": self.midi, "Audio": self.sound, "Data": self.data})
        layout.addWidget(self.pages, 1)

    def close_work(self) -> None:
        """End work in the background."""
        self.midi.close_work()
