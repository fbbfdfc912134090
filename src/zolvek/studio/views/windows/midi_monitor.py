# SPDX-License-Identifier: GPL-3.0-or-later
"""The monitor: the MIDI messages that lanes send while they play."""

from __future__ import annotations

import time
from collections import deque
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTableView,
    QVBoxLayout,
)

from zolvek.core.model.messages import MESSAGES
from zolvek.studio.services.io.midi_io import MidiIO
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.widgets import button, note

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from zolvek.sync.timeline.lane_messages import SentMessage

COLUMNS = ("Position", "Lane", "Channel", "Kind", "Number", "Value")
MOST_SHOWN = 500
REFRESH_MS = 100
RATE_SECONDS = 1.0  # over which messages are counted


class Messages(QAbstractTableModel):
    """The latest messages, newest first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.shown: list[tuple[str, ...]] = []

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.shown)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return len(COLUMNS)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.DisplayRole:
            return self.shown[index.row()][index.column()]
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return COLUMNS[section]
        return None

    def show_rows(self, rows: list[tuple[str, ...]]) -> None:
        """Show other rows."""
        self.beginResetModel()
        self.shown = rows
        self.endResetModel()


class Monitor(QDialog):
    """Stays in the background. Frozen it stands still; the filter wants every word in a row."""

    def __init__(self, session: Session, midi_io: MidiIO, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.midi_io = session, midi_io
        self.setWindowTitle("MIDI monitor")
        self.resize(620, 420)
        self.model = Messages(session)
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName("MIDI messages")
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        assert rows is not None and columns is not None
        rows.hide()
        rows.setDefaultSectionSize(20)
        columns.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        columns.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.words = QLineEdit()
        self.words.setPlaceholderText("Filter: a lane, “bend”, “channel 2”")
        self.words.setAccessibleName("Filter messages")
        self.words.setClearButtonEnabled(True)
        self.words.textChanged.connect(lambda _: self.refresh(True))
        self.frozen = QCheckBox("Freeze")
        self.frozen.setAccessibleName("Freeze the list")
        self.still: list[SentMessage] = []  # what there was when it was frozen
        self.frozen.toggled.connect(self._freeze)
        self.rate = QLabel()
        self.rate.setAccessibleName("Messages per second")
        line = QHBoxLayout()
        line.addWidget(self.words, 1)
        line.addWidget(self.frozen)
        line.addWidget(button("Clear", self.clear))
        layout = QVBoxLayout(self)
        layout.addLayout(line)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addWidget(note("Start playback to see the messages."), 1)
        foot.addWidget(self.rate)
        layout.addLayout(foot)
        self.counts: deque[tuple[float, int]] = deque()
        self.new = False
        self.timer = QTimer(self)
        self.timer.setInterval(REFRESH_MS)
        self.timer.timeout.connect(self.refresh)
        midi_io.sent.connect(self._sent)

    def showEvent(self, event: QShowEvent | None) -> None:
        self.midi_io.watched = True
        self.timer.start()
        self.refresh(True)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.midi_io.watched = False
        self.timer.stop()

    def reject(self) -> None:
        """Close."""
        self.close()

    def _sent(self, rows: list[SentMessage]) -> None:
        self.counts.append((time.monotonic(), len(rows)))
        self.new = True

    def _freeze(self, frozen: bool) -> None:
        """The filter goes on to choose among the rows there are now."""
        self.still = list(self.midi_io.rows) if frozen else []
        self.refresh(True)

    def clear(self) -> None:
        """Clear the list."""
        self.midi_io.rows.clear()
        self.still.clear()
        self.refresh(True)

    def refresh(self, always: bool = False) -> None:
        """Show new messages."""
        now = time.monotonic()
        while self.counts and now - self.counts[0][0] > RATE_SECONDS:
            self.counts.popleft()
        count = sum(number for _, number in self.counts)
        self.rate.setText(f"{count} messages per second")
        if (self.frozen.isChecked() or not self.new) and not always:
            return
        self.new = False
        words = self.words.text().lower().split()
        cell_rows: list[tuple[str, ...]] = []
        for row in reversed(self.still if self.frozen.isChecked() else list(self.midi_io.rows)):
            cells = self._cells(row)
            text = f"{' '.join(cells)} channel {row.channel}".lower()
            if all(word in text for word in words):
                cell_rows.append(cells)
                if len(cell_rows) == MOST_SHOWN:
                    break
        self.model.show_rows(cell_rows)

    def _cells(self, row: SentMessage) -> tuple[str, ...]:
        project = self.session.project
        known = {lane.id for lane in project.lanes()}
        kind = MESSAGES[row.kind]
        return (
            project.meter.text(row.beat),
            project.label_of(row.lane) if row.lane in known else row.lane,
            str(row.channel),
            kind.label,
            str(row.number) if kind.numbers else "",
            str(row.value),
        )
