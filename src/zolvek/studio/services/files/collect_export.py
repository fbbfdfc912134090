# SPDX-License-Identifier: GPL-3.0-or-later
"""The project with all of its sounds, in one file or folder."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from zolvek.studio.services.files import paths
from zolvek.studio.services.files.exports import Exports
from zolvek.studio.services.tasks.thread_work import Progress

if TYPE_CHECKING:
    from zolvek.formats.project.collection import OutsideFiles


KINDS = "One file with all audio (*.zip)"


def export_collected(exports: Exports) -> None:
    """Ask where, and write the project with all of its sounds."""
    path = paths.to_write(exports.session.document, exports.ask, "Collect into one file", ".zip", KINDS)
    if path:
        collect(exports, path)


def collect(exports: Exports, path: Path, anywhere: bool = False) -> None:
    """Write it in the background. Sounds outside the project's folder and the home are asked for; `anywhere`: they
    have been."""
    from zolvek.formats.project.collection import OutsideFiles, collected

    session = exports.session
    project, file = session.project, session.document.path
    folder = file.parent if file else None

    def task(report: Progress) -> list[Path] | OutsideFiles:
        try:
            return collected(project, path, report, folder, anywhere)
        except OutsideFiles as error:
            return error

    def done(result: list[Path] | OutsideFiles) -> None:
        if not isinstance(result, OutsideFiles):
            session.notices.say(f"Collected into {path.name}")
        elif exports.ask.confirm(f"{result.what} Include them?", result.where):
            collect(exports, path, True)

    exports.run(path.name, task, done, "")
