"""Over the ruler: what the focus lane drives, and in which state it is."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from zolvek.studio.context import Studio
from zolvek.studio.widgets import Elided


class Head(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.session = session = studio.session
        self.name = QLabel()
        self.name.setProperty("role", "heading")
        self.note = Elided("Reach, points and state of the lane")
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 2, 4, 2)
        row.addWidget(self.name)
        row.addWidget(self.note, 1)
        for key in ("arm", "bypass"):
            switch = QToolButton()
            switch.setDefaultAction(studio.action(key))
            switch.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(switch)
        for part in (session.focus, session.document, session.passes):
            part.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        session, lane, target = self.session, self.session.lane, self.session.target
        if lane is None or target is None:
            self.name.setText("No lane")
            self.note.setText("")
            return
        self.name.setText(session.project.label_of(lane.id))
        low, high = (target.parameter.text(end) for end in target.reach)
        count = len(target.curve)
        points = "1 point" if count == 1 else f"{count} points"
        layers = len(lane.layers)
        words = (
            "armed" if lane.id in session.passes.armed else "",
            "bypassed" if lane.bypassed else "",
            "locked" if lane.locked else "",
            "cycling" if lane.cycle else "",
            f"{layers} layer" + ("s" if layers > 1 else "") if layers else "",
            f"drawing on {target.aside}" if target.aside else "",
        )
        self.note.setText(", ".join([f"{low} to {high}", points, *filter(None, words)]))
