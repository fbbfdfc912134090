# SPDX-License-Identifier: GPL-3.0-or-later
"""The library of patterns as the window knows it, with an undo of its own."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.curve.pattern import Pattern
from zolvek.core.errors import ZolvekError
from zolvek.formats import pattern_library

MOST_STEPS = 100


class Shelf(QObject):
    """`found`: the patterns by name; `faults`: what is wrong with files that are left out. Read when it
    is first asked for, as other windows may have changed it again by `reload`."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.found: list[Pattern] = []
        self.faults: list[ZolvekError] = []
        self.steps: list[tuple[str, Callable[[], object]]] = []  # label, and what takes it back

    def read(self) -> None:
        """Read the library."""
        self.found, self.faults = pattern_library.load_all()

    def reload(self) -> None:
        """Read the library again."""
        self.read()
        self.changed.emit()

    def named(self, name: str | None) -> Pattern | None:
        """The pattern of this name, if any."""
        return next((item for item in self.found if item.name == name), None)

    def save(self, pattern: Pattern) -> None:
        """Keep a pattern; one of the same name is replaced. Raises ZolvekError as the library does."""
        before = self.named(pattern.name)
        pattern_library.save(pattern)
        if before is None:
            back: Callable[[], object] = lambda: pattern_library.delete(pattern.name)  # noqa: E731
        else:
            back = lambda: pattern_library.save(before)  # noqa: E731
        self._did(f"Save the pattern {pattern.name}", back)

    def rename(self, old: str, new: str) -> None:
        """Rename a pattern."""
        pattern_library.rename(old, new)
        self._did(f"Rename the pattern {old}", lambda: pattern_library.rename(new, old))

    def delete(self, pattern: Pattern) -> None:
        """Delete a pattern."""
        pattern_library.delete(pattern.name)
        self._did(f"Delete the pattern {pattern.name}", lambda: pattern_library.save(pattern))

    def undo(self) -> str:
        """Take back the last change; its label."""
        label, back = self.steps.pop()
        back()
        self.reload()
        return label

    @property
    def undo_label(self) -> str:
        """What the library's undo would undo."""
        return self.steps[-1][0] if self.steps else ""

    def _did(self, label: str, back: Callable[[], object]) -> None:
        self.steps = [*self.steps, (label, back)][-MOST_STEPS:]
        self.reload()
