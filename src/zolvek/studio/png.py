"""An SVG picture as PNG, drawn by Qt without a window."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtSvg import QSvgRenderer

from zolvek.formats.atomic import write_bytes

SCALE = 2  # pixels for each of the picture's own, for print


def drawn(svg: str, scale: float = SCALE) -> QImage:
    renderer = QSvgRenderer(QByteArray(svg.encode()))
    image = QImage(renderer.defaultSize() * scale, QImage.Format.Format_ARGB32)
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
    drawn(svg).save(buffer, "PNG")
    return write_bytes(path, bytes(buffer.data()))
