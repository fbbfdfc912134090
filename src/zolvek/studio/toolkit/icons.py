# SPDX-License-Identifier: GPL-3.0-or-later
"""Symbols for actions: the SVG files in assets/icons, drawn for Zolvek, in the theme's colours."""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

from zolvek.storage.shipped_files import ASSETS
from zolvek.studio.toolkit.theme import Theme

FOLDER = ASSETS / "icons"
NAMES = tuple(sorted(path.stem for path in FOLDER.glob("*.svg")))
INK = "#000"  # in the files
SIZES = (20, 40)  # pixels, for screens of one and of two for one of ours


def icon(name: str, theme: Theme, on_light: bool = False) -> QIcon:
    """A symbol in the theme's ink; switched on it turns to the curve's ink on light ground, to
    the sheet's colour on the curve's ink."""
    drawn = (FOLDER / f"{name}.svg").read_text(encoding="utf-8")
    on, off = QIcon.State.On, QIcon.State.Off
    inks = {
        (QIcon.Mode.Normal, off): theme.ink,
        (QIcon.Mode.Disabled, off): theme.ghost,
        (QIcon.Mode.Normal, on): theme.curve if on_light else theme.sheet,
    }
    icon = QIcon()
    for (mode, state), ink in inks.items():
        renderer = QSvgRenderer(QByteArray(drawn.replace(INK, ink).encode()))
        for size in SIZES:
            picture = QPixmap(size, size)
            picture.fill(Qt.GlobalColor.transparent)
            painter = QPainter(picture)
            renderer.render(painter, QRectF(0, 0, size, size))
            painter.end()
            icon.addPixmap(picture, mode, state)
    return icon
