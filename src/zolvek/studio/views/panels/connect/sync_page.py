# SPDX-License-Identifier: GPL-3.0-or-later
"""In sync with other programs, in the Connect page: who keeps time, what is connected, and what comes and goes."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.edits import connections as edits
from zolvek.core.model.project import Project
from zolvek.core.model.sync_setup import CODES, ROLES, SOURCES, Role
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, choice, field_label, form, note, pick

ROW = Qt.ItemDataRole.UserRole
TIP = Qt.ItemDataRole.ToolTipRole
LIGHTS = ("Clock", "In", "Out")
SHOWN_ROWS = 4  # of the list of connections, at least


class Lights(QWidget):
    """Three small rings, filled while something goes through."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.session, self.sync_link = studio.session, studio.sync_link
        self.setFixedSize(QSize(168, 18))
        self.setAccessibleName("Ports and messages")
        self.setToolTip("Lit while in sync, receiving, or sending")
        self.sync_link.lit.connect(self.update)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = themes.THEMES[self.session.settings.window.theme]
        x = 5.0
        for name, lit in zip(LIGHTS, self.sync_link.lit_now, strict=True):
            painter.setPen(QPen(themes.color(theme.curve), 1.5))
            painter.setBrush(themes.color(theme.curve) if lit else themes.color(theme.curve, 0.0))
            painter.drawEllipse(QPointF(x, 9.0), 4.0, 4.0)
            painter.setPen(themes.color(theme.ink if lit else theme.quiet))
            painter.drawText(QPointF(x + 9.0, 13.0), name)
            x += 24.0 + painter.fontMetrics().horizontalAdvance(name)


class Together(QWidget):
    """The switch between alone, follow and lead; the server; the connections."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session, self.sync_link = studio, studio.session, studio.sync_link
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        layout.addWidget(field_label("JACK or PipeWire"))
        self.on = QCheckBox("Use JACK / PipeWire")
        self.on.setToolTip("Sends audio and messages through their ports, at their exact frame")
        self.on.toggled.connect(self.sync_link.switch)
        layout.addWidget(self.on)
        self.said = note()
        layout.addWidget(self.said)
        self.lights = Lights(studio)
        layout.addWidget(self.lights)
        layout.addWidget(field_label("Sync"))
        layout.addLayout(self._roles())
        self.source = choice([(name, key) for key, name in SOURCES.items()], "Clock to follow", self._follow)
        self.source_row = QWidget()
        rows = form()
        rows.addRow(field_label("Follow"), self.source)
        self.source_row.setLayout(rows)
        layout.addWidget(self.source_row)
        self.drift = note()
        layout.addWidget(self.drift)
        self.tempo = button("Use its tempo", self.sync_link.use_tempo, tip="Sets the song to the clock's tempo")
        layout.addWidget(self.tempo)
        self.clock = QCheckBox("Send MIDI clock")
        self.clock.setToolTip("With song position, start, stop and continue, at the Clock port")
        self.clock.clicked.connect(self._clock)
        layout.addWidget(self.clock)
        self.code = choice([(code or "None", code) for code in CODES], "Time code", self._code)
        self.code.setToolTip("MIDI time code, at this many frames per second")
        codes = form()
        codes.addRow(field_label("Time code"), self.code)
        layout.addLayout(codes)
        self._connections(layout)
        self.sync_link.changed.connect(self._show)
        self.sync_link.lit.connect(self._show_drift)
        RefreshWhileShown(self, self._show, (self.session.document.changed,))
        self._show()

    def _roles(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.roles = QButtonGroup(self)
        self.by_role: dict[str, QToolButton] = {}
        for key, (name, tip) in ROLES.items():
            result = QToolButton()
            result.setText(name)
            result.setCheckable(True)
            result.setStyleSheet("padding: 4px 2px;")
            result.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            result.setToolTip(tip)
            result.clicked.connect(lambda _, k=key: self._role(k))
            self.roles.addButton(result)
            self.by_role[key] = result
            row.addWidget(result, 1)
        return row

    def _connections(self, layout: QVBoxLayout) -> None:
        self.title = field_label("Connections")
        layout.addWidget(self.title)
        self.list = QListWidget()
        self.list.setAccessibleName("Connections")
        self.list.setToolTip("Press Delete to remove the selected connection")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.list.setMinimumHeight(SHOWN_ROWS * 20)
        self.list.setMaximumHeight(SHOWN_ROWS * 26)
        self.list.currentRowChanged.connect(lambda _: self._allow())
        layout.addWidget(self.list)
        self.own = choice([], "Port of Zolvek", lambda _: self._offer())
        self.other = choice([], "Port of another program", lambda _: None)
        rows = form()
        rows.addRow(field_label("Port"), self.own)
        rows.addRow(field_label("To"), self.other)
        self.adding = QWidget()
        self.adding.setLayout(rows)
        layout.addWidget(self.adding)
        pair = QHBoxLayout()
        self.add = button("Connect", self._add)
        self.take = button("Remove", self._take, tip="Removes the selected connection")
        pair.addWidget(self.add)
        pair.addWidget(self.take)
        layout.addLayout(pair)

    # --- what is shown ---

    def _show(self) -> None:
        link, kept = self.sync_link, self.sync_link.kept
        self.on.blockSignals(True)
        self.on.setChecked(link.on)
        self.on.blockSignals(False)
        self.by_role[kept.role].setChecked(True)
        pick(self.source, kept.source)
        self.source_row.setVisible(kept.role == Role.FOLLOW)
        self.clock.setChecked(kept.clock)
        pick(self.code, kept.code)
        report = link.report
        there = report is not None and bool(report.state)
        if report is None:
            said = "Off. Sound goes to the audio device."
        elif there:
            pace = "in real time" if report.realtime else "without real-time scheduling"
            said = f"{report.state}, {report.rate / 1000:g} kHz, {report.block} frames, {pace}.{link.late}"
        else:
            said = report.trouble or "Looking for a server."
        self.said.setText(said)
        for part in (self.title, self.list, self.adding, self.add, self.take):
            part.setVisible(there)
        self._list()
        self._offer_own()
        self._show_drift()

    def _list(self) -> None:
        report, project = self.sync_link.report, self.session.project
        names = {port.key: port.name for port in edits.ports_of(project)}
        real = set(report.connections) if report is not None else set()
        rows = [(key, names[key], other) for key, other in self.sync_link.kept.connections if key in names]
        kept = {(name, other) for _, name, other in rows}
        by_name = {name: key for key, name in names.items()}
        rows += [(by_name.get(own, ""), own, other) for own, other in sorted(real - kept)]
        state_rows = [
            (key, other, f"{name} – {other}" + ("" if (name, other) in real else " (missing)"))
            for key, name, other in rows
        ]
        if state_rows == [(*self.list.item(n).data(ROW), self.list.item(n).text()) for n in range(self.list.count())]:  # type: ignore[union-attr]  # there are so many
            return
        self.list.clear()
        for key, other, text in state_rows:
            item = QListWidgetItem(text)
            item.setData(ROW, (key, other))
            item.setToolTip(text)
            self.list.addItem(item)
        self._allow()

    def _offer_own(self) -> None:
        ports = edits.ports_of(self.session.project)
        rows = []
        for port in ports:
            whole, _, side = port.name.rpartition(" ")
            if port.kind == "sound":
                if side == edits.SIDES[0]:
                    rows.append((f"{whole}, sound", port.key))
            else:
                rows.append((port.name, port.key))
        if rows != [(self.own.itemText(n), self.own.itemData(n)) for n in range(self.own.count())]:
            chosen = self.own.currentData()
            self.own.clear()
            for text, key in rows:
                self.own.addItem(text, key)
                self.own.setItemData(self.own.count() - 1, self._goes(key), TIP)
            pick(self.own, chosen if chosen in [key for _, key in rows] else "mix left")
        self._offer()

    def _goes(self, key: str) -> str:
        """What goes through a port of ours, in words."""
        project = self.session.project
        lanes = [x for x in project.lanes() if not x.bypassed]
        kind, _, which = key.partition(" ")
        if kind == "named":
            sent = [lane for lane in lanes if lane.midi.port == which]
        else:
            sent = [lane for lane in lanes if kind == "track" and project.track_of(lane.id).id == which]
            sent = [lane for lane in sent if not lane.midi.port]
        return "\n".join(f"{project.label_of(lane.id)}: {lane.midi.text}" for lane in sent)

    def _offer(self) -> None:
        """What the chosen port of ours can be connected to."""
        report = self.sync_link.report
        port = next((p for p in edits.ports_of(self.session.project) if p.key == self.own.currentData()), None)
        result: list[tuple[str, list[str]]] = []
        if report is not None and port is not None:
            wanted = edits.PortKind.SOUND if port.kind == edits.PortKind.VOLTAGE else port.kind
            fitting = [name for name, kind, takes, _ in report.others if kind == wanted and takes == port.out]
            if port.kind == "sound":
                clients: dict[str, list[str]] = {}
                for name in fitting:
                    clients.setdefault(name.split(":")[0], []).append(name)
                result = [(client, names[:2]) for client, names in clients.items()]
            result += [(name, [name]) for name in fitting]
        if result != [(self.other.itemText(n), self.other.itemData(n)) for n in range(self.other.count())]:
            self.other.clear()
            for text, names in result:
                self.other.addItem(text, names)
        self._allow()

    def _allow(self) -> None:
        self.add.setEnabled(self.other.count() > 0)
        self.take.setEnabled(self.list.currentRow() >= 0)

    def _show_drift(self) -> None:
        state_rows = self.sync_link.following
        if self.drift.text() != state_rows:
            self.drift.setText(state_rows)
        self.drift.setVisible(bool(state_rows))
        self.tempo.setVisible(self.sync_link.tempo_offered > 0.0)

    # --- what is done ---

    def _role(self, key: str) -> None:
        if key != self.sync_link.kept.role:
            self.sync_link.set(f"Sync: {ROLES[key][0]}", role=key)

    def _follow(self, key: object) -> None:
        self.sync_link.set(f"Follow {SOURCES[str(key)]}", source=str(key))

    def _clock(self, on: bool) -> None:
        self.sync_link.set("Send MIDI clock" if on else "Send no MIDI clock", clock=on)

    def _code(self, code: object) -> None:
        self.sync_link.set(f"Time code of {code}" if code else "No time code", code=str(code))

    def _add(self) -> None:
        key, names = str(self.own.currentData()), self.other.currentData()
        rows = edits.pairs(self.session.project, key, list(names))

        def change(project: Project) -> Project:
            for port, other in rows:
                project = edits.connected(project, port, other)
            return project

        self.sync_link.edit(f"Connect {self.own.currentText()} to {self.other.currentText()}", change)

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            key, other = item.data(ROW)
            self.sync_link.take_away(key, other)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Delete and self.list.hasFocus():
            self._take()
        else:
            super().keyPressEvent(event)
