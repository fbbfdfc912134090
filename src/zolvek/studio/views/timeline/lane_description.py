# SPDX-License-Identifier: GPL-3.0-or-later
"""What a screen reader says of the focus lane: what it drives, how many points it has, its reach, its value here."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget

from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.studio.session.session import Session

SETTLED_MS = 250  # after the last change: nobody is read to thirty times a second


def described(session: Session) -> str:
    """The focus lane in a sentence."""
    lane, target, project = session.lane, session.target, session.project
    if lane is None or target is None:
        return "No lane. Touch a dial or a parameter in the index, then press A."
    low, high = (target.parameter.text(end) for end in target.reach)
    here = session.playhead.beat
    parameter = project.parameter_of(lane.id)
    value = parameter.text(float(played(lane, project).at(here)))
    count, selected = len(target.curve), int(session.points.chosen.size)
    points = f"{count} point{'s' * (count != 1)}" + (f", {selected} selected" if selected else "")
    return f"{project.label_of(lane.id)}: {points}, {low} to {high}, {value} at {project.meter.text(here)}"


class LaneDescription(QObject):
    """Keeps a widget's accessible description, a while after the last change."""

    def __init__(self, session: Session, widget: QWidget) -> None:
        super().__init__(widget)
        self.session, self.widget = session, widget
        self.settled = QTimer(self)
        self.settled.setSingleShot(True)
        self.settled.setInterval(SETTLED_MS)
        self.settled.timeout.connect(self.describe)
        for part in (session.document, session.focus, session.points, session.playhead):
            part.changed.connect(self._later)
        self.describe()

    def _later(self) -> None:
        if not self.settled.isActive():
            self.settled.start()

    def describe(self) -> None:
        """Describe the lane as it is now."""
        self.widget.setAccessibleDescription(described(self.session))
