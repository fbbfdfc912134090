# SPDX-License-Identifier: GPL-3.0-or-later
"""The Draw panel: a page of tools and fields, and one with the table of points."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import Pages, column, heading
from zolvek.studio.views.panels.draw_panel import DrawPanel
from zolvek.studio.views.panels.points_page import PointsPage


class DrawPages(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Draw"))
        layout.addWidget(Pages({"Tools": DrawPanel(studio), "Table": PointsPage(studio)}, across=2), 1)
