# SPDX-License-Identifier: GPL-3.0-or-later
"""Stands in for the person at the window: what is asked is noted down and answered as set."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QDialog, QWidget

D = TypeVar("D", bound="QDialog")


class QuietBar:
    """Progress that nobody watches."""

    def progressed(self, done: int, total: int) -> None:
        pass

    def close(self) -> None:
        pass


class Answers:
    """See studio.session.asking.Ask. By itself it refuses everything, and gives unsaved work up; dialogs are
    painted before they are refused. `fill`, given a dialog, puts into it what the person would."""

    def __init__(self) -> None:
        self.over: QWidget | None = None
        self.asked: list[str] = []
        self.yes = False
        self.when_unsaved = "discard"
        self.words: str | None = None
        self.value: float | None = None
        self.row: str | None = None
        self.path: Path | None = None
        self.paths: list[Path] = []
        self.accepts = False
        self.fill: Callable[[QDialog], object] = lambda _: None

    def confirm(self, question: str, details: str) -> bool:
        self.asked.append(f"{question} {details}")
        return self.yes

    def pick(self, question: str, details: str, options: Sequence[str]) -> str | None:
        self.asked.append(f"{question} {details}")
        return self.row if self.row in options else options[-1]

    def unsaved(self, title: str) -> str:
        self.asked.append(title)
        return self.when_unsaved

    def text(self, title: str, label: str, start: str = "") -> str | None:
        self.asked.append(title)
        return self.words

    def typed(self, title: str, label: str, start: str, use: Callable[[str], object]) -> None:
        text = self.text(title, label, start)
        if text is not None:
            use(text)

    def number(self, title: str, label: str, start: float, low: float, high: float, decimals: int) -> float | None:
        self.asked.append(title)
        return self.value

    def choose(self, title: str, label: str, rows: Sequence[str]) -> str | None:
        self.asked.append(title)
        return rows[0] if self.accepts and self.row is None else self.row

    def path_to_read(self, title: str, folder: str, kinds: str) -> Path | None:
        self.asked.append(title)
        return self.path

    def paths_to_read(self, title: str, folder: str, kinds: str) -> list[Path]:
        self.asked.append(title)
        return self.paths

    def folder(self, title: str, folder: str) -> Path | None:
        self.asked.append(title)
        return self.path

    def path_to_write(self, title: str, suggested: str, kinds: str) -> Path | None:
        self.asked.append(title)
        return self.path

    def filled(self, make: Callable[[QWidget], D]) -> D | None:
        assert self.over is not None
        dialog = make(self.over)
        self.asked.append(dialog.windowTitle())
        dialog.show()
        dialog.grab()
        self.fill(dialog)
        dialog.close()
        return dialog if self.accepts else None

    def progress(self, name: str, stop: Callable[[], object]) -> QuietBar:
        return QuietBar()
