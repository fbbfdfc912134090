"""Sounds, devices and states that come into the project from files, and go out as such."""

from __future__ import annotations

from pathlib import Path

from zolvek.core.errors import ZolvekError
from zolvek.sound import clips
from zolvek.studio import paths
from zolvek.studio.asking import Ask
from zolvek.studio.commands import devices
from zolvek.studio.deliveries import Deliveries
from zolvek.studio.session import Session

SOUNDS = "Sound files (*.wav *.flac *.ogg *.mp3 *.aif *.aiff)"
STATES = "States (*.json)"
DEVICES = "Device descriptions (*.json)"


class Media:
    """What is read into one window's project, and written from it, apart from the project itself."""

    def __init__(self, session: Session, ask: Ask, deliveries: Deliveries) -> None:
        self.session, self.ask, self.deliveries = session, ask, deliveries

    # --- sounds ---

    def find_sounds(self) -> None:
        """Ask for each missing file; others that lie in the same folder are found with it."""
        from zolvek.core.document.chain import with_file_found
        from zolvek.sound.streams import opened

        session = self.session
        missing = clips.missing(session.project)
        if not missing:
            session.notices.say("All sound files are where the project says.")
        for name in missing:
            if name not in clips.missing(session.project):
                continue  # found beside another
            found = self._read(f"Where is {Path(name).name}?", SOUNDS)
            if found is None:
                return

            def work(name: str = name, found: Path = found) -> None:
                opened(str(found)).close()
                project = with_file_found(session.project, name, str(found))
                for other in clips.missing(session.project):
                    near = found.with_name(Path(other).name)
                    if other != name and near.is_file():
                        project = with_file_found(project, other, str(near))
                session.document.edit(f"Find {Path(name).name}", project)

            session.notices.try_to(work)

    def import_sound(self) -> None:
        path = self._read("A sound as the track's source", SOUNDS)
        if path:
            self.take_sound(path)

    def take_sound(self, path: Path) -> bool:
        """The sound file as what the shown track plays, once it has been read through beside the window;
        one that can't be read changes nothing."""
        from zolvek.core.document.chain import with_sound
        from zolvek.sound.streams import examine

        track = devices.shown_track(self.session)
        return self.session.notices.try_to(
            lambda: self.deliveries.change(
                f"{track.name} plays {path.name}",
                lambda told: examine(str(path), told),
                lambda project, _: with_sound(project, track.id, str(path.resolve())),
                f"{track.name} plays {path.name}.",
            )
        )

    # --- devices ---

    def import_device(self) -> None:
        path = self._read("Add a device from a description", DEVICES)
        if path:
            self.take_device(path)

    def take_device(self, path: Path) -> bool:
        from zolvek.formats import device_file

        def work() -> None:
            kind = device_file.load(path)
            devices.add_device(self.session, devices.shown_track(self.session).id, kind)

        return self.session.notices.try_to(work)

    def export_device(self) -> None:
        from zolvek.formats import device_file

        device = devices.chosen_device(self.session)
        path = self._write("Write the device's description", ".json", DEVICES)
        if path and self.session.notices.try_to(lambda: device_file.save(device.row, path)):
            self.session.notices.say(f"Wrote {path.name}")

    # --- states ---

    def export_states(self, device: str) -> None:
        from zolvek.formats import state_file

        found = [s for s in self.session.project.states if s.of(device)]
        if not found:
            raise ZolvekError("There are no states to write.", remedy="Keep one first.")
        path = self._write("Write the states", ".json", STATES)
        if path:
            state_file.save(self.session.project, found, path)
            self.session.notices.say(f"Wrote {path.name}")

    def import_states(self, device: str) -> None:
        path = self._read("Read states", STATES)
        if path:
            self.take_states(device, path, "Read states")

    def take_states(self, device: str, path: Path, label: str) -> None:
        from zolvek.formats import state_file

        project = state_file.load_into(self.session.project, device, path)
        self.session.document.edit(label, project)

    # --- asking ---

    def _read(self, title: str, kinds: str) -> Path | None:
        return self.ask.path_to_read(title, paths.folder(self.session.document), kinds)

    def _write(self, title: str, suffix: str, kinds: str) -> Path | None:
        return paths.to_write(self.session.document, self.ask, title, suffix, kinds)
