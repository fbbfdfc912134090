# SPDX-License-Identifier: GPL-3.0-or-later
"""The Draw panel's two pages: tools and fields, and the table of points."""

from __future__ import annotations

from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import Pages
from zolvek.studio.views.panels.draw_panel import DrawPanel
from zolvek.studio.views.panels.points_page import PointsPage


class DrawPages(Pages):
    def __init__(self, studio: Studio) -> None:
        super().__init__({"Draw": DrawPanel(studio), "Points": PointsPage(studio)}, across=2)
