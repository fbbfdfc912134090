# SPDX-License-Identifier: GPL-3.0-or-later
"""The Humanise page of the Movement panel: the small irregularities of playing by hand."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QCheckBox

from zolvek.core.curve import spans
from zolvek.core.curve.curve import Curve
from zolvek.core.movement.generators.randomness import humanised, jittered
from zolvek.core.movement.movement_settings import HAND_SETTINGS, JITTER_SETTINGS
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import target
from zolvek.studio.toolkit.field_grid import FieldGrid
from zolvek.studio.toolkit.fields import SeedEntry
from zolvek.studio.toolkit.widgets import choice
from zolvek.studio.views.panels.movement.generator_page import MakingPage


class HandPage(MakingPage):
    def __init__(self, studio: Studio) -> None:
        super().__init__(studio)
        self.seed = SeedEntry("Seed for humanise", self.changed)
        ways = [
            ("Humanise: small, slow deviations", "humanise"),
            ("Jitter existing points", "jitter"),
        ]
        self.way = choice(ways, "Type", lambda _: self._show_fields())
        self.humanise = FieldGrid("Humanise", HAND_SETTINGS, self.changed)
        self.jitter = FieldGrid("Jitter", JITTER_SETTINGS, self.changed)
        self.on_grid = QCheckBox("Keep points on the grid")
        self.on_grid.clicked.connect(lambda _: self.changed())
        for widget in (self.way, self.humanise, self.jitter, self.on_grid):
            self.room.addWidget(widget)
        self.room.addWidget(self.seed_row(self.seed))
        self.finish(None)
        self._show_fields()

    @property
    def jitters(self) -> bool:
        """Whether points are jittered."""
        return self.way.currentData() == "jitter"

    @property
    def label(self) -> str:
        """The name of the step."""
        return "Jitter" if self.jitters else "Humanise"

    def _show_fields(self) -> None:
        self.humanise.setVisible(not self.jitters)
        self.jitter.setVisible(self.jitters)
        self.on_grid.setVisible(self.jitters)
        if self.session.preview.curve is not None:
            self.changed()

    def result(self) -> Curve:
        """The curve with the movement."""
        drawn, (first, last) = target(self.session).curve, self.span
        if self.jitters:
            return self._jittered(drawn)
        strength = self.humanise.values()["strength"] or 0.0
        put = humanised(drawn, first, last, min(strength, 1.0), self.seed.seed())
        return spans.splice(drawn, first, put, last)

    def _jittered(self, drawn: Curve) -> Curve:
        project, (first, last) = self.session.project, self.span
        values = self.jitter.values()
        beats = (values["time"] or 0.0) * float(project.tempo.bpm(first)) / 60.0
        step = None
        if self.on_grid.isChecked():
            step = self.session.tools.grid.step_at(first, project.meter)
        which = self.session.points.chosen
        if not which.size:
            which = np.flatnonzero((drawn.beat >= first) & (drawn.beat <= last))
        return jittered(drawn, which, values["value"] or 0.0, beats, self.seed.seed(), step)
