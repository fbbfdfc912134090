# SPDX-License-Identifier: GPL-3.0-or-later
"""The button that begins a job, the one that stops it, and its progress."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.toolkit.widgets import button


class JobControls(QWidget):
    """`changed` is called when the job has been stopped."""

    def __init__(
        self, background: Background, text: str, begin: Callable[[], object], tip: str, changed: Callable[[], object]
    ) -> None:
        super().__init__()
        self.background, self.changed = background, changed
        self.start = button(text, begin, True, tip)
        self.stop = button("Stop", self._stop, tip="Keeps what is known so far")
        self.bar = QProgressBar()
        self.bar.setAccessibleName("Measurement progress")
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        line = QHBoxLayout()
        line.addWidget(self.start)
        line.addWidget(self.stop)
        layout.addLayout(line)
        layout.addWidget(self.bar)
        background.progressed.connect(self._progress)

    def begun(self) -> None:
        """A job has begun; how long it takes is not known yet."""
        self.bar.setRange(0, 0)

    def refresh(self, enabled: bool = True) -> None:
        """Show whether the job goes on, or could begin."""
        busy = self.background.busy
        self.start.setVisible(not busy)
        self.start.setEnabled(enabled)
        self.stop.setVisible(busy)
        self.bar.setVisible(busy)

    def _progress(self, done: int, total: int) -> None:
        self.bar.setRange(0, 1_000)
        self.bar.setValue(1_000 * done // max(total, 1))

    def _stop(self) -> None:
        self.background.cancel()
        self.changed()
