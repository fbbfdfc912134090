"""Long work for the window: a job of sound.jobs, told by signals on the interface thread."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

if TYPE_CHECKING:
    from zolvek.sound.jobs import Jobs


class Background(QObject):
    """One job at a time; beginning another gives the first up. Made cheaply: the process starts
    with the first job."""

    progressed = pyqtSignal(int, int)
    done = pyqtSignal(object)
    failed = pyqtSignal(object)  # ZolvekError
    told = pyqtSignal(int, str, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.jobs: Jobs | None = None
        self.number = 0
        self.told.connect(self._pass_on)

    def start(self, name: str, *arguments: Any) -> None:
        if self.jobs is None:
            from zolvek.sound.jobs import Jobs

            self.jobs = Jobs()
        self.number += 1
        number = self.number
        self.jobs.start(name, arguments, lambda what, value: self.told.emit(number, what, value))

    def cancel(self) -> None:
        self.number += 1
        if self.jobs is not None:
            self.jobs.cancel()

    def close(self) -> None:
        self.number += 1
        if self.jobs is not None:
            self.jobs.close()

    @property
    def busy(self) -> bool:
        return self.jobs is not None and self.jobs.busy

    def _pass_on(self, number: int, what: str, value: Any) -> None:
        if number != self.number:
            return  # of a job that was given up
        if what == "progress":
            self.progressed.emit(*value)
        else:
            (self.done if what == "done" else self.failed).emit(value)
