# SPDX-License-Identifier: GPL-3.0-or-later
"""The transport: position, tempo, loop, play, stop and return."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from zolvek.studio.services.playback.player import Player
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.fields import Entry
from zolvek.studio.toolkit.widgets import ElidedLabel
from zolvek.studio.views.shared.level_meter import Meter

SILENT = "No audio device found. Playing silently, in time."


class Transport(QWidget):
    def __init__(self, session: Session, player: Player, actions: Callable[[str], QAction]) -> None:
        super().__init__()
        self.session, self.player = session, player
        self.position = Entry(
            "Position in bars, beats and ticks",
            lambda text: player.seek(session.position_of(text)),
            "Type a bar, such as 13 or 13.3, or a time, such as 0:07.250",
        )
        self.position.setFont(themes.font(13, themes.QFont.Weight.Medium))
        self.position.setFixedWidth(104)
        self.clock = QLabel()
        self.clock.setAccessibleName("Time")
        self.tempo = QLabel()
        self.tempo.setAccessibleName("Tempo and meter")
        self.note = ElidedLabel("Audio status")  # the window sets it at its foot
        self.note.setProperty("role", "quiet")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 4, 10, 4)
        layout.setSpacing(6)
        for key in ("return", "play", "stop", "record", "loop"):
            button = QToolButton()
            button.setDefaultAction(actions(key))
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            worded = key in ("play", "record")  # the others' symbols are known to everybody
            style = Qt.ToolButtonStyle
            button.setToolButtonStyle(style.ToolButtonTextBesideIcon if worded else style.ToolButtonIconOnly)
            button.setAccessibleName(actions(key).text())
            if key == "record":
                self.record = button
            layout.addWidget(button)
        layout.addSpacing(10)
        self.meter = Meter(session)
        # Where there is little room the meter gives way first, then the tempo.
        self.clock.setMinimumWidth(self.clock.fontMetrics().horizontalAdvance("00:00.000"))
        self.tempo.setMinimumWidth(1)
        for widget in (self.position, self.clock, self.tempo, self.meter):
            layout.addWidget(widget)
            layout.addSpacing(4)
        layout.addStretch(1)
        session.playhead.changed.connect(self.refresh)
        session.document.changed.connect(self.refresh)
        player.changed.connect(self.refresh)
        session.passes.changed.connect(self._show_armed)
        session.playhead.changed.connect(self._hear)
        self.falling = QTimer(self)  # after the end, until the meter has come to rest
        self.falling.setInterval(50)
        self.falling.timeout.connect(self._hear)
        player.changed.connect(self.falling.start)
        self.refresh()

    def refresh(self) -> None:
        """Show position, tempo and state."""
        project, beat = self.session.project, self.session.playhead.beat
        left = self.player.clicks_left
        self.position.show_text(f"−{left}" if left else project.meter.text(beat))
        minutes, seconds = divmod(round(float(project.tempo.seconds(beat)) * 1000), 60_000)
        self.clock.setText(f"{minutes}:{seconds / 1000:06.3f}")
        meter = project.meter.meter_at(beat)
        bpm = float(project.tempo.bpm(beat))
        self.tempo.setText(f"{bpm:.1f} BPM   {meter.count}/{meter.unit}")
        self.note.setText(self.player.trouble or (SILENT if self.player.silent else ""))

    def _show_armed(self) -> None:
        """How many lanes the next pass writes, on the button that begins it."""
        count = len(self.session.passes.armed)
        recorder = self.session.passes.hands
        going = recorder is not None and recorder.recording
        self.record.setText("Recording" if going else f"Record ({count})" if count else "Record")

    def _hear(self) -> None:
        """Show the levels of what is heard now."""
        playback = self.player.playback
        if playback is not None and self.player.playing:
            self.meter.hear(playback.peaks)
        elif not self.meter.quiet:
            self.meter.hear((0.0, 0.0))
        else:
            self.falling.stop()
