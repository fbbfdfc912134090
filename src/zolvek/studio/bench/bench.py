"""The bench: the dials of the focused device, turning as the curve plays."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from zolvek.studio.bench.dial import HEIGHT, WIDTH, Dial
from zolvek.studio.session import Session


class Bench(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.device: str | None = None
        self.dials: list[Dial] = []
        self.heading = QLabel()
        self.heading.setProperty("role", "heading")
        self.offer = QLabel()
        self.offer.setProperty("role", "quiet")
        self.add = QPushButton("Add a lane (A)")
        self.add.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.add.clicked.connect(session.add_touched_lane)
        self.head = QWidget()  # the window sets it beside the transport
        top = QHBoxLayout(self.head)
        top.setContentsMargins(12, 4, 12, 4)
        for widget in (self.offer, self.add, self.heading):
            top.addWidget(widget)
        self.row = QWidget()
        self.row_layout = QHBoxLayout(self.row)
        self.row_layout.setContentsMargins(8, 0, 8, 0)
        self.row_layout.setSpacing(4)
        scroll = QScrollArea()
        scroll.setWidget(self.row)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setFixedHeight(HEIGHT + 4)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(scroll)
        session.focus_changed.connect(self.refresh)
        session.touched.connect(self.refresh)
        session.project_changed.connect(self.refresh)
        session.theme_changed.connect(self.update_dials)
        session.place_changed.connect(self.update_dials)
        self.refresh()

    def refresh(self) -> None:
        """Show the device that was touched last, or the focus lane's."""
        session = self.session
        lane, target = session.lane, session.touch_target
        device = target[0] if target else lane.device if lane else None
        if (
            lane
            and target
            and session.project.track_of(lane.id).lane_on(*target) is None
            and not session.can_add_lane
        ):
            device = lane.device
        known = {d.id for track in session.project.tracks for d in track.devices}
        device = device if device in known else lane.device if lane else None
        if device != self.device:
            self._show(device)
        self._offer()
        self.update_dials()

    def _show(self, device: str | None) -> None:
        for dial in self.dials:
            dial.deleteLater()
        self.device, self.dials = device, []
        while self.row_layout.count():
            self.row_layout.takeAt(0)
        if device is None:
            self.heading.setText("No device")
            return
        track = self.session.project.device_track(device)
        self.heading.setText(f"{track.name} · {track.device(device).name}")
        for parameter in track.device(device).parameters:
            dial = Dial(self.session, device, parameter)
            self.dials.append(dial)
            self.row_layout.addWidget(dial)
        self.row_layout.addStretch(1)
        self.row.setMinimumWidth(len(self.dials) * (WIDTH + 4) + 16)

    def _offer(self) -> None:
        offered = self.session.can_add_lane
        self.add.setVisible(offered)
        target = self.session.touch_target
        if offered and target:
            device = self.session.project.device_track(target[0]).device(target[0])
            self.offer.setText(f"{device.parameter(target[1]).name} has no lane yet.")
        else:
            self.offer.setText("")

    def update_dials(self) -> None:
        for dial in self.dials:
            dial.refresh()
