# SPDX-License-Identifier: GPL-3.0-or-later
"""Project files in the window: opened, saved, locked, recovered after a crash."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from zolvek.core.edits.edit_scope import counted
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project, Track
from zolvek.formats.track_import import KINDS, ImportedFile, left_out, read, with_files
from zolvek.sound.engine import clip_playback
from zolvek.studio.services.files import paths
from zolvek.studio.services.files.autosave import Autosave
from zolvek.studio.services.files.exports import Exports
from zolvek.studio.services.recording.recorder import Recorder
from zolvek.studio.services.tasks.thread_work import run_while_painting
from zolvek.studio.session.asking import Ask
from zolvek.studio.session.session import Session

PROJECTS = "Zolvek projects (*.zolvek)"
OPENED = "Zolvek projects (*.zolvek *.zip)"
COLLECTED = "One file with all audio (*.zip)"
DRUMS = re.compile(r"drum|beat|kick|perc|kit|loop", re.IGNORECASE)  # in the names of tracks


class Files:
    """The file actions of one window."""

    def __init__(
        self,
        session: Session,
        ask: Ask,
        recorder: Recorder,
        autosave: Autosave,
        exports: Exports,
    ) -> None:
        self.exports = exports
        self.session, self.ask, self.recorder, self.autosave = session, ask, recorder, autosave
        self.document = session.document
        self.stems_imported: Callable[[str], object] = lambda track: None  # is given the track that says the tempo
        self.stamp: object = None  # of the project's file as it was read or written last
        self.locked: Path | None = None
        if self.document.path is not None:
            self._opened(self.document.path)

    # --- projects ---

    def open(self) -> None:
        """Ask for a project, and open it."""
        path = self.ask.path_to_read("Open a project", paths.folder(self.document), OPENED)
        if path:
            self.open_path(path)

    def open_path(self, path: Path) -> bool:
        """Open a project; when it can't be read, or the unsaved one is to be kept, nothing changes."""
        from zolvek.formats.project import project_file

        if path.suffix.lower() == ".zip":
            self._unpack(path)
            return True

        def work() -> None:
            project = project_file.load(path)
            if self.may_leave():
                self.autosave.settled()
                self._show(project, path)
                self.session.settings.add_recent(path)
                self._opened(path)
                if project_file.is_newer(project):
                    self.session.notices.say(project_file.NEWER)
                self.report_missing()

        return self.session.notices.run_guarded(work)

    def _unpack(self, path: Path) -> None:
        """A collected project, unpacked in the background into a folder next to its file, and opened there."""
        from zolvek.formats.project import collection

        self.exports.run(
            path.name, lambda on_progress: collection.unpacked(path, progress=on_progress), self.open_path, ""
        )

    def save_template(self) -> None:
        """Ask for a name, and keep the project as a template."""
        from zolvek.formats.project import templates

        on_progress = self.ask.text("Save as template", "Name:", self.session.project.name)
        if on_progress is None:
            return
        if on_progress.strip() in templates.names() and not self.ask.confirm(
            f"There is already a template {on_progress.strip()}.", "Replace it?"
        ):
            return
        templates.save(self.session.project, on_progress)
        self.session.notices.say(f"New projects can start from {on_progress.strip()}.")

    def new_from_template(self) -> None:
        """Ask for a template, and start from it."""
        from zolvek.formats.project import templates

        names = templates.names()
        if not names:
            raise ZolvekError("There are no templates yet.", remedy="File ▸ Save as template… makes one.")
        answer = self.ask.choose("New from template", "Start from:", names)
        if answer is not None:
            self.begin_from(answer)

    def begin_from(self, template: str) -> None:
        """Start from a project that is not a file."""
        from zolvek.formats.project import templates

        self.begin(templates.load(template))
        self.report_missing()

    def open_demo(self) -> None:
        """Open the demo song."""
        from zolvek.demo.night_regatta import build

        self.begin(build())

    def new(self) -> None:
        """An empty desk, ready to draw."""
        from zolvek.core.edits.new_project import fresh

        self.begin(fresh())

    def begin(self, project: Project) -> None:
        """Show a new project, without a file, unless the open one is to be kept."""
        if self.may_leave():
            self.autosave.settled()
            self._release()
            self._show(project, None)

    def from_files(self) -> None:
        """Ask for files, and begin a project with a track for each."""
        kinds = f"Sound, MIDI and devices (*{' *'.join(KINDS)})"
        result = self.ask.paths_to_read("Files to import as tracks", paths.folder(self.document), kinds)
        if result and self.may_leave():
            self.begin_with(result)

    def begin_with(self, found: list[Path]) -> None:
        """A project with a track for each of the files, read in the background."""
        from zolvek.core.edits.new_project import timed

        def done(brought: list[ImportedFile]) -> None:
            self.autosave.settled()
            self._release()
            self._show(with_files(timed(bars=1), brought, True, True), None)
            self.document.mark_unsaved()
            gone = left_out(brought)
            more = f" Left out: {gone}." if gone else ""
            self.session.notices.say(f"{counted(len(brought), 'file')} imported.{more}")
            drums = _drums(self.session.project)
            if drums is not None and not any(item.has_time for item in brought):
                self.stems_imported(drums.id)

        label = counted(len(found), "file")
        self.exports.run(label, lambda on_progress: read(found, on_progress), done, "")

    def bring(self, found: list[Path]) -> None:
        """A track for each of the files in the open project, as one step."""
        label = f"Import {counted(len(found), 'file')}"
        self.exports.change(
            label,
            lambda on_progress: read(found, on_progress),
            lambda project, brought: with_files(project, brought, False, False),
            f"{label}: tempo and meter are unchanged.",
        )

    def _show(self, project: Project, path: Path | None) -> None:
        self.recorder.player.stop()
        self.session.open(project, path)

    def save(self) -> bool:
        """Save the project; whether that was done."""
        path = self.document.path
        return self.save_to(path, ask_again=True) if path else self.save_as()

    def save_as(self) -> bool:
        """Ask for a name and save; whether that was done."""
        path = paths.to_write(self.document, self.ask, "Save the project", ".zolvek", PROJECTS)
        return path is not None and self.save_to(path)

    def save_to(self, path: Path, ask_again: bool = False) -> bool:
        """Save to a file; whether that was done."""
        from zolvek.formats.project import project_file, recovery

        self.recorder.settle()
        if self._changed_by_others(path) and not self.ask.confirm(
            f"Another program has changed {path.name}.",
            "Overwrite it? Its current content is backed up first.",
        ):
            return False

        def work() -> None:
            if path != self.locked:
                recovery.lock(path)
            recovery.back_up(path)
            state = self.document.state
            run_while_painting(lambda: project_file.save(state[0], path))
            if self.locked not in (None, path):
                self._release()
            self.locked, self.stamp = path, recovery.stamp(path)
            self.document.mark_saved(path, state)
            self.session.settings.add_recent(path)
            if not self.document.modified:
                self.autosave.settled()
            self.session.notices.say(f"Saved {path.name}")

        done = self.session.notices.run_guarded(work)
        if not done and ask_again:
            # Full disk, a folder that is gone or may not be written: the work stays, elsewhere.
            return self.save_as()
        return done

    def _changed_by_others(self, path: Path) -> bool:
        from zolvek.formats.project import recovery

        return path == self.document.path and self.stamp is not None and recovery.stamp(path) not in (None, self.stamp)

    def check_disk(self) -> None:
        """Say when another program has changed the file that is open; once for each change."""
        path = self.document.path
        if path is not None and self._changed_by_others(path):
            from zolvek.formats.project import recovery

            self.stamp = recovery.stamp(path)
            self.session.notices.report(
                ZolvekError(
                    "Another program has changed the file that is open here.",
                    str(path),
                    "Open it again to see the change, or save yours under another name.",
                )
            )

    def _opened(self, path: Path) -> None:
        """The file is open in this window: locked, where another one does not have it."""
        from zolvek.formats.project import recovery

        self._release()
        self.stamp = recovery.stamp(path)
        try:
            recovery.lock(path)
            self.locked = path
        except ZolvekError as error:
            self.document.detach_file()
            self.session.notices.report(
                ZolvekError(error.what, error.where, "This is a copy. Saving asks for another name.")
            )

    def _release(self) -> None:
        from zolvek.formats.project import recovery

        if self.locked is not None:
            recovery.unlock(self.locked)
            self.locked = None

    def offer_left(self) -> None:
        """After a crash: what was open is offered, and from when it is."""
        import time

        from zolvek.formats.project import recovery

        for left in recovery.left_behind():
            name = Path(left.path).name if left.path else left.project.name
            when = time.strftime("%d %B, %H:%M:%S", time.localtime(left.when))
            wanted = self.ask.confirm(
                f"Zolvek ended unexpectedly while “{name}” had unsaved changes.",
                f"They were stored on {when}. Restore them?",
            )
            if wanted and not self.may_leave():
                return  # offered again at the next start
            if wanted:
                path = Path(left.path) if left.path else None
                self._show(left.project, path)
                if path is not None:
                    self._opened(path)
                self.document.mark_unsaved()
                self.autosave.keep()
                self.autosave.wait()  # the old copy goes only once there is a new one
            if wanted or not self.ask.confirm("Keep them for the next start?", "Otherwise they are lost."):
                recovery.release(left.file)
            if wanted:
                return

    def may_leave(self) -> bool:
        """Ask about unsaved work; False when the person would rather stay."""
        if self.recorder.recording:
            self.recorder.player.stop()
        self.recorder.settle()
        if not self.document.modified:
            return True
        answer = self.ask.unsaved(self.document.title)
        return self.save() if answer == "save" else answer == "discard"

    def report_missing(self) -> None:
        """Say which sound files are not there, once the project is open."""
        names = clip_playback.missing(self.session.project)
        if names:
            noun = "audio file is" if len(names) == 1 else "audio files are"
            self.session.notices.report(
                ZolvekError(
                    f"{len(names)} {noun} missing; the rest of the project is open.",
                    "\n".join(names),
                    "Sound ▸ Find missing audio files… locates them.",
                )
            )

    def close(self) -> None:
        """Let the file go."""
        self._release()


def _drums(project: Project) -> Track | None:
    """The track whose audio says the tempo best: one named after drums, else the only one."""
    tracks = [track for track in project.tracks if track.clips]
    named = [track for track in tracks if DRUMS.search(track.name)]
    return next(iter(named), tracks[0] if len(tracks) == 1 else None)
