# SPDX-License-Identifier: GPL-3.0-or-later
"""How large text is: as the desktop has it, or as a person chose."""

from __future__ import annotations

import os

from PyQt6.QtWidgets import QApplication

from zolvek.studio.toolkit import theme as themes

DESKTOPS_OWN = 0  # stands for it in the settings
SMALLEST, LARGEST = 100, 120  # percent: beyond, names would not fit their places

# Desktop -> the size of its text as it comes, in points (common practice, no source).
USUAL_POINTS = {"GNOME": 11.0, "KDE": 10.0, "XFCE": 10.0, "MATE": 10.0, "LXQt": 10.0, "X-Cinnamon": 9.0}


def desktop_percent(points: float, desktop: str) -> int:
    """How large text is on a desktop next to how it comes there, where that is known; within our limits. `desktop`: as
    XDG_CURRENT_DESKTOP has it, names with colons between."""
    usual = next((USUAL_POINTS[name] for name in desktop.split(":") if name in USUAL_POINTS), points)
    return round(min(max(100.0 * points / max(usual, 1.0), SMALLEST), LARGEST)) if points > 0.0 else SMALLEST


def use_text_size(percent: int) -> None:
    """Draw all text in a size, DESKTOPS_OWN for that of the desktop."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    if app.property(DESKTOP_POINTS) is None:  # before ours is set
        app.setProperty(DESKTOP_POINTS, app.font().pointSizeF())
    points = float(app.property(DESKTOP_POINTS))
    chosen = max(percent, SMALLEST) if percent else desktop_percent(points, os.environ.get("XDG_CURRENT_DESKTOP", ""))
    themes.scale_text(chosen / 100.0)
    app.setFont(themes.font())


DESKTOP_POINTS = "desktop points"
