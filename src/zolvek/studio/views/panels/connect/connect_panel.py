# SPDX-License-Identifier: GPL-3.0-or-later
"""The Connect panel: other programs and machines, through MIDI, OSC, JACK or PipeWire."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import column, heading
from zolvek.studio.views.panels.connect.connect_page import ConnectPage


class ConnectPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Connect"))
        self.page = ConnectPage(studio)
        layout.addWidget(self.page, 1)
