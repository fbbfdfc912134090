# SPDX-License-Identifier: GPL-3.0-or-later
"""Where nothing moves: each bar's movement by automation beside the sound's own, and the stretches that stand still."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.studio.services.context import Studio
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import column, note
from zolvek.studio.views.shared.job_controls import JobControls

if TYPE_CHECKING:
    from zolvek.sound.analysis.stillness import BarMovement

JOB = "zolvek.sound.analysis.stillness:job"
FULL_DB = 24.0  # of the plot's height
RUN = Qt.ItemDataRole.UserRole


class BarsPlot(QWidget):
    """Two uprights a bar: through automation, and the sound's own."""

    def __init__(self, session: Session, chosen: Callable[[int], None]) -> None:
        super().__init__()
        self.session, self.chosen = session, chosen
        self.moved: BarMovement | None = None
        self.setFixedHeight(84)
        self.setAccessibleName("Movement bar by bar")

    def show_moved(self, moved: BarMovement | None) -> None:
        """Show a measurement."""
        self.moved = moved
        still = moved.still() if moved is not None else []
        words = ", ".join(f"{first} to {last}" for first, last in still[:4]) or "none"
        self.setAccessibleDescription(f"Bars that stand still: {words}" if moved is not None else "Not measured yet")
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if self.moved is not None and event is not None and len(self.moved.bars):
            index = int(event.position().x() / max(self.width(), 1) * len(self.moved.bars))
            self.chosen(int(self.moved.bars[min(max(index, 0), len(self.moved.bars) - 1)]))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        area = QRectF(0, 0, self.width(), self.height() - 14)
        painter.fillRect(area, themes.color(theme.sheet))
        painter.setFont(themes.font(9.5))
        moved = self.moved
        painter.setPen(themes.color(theme.quiet))
        if moved is None or not len(moved.bars):
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "Not measured yet")
            return
        step = area.width() / len(moved.bars)
        still = {bar for first, last in moved.still() for bar in range(first, last + 1)}
        for index, bar in enumerate(moved.bars.tolist()):
            left = area.left() + index * step
            if bar in still:
                painter.fillRect(QRectF(left, area.top(), step, area.height()), themes.color(theme.wash))
            for value, ink, first, width in (
                (moved.sound[index], theme.bar_line, 0.1, 0.8),
                (moved.automation[index], theme.curve, 0.25, 0.5),
            ):
                height = min(float(value) / FULL_DB, 1.0) * area.height()
                upright = QRectF(left + first * step, area.bottom() - height, max(width * step, 1.0), height)
                painter.fillRect(upright, themes.color(ink))
        foot = QRectF(0, area.bottom(), self.width(), 14)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, f"Bar {moved.bars[0]}")
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, f"{moved.bars[-1]}")


class StillnessPage(QWidget):
    def __init__(self, studio: Studio, ask_controls: Callable[[], None]) -> None:
        """`ask_controls` measures the controls in the selected span."""
        super().__init__()
        self.studio, self.session, self.ask_controls = studio, studio.session, ask_controls
        self.moved: BarMovement | None = None
        self.measured: Project | None = None
        self.background = Background(self)
        self.background.done.connect(self._done)
        self.background.failed.connect(self._failed)
        layout = column(self)
        layout.addWidget(note("How much moves in each bar: dark through automation, light the sound by itself."))
        tip = "Renders the song twice: as it is, and with each lane held through each bar"
        self.job = JobControls(self.background, "Measure the song", self.start, tip, self.refresh)
        layout.addWidget(self.job)
        self.plot = BarsPlot(self.session, lambda bar: self._choose(bar, bar))
        layout.addWidget(self.plot)
        self.said = note()
        layout.addWidget(self.said)
        self.list = QListWidget()
        self.list.setAccessibleName("Bars that stand still")
        self.list.setToolTip("Click to select the bars, double-click or Enter to measure the controls there")
        self.list.itemClicked.connect(lambda item: self._choose(*item.data(RUN)))
        self.list.itemActivated.connect(self._activate)
        layout.addWidget(self.list, 1)
        RefreshWhileShown(self, self.refresh, (self.session.document.changed,))
        self.refresh()

    def start(self) -> None:
        """Measure the song."""
        self.measured = self.session.project
        self.job.begun()
        self.background.start(JOB, self.measured)
        self.refresh()

    def _done(self, moved: BarMovement) -> None:
        self.moved = moved
        self.plot.show_moved(moved)
        self.list.clear()
        for first, last in moved.still():
            count = last - first + 1
            item = QListWidgetItem(f"Bar {first}" if count == 1 else f"Bars {first} to {last}: {count} bars")
            item.setData(RUN, (first, last))
            self.list.addItem(item)
        self.refresh()

    def _failed(self, error: ZolvekError) -> None:
        self.session.notices.report(error)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is."""
        moved = self.moved
        self.job.refresh()
        if moved is None:
            self.said.setText("Not measured yet.")
        else:
            count = self.list.count()
            what = (
                f"{count} stretch{'es' if count != 1 else ''} without movement."
                if count
                else "Something moves in every bar."
            )
            old = "" if self.measured is self.session.project else " Measured before the last edit."
            self.said.setText(what + old)

    def _choose(self, first: int, last: int) -> None:
        """Select bars."""
        meter, length = self.session.project.meter, self.session.project.length
        self.session.span.choose((meter.bar_beat(first), min(meter.bar_beat(last + 1), length)))

    def _activate(self, item: QListWidgetItem) -> None:
        self._choose(*item.data(RUN))
        self.ask_controls()

    def close_work(self) -> None:
        """End what is going on, when the window closes."""
        self.background.close()
