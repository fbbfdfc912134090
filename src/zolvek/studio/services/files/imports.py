# SPDX-License-Identifier: GPL-3.0-or-later
"""Imports of sounds, devices and states from files, and exports of devices and states."""

from __future__ import annotations

from pathlib import Path

from zolvek.core.edits.chains import with_file_found
from zolvek.core.edits.edit_scope import counted
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device
from zolvek.sound.engine import clip_playback
from zolvek.studio.services.files import paths
from zolvek.studio.services.files.exports import Exports
from zolvek.studio.session import chosen
from zolvek.studio.session.asking import Ask
from zolvek.studio.session.session import Session

SOUNDS = "Sound files (*.wav *.flac *.ogg *.mp3 *.aif *.aiff)"
STATES = "States (*.json)"
DEVICES = "Device descriptions (*.json)"


class Media:
    """What is read into one window's project, and written from it, apart from the project itself."""

    def __init__(self, session: Session, ask: Ask, exports: Exports) -> None:
        self.session, self.ask, self.exports = session, ask, exports

    # --- sounds ---

    def find_sounds(self) -> None:
        """Ask for a folder, and look for all missing files below it, by content and by name, in one step."""
        from zolvek.formats.audio.sound_content import Search, searched

        session = self.session
        missing = clip_playback.missing(session.project)
        if not missing:
            session.notices.say("No audio files are missing.")
            return
        names = ", ".join(Path(name).name for name in missing[:3])
        more = f" and {len(missing) - 3} more" if len(missing) > 3 else ""
        folder = self.ask.folder(f"Where are {names}{more}?", paths.folder(session.document))
        if folder is None:
            return

        def done(found: Search) -> None:
            count = len(found.by_content) + len(found.by_name)
            if count:
                project = session.project
                for name in (*found.by_content, *found.by_name):
                    project = with_file_found(project, name, found.where[name])
                session.document.edit(f"Find {counted(count, 'sound file')}", project)
            if found.missing or found.by_name:
                lines = [f"{Path(n).name}: not found" for n in found.missing]
                lines += [f"{Path(n).name}: by its name; its content may be another" for n in found.by_name]
                session.notices.report(
                    ZolvekError(
                        f"Found {count} of {len(missing)}.",
                        "\n".join(lines),
                        "Look in another folder for the rest." if found.missing else "Check them by ear.",
                    )
                )

        project = session.project
        self.exports.run_for_project(
            "Find missing audio files", lambda lines: searched(project, missing, folder, lines), done
        )

    def import_sound(self) -> None:
        """Ask for audio files, and add them to the track."""
        path = self._read("Audio file for the track", SOUNDS)
        if path:
            self.import_sound_file(path)

    def import_sound_file(self, path: Path) -> bool:
        """The sound file as a block on the shown track, at the playhead, once it has been read through next to
        the window; one that can't be read changes nothing."""
        from zolvek.core.edits import clips as blocks
        from zolvek.core.model.source import Clip
        from zolvek.formats.audio.streams import examine

        track, beat = chosen.shown_track(self.session), self.session.playhead.beat
        clip = Clip(beat, str(path.resolve()))
        return self.session.notices.run_guarded(
            lambda: self.exports.change(
                f"{track.name} plays {path.name}",
                lambda lines: examine(str(path), lines),
                lambda project, _: blocks.placed(project, track.id, clip)[0],
                f"{track.name} plays {path.name} from {self.session.project.meter.text(beat)} on.",
            )
        )

    def plugin_file(self, device: Device, what: str, title: str) -> None:
        """Ask for the sound file that a plugin takes for something, and give it once it has been read through."""
        path = self._read(title, SOUNDS)
        if path:
            self.plugin_file_from(device, what, path)

    def plugin_file_from(self, device: Device, what: str, path: Path) -> bool:
        """A sound file for a plugin; one that can't be read changes nothing."""
        from zolvek.core.edits.plugins import with_plugin_file
        from zolvek.formats.audio.streams import examine

        return self.session.notices.run_guarded(
            lambda: self.exports.change(
                f"{device.name}: {path.name}",
                lambda lines: examine(str(path), lines),
                lambda project, _: with_plugin_file(project, device.id, what, str(path.resolve())),
                f"{device.name} has {path.name}.",
            )
        )

    # --- devices ---

    def import_device(self) -> None:
        """Ask for a description, and add its device."""
        path = self._read("Add device from description", DEVICES)
        if path:
            self.import_device_file(path)

    def import_device_file(self, path: Path) -> bool:
        """Add the device of a description."""
        from zolvek.formats import device_file

        def work() -> None:
            kind = device_file.load(path)
            chosen.add_device(self.session, chosen.shown_track(self.session).id, kind)

        return self.session.notices.run_guarded(work)

    def export_device(self) -> None:
        """Ask for a file, and export the device's description."""
        from zolvek.formats import device_file

        device = chosen.chosen_device(self.session)
        path = self._write("Export device description", ".json", DEVICES)
        if path and self.session.notices.run_guarded(lambda: device_file.save(device.row, path)):
            self.session.notices.say(f"Exported {path.name}")

    # --- states ---

    def export_states(self, device: str) -> None:
        """Ask for a file, and export the device's states."""
        from zolvek.formats import state_file

        states = [s for s in self.session.project.states if s.of(device)]
        if not states:
            raise ZolvekError("There are no states to export.", remedy="Store one first.")
        path = self._write("Export states", ".json", STATES)
        if path:
            state_file.save(self.session.project, states, path)
            self.session.notices.say(f"Exported {path.name}")

    def import_states(self, device: str) -> None:
        """Ask for a file, and import states."""
        path = self._read("Import states", STATES)
        if path:
            self.import_states_file(device, path, "Import states")

    def import_states_file(self, device: str, path: Path, label: str) -> None:
        """Import states from a file."""
        from zolvek.formats import state_file

        project = state_file.load_into(self.session.project, device, path)
        self.session.document.edit(label, project)

    # --- asking ---

    def _read(self, title: str, kinds: str) -> Path | None:
        return self.ask.path_to_read(title, paths.folder(self.session.document), kinds)

    def _write(self, title: str, suffix: str, kinds: str) -> Path | None:
        return paths.to_write(self.session.document, self.ask, title, suffix, kinds)
