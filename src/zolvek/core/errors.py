# SPDX-License-Identifier: GPL-3.0-or-later
"""The class of errors that the user can do something about, and the one place they are reported to."""

from __future__ import annotations

from collections.abc import Callable


def one_line(text: str) -> str:
    """A text that is one line, whatever names are in it: line breaks and what can't be shown become spaces."""
    return "".join(c if c.isprintable() else " " for c in text)


class ZolvekError(ValueError):
    """An expected error: what is wrong, where, and how to put it right. A ValueError, so that readers of
    files name the place where a record could not be made.

    Anything else that is raised is a fault of the program, not of what it was given.
    """

    def __init__(self, what: str, where: str = "", remedy: str = "") -> None:
        super().__init__(what, where, remedy)
        self.what, self.where, self.remedy = what, where, remedy

    def __str__(self) -> str:
        prefix = f"{self.where}: " if self.where else ""
        advice = f" {self.remedy}" if self.remedy else ""
        return one_line(f"{prefix}{self.what}{advice}")

    def at(self, where: str) -> ZolvekError:
        """The same error with the place set in front of what it already names."""
        joined = f"{where}, {self.where}" if self.where else where
        return type(self)(self.what, joined, self.remedy)


class Failure(ZolvekError):
    """What was asked for is right, but could not be done: a full disk, a missing sound, a lost
    library. Commands end with status 1 for it, and with 2 for what was asked wrongly."""


class Notifier:
    """Passes errors on to who listens; keeps the last ones for a late listener."""

    def __init__(self) -> None:
        self.listeners: list[Callable[[ZolvekError], None]] = []
        self.unheard: list[ZolvekError] = []

    def report(self, error: ZolvekError) -> None:
        """Pass an error to all listeners."""
        if not self.listeners:
            self.unheard.append(error)
        for listener in self.listeners:
            listener(error)

    def subscribe(self, listener: Callable[[ZolvekError], None]) -> None:
        """Add a listener; it receives the errors that came before."""
        self.listeners.append(listener)
        waiting, self.unheard = self.unheard, []
        for error in waiting:
            listener(error)
