# SPDX-License-Identifier: GPL-3.0-or-later
"""Notices to the user: hints at the foot of the window, and errors."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.errors import Notifier, ZolvekError


class Notices(QObject):
    """`hint`: what a press would do, or a word about what has just been done; `done`: the last edit.
    `notifier`: given of every error that is expected."""

    changed = pyqtSignal(str)
    edited = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.hint = self.done = ""
        self.notifier = Notifier()

    def say(self, hint: str) -> None:
        """Say something at the foot of the window."""
        if hint != self.hint:
            self.hint = hint
            self.changed.emit(hint)

    def did(self, what: str) -> None:
        """What has been done to the project; it stands until the next edit."""
        if what != self.done:
            self.done = what
            self.edited.emit(what)

    def report(self, error: ZolvekError) -> None:
        """Show an error."""
        self.notifier.report(error)

    def run_guarded(self, work: Callable[[], object]) -> bool:
        """Do `work`; an expected error is shown and nothing is changed."""
        try:
            work()
        except ZolvekError as error:
            self.notifier.report(error)
            return False
        return True
