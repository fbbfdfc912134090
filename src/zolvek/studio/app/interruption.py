# SPDX-License-Identifier: GPL-3.0-or-later
"""Ctrl+C in the terminal, and SIGTERM: the window closes in order, and work is saved for recovery.

What is unsaved stays in the copy that is kept of it, and the next start offers it.
"""

from __future__ import annotations

import signal
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSocketNotifier
from PyQt6.QtWidgets import QApplication

if TYPE_CHECKING:
    from zolvek.studio.app.window import Window

SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class Interruption(QObject):
    """While it lives, these signals end the program the way its window does, without a question."""

    def __init__(self, app: QApplication, window: Window) -> None:
        import socket  # with all that it brings: not for the first picture

        super().__init__(window)
        self.app, self.window = app, window
        # Python's own handlers run only when Python does: a byte in a socket wakes Qt's loop.
        self.reading, self.writing = socket.socketpair()
        for end in (self.reading, self.writing):
            end.setblocking(False)
        signal.set_wakeup_fd(self.writing.fileno(), warn_on_full_buffer=False)
        # PyQt's stub knows a voidptr only; an int is what it is.
        self.watch = QSocketNotifier(self.reading.fileno(), QSocketNotifier.Type.Read, self)  # type: ignore[call-overload]  # see above
        self.watch.activated.connect(self._woken)
        for item in SIGNALS:
            signal.signal(item, lambda *_: None)

    def _woken(self) -> None:
        for number in self.reading.recv(64):
            if number in SIGNALS:
                self.window.leave_at_once()
                self.app.exit(128 + number)
                return
