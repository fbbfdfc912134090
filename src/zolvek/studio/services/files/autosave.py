# SPDX-License-Identifier: GPL-3.0-or-later
"""Keeps unsaved work from being lost: a copy within seconds of an edit, off the interface thread."""

from __future__ import annotations

import threading
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.studio.session.session import Session

QUIET_MS = 1_200  # after the last edit
LONGEST_MS = 2_000  # after the first edit that is not kept yet, however many follow


class Autosave(QObject):
    """`begin` starts it: tests and pictures keep nothing."""

    failed = pyqtSignal(object)  # ZolvekError
    written = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.begun = self.reported = self.wanted = False
        self.kept: Project | None = None
        self.work: threading.Thread | None = None
        self.quiet, self.longest = QTimer(self), QTimer(self)
        for timer, interval in ((self.quiet, QUIET_MS), (self.longest, LONGEST_MS)):
            timer.setSingleShot(True)
            timer.setInterval(interval)
            timer.timeout.connect(self.keep)
        self.failed.connect(self._report)
        self.written.connect(self._again)

    def begin(self) -> None:
        """Store unsaved work from now on."""
        if not self.begun:
            self.begun = True
            self.session.document.changed.connect(self._edited)

    def _edited(self) -> None:
        if not self.session.document.modified:
            self.settled()
            return
        self.quiet.start()
        if not self.longest.isActive():
            self.longest.start()

    def keep(self) -> None:
        """Write the copy, if it is not the present project already."""
        self.quiet.stop()
        self.longest.stop()
        project, path = self.session.project, self.session.document.path
        if project is self.kept or not self.session.document.modified:
            return
        if self.work is not None and self.work.is_alive():
            self.wanted = True  # as soon as that is on the disk
            return
        self.wanted = False
        self.kept = project
        self.work = threading.Thread(target=self._write, args=(project, path), name="autosave", daemon=True)
        self.work.start()

    def _write(self, project: Project, path: Path | None) -> None:
        from zolvek.formats.project import recovery

        try:
            recovery.keep(project, path)
        except ZolvekError as error:
            self.failed.emit(error)
        else:
            self.written.emit()

    def _again(self) -> None:
        if self.wanted:
            self.wait()  # its thread is about to end
            self.keep()

    def _report(self, error: ZolvekError) -> None:
        """Once: a disk that stays full would say so again and again."""
        self.kept = None
        if not self.reported:
            self.reported = True
            self.session.notices.report(error)

    def wait(self) -> None:
        """Until what is being written is on the disk."""
        if self.work is not None:
            self.work.join()

    def save_now(self) -> None:
        """Have the copy of the present project on the disk, or none where there is nothing unsaved."""
        self.wait()
        self.keep()
        self.wait()
        if not self.session.document.modified:
            self.settled()

    def settled(self) -> None:
        """Saved, or cancelled: there is nothing left to keep."""
        self.quiet.stop()
        self.longest.stop()
        self.wanted = False
        self.wait()
        if self.kept is not None:
            from zolvek.formats.project import recovery

            recovery.release()
            self.kept = None
