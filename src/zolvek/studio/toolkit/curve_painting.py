# SPDX-License-Identifier: GPL-3.0-or-later
"""Drawing that the focus lane, the other lanes and the overview share."""

from __future__ import annotations

import itertools

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.layering import LayeredCurve
from zolvek.core.time.grid import Grid
from zolvek.studio.toolkit.outline import (
    band,
    dense,
    layered_dense,
    layered_line,
    line,
    polygon,
    slimmed,
)
from zolvek.studio.toolkit.theme import Theme, color
from zolvek.studio.toolkit.viewport import Viewport

CLOSEST_LINES_PX = 9.0  # pixels between grid lines, below which they thin out
DIAMOND = 4.5


def draw_curve(
    painter: QPainter,
    curve: Curve | LayeredCurve,
    view: Viewport,
    rect: QRectF,
    ink: str,
    width: float = 1.8,
    dashed: bool = False,
) -> None:
    """The curve over the whole height of `rect`; x 0 is the rectangle's left edge."""
    painter.save()
    painter.setClipRect(rect.adjusted(0, -3, 0, 3), Qt.ClipOperation.IntersectClip)
    if layered_dense(curve, view) if isinstance(curve, LayeredCurve) else dense(curve, view):
        draw_band(painter, band(curve, view), rect, ink)
    else:
        x, value = layered_line(curve, view) if isinstance(curve, LayeredCurve) else line(curve, view)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(color(ink), width)
        pen.setJoinStyle(Qt.PenJoinStyle.BevelJoin)
        if dashed:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        line_x, line_y = slimmed(x + rect.left(), rect.bottom() - value * rect.height())
        painter.drawPolyline(polygon(line_x, line_y))
    painter.restore()


def draw_band(painter: QPainter, reached: tuple[Floats, Floats], rect: QRectF, ink: str) -> None:
    """One upright a pixel, from the lowest to the highest value that is `reached` there, as a picture: lines would cost
    many times as much."""
    low, high = reached
    rows = np.arange(int(rect.height()) + 2)[:, None]
    top, bottom = ((1.0 - part) * rect.height() for part in (high, low))
    covered = (rows >= np.floor(top)) & (rows <= np.ceil(bottom))
    pixels = np.where(covered, np.uint32(color(ink).rgba()), np.uint32(0))
    height, width = pixels.shape
    picture = QImage(pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied)
    painter.drawImage(QPointF(round(rect.left()), round(rect.top())), picture)


def draw_time_grid(painter: QPainter, project: Project, grid: Grid, view: Viewport, rect: QRectF, theme: Theme) -> None:
    """Grid lines as far as they can be distinguished, and bar lines, over `rect`."""
    painter.setPen(QPen(color(theme.hairline, 0.75), 1.0))
    for beat in shown_lines(project, grid, view):
        _upright(painter, rect, view.x(beat))
    painter.setPen(QPen(color(theme.bar_line), 1.0))
    for _, beat in shown_bars(project, view):
        _upright(painter, rect, view.x(beat))


def shown_lines(project: Project, grid: Grid, view: Viewport) -> list[float]:
    """The grid's lines that are drawn: all of them, or every second, fourth, … as the zoom
    allows. What snaps is the grid, whatever is drawn of it."""
    if grid.kind == "hits":
        return [float(beat) for beat in grid.lines(view.first, view.last, project.meter)]
    pixels = view.width / view.beats
    every = 1
    while grid.step_at(view.first, project.meter) * pixels * every < CLOSEST_LINES_PX:
        every *= 2
        if every > 4_096:
            return []
    result: list[float] = []
    starts = [*project.meter.starts, np.inf]
    for start, end in itertools.pairwise(starts):
        low, high = max(view.first, start), min(view.last, end)
        if low < high:
            step = grid.step_at(start, project.meter)
            lines = grid.lines(low, high, project.meter)
            index = np.round((lines - start) / step - grid.swing / 2.0).astype(int)
            result += lines[index % every == 0].tolist()
    return result


def shown_bars(project: Project, view: Viewport, least: float = 22.0) -> list[tuple[int, float]]:
    """Bars whose lines are drawn: every one, or every second, fourth, … as the zoom allows."""
    pixels = view.width / view.beats * 4.0
    every = 1
    while pixels * every < least:
        every *= 2
    bars, beats = project.meter.bar_lines(view.first, view.last, every)
    return list(zip(bars.tolist(), beats.tolist(), strict=True))


def draw_section_bounds(painter: QPainter, project: Project, view: Viewport, rect: QRectF, theme: Theme) -> None:
    """A heavier line where a section begins."""
    painter.setPen(QPen(color(theme.ghost), 1.4, Qt.PenStyle.DotLine))
    for section in project.sections:
        if view.first < section.beat < view.last:
            _upright(painter, rect, view.x(section.beat))


def draw_playhead(painter: QPainter, x: float, rect: QRectF, theme: Theme) -> None:
    """Draw the playhead."""
    painter.setPen(QPen(color(theme.playhead), 1.4))
    painter.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()))


def diamond(x: float, y: float, size: float = DIAMOND) -> QPolygonF:
    """The outline of a point."""
    corners = ((x, y - size), (x + size, y), (x, y + size), (x - size, y))
    return QPolygonF([QPointF(*corner) for corner in corners])


def _upright(painter: QPainter, rect: QRectF, x: float) -> None:
    at = round(rect.left() + x) + 0.5
    painter.drawLine(QPointF(at, rect.top()), QPointF(at, rect.bottom()))


def repaint_playhead(widget: QWidget, *places: float) -> None:
    """Paint again where the playhead was and is, in pixels, not the whole."""
    for x in places:
        if -4 <= x <= widget.width() + 4:
            widget.update(int(x) - 3, 0, 7, widget.height())
