# SPDX-License-Identifier: GPL-3.0-or-later
"""Work in a background thread: with progress, cancelling, and reported errors."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QEventLoop, QThread, pyqtSignal

from zolvek.core.errors import ZolvekError

Progress = Callable[[int, int], None]
LEAVING_MS = 1_000  # that what is still going has when its window closes
ABANDONED: list[QThread] = []  # that went on when their window closed


def end(thread: Work) -> None:
    """Cancel what still runs when its window closes, without waiting for it for long."""
    thread.stop()
    if not thread.wait(LEAVING_MS):
        ABANDONED.append(thread)  # it can't be given: it ends with the program


def run_while_painting(work: Callable[[], Any]) -> Any:
    """What `work` gives, done in a thread: meanwhile the window is painted and plays on; keys and the mouse wait.
    Raises the ZolvekError that it ends with."""
    thread, loop = Work(lambda _: work()), QEventLoop()
    thread.finished.connect(loop.quit)
    thread.start()
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    thread.wait()
    if thread.error is not None:
        raise thread.error
    return thread.result


class Work(QThread):
    """Does `work` once, which is given what to say its progress to; then `result` or `error`
    is there. `stop` ends it at the next word of its progress."""

    progress = pyqtSignal(int, int)

    def __init__(self, work: Callable[[Progress], Any]) -> None:
        super().__init__()
        self.work = work
        self.stopped = False  # asked to; read by whatever threads it has work done in
        self.result: Any = None
        self.error: ZolvekError | None = None

    def stop(self) -> None:
        """Ask the work to stop."""
        self.stopped = True

    def run(self) -> None:
        """Do the work, in the thread."""

        def report(done: int, total: int) -> None:
            if self.stopped:
                raise ZolvekError("Stopped. Nothing was written.")
            self.progress.emit(done, total)

        try:
            self.result = self.work(report)
        except ZolvekError as error:
            self.error = error
        except Exception as error:  # a fault of ours: said there, not lost in a thread
            self.error = ZolvekError(
                f"Something went wrong inside Zolvek: {error}.",
                remedy="Save your work and try again.",
            )
