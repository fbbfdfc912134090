# SPDX-License-Identifier: GPL-3.0-or-later
"""Faults of the program itself: reported once, when nothing is being painted, and the window stays.

A fault may be raised anywhere Qt calls us, in the middle of painting too, where opening a message would
end the process; and in any thread. It is written down at once and shown when the event is over.
"""

from __future__ import annotations

import sys
import threading
import traceback
from types import TracebackType
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from zolvek.core.errors import ZolvekError

if TYPE_CHECKING:
    from zolvek.studio.app.window import Window

MOST_PRINTED = 20  # a fault at every repaint would fill the terminal


class Faults(QObject):
    """Takes over what Python does with exceptions that nothing catches; `say` shows one."""

    raised = pyqtSignal(object)  # ZolvekError

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self.known: dict[tuple[str, str, int], int] = {}  # kind and place -> how often
        # Queued: shown from the event loop, in its thread, with no painter open.
        self.raised.connect(self.show, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]  # PyQt's stub leaves the type out

    def begin(self) -> None:
        """Catch faults from now on."""
        sys.excepthook = self.hook
        threading.excepthook = lambda fault: (
            self.hook(fault.exc_type, fault.exc_value, fault.exc_traceback) if fault.exc_value is not None else None
        )

    def hook(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """Note a fault, and show it when nothing is painted."""
        if issubclass(kind, KeyboardInterrupt):
            return  # the window closes in order; see `interruption`
        frames = traceback.extract_tb(trace)
        location = (frames[-1].filename, frames[-1].lineno or 0) if frames else ("", 0)
        key = (kind.__name__, *location)
        self.known[key] = self.known.get(key, 0) + 1
        if sum(self.known.values()) <= MOST_PRINTED:
            traceback.print_exception(kind, error, trace)
        if self.known[key] == 1:
            from zolvek.studio.app import crash_report

            path = crash_report.write(kind, error, trace)
            self.raised.emit(
                ZolvekError(
                    f"Something went wrong inside Zolvek: {error}.",
                    f"A report without your data is in {path}." if path else "",
                    "Your work is still open. Save it under another name and restart.",
                )
            )
        # What the frames hold goes now: a painter that stays open would end the process.
        error.__traceback__ = None
        traceback.clear_frames(trace)

    def show(self, error: ZolvekError) -> None:
        """Show a fault in a box."""
        self.window.studio.autosave.keep()
        self.window.session.notices.report(error)
