# SPDX-License-Identifier: GPL-3.0-or-later
"""What commands, which know no widgets, ask of the window: questions, and things to show.
Tests stand in for both."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Protocol, TypeVar

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QDialog, QWidget

D = TypeVar("D", bound=QDialog)


class Bar(Protocol):
    """The progress of a work, as it is shown."""

    def progressed(self, done: int, total: int) -> None:
        """Show how far the work is."""
        ...

    def close(self) -> None:
        """Close the bar."""
        ...


class Ask(Protocol):
    """Questions to the person. None, or False, is the answer of one who would rather not. `over` is
    the window, once there is one."""

    over: QWidget | None

    def confirm(self, question: str, details: str) -> bool:
        """A yes or no question."""
        ...

    def pick(self, question: str, details: str, options: Sequence[str]) -> str | None:
        """One of a few answers, each a button; the first is the proposed one."""
        ...

    def unsaved(self, title: str) -> str:
        """Unsaved changes: "save", "discard" or "cancel"."""
        ...

    def text(self, title: str, label: str, start: str = "") -> str | None:
        """A line of text."""
        ...

    def typed(self, title: str, label: str, start: str, use: Callable[[str], object]) -> None:
        """A line of text, given to `use`; the question stays while that raises ZolvekError, with the reason under the
        field."""
        ...

    def number(self, title: str, label: str, start: float, low: float, high: float, decimals: int) -> float | None:
        """A number within limits."""
        ...

    def choose(self, title: str, label: str, rows: Sequence[str]) -> str | None:
        """One of several rows."""
        ...

    def path_to_read(self, title: str, folder: str, kinds: str) -> Path | None:
        """A file to open."""
        ...

    def paths_to_read(self, title: str, folder: str, kinds: str) -> list[Path]:
        """Files to open."""
        ...

    def folder(self, title: str, folder: str) -> Path | None:
        """A folder."""
        ...

    def path_to_write(self, title: str, suggested: str, kinds: str) -> Path | None:
        """A file to write."""
        ...

    def filled(self, make: Callable[[QWidget], D]) -> D | None:
        """The dialog that `make` makes over the window, once it has been accepted."""
        ...

    def progress(self, name: str, stop: Callable[[], object]) -> Bar:
        """Show how far the work `name` is, with a button that calls `stop`."""
        ...


class Show(Protocol):
    """What the window shows on being given to."""

    def action(self, key: str) -> QAction:
        """The action of this id."""
        ...

    def panel(self, key: str) -> None:
        """Show a panel."""
        ...

    def page(self, key: str, page: str) -> None:
        """Show a page of a panel, with the keyboard in it."""
        ...

    def field(self, name: str) -> None:
        """Put the keyboard in the field of this accessible name, in the panel that is shown."""
        ...

    def search(self) -> None:
        """Go to the search field of the index."""
        ...

    def rename(self, track: str | None, device: str | None) -> None:
        """Let another name be typed where a track's or a device's stands."""
        ...

    def monitor(self) -> None:
        """Show the MIDI monitor."""
        ...

    def guide(self) -> None:
        """Show the user guide."""
        ...

    def beginning(self) -> None:
        """The sheet that a start without a file shows."""
        ...

    def first_curve(self) -> None:
        """Lead through a first curve."""
        ...

    def shortcuts(self) -> None:
        """Show the list of keys."""
        ...

    def finder(self) -> None:
        """Show the command finder."""
        ...

    def backdrop(self, kind: str) -> None:
        """What is shown of the sound behind the focus lane."""
        ...

    def escape(self) -> None:
        """Escape on the focus lane: the drag, the preview or the selection is released."""
        ...

    def context_menu(self, widget: QWidget, pick: Callable[[QPoint | None], str]) -> None:
        """The context menu of what is pressed on a widget: see studio.app.context_menus."""
        ...

    def spot(self) -> tuple[float, float] | None:
        """Beat and value at which the focus lane's menu was opened last."""
        ...

    def next_area(self, direction: int) -> None:
        """The keyboard to the next (1) or the previous (−1) part of the window."""
        ...

    def preferences(self) -> None:
        """Show the preferences, and use what is changed there."""
        ...

    def about(self) -> None:
        """Show the version and the licences."""
        ...

    def full_screen(self) -> None:
        """The window fills the screen, or is as it was before."""
        ...

    def is_full_screen(self) -> bool:
        """Whether the window fills the screen."""
        ...

    def leave(self) -> None:
        """Close the window."""
        ...
