# SPDX-License-Identifier: GPL-3.0-or-later
"""The window's questions, as dialogs over it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QInputDialog,
    QMessageBox,
    QProgressDialog,
    QWidget,
)

from zolvek.core.errors import ZolvekError

D = TypeVar("D", bound=QDialog)
BEFORE_SHOWN_MS = 300  # that a work goes on without its progress being shown


class WindowBar:
    """A progress dialog; see asking.Bar."""

    def __init__(self, name: str, stop: Callable[[], object], over: QWidget | None) -> None:
        self.dialog = QProgressDialog(name, "Stop", 0, 100, over)
        self.dialog.setWindowTitle("Zolvek")
        self.dialog.setMinimumDuration(BEFORE_SHOWN_MS)
        self.dialog.setAutoClose(False)
        self.dialog.canceled.connect(stop)

    def progressed(self, done: int, total: int) -> None:
        """Show how far the work is."""
        self.dialog.setValue(99 * done // max(total, 1))

    def close(self) -> None:
        """Close the bar."""
        self.dialog.canceled.disconnect()
        self.dialog.close()
        self.dialog.deleteLater()


def error_box(error: ZolvekError, over: QWidget) -> QMessageBox:
    """What is wrong, where, and how to put it right."""
    box = QMessageBox(QMessageBox.Icon.NoIcon, "Zolvek", error.what, parent=over)
    box.setInformativeText("\n".join(text for text in (error.where, error.remedy) if text))
    return box


class WindowAsks:
    """See asking.Ask. `over` is the window, once there is one."""

    def __init__(self) -> None:
        self.over: QWidget | None = None

    def confirm(self, question: str, details: str) -> bool:
        """See `Ask`."""
        button = QMessageBox.StandardButton
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Zolvek", question, button.Yes | button.Cancel, self.over)
        box.setInformativeText(details)
        return box.exec() == button.Yes

    def pick(self, question: str, details: str, options: Sequence[str]) -> str | None:
        """See `Ask`."""
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Zolvek", question, parent=self.over)
        box.setInformativeText(details)
        roles = [QMessageBox.ButtonRole.AcceptRole] * (len(options) - 1)
        rows = zip(options, [*roles, QMessageBox.ButtonRole.RejectRole], strict=True)
        buttons = {box.addButton(text, role): text for text, role in rows}
        box.setDefaultButton(next(iter(buttons)))
        box.exec()
        clicked = box.clickedButton()
        return next((text for button, text in buttons.items() if button is clicked), None)

    def unsaved(self, title: str) -> str:
        """See `Ask`."""
        button = QMessageBox.StandardButton
        box = QMessageBox(self.over)
        box.setWindowTitle("Zolvek")
        box.setText(f"“{title}” has unsaved changes.")
        box.setInformativeText("Save them first?")
        box.setStandardButtons(button.Save | button.Discard | button.Cancel)
        box.setDefaultButton(button.Save)
        answers = {button.Save: "save", button.Discard: "discard"}
        return answers.get(QMessageBox.StandardButton(box.exec()), "cancel")

    def text(self, title: str, label: str, start: str = "") -> str | None:
        """See `Ask`."""
        progressed, done = QInputDialog.getText(self.over, title, label, text=start)
        return progressed if done else None

    def number(self, title: str, label: str, start: float, low: float, high: float, decimals: int) -> float | None:
        """See `Ask`."""
        progressed, done = QInputDialog.getDouble(self.over, title, label, start, low, high, decimals)
        return progressed if done else None

    def choose(self, title: str, label: str, rows: Sequence[str]) -> str | None:
        """See `Ask`."""
        progressed, done = QInputDialog.getItem(self.over, title, label, rows, 0, False)
        return progressed if done else None

    def path_to_read(self, title: str, folder: str, kinds: str) -> Path | None:
        """See `Ask`."""
        name, _ = QFileDialog.getOpenFileName(self.over, title, folder, kinds)
        return Path(name) if name else None

    def paths_to_read(self, title: str, folder: str, kinds: str) -> list[Path]:
        """See `Ask`."""
        names, _ = QFileDialog.getOpenFileNames(self.over, title, folder, kinds)
        return [Path(name) for name in names]

    def folder(self, title: str, folder: str) -> Path | None:
        """See `Ask`."""
        name = QFileDialog.getExistingDirectory(self.over, title, folder)
        return Path(name) if name else None

    def path_to_write(self, title: str, suggested: str, kinds: str) -> Path | None:
        """See `Ask`."""
        name, _ = QFileDialog.getSaveFileName(self.over, title, suggested, kinds)
        return Path(name) if name else None

    def filled(self, make: Callable[[QWidget], D]) -> D | None:
        """See `Ask`."""
        assert self.over is not None
        dialog = make(self.over)
        return dialog if dialog.exec() else None

    def progress(self, name: str, stop: Callable[[], object]) -> WindowBar:
        """See `Ask`."""
        return WindowBar(name, stop, self.over)
