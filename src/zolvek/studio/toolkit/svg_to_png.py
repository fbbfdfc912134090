# SPDX-License-Identifier: GPL-3.0-or-later
"""An SVG picture as PNG, drawn by Qt without a window."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtSvg import QSvgRenderer

from zolvek.core.errors import Failure, ZolvekError
from zolvek.storage.atomic import write_bytes

SCALE = 2  # pixels for each of the picture's own, for print
MOST_SIDE_PX = 32_000  # pixels: Qt draws up to 32,767
MOST_PIXELS = 48_000_000  # readers refuse pictures of more than 256 MB, of four bytes a pixel


def drawn(svg: str, scale: float = SCALE) -> QImage:
    """The picture, smaller than `scale` where it would get too large. Raises ZolvekError when it can't
    be drawn at its own size either."""
    renderer = QSvgRenderer(QByteArray(svg.encode()))
    size = renderer.defaultSize()
    if not renderer.isValid() or size.isEmpty():
        raise Failure("The picture can't be drawn.", "PNG", "Export it as SVG, and report this.")
    fits = min(
        MOST_SIDE_PX / max(size.width(), size.height()),
        (MOST_PIXELS / (size.width() * size.height())) ** 0.5,
    )
    if fits < 1.0:
        raise ZolvekError(
            f"A PNG of {size.width():,} × {size.height():,} is too large.",
            "PNG",
            "Choose fewer lanes, or SVG.",
        )
    image = QImage(size * min(scale, fits), QImage.Format.Format_ARGB32)
    if image.isNull():
        raise Failure("There is not enough memory for the picture.", "PNG", "Export it as SVG.")
    image.fill(0xFFFFFFFF)
    painter = QPainter(image)
    renderer.render(painter)
    painter.end()
    return image


def save(svg: str, path: str | os.PathLike[str]) -> Path:
    """Write the picture; there has to be an application, for its fonts. Raises ZolvekError when it
    can't be."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    if not drawn(svg).save(buffer, "PNG"):
        raise Failure("The picture can't be converted to PNG.", str(path), "Export it as SVG.")
    return write_bytes(path, buffer.data().data())
