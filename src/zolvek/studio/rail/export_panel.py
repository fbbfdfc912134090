"""The Export panel: where each lane's messages go, and the files."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QSpinBox, QWidget

from zolvek.core.project import MidiTarget
from zolvek.studio.session import Session
from zolvek.studio.widgets import button, column, field_label, form, heading, note


class ExportPanel(QWidget):
    def __init__(self, session: Session, actions: Callable[[str], QAction]) -> None:
        super().__init__()
        self.session = session
        layout = column(self)
        layout.addWidget(heading("Export"))
        self.name = note()
        layout.addWidget(self.name)
        self.channel = self._spin(1, 16, "MIDI channel")
        self.controller = self._spin(0, 119, "Controller number")
        fields = form()
        fields.addRow(field_label("Channel"), self.channel)
        fields.addRow(field_label("Controller"), self.controller)
        layout.addLayout(fields)
        self.clash = note()
        self.clash.setProperty("role", "fault")
        layout.addWidget(self.clash)
        layout.addWidget(note("0 to 127 cover the lane's reach. Bypassed lanes are left out."))
        layout.addSpacing(6)
        for key, main in (("export-midi", True), ("export-wav", False), ("export-csv", False)):
            action = actions(key)
            layout.addWidget(
                button(action.text().rstrip("…"), action.trigger, main, action.toolTip())
            )
        layout.addWidget(
            note(
                "MIDI carries every lane, tempo, meter and section names. WAV is the mix. CSV is the focus lane's points."
            )
        )
        layout.addStretch(1)
        session.focus_changed.connect(self.refresh)
        session.project_changed.connect(self.refresh)
        self.refresh()

    def _spin(self, low: int, high: int, name: str) -> QSpinBox:
        box = QSpinBox()
        box.setRange(low, high)
        box.setAccessibleName(name)
        box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        box.setKeyboardTracking(False)
        box.valueChanged.connect(lambda _: self._set())
        return box

    def refresh(self) -> None:
        lane, project = self.session.lane, self.session.project
        for box in (self.channel, self.controller):
            box.setEnabled(lane is not None)
        if lane is None:
            self.name.setText("No lane yet.")
            return
        self.name.setText(project.label_of(lane.id))
        for box, value in (
            (self.channel, lane.midi.channel),
            (self.controller, lane.midi.controller),
        ):
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
        same = [
            project.label_of(other.id)
            for other in project.lanes()
            if other.midi == lane.midi and other.id != lane.id
        ]
        self.clash.setText(f"Same channel and controller as {', '.join(same)}." if same else "")
        self.clash.setVisible(bool(same))

    def _set(self) -> None:
        lane = self.session.lane
        if lane is None:
            return
        target = MidiTarget(self.channel.value(), self.controller.value())
        if target != lane.midi:
            self.session.edit_lane(
                f"Send on channel {target.channel}, controller {target.controller}",
                replace(lane, midi=target),
            )
