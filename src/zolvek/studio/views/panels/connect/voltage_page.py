# SPDX-License-Identifier: GPL-3.0-or-later
"""The focus lane as a control voltage, in the Connect page."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from zolvek.core.edits.connections import MOST_VOLTAGES, voltage_lanes
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model.messages import VOLTAGES
from zolvek.core.records import replace
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import choice, field_label, form, note, pick


class VoltagePage(QWidget):
    """Its range, or none; each such lane has a port of its own."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.session = studio.session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        layout.addWidget(field_label("Control voltage (CV)"))
        rows = [("None", ""), *((row.label, key) for key, row in VOLTAGES.items())]
        self.range = choice(rows, "Control voltage of the focus lane", self._choose)
        self.range.setToolTip("Sends the focus lane at an audio port of its own, a value for every frame")
        fields = form()
        fields.addRow(field_label("Focus lane"), self.range)
        layout.addLayout(fields)
        self.said = note()
        layout.addWidget(self.said)
        RefreshWhileShown(self, self._show, (self.session.document.changed, self.session.focus.changed))
        self._show()

    def _show(self) -> None:
        lane, count = self.session.lane, len(voltage_lanes(self.session.project))
        self.range.setEnabled(lane is not None and (bool(lane.voltage) or count < MOST_VOLTAGES))
        pick(self.range, lane.voltage if lane is not None else "")
        full = f" {MOST_VOLTAGES} is the most there can be." if count >= MOST_VOLTAGES else ""
        self.said.setText(f"{count} lane{'s' if count != 1 else ''} sent as CV.{full}")
        self.said.setVisible(count > 0)

    def _choose(self, key: object) -> None:
        lane = self.session.lane
        if lane is None or lane.voltage == key:
            return
        label = f"CV {VOLTAGES[str(key)].label}" if key else "No CV"
        self.session.document.edit(label, with_lane(self.session.project, replace(lane, voltage=str(key))))
