# SPDX-License-Identifier: GPL-3.0-or-later
"""The document: the project, its history and its file."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.history.history import History
from zolvek.core.model.project import Project
from zolvek.studio.session.notices import Notices
from zolvek.studio.session.settings import Settings


class Document(QObject):
    """`opened` stands for this document, whatever becomes of it: another one has another."""

    # The project or a selection placed with it, whether it is saved, its path, or that a gesture ended.
    changed = pyqtSignal()

    def __init__(self, project: Project, settings: Settings, notices: Notices, path: Path | None = None) -> None:
        super().__init__()
        self.settings, self.notices = settings, notices
        self.selected: Callable[[], object] = lambda: None  # what is, for the step that is left
        self._begin(project, path)

    def _begin(self, project: Project, path: Path | None) -> None:
        self.history = History.start(project, most=self.settings.files.undo_megabytes * 1_000_000)
        self.opened = object()
        self.saved: Project | None = project  # None: nothing of it is in a file yet
        self.saved_key: object = self.history.key  # of the step that is in the file
        self.path = path

    # --- reading ---

    @property
    def project(self) -> Project:
        """The present project."""
        return self.history.project

    @property
    def modified(self) -> bool:
        """Whether there are unsaved changes."""
        return self.saved is None or self.history.key is not self.saved_key

    @property
    def title(self) -> str:
        """The name for the window's title."""
        return self.path.name if self.path else self.project.name

    @property
    def in_gesture(self) -> bool:
        """Whether something is being dragged: its steps are one."""
        return self.history.gesture is not None

    def before(self, gesture: object) -> Project:
        """The project that a gesture's steps are computed from."""
        going = gesture is not None and gesture is self.history.gesture
        return self.history.steps[self.history.here - 1].project if going else self.project

    # --- changing ---

    def open(self, project: Project, path: Path | None) -> None:
        """Show another project."""
        self._begin(project, path)
        self.changed.emit()

    def edit(
        self, label: str, project: Project, gesture: object = None, select: Callable[[], None] | None = None
    ) -> None:
        """Make `project` the present one, as a step named `label`; the steps of one gesture are one. `select` places
        the selection that belongs to the edit: both are there when `changed` is emitted, once."""
        history = self.history
        if gesture is None or gesture is not history.gesture:
            history = history.leaving(self.selected())
        edited = history.edited(project, label, gesture)
        stepped = edited is not history
        self._keep(edited if stepped else self.history, select)
        if stepped:
            self.notices.did(label)

    def end_gesture(self) -> None:
        """End the gesture: its edits are one step."""
        if self.in_gesture:
            self.history = self.history.ended()
            self.changed.emit()

    def cancel_gesture(self, gesture: object, select: Callable[[], None]) -> None:
        """Undo the edits of a gesture, if it has made any. `select` places what was selected before it."""
        is_current = gesture is self.history.gesture
        self._keep(self.history.cancelled() if is_current else self.history, select)

    def undo(self) -> None:
        """Undo a step."""
        self._keep(self.history.leaving(self.selected()).undone())

    def redo(self) -> None:
        """Redo a step."""
        self._keep(self.history.leaving(self.selected()).redone())

    def _keep(self, history: History, select: Callable[[], None] | None = None) -> None:
        before, gone = self.history.project, history.gone - self.history.gone
        self.history = history
        if gone:
            noun = "step is" if gone == 1 else f"{gone} steps are"
            most = self.settings.files.undo_megabytes
            self.notices.say(f"The oldest {noun} gone; undo is limited to {most} MB.")
        if select is not None:
            select()
        if before is not self.project or select is not None:
            self.changed.emit()

    # --- its file ---

    @property
    def state(self) -> tuple[Project, Any]:
        """The project and where in the history it is."""
        return self.project, self.history.key

    def mark_saved(self, path: Path, state: tuple[Project, Any] | None = None) -> None:
        """The project, or an earlier `state`, is in the file at `path`."""
        self.path = path
        self.saved, self.saved_key = state or self.state
        self.changed.emit()

    def mark_unsaved(self) -> None:
        """Nothing of it is in a file."""
        self.saved = None
        self.changed.emit()

    def detach_file(self) -> None:
        """Its file belongs to another window: saving asks for another name."""
        self.path = None
        self.changed.emit()
