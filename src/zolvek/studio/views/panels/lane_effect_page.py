# SPDX-License-Identifier: GPL-3.0-or-later
"""What the lane in focus does to what is heard, over time; and its loudness kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from zolvek.core.arrays import Floats
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.studio.services.context import Studio
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.outline import polygon
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import column, note
from zolvek.studio.views.shared.job_controls import JobControls

if TYPE_CHECKING:
    from zolvek.sound.analysis.lane_effect import LaneEffect

EFFECT_JOB = "zolvek.sound.analysis.lane_effect:effect_job"
KEPT_JOB = "zolvek.sound.analysis.lane_effect:kept_job"
LEAST_LU, LEAST_OCTAVES = 0.3, 0.05  # below which nobody hears it (just noticeable differences, rounded)


class EffectPlot(QWidget):
    """Brightness and loudness over the span, each about a line of its own: above it is more."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.effect: LaneEffect | None = None
        self.setMinimumHeight(150)
        self.setAccessibleName("The lane's effect over time")

    def show_effect(self, effect: LaneEffect | None) -> None:
        """Show a measurement."""
        self.effect = effect
        self.setAccessibleDescription(words(effect) if effect is not None else "Not measured yet")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        half = (self.height() - 6) / 2.0
        painter.setFont(themes.font(9.5))
        rows: tuple[tuple[str, Floats | None, str, str, float], ...] = (
            ("Brightness", None if self.effect is None else self.effect.brightness, "oct", theme.layer, 1.0),
            ("Loudness", None if self.effect is None else self.effect.loudness, "LU", theme.curve, 3.0),
        )
        for number, (name, values, unit, ink, least) in enumerate(rows):
            area = QRectF(0.5, number * (half + 6) + 0.5, self.width() - 1, half - 1)
            painter.fillRect(area, themes.color(theme.sheet))
            painter.setPen(QPen(themes.color(theme.hairline), 1.0))
            painter.drawRect(area)
            painter.drawLine(int(area.left()), int(area.center().y()), int(area.right()), int(area.center().y()))
            if values is not None and self.effect is not None and np.isfinite(values).any():
                self._draw(painter, area, values, ink, max(float(np.nanmax(np.abs(values))), least))
            painter.setPen(themes.color(theme.quiet))
            text = name if values is None else f"{name} {_range(values, unit)}"
            painter.drawText(area.adjusted(4, 1, -4, -2), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, text)

    def _draw(self, painter: QPainter, area: QRectF, values: Floats, ink: str, scale: float) -> None:
        assert self.effect is not None
        beats, known = self.effect.beats, np.isfinite(values)
        x = area.left() + (beats - beats[0]) / max(float(beats[-1] - beats[0]), 1e-9) * area.width()
        y = area.center().y() - values / scale * (area.height() / 2.0 - 4.0)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(themes.color(ink), 1.6))
        # Where nothing is heard there is nothing to draw.
        for part in np.split(np.arange(len(values)), np.flatnonzero(np.diff(known.astype(int))) + 1):
            if len(part) > 1 and known[part[0]]:
                painter.drawPolyline(polygon(x[part], y[part]))


def _range(values: Floats, unit: str) -> str:
    if not np.isfinite(values).any():
        return "not heard"
    low, high = float(np.nanmin(values)), float(np.nanmax(values))
    return f"{low:+.2f} to {high:+.2f} {unit}".replace("-", "−")


def words(effect: LaneEffect) -> str:
    """What is to be said of a lane's effect."""
    heard = np.isfinite(effect.loudness).any()
    if not heard:
        return "The track is silent in this span."
    loud, bright = (float(np.nanmax(np.abs(part))) for part in (effect.loudness, effect.brightness))
    if loud < LEAST_LU and bright < LEAST_OCTAVES:
        return "Hardly heard here: less than 0.3 LU and a twentieth of an octave."
    return f"Brightness {_range(effect.brightness, 'oct')}, loudness {_range(effect.loudness, 'LU')}."


class LaneEffectPage(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        self.effect: LaneEffect | None = None
        self.of: tuple[Project, str] | None = None  # what has been measured
        self.background, self.keeping = Background(self), Background(self)
        for background, done in ((self.background, self._done), (self.keeping, self._kept)):
            background.done.connect(done)
            background.failed.connect(self._failed)
        layout = column(self)
        self.about = note()
        layout.addWidget(self.about)
        tip = "Renders the selected span with the lane, and with its control where it stands"
        self.job = JobControls(self.background, "Measure this lane", self.start, tip, self.refresh)
        layout.addWidget(self.job)
        self.plot = EffectPlot(self.session)
        layout.addWidget(self.plot)
        self.said = note()
        layout.addWidget(self.said)
        tip = "Adds a layer to the track's level that takes back the loudness this lane adds, within 0.5 LU"
        self.keep = JobControls(self.keeping, "Keep the loudness", self.start_keeping, tip, self.refresh)
        layout.addWidget(self.keep)
        layout.addStretch(1)
        session = self.session
        RefreshWhileShown(self, self.refresh, (session.document.changed, session.focus.changed, session.span.changed))
        self.refresh()

    def _span(self) -> tuple[float, float]:
        session = self.session
        return session.span.beats or session.project.section_at(session.playhead.beat)

    def start(self) -> None:
        """Measure the lane in focus."""
        lane = self.session.lane
        if lane is not None:
            self.of = self.session.project, lane.id
            self.job.begun()
            self.background.start(EFFECT_JOB, *self.of, self._span())
            self.refresh()

    def start_keeping(self) -> None:
        """Work out the companion on the level."""
        lane = self.session.lane
        if lane is not None:
            self.of = self.session.project, lane.id
            self.keep.begun()
            self.keeping.start(KEPT_JOB, *self.of, self._span())
            self.refresh()

    def _done(self, effect: LaneEffect) -> None:
        self.effect = effect
        self.refresh()

    def _kept(self, project: Project) -> None:
        if self.of is None or self.session.project is not self.of[0]:
            self.session.notices.say("The project has changed meanwhile. Keep the loudness again.")
        else:
            self.session.document.edit("Keep the loudness", project)
            self.session.notices.say("The level has a layer that keeps the loudness.")
        self.refresh()

    def _failed(self, error: ZolvekError) -> None:
        self.session.notices.report(error)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is."""
        lane = self.session.lane
        self.about.setText(
            f"What {self.session.project.label_of(lane.id)} does to what is heard." if lane else "No lane is in focus."
        )
        self.job.refresh(lane is not None)
        self.keep.refresh(lane is not None)
        mine = self.of is not None and lane is not None and self.of == (self.session.project, lane.id)
        effect = self.effect if mine else None
        self.plot.show_effect(effect)
        self.said.setText(words(effect) if effect is not None else "Above each line is more than without the lane.")

    def close_work(self) -> None:
        """End what is going on, when the window closes."""
        self.background.close()
        self.keeping.close()
