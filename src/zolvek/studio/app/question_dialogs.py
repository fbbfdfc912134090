# SPDX-License-Identifier: GPL-3.0-or-later
"""The window's questions, as dialogs over it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QInputDialog,
    QLabel,
    QMessageBox,
    QProgressDialog,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.errors import ZolvekError
from zolvek.studio.toolkit.fields import Entry

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


class TypedDialog(QDialog):
    """A line of text. What is wrong with it is said under the field, and the text stays."""

    def __init__(self, title: str, label: str, start: str, use: Callable[[str], object], over: QWidget | None) -> None:
        super().__init__(over)
        self.use = use
        self.setWindowTitle(title)
        self.setMinimumWidth(320)
        self.field = Entry(title, lambda _: None)
        self.field.setText(start)
        self.field.selectAll()
        layout = QVBoxLayout(self)
        words = QLabel(label)
        words.setBuddy(self.field)
        self.fault = QLabel()
        self.fault.setProperty("role", "fault")
        self.fault.setWordWrap(True)
        self.fault.hide()
        standard = QDialogButtonBox.StandardButton
        box = QDialogButtonBox(standard.Ok | standard.Cancel)
        box.accepted.connect(self.accept)
        box.rejected.connect(self.reject)
        for part in (words, self.field, self.fault, box):
            layout.addWidget(part)

    def accept(self) -> None:
        """Use the text, or say what is wrong with it."""
        try:
            self.use(self.field.text())
        except ZolvekError as error:
            self.fault.setText(" ".join(part for part in (error.what, error.remedy) if part))
            self.field.setAccessibleDescription(self.fault.text())
            self.fault.show()
            self.field.setFocus()
            self.field.selectAll()
            return
        super().accept()


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

    def typed(self, title: str, label: str, start: str, use: Callable[[str], object]) -> None:
        """See `Ask`."""
        TypedDialog(title, label, start, use, self.over).exec()

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
