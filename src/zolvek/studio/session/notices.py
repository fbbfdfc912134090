# SPDX-License-Identifier: GPL-3.0-or-later
"""Notices to the user: hints at the foot of the window, and errors."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.errors import Notifier, ZolvekError

REFUSAL_S = 4.0  # for which a refusal is not replaced by hints of what is under the pointer


class Notices(QObject):
    """`hint`: what a press would do, or a word about what has just been done; `done`: the last edit.
    `notifier`: given of every error that is expected. `refused`: a command could not be done."""

    changed = pyqtSignal(str)
    refused = pyqtSignal(object)  # ZolvekError
    edited = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.hint = self.done = ""
        self.notifier = Notifier()
        self.refused_until = 0.0  # of time.monotonic

    def say(self, hint: str) -> None:
        """Say something at the foot of the window."""
        if hint != self.hint:
            self.hint = hint
            self.changed.emit(hint)

    def hover(self, hint: str) -> None:
        """Say what a click at the pointer does; a refusal stays for a while."""
        if time.monotonic() >= self.refused_until:
            self.say(hint)

    def refuse(self, error: ZolvekError) -> None:
        """Say at the foot of the window why a command was not done."""
        self.refused_until = time.monotonic() + REFUSAL_S
        self.say(" ".join(part for part in (error.what, error.remedy) if part))
        self.refused.emit(error)

    def did(self, what: str) -> None:
        """What has been done to the project; it stands until the next edit."""
        if what != self.done:
            self.done = what
            self.edited.emit(what)

    def report(self, error: ZolvekError) -> None:
        """Show an error."""
        self.notifier.report(error)

    def run_guarded(self, work: Callable[[], object]) -> bool:
        """Do `work`; an expected error is shown in a dialog, and nothing is changed."""
        return _attempt(work, self.report)

    def attempt(self, work: Callable[[], object]) -> bool:
        """Do `work`; an expected error is said at the foot of the window, and nothing is changed."""
        return _attempt(work, self.refuse)


def _attempt(work: Callable[[], object], on_error: Callable[[ZolvekError], object]) -> bool:
    try:
        work()
    except ZolvekError as error:
        on_error(error)
        return False
    return True
