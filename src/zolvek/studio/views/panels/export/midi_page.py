# SPDX-License-Identifier: GPL-3.0-or-later
"""The MIDI page of the Export panel: what the focus lane is sent as, and the report on all."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QMimeData, QPoint, Qt, QTimer, QUrl
from PyQt6.QtGui import QDrag, QMouseEvent, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QFormLayout,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from zolvek.core.edits.midi_numbers import free_number
from zolvek.core.errors import ZolvekError
from zolvek.core.model.messages import MESSAGES, MOST_SEMITONES, MidiTarget
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.records import replace
from zolvek.formats.midi.file_out import SPLITS
from zolvek.studio.services.context import Studio
from zolvek.studio.services.files.exports import apart_text, set_apart
from zolvek.studio.services.tasks.thread_work import Work, end
from zolvek.studio.toolkit.fields import Entry, NumberEntry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import (
    choice,
    field_label,
    form,
    heading,
    note,
    page_layout,
    pick,
)
from zolvek.studio.views.panels.export.audio_and_table_pages import action_button

if TYPE_CHECKING:
    from zolvek.formats.midi.report import Report

REPORT_MS = 400  # after a change, until the report is made again
FINE_APART = "5 ms"  # where nothing else was set: a fine controller would fill the wire
COLUMNS = ("Lane", "Max. deviation")


class DragFile(QLabel):
    """Dragged out of the window, it is the exported file."""

    def __init__(self, studio: Studio, text: str) -> None:
        super().__init__(text)
        self.studio = studio
        self.setProperty("role", "quiet")
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setMinimumHeight(34)
        self.setStyleSheet("border: 1px dashed palette(mid); border-radius: 3px;")
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setToolTip("Drag the MIDI file into another program")
        self.pressed_at: QPoint | None = None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.pressed_at = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.pressed_at is None:
            return
        far = (event.position().toPoint() - self.pressed_at).manhattanLength()
        if far >= QApplication.startDragDistance():
            self.pressed_at = None
            self.studio.session.notices.run_guarded(self._drag)

    def _drag(self) -> None:
        QApplication.setOverrideCursor(Qt.CursorShape.WaitCursor)
        try:
            path = self.studio.exports.midi_to_drag()
        finally:
            QApplication.restoreOverrideCursor()
        self.begin(str(path))

    def begin(self, path: str) -> None:
        """Hand the file to who it is dropped on."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(path)])
        drag = QDrag(self)
        drag.setMimeData(data)
        drag.exec(Qt.DropAction.CopyAction)


class MidiPage(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session, actions = studio.session, studio.action
        self.studio = studio
        self.session = session
        self.working: Work | None = None
        self.stale = True
        self.last_report: Report | None = None
        self.timer = QTimer(self)
        self.timer.setSingleShot(True)
        self.timer.setInterval(REPORT_MS)
        self.timer.timeout.connect(self._report)
        self.name = note()
        self.target = self._target_fields()
        fields = self._export_fields()
        self.load = note()
        self.advice = note()
        self.advice.setProperty("role", "fault")
        self.rows = self._table()
        layout = page_layout(self)
        layout.addWidget(self.name)
        layout.addLayout(self.target)
        layout.addSpacing(6)
        layout.addWidget(heading("Export settings"))
        layout.addLayout(fields)
        layout.addWidget(self.load)
        layout.addWidget(self.advice)
        layout.addWidget(action_button(actions, "export-midi", True))
        layout.addWidget(DragFile(studio, "Drag the MIDI file from here"))
        layout.addWidget(self.rows, 1)
        RefreshWhileShown(self, self.refresh, (session.focus.changed, session.document.changed))
        session.document.changed.connect(self._later)
        self.refresh()

    def _target_fields(self) -> QFormLayout:
        """As which message the focus lane is sent."""
        self.kind = choice(
            ((row.label, key) for key, row in MESSAGES.items()),
            "Message type",
            lambda _: self._set(),
        )
        self.channel = self._number(1, 16, "MIDI channel")
        self.number = self._number(0, 16_383, "Number")
        self.semitones = NumberEntry(
            "Pitch bend range in semitones",
            0.0,
            MOST_SEMITONES,
            2.0,
            "st",
            changed=lambda _: self._set(),
        )
        self.port = Entry("MIDI port", lambda _: self._set(), "Name of a port; empty for any")
        self.port.setPlaceholderText("any")
        self.port.editingFinished.connect(self._set)
        fields = form()
        for text, field in (
            ("Sent as", self.kind), ("Number", self.number), ("Bend range", self.semitones),
            ("Channel", self.channel), ("Port", self.port),
        ):  # fmt: skip
            fields.addRow(field_label(text), field)
        return fields

    def _export_fields(self) -> QFormLayout:
        """How all lanes are exported."""
        settings = self.session.settings
        self.gap = Entry(
            "Minimum interval between changes",
            self._type_gap,
            "Such as 5 ms, or 12 ticks (960 per quarter note)",
        )
        self.gap.setText(apart_text(settings))
        self.within = self._decimal(
            100 * settings.midi.tolerance,
            0.0,
            50.0,
            "%",
            "Tolerance beyond half a step",
            "midi.tolerance",
            0.01,
        )
        self.split = choice(((text, key) for key, text in SPLITS.items()), "Files", self._set_split)
        pick(self.split, settings.midi.split)
        self.exact = QCheckBox("Exact to 0.1 ms")
        self.exact.setToolTip("Adds tempo events for exact time; without them a constant tempo is one event")
        self.exact.setChecked(settings.midi.exact_time)
        self.exact.toggled.connect(self._set_exact)
        fields = form()
        for text, field in (
            ("Min. interval", self.gap),
            ("Tolerance", self.within),
            ("Time", self.exact),
            ("Files", self.split),
        ):
            fields.addRow(field_label(text), field)
        return fields

    def _table(self) -> QTableWidget:
        """Lanes, and how far they stray."""
        rows = QTableWidget(0, len(COLUMNS))
        rows.setAccessibleName("Lanes, their number of messages and maximum deviation")
        rows.setHorizontalHeaderLabels(list(COLUMNS))
        rows.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        rows.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        rows.setMinimumHeight(120)
        rows.setMinimumWidth(60)
        rows.setTextElideMode(Qt.TextElideMode.ElideLeft)
        rows.setWordWrap(False)
        rows.itemSelectionChanged.connect(self._show_lane)
        upright, across = rows.verticalHeader(), rows.horizontalHeader()
        if upright is not None and across is not None:
            upright.hide()
            upright.setDefaultSectionSize(20)
            across.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            across.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        return rows

    # --- the focus lane's target ---

    def _number(self, low: int, high: int, name: str) -> NumberEntry:
        return NumberEntry(name, low, high, low, decimals=0, changed=lambda _: self._set())

    def _type_gap(self, text: str) -> bool:
        right = set_apart(self.session.settings, text)
        if right:
            self.gap.setText(apart_text(self.session.settings))
            self._later()
        return right

    def _decimal(
        self, value: float, low: float, high: float, suffix: str, name: str, setting: str, factor: float
    ) -> NumberEntry:
        def changed(typed: float) -> None:
            self.session.settings.put(setting, typed * factor)
            self._later()

        return NumberEntry(name, low, high, value, suffix, changed=changed)

    def refresh(self) -> None:
        """Show the lane's message type and the report."""
        lane, project = self.session.lane, self.session.project
        fields = (self.kind, self.channel, self.number, self.semitones, self.port)
        for field in fields:
            field.setEnabled(lane is not None)
        if lane is None:
            self.name.setText("No lanes yet.")
            return
        self.name.setText(project.label_of(lane.id))
        row = MESSAGES[lane.midi.kind]
        for field in fields:
            field.blockSignals(True)
        pick(self.kind, lane.midi.kind)
        self.channel.setValue(lane.midi.channel)
        low, high = row.numbers or (0, 16_383)
        self.number.set_range(low, high)
        self.number.setValue(lane.midi.controller)
        self.semitones.setValue(lane.midi.semitones)
        if not self.port.hasFocus():
            self.port.setText(lane.midi.port)
        for field in fields:
            field.blockSignals(False)
        self.target.setRowVisible(self.number, row.numbers is not None)
        self.target.setRowVisible(self.semitones, lane.midi.kind == "bend")

    def _set(self) -> None:
        """Send the focus lane as the fields say; a number that its kind can't bear gives way."""
        lane = self.session.lane
        if lane is None:
            return
        session, kind = self.session, str(self.kind.currentData())
        channel, number = int(self.channel.value()), int(self.number.value())
        low, high = MESSAGES[kind].numbers or (0, 0)
        port, semitones = self.port.text().strip(), self.semitones.value()
        if kind != lane.midi.kind and not low <= number <= high:
            number = free_number(session.project, lane.id, kind, channel)
        target = MidiTarget(channel, min(max(number, low), high), kind, semitones, port)
        if target == lane.midi:
            return
        session.edit_lane(f"Send as {target.text}", replace(lane, midi=target))
        fine = MESSAGES[kind].highest > 127 >= MESSAGES[lane.midi.kind].highest
        if fine and session.settings.midi.resolution == Resolution():
            set_apart(session.settings, FINE_APART)
            self.gap.setText(apart_text(session.settings))
            session.notices.say(f"Each change takes several messages, so the minimum interval is now {FINE_APART}.")

    def _set_exact(self, on: bool) -> None:
        self.session.settings.midi.exact_time = on
        self._later()

    def _set_split(self, key: object) -> None:
        self.session.settings.midi.split = str(key)

    # --- the report ---

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self.stale:
            self.timer.start()

    def _later(self) -> None:
        self.stale = True
        if self.isVisible():
            self.timer.start()

    def _report(self) -> None:
        """Make the report in the background; one that goes on is let finish first."""
        from zolvek.formats.midi.report import report

        if self.working is not None:
            self.timer.start()
            return
        self.stale = False
        if self.last_report is None:
            self.load.setText("Calculating the messages…")
        project, close = self.session.project, self.session.settings.midi.resolution
        exact = self.session.settings.midi.exact_time
        self.working = Work(lambda last_report: report(project, close, last_report, exact))
        self.working.finished.connect(self._reported)
        self.working.start()

    def _reported(self) -> None:
        work, self.working = self.working, None
        if work is None:
            return
        if work.error is not None:
            self.load.setText(str(work.error) if not isinstance(work.error, ZolvekError) else work.error.what)
        elif work.result is not None:
            self.show_report(work.result)
        work.deleteLater()

    def show_report(self, found: Report) -> None:
        """Show a report."""
        from zolvek.formats.midi.report import BYTES_A_SECOND

        self.last_report = found
        share = 100.0 * found.bytes_a_second / BYTES_A_SECOND
        self.load.setText(
            f"{found.messages:,} messages. The busiest second has {found.messages_a_second:,} messages, "
            f"{found.bytes_a_second:,} bytes: {share:.0f} % of a DIN cable, {1_000 * found.late:.0f} ms late at most. "
            f"Timing is exact to {1_000 * found.time_stray:.2f} ms."
        )
        self.advice.setText("\n".join(found.advice))
        self.advice.setVisible(bool(found.advice))
        self.rows.blockSignals(True)
        self.rows.setRowCount(len(found.lanes))
        for index, row in enumerate(found.lanes):
            for column, text in enumerate((self._short(row.lane, row.label), row.stray)):
                item = QTableWidgetItem(text)
                item.setToolTip(
                    f"{row.label}\n{row.target}\n{row.messages:,} messages, {row.steps:.2f} steps off at most"
                )
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.rows.setItem(index, column, item)
        self.rows.blockSignals(False)

    def _short(self, key: str, label: str) -> str:
        """What a lane is called where there is little room; whole in the tip."""
        project = self.session.project
        lane = next((lane for lane in project.lanes() if lane.id == key), None)
        if lane is None:
            return label
        return lane.name or f"{project.device_of(key).name} · {project.parameter_of(key).name}"

    def _show_lane(self) -> None:
        """The chosen row's lane comes up."""
        chosen = self.rows.currentRow()
        known = {lane.id for lane in self.session.project.lanes()}
        if self.last_report is not None and 0 <= chosen < len(self.last_report.lanes):
            lane = self.last_report.lanes[chosen].lane
            if lane in known:
                self.session.focus.on(lane)

    def close_work(self) -> None:
        """End the report."""
        self.timer.stop()
        if self.working is not None:
            end(self.working)
