# SPDX-License-Identifier: GPL-3.0-or-later
"""The Morph panel: states, morphs between them, and the pad."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import Pages, column, heading
from zolvek.studio.views.panels.morph.morph_page import MorphPage
from zolvek.studio.views.panels.morph.pad_page import PadPage
from zolvek.studio.views.panels.morph.states_page import StatesPage


class MorphPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio = studio
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Morph"))
        self.pages = Pages({"States": StatesPage(studio), "Morph": MorphPage(studio), "Pad": PadPage(studio)})
        layout.addWidget(self.pages, 1)
        self.show_page = self.pages.show_page
