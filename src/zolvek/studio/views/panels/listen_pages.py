# SPDX-License-Identifier: GPL-3.0-or-later
"""The Listen panel: what is heard, which control moves it, and where nothing moves."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import Pages, column, heading
from zolvek.studio.views.panels.effects_page import EffectsPage
from zolvek.studio.views.panels.lane_effect_page import LaneEffectPage
from zolvek.studio.views.panels.listen_panel import ListenPanel
from zolvek.studio.views.panels.recipes_page import RecipesPage
from zolvek.studio.views.panels.stillness_page import StillnessPage


class ListenPages(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Listen"))
        self.effects = EffectsPage(studio)
        self.listening = ListenPanel(studio)
        self.stillness = StillnessPage(studio, self._ask_controls)
        self.recipes = RecipesPage(studio)
        self.lane = LaneEffectPage(studio)
        self.pages = Pages(
            {
                "Hear": self.listening,
                "Controls": self.effects,
                "Lane": self.lane,
                "Bars": self.stillness,
                "Recipes": self.recipes,
            }
        )
        layout.addWidget(self.pages, 1)

    def _ask_controls(self) -> None:
        """Measure the controls in the span that has been selected."""
        self.pages.show_page("Controls")
        self.effects.start()

    def close_work(self) -> None:
        """End what is going on, when the window closes."""
        for page in (self.listening, self.effects, self.lane, self.stillness, self.recipes):
            page.close_work()
