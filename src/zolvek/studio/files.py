"""Files in the window: open, save, recent ones, sounds, devices and states."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QMessageBox

from zolvek.core.errors import ZolvekError
from zolvek.formats import folders

if TYPE_CHECKING:
    from zolvek.studio.window import Window

PROJECTS = "Zolvek projects (*.zolvek)"
SOUNDS = "Sound files (*.wav *.flac *.ogg *.mp3 *.aif *.aiff)"
STATES = "States (*.json)"
DEVICES = "Device descriptions (*.json)"
# Suffix -> others that a file of its kind may have.
SIBLINGS = {".mid": (".midi",), ".wav": (".flac",), ".flac": (".wav",), ".svg": (".png",)}


class Files:
    """The file actions of one window."""

    def __init__(self, window: Window) -> None:
        self.window, self.session = window, window.session
        self.stamp: object = None  # of the project's file as it was read or written last
        self.locked: Path | None = None
        if self.session.path is not None:
            self._opened(self.session.path)

    # --- projects ---

    def open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.window, "Open a project", self.folder(), PROJECTS
        )
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> bool:
        """Open a project; when it can't be read, or the unsaved one is to be kept, nothing changes."""
        from zolvek.formats import project_file

        def work() -> None:
            project = project_file.load(path)
            if self.may_leave():
                self.window.keeper.settled()
                self.window.show_project(project, path)
                self.session.settings.add_recent(path)
                self._opened(path)
                self.tell_missing()

        return self.session.try_to(work)

    def open_demo(self) -> None:
        from zolvek.demo.night_regatta import build

        if self.may_leave():
            self.window.keeper.settled()
            self._release()
            self.window.show_project(build(), None)

    def save(self) -> bool:
        return self.save_to(self.session.path, True) if self.session.path else self.save_as()

    def save_as(self) -> bool:
        suggested = str(
            self.session.path or Path(self.folder()) / f"{self.session.project.name}.zolvek"
        )
        name, _ = QFileDialog.getSaveFileName(self.window, "Save the project", suggested, PROJECTS)
        return bool(name) and self.save_to(_with_suffix(name, ".zolvek"))

    def save_to(self, path: Path, ask_again: bool = False) -> bool:
        from zolvek.formats import project_file, recovery

        self.window.recorder.settle()
        if self._changed_by_others(path) and not self.window.confirm(
            f"Another program has changed {path.name}.",
            "Write over it? Its present content is backed up first.",
        ):
            return False

        def work() -> None:
            if path != self.locked:
                recovery.lock(path)
            recovery.back_up(path)
            project_file.save(self.session.project, path)
            if self.locked not in (None, path):
                self._release()
            self.locked, self.stamp = path, recovery.stamp(path)
            self.session.mark_saved(path)
            self.window.keeper.settled()
            self.session.say(f"Saved {path.name}")

        done = self.session.try_to(work)
        if not done and ask_again:
            # Full disk, a folder that is gone or may not be written: the work stays, elsewhere.
            return self.save_as()
        return done

    def _changed_by_others(self, path: Path) -> bool:
        from zolvek.formats import recovery

        return (
            path == self.session.path
            and self.stamp is not None
            and recovery.stamp(path) not in (None, self.stamp)
        )

    def look_at_disk(self) -> None:
        """Say when another program has changed the file that is open; once for each change."""
        path = self.session.path
        if path is not None and self._changed_by_others(path):
            from zolvek.formats import recovery

            self.stamp = recovery.stamp(path)
            self.session.notifier.report(
                ZolvekError(
                    "Another program has changed the file that is open here.", str(path),
                    "Open it again to see that, or save yours under another name.",
                )
            )  # fmt: skip

    def _opened(self, path: Path) -> None:
        """The file is open in this window: locked, where another one has not got it."""
        from zolvek.formats import recovery

        self._release()
        self.stamp = recovery.stamp(path)
        try:
            recovery.lock(path)
            self.locked = path
        except ZolvekError as error:
            self.session.path = None  # a copy: saving asks for another name
            self.session.notifier.report(
                ZolvekError(
                    error.what, error.where, "This is a copy; saving asks for another name."
                )
            )

    def _release(self) -> None:
        from zolvek.formats import recovery

        if self.locked is not None:
            recovery.unlock(self.locked)
            self.locked = None

    def offer_left(self) -> None:
        """After a crash: what was open is offered, and from when it is."""
        import time

        from zolvek.formats import recovery

        for left in recovery.left_behind():
            name = Path(left.path).name if left.path else left.project.name
            when = time.strftime("%d %B, %H:%M:%S", time.localtime(left.when))
            wanted = self.window.confirm(
                f"Zolvek ended unexpectedly while “{name}” had unsaved changes.",
                f"They were kept on {when}. Bring them back?",
            )
            if wanted and not self.may_leave():
                return  # offered again at the next start
            if wanted:
                path = Path(left.path) if left.path else None
                self.window.show_project(left.project, path)
                if path is not None:
                    self._opened(path)
                self.session.saved = None  # nothing of it is saved yet
                self.session.project_changed.emit()
                self.window.keeper.keep()
                self.window.keeper.wait()  # the old copy goes only once there is a new one
            if wanted or not self.window.confirm(
                "Keep them for the next start?", "Otherwise they are gone for good."
            ):
                recovery.let_go(left.file)
            if wanted:
                return

    def may_leave(self) -> bool:
        """Ask about unsaved work; False when the person would rather stay."""
        if self.window.recorder.recording:
            self.window.player.stop()
        self.window.recorder.settle()
        if not self.session.modified:
            return True
        answer = self.window.ask_unsaved()
        button = QMessageBox.StandardButton
        return self.save() if answer == button.Save else answer == button.Discard

    # --- sounds and devices ---

    def missing_sounds(self) -> list[str]:
        """Sound files that are not where the project says; quick, for it is asked often."""
        from zolvek.core.document.chain import sound_files
        from zolvek.core.model.project import SHIPPED

        names = sound_files(self.session.project)
        return [n for n in names if not n.startswith(SHIPPED) and not Path(n).is_file()]

    def tell_missing(self) -> None:
        names = self.missing_sounds()
        if names:
            noun = "sound file is" if len(names) == 1 else "sound files are"
            self.session.notifier.report(
                ZolvekError(
                    f"{len(names)} {noun} not there; the rest of the project is open.",
                    "\n".join(names),
                    "File ▸ Find missing sound files… says where they are now.",
                )
            )

    def find_sounds(self) -> None:
        """Ask for each missing file; others that lie in the same folder are found with it."""
        from zolvek.core.document.chain import with_file_found
        from zolvek.sound.streams import opened

        for name in self.missing_sounds():
            if name not in self.missing_sounds():
                continue  # found beside another
            found, _ = QFileDialog.getOpenFileName(
                self.window, f"Where is {Path(name).name}?", self.folder(), SOUNDS
            )
            if not found:
                return

            def work(name: str = name, found: str = found) -> None:
                opened(found).close()
                project = with_file_found(self.session.project, name, found)
                for other in self.missing_sounds():
                    near = Path(found).with_name(Path(other).name)
                    if other != name and near.is_file():
                        project = with_file_found(project, other, str(near))
                self.session.edit(f"Find {Path(name).name}", project)

            self.session.try_to(work)

    def import_sound(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.window, "A sound as the track's source", self.folder(), SOUNDS
        )
        if name:
            self.take_sound(Path(name))

    def take_sound(self, path: Path) -> bool:
        """The sound file as what the shown track plays, once it has been read through beside the window;
        one that can't be read changes nothing."""
        from zolvek.core.document.chain import with_sound
        from zolvek.sound.streams import examine
        from zolvek.studio import commands

        track = commands.shown_track(self.session)

        return self.session.try_to(
            lambda: self.window.deliveries.change(
                f"{track.name} plays {path.name}",
                lambda told: examine(str(path), told),
                lambda project, _: with_sound(project, track.id, str(path.resolve())),
                f"{track.name} plays {path.name}.",
            )
        )

    def import_device(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.window, "Add a device from a description", self.folder(), DEVICES
        )
        if name:
            self.take_device(Path(name))

    def take_device(self, path: Path) -> bool:
        from zolvek.formats import device_file
        from zolvek.studio import commands

        def work() -> None:
            kind = device_file.load(path)
            commands.add_device(self.session, commands.shown_track(self.session).id, kind)

        return self.session.try_to(work)

    def export_device(self) -> None:
        from zolvek.formats import device_file
        from zolvek.studio import commands

        device = commands.chosen_device(self.session)
        path = self.target("Write the device's description", ".json", DEVICES)
        if path and self.session.try_to(lambda: device_file.save(device.row, path)):
            self.session.say(f"Wrote {path.name}")

    def export_states(self, device: str) -> None:
        from zolvek.formats import state_file

        found = [s for s in self.session.project.states if s.of(device)]
        if not found:
            raise ZolvekError("There are no states to write.", remedy="Keep one first.")
        path = self.target("Write the states", ".json", STATES)
        if path:
            state_file.save(self.session.project, found, path)
            self.session.say(f"Wrote {path.name}")

    def import_states(self, device: str) -> None:
        from zolvek.formats import state_file

        name, _ = QFileDialog.getOpenFileName(self.window, "Read states", self.folder(), STATES)
        if name:
            project = state_file.load_into(self.session.project, device, name)
            self.session.edit("Read states", project)

    def close(self) -> None:
        """Let the file go."""
        self._release()

    def target(self, title: str, suffix: str, kind: str) -> Path | None:
        stem = self.session.path.stem if self.session.path else self.session.project.name
        suggested = str(Path(self.folder()) / f"{stem}{suffix}")
        name, _ = QFileDialog.getSaveFileName(self.window, title, suggested, kind)
        return _with_suffix(name, suffix) if name else None

    def folder(self) -> str:
        return str(self.session.path.parent if self.session.path else folders.home())


def _with_suffix(name: str, suffix: str) -> Path:
    path = Path(name)
    known = path.suffix.lower() in {suffix, *SIBLINGS.get(suffix, ())}
    return path if known else path.with_name(path.name + suffix)
