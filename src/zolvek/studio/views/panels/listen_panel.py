# SPDX-License-Identifier: GPL-3.0-or-later
"""The Listen panel: what is heard, what it is compared with, and the useful reach by measure."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.studio.commands.lanes import set_reach
from zolvek.studio.services.context import Studio
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.session.command_scope import target
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.fields import Entry
from zolvek.studio.toolkit.outline import polygon
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import (
    button,
    choice,
    column,
    field_label,
    form,
    heading,
    note,
    pick,
)
from zolvek.studio.views.shared.action_buttons import ActionButton

if TYPE_CHECKING:
    from zolvek.sound.analysis.useful_reach import ReachMeasurement

REACH_JOB = "zolvek.sound.analysis.useful_reach:job"
BACKDROPS = (("Spectrogram", "spectrogram"), ("Waveform", "waveform"), ("None", "off"))
COMPARED = (
    ("The project", ""),
    ("Without automation", "bypass"),
    ("The stored version", "kept"),
)


class ReachPlot(QWidget):
    """Level and brightness against the control's travel, with the proposed span shaded."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.measured: ReachMeasurement | None = None
        self.span = (0.0, 1.0)
        self.setMinimumHeight(104)
        self.setAccessibleName("Level and brightness over the control's travel")

    def show_measured(self, measured: ReachMeasurement | None, span: tuple[float, float]) -> None:
        """Show a measurement."""
        self.measured, self.span = measured, span
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        area = QRectF(0.5, 0.5, self.width() - 1, self.height() - 17)
        painter.fillRect(area, themes.color(theme.sheet))
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        painter.drawRect(area)
        painter.setFont(themes.font(9.5))
        if self.measured is None:
            painter.setPen(themes.color(theme.quiet))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "Not measured yet")
            return
        low, high = self.span
        left, right = (area.left() + end * area.width() for end in (low, high))
        painter.fillRect(
            QRectF(left, area.top() + 1, right - left, area.height() - 1),
            themes.color(theme.wash, 0.8),
        )
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = area.left() + self.measured.position * area.width()
        bright = np.log2(np.maximum(self.measured.brightness, 20.0))
        for values, ink, style in (
            (self.measured.level, theme.curve, Qt.PenStyle.SolidLine),
            (bright, theme.layer, Qt.PenStyle.DashLine),
        ):
            spread = max(float(np.ptp(values)), 1e-6)
            y = area.bottom() - 5 - (values - values.min()) / spread * (area.height() - 10)
            painter.setPen(QPen(themes.color(ink), 1.6, style))
            painter.drawPolyline(polygon(x, y))
        painter.setPen(themes.color(theme.quiet))
        foot = QRectF(0, area.bottom() + 1, self.width(), 15)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, "0 %")
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, "100 %")
        legend = "level —   brightness - -"
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter, legend)


class ListenPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session, actions = studio.session, studio.action
        self.studio = studio
        self.session, self.action = session, actions
        self.measured: ReachMeasurement | None = None
        self.measuring: tuple[str, str] | None = None  # device and parameter
        self.background = Background(self)
        self.background.progressed.connect(self._progress)
        self.background.done.connect(self._done)
        self.background.failed.connect(self._failed)
        layout = column(self)
        play = actions("play-selection")
        layout.addWidget(button(play.text(), play.trigger, True, play.toolTip()))
        self.lead = Entry(
            "Pre-roll",
            self._type_lead,
            "How much earlier playback begins: 1 bar, 1/4, none",
        )
        self.backdrop = choice(BACKDROPS, "Backdrop", self._set_backdrop)
        fields = form()
        fields.addRow(field_label("Pre-roll"), self.lead)
        fields.addRow(field_label("Backdrop"), self.backdrop)
        layout.addLayout(fields)
        self.alone = QCheckBox("Only this lane moves")
        self.alone.clicked.connect(actions("hear-alone").trigger)
        self.metronome = QCheckBox("Metronome")
        self.metronome.clicked.connect(actions("metronome").trigger)
        layout.addWidget(self.alone)
        layout.addWidget(self.metronome)
        layout.addWidget(field_label("Compare (X switches)"))
        self.compared = choice(COMPARED, "Version to hear", self._compare)
        layout.addWidget(self.compared)
        keep = actions("keep-version")
        line = QHBoxLayout()
        line.addWidget(button("Store", keep.trigger, tip=keep.toolTip()))
        line.addWidget(ActionButton("Restore", actions("bring-back")))
        layout.addLayout(line)
        self.match = QCheckBox("Match loudness")
        self.match.setToolTip("Measures both (ITU-R BS.1770) and turns the louder one down")
        self.match.clicked.connect(studio.loudness.match)
        layout.addWidget(self.match)
        self.heard = note()
        layout.addWidget(self.heard)

        self._lay_out_reach(layout)
        layout.addStretch(1)
        RefreshWhileShown(
            self, self.refresh, (session.audition.changed, session.focus.changed, session.preview.changed)
        )
        loudness = studio.loudness
        loudness.changed.connect(lambda: self.heard.setText(loudness.message))
        self.refresh()

    def _lay_out_reach(self, layout: QVBoxLayout) -> None:
        """Where in its travel the control is heard: measured, set, evened out."""
        session = self.session
        layout.addWidget(heading("Useful reach"))
        self.plot = ReachPlot(session)
        layout.addWidget(self.plot)
        self.bar = QProgressBar()
        self.bar.setAccessibleName("Measurement progress")
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        self.bar.hide()
        layout.addWidget(self.bar)
        self.result = note()
        layout.addWidget(self.result)
        line = QHBoxLayout()
        self.measure = button(
            "Measure",
            self._measure,
            True,
            "Renders the selected span at 33 positions of the control",
        )
        self.cancel = button("Cancel", self._cancel)
        line.addWidget(self.measure)
        line.addWidget(self.cancel)
        layout.addLayout(line)
        line = QHBoxLayout()
        self.set_reach = button("Set the reach", self._set_reach)
        self.even = button("Linearise", self._even, tip="Warps the curve so that equal steps sound equal")
        self.even.setToolTip("Shows a preview first; click again to apply")
        line.addWidget(self.set_reach)
        line.addWidget(self.even)
        layout.addLayout(line)

    def refresh(self) -> None:
        """Show what is compared."""
        session = self.session
        lead = session.settings.playback.pre_roll
        self.lead.show_text(f"{lead:g} beats" if lead else "none")
        pick(self.backdrop, session.settings.window.backdrop)
        pick(self.compared, session.audition.comparing)
        self.alone.setChecked(session.audition.listening.alone is not None)
        self.metronome.setChecked(session.audition.listening.metronome)
        self.match.setChecked(session.audition.match_loudness)
        self.match.setEnabled(bool(session.audition.comparing) or session.audition.kept is not None)
        lane = session.lane
        mine = bool(lane and self.measuring == (lane.device, lane.parameter))
        busy = self.background.busy
        self.bar.setVisible(busy)
        self.cancel.setVisible(busy)
        self.measure.setVisible(not busy)
        self.measure.setEnabled(lane is not None)
        ready = mine and self.measured is not None and not busy
        self.set_reach.setEnabled(ready)
        self.even.setEnabled(ready)
        self.even.setText("Apply" if session.preview.curve is not None and ready else "Linearise")
        if not ready and not busy:
            self.plot.show_measured(None, (0.0, 1.0))
            self.result.setText("Select a span in which the track sounds.")
        elif ready and lane is not None:
            self._show_result()

    def _show_result(self) -> None:
        from zolvek.sound.analysis.useful_reach import proposed

        assert self.measured is not None
        span = proposed(self.measured)
        self.plot.show_measured(self.measured, span)
        lane = self.session.lane
        assert lane is not None
        low, high = (self.session.project.parameter_of(lane.id).text(end) for end in span)
        self.result.setText(
            f"95 % of the change lies between {low} ({100 * span[0]:.0f} %) and {high} ({100 * span[1]:.0f} %)."
        )

    def _type_lead(self, text: str) -> None:
        """A length of time, at the playhead."""
        self.session.settings.playback.pre_roll = self.session.beats_of(text)

    def _set_backdrop(self, kind: object) -> None:
        self.studio.show.backdrop(str(kind))

    def _compare(self, what: object) -> None:
        self.session.notices.attempt(lambda: self.session.audition.compare(str(what)))

    # --- the useful reach ---

    def _measure(self) -> None:
        session, lane = self.session, self.session.lane
        if lane is None:
            return
        first, last = session.span.beats or session.project.section_at(session.playhead.beat)
        bars = 8.0
        self.measuring, self.measured = (lane.device, lane.parameter), None
        span = (first, min(last, first + bars)) if session.span.beats is None else (first, last)
        self.background.start(REACH_JOB, session.project, lane.device, lane.parameter, span)
        self.bar.setRange(0, 0)
        self.result.setText("Rendering the control position by position…")
        self.refresh()

    def _progress(self, done: int, total: int) -> None:
        self.bar.setRange(0, total)
        self.bar.setValue(done)

    def _cancel(self) -> None:
        self.background.cancel()
        self.refresh()

    def _done(self, measured: ReachMeasurement) -> None:
        self.measured = measured
        self.refresh()

    def _failed(self, error: ZolvekError) -> None:
        self.session.notices.report(error)
        self.refresh()

    def _set_reach(self) -> None:
        from zolvek.sound.analysis.useful_reach import proposed

        if self.measured is not None:
            low, high = proposed(self.measured)
            self.session.notices.attempt(lambda: set_reach(self.session, low, high, False))
            self.refresh()

    def _even(self) -> None:
        """First a preview over the ghost of the curve, then the step itself."""
        from zolvek.sound.analysis.useful_reach import evened

        lane, measured = self.session.lane, self.measured
        if lane is None or measured is None:
            return

        def work() -> None:
            warped = evened(target(self.session).curve, lane.reach, measured)
            if self.session.preview.curve is None:
                self.session.preview.show(warped)
                self.session.notices.say("Preview over the current curve. Esc cancels.")
            else:
                self.session.preview.show(None)
                self.session.edit_curve("Linearise the response", warped, np.empty(0, np.intp))

        self.session.notices.attempt(work)

    def close_work(self) -> None:
        """End what is going on, when the window closes."""
        self.background.close()
