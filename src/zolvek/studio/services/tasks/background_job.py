# SPDX-License-Identifier: GPL-3.0-or-later
"""Long work for the window: a job of sound.processes.job_process, reported by signals on the interface thread."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

if TYPE_CHECKING:
    from zolvek.sound.processes.job_process import Jobs


class Background(QObject):
    """One job at a time; beginning another cancels the first. Made cheaply: the process starts
    with the first job."""

    progressed = pyqtSignal(int, int)
    found = pyqtSignal(object)  # a part of the result
    done = pyqtSignal(object)
    failed = pyqtSignal(object)  # ZolvekError
    received = pyqtSignal(int, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.jobs: Jobs | None = None
        self.number = 0
        self.received.connect(self._pass_on)

    def start(self, function: str, *arguments: Any) -> None:
        """Begin the job that `function` names as "module:function"."""
        from zolvek.sound.processes.job_messages import Job

        if self.jobs is None:
            from zolvek.sound.processes.job_process import Jobs

            self.jobs = Jobs()
        self.number += 1
        number = self.number
        self.jobs.start(Job(function, arguments), lambda news: self.received.emit(number, news))

    def cancel(self) -> None:
        """Cancel the job."""
        self.number += 1
        if self.jobs is not None:
            self.jobs.cancel()

    def close(self) -> None:
        """Cancel the job and end its process."""
        self.number += 1
        if self.jobs is not None:
            self.jobs.close()

    @property
    def busy(self) -> bool:
        """Whether a job is going on."""
        return self.jobs is not None and self.jobs.busy

    def _pass_on(self, number: int, news: Any) -> None:
        from zolvek.sound.processes.job_messages import Done, JobError, Progress

        if number != self.number:
            return  # of a job that was cancelled
        if isinstance(news, Progress):
            if news.found is not None:
                self.found.emit(news.found)
            self.progressed.emit(news.done, news.total)
        elif isinstance(news, Done):
            self.done.emit(news.value)
        elif isinstance(news, JobError):
            self.failed.emit(news.error)
