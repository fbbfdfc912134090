# SPDX-License-Identifier: GPL-3.0-or-later
"""The background of the focus lane: grid, value scale and the sound behind, kept as a picture
until something of it changes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPixmap

from zolvek.core.edits.targets import Target
from zolvek.core.same import Same
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import curve_painting
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.theme import Theme
from zolvek.studio.views.timeline.backdrops import HIGHEST, LOWEST, Backdrops, draw_backdrop
from zolvek.studio.views.timeline.plot import SCALE, Plot
from zolvek.studio.views.timeline.value_scale import marks


class Edits:
    """Calls for a new picture where the project's change shows in the focus lane: one of the tempo alone
    does not, but for what moves in seconds."""

    def __init__(self, session: Session, paint: Callable[[], object]) -> None:
        self.session, self.paint = session, paint
        self.drawn: tuple[object, ...] = ()
        session.document.changed.connect(self._follow)

    def _follow(self) -> None:
        session, project = self.session, self.session.project
        behind, lane = session.preview.behind, session.lane
        drawn = (
            lane, project.lane(behind) if behind and project.has_lane(behind) else None,
            project.tempo if lane is not None and lane.layers else None, project.meter,
            project.sections, project.length, project.pads, lane and project.device_of(lane.id), session.points.chosen,
        )  # fmt: skip
        same = len(drawn) == len(self.drawn)
        if not same or any(a is not b for a, b in zip(drawn, self.drawn, strict=True)):
            self.drawn = drawn
            self.paint()


class Sheet:
    def __init__(self, session: Session, backdrops: Backdrops) -> None:
        self.session, self.backdrops = session, backdrops
        self.kept: tuple[object, QPixmap] | None = None

    def picture(self, plot: Plot, theme: Theme, ratio: float) -> QPixmap:
        """At `ratio` pixels of the screen for one of ours."""
        session, target = self.session, self.session.target
        drawn = (target.lane, target.parameter, target.reach, target.aside) if target else None
        project, backdrop = session.project, self.backdrops.shown()
        key = (
            theme.key, plot.width, plot.height, plot.view.key, ratio, drawn, session.tools.grid,
            session.tools.value_grid, Same(project.meter), project.sections, project.length, Same(backdrop),
        )  # fmt: skip
        if self.kept and self.kept[0] == key:
            return self.kept[1]
        pixmap = QPixmap(round(plot.width * ratio), round(plot.height * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(themes.color(theme.sheet))
        painter = QPainter(pixmap)
        full = QRectF(SCALE, 0, plot.area.width(), plot.height)
        painter.fillRect(QRectF(0, 0, SCALE, plot.height), themes.color(theme.desk))
        lane = session.lane
        if backdrop is not None and lane is not None:
            draw_backdrop(painter, backdrop, lane, self._hertz(), plot.view, plot.area, theme)
        curve_painting.draw_time_grid(painter, project, session.tools.grid, plot.view, full, theme)
        curve_painting.draw_section_bounds(painter, project, plot.view, full, theme)
        if target:
            self._draw_levels(painter, plot, theme, target)
            _draw_scale(painter, plot, theme, target)
        painter.end()
        self.kept = (key, pixmap)
        return pixmap

    def _hertz(self) -> tuple[float, float] | None:
        """The frequencies at the lane's bottom and top, where its scale is one of octaves that
        can be heard."""
        lane = self.session.lane
        assert lane is not None
        parameter = self.session.project.parameter_of(lane.id)
        if parameter.unit != "Hz" or parameter.taper != "exponential":
            return None
        low, high = (float(f) for f in parameter.value(np.array(lane.reach)))
        heard = min(low, high) >= LOWEST - 1.0 and max(low, high) <= HIGHEST + 1.0
        return (low, high) if heard else None

    def _draw_levels(self, painter: QPainter, plot: Plot, theme: Theme, target: Target) -> None:
        """The lines of the value grid, as far as they can be distinguished."""
        levels = self.session.tools.value_grid.levels(target.reach, target.parameter)
        if levels.size < 2 or plot.area.height() / levels.size < curve_painting.CLOSEST_LINES_PX:
            return
        painter.setPen(QPen(themes.color(theme.hairline, 0.75), 1.0))
        for level in levels.tolist():
            y = plot.line_y(level)
            painter.drawLine(QPointF(SCALE, y), QPointF(plot.width, y))


def _draw_scale(painter: QPainter, plot: Plot, theme: Theme, target: Target) -> None:
    painter.setFont(themes.font(9.5))
    right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
    for value, text in marks(target.parameter, target.reach, plot.area.height()):
        y = plot.line_y(value)
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        painter.drawLine(QPointF(SCALE - 4, y), QPointF(plot.width, y))
        painter.setPen(themes.color(theme.quiet))
        painter.drawText(QRectF(0, y - 10, SCALE - 8, 20), right, text)
