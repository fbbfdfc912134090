"""The Export panel: what is delivered and how, with a report before it is written."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QWidget

from zolvek.studio.rail.export_midi_page import MidiPage
from zolvek.studio.rail.export_pages import DataPage, SoundPage
from zolvek.studio.session import Session
from zolvek.studio.widgets import Pages, column, heading


class ExportPanel(QWidget):
    def __init__(self, session: Session, actions: Callable[[str], QAction]) -> None:
        super().__init__()
        layout = column(self)
        layout.addWidget(heading("Export"))
        self.midi = MidiPage(session, actions)
        self.sound = SoundPage(session, actions)
        self.data = DataPage(session, actions)
        self.pages = Pages({"MIDI": self.midi, "Sound": self.sound, "Data": self.data})
        layout.addWidget(self.pages, 1)

    def close_work(self) -> None:
        self.midi.close_work()
