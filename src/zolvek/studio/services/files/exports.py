# SPDX-License-Identifier: GPL-3.0-or-later
"""Exports and imports of the window: MIDI, sound, tables, pictures."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LIMITS
from zolvek.studio.services.files import paths
from zolvek.studio.services.tasks.thread_work import Progress, Work, end
from zolvek.studio.session.asking import Ask
from zolvek.studio.session.command_scope import target
from zolvek.studio.session.session import Session
from zolvek.studio.session.settings import Settings

if TYPE_CHECKING:
    from zolvek.core.curve.curve import Curve
    from zolvek.core.model.project import Project
    from zolvek.formats.midi.file_in import Score

MIDI, CSV = "MIDI files (*.mid *.midi)", "CSV files (*.csv)"
WAV = "WAV files (*.wav)"
SOUNDS = "Sound files (*.wav *.flac *.ogg *.aif *.aiff)"
PICTURE = "SVG pictures (*.svg);;PNG pictures (*.png)"


APART = re.compile(r"(\d+(?:[.,]\d+)?)\s*(ms|ticks?)?", re.IGNORECASE)


def apart_text(settings: Settings) -> str:
    """How far changes lie apart, as a person writes it: "5 ms", "12 ticks"."""
    if settings.midi.interval_ticks > 1:
        return f"{settings.midi.interval_ticks} ticks"
    return f"{settings.midi.interval_ms:g} ms"


def set_apart(settings: Settings, text: str) -> bool:
    """Take such a text; False for one that can't be read."""
    match = APART.fullmatch(text.strip())
    if match is None:
        return False
    number, unit = float(match[1].replace(",", ".")), (match[2] or "ms").lower()
    if unit == "ms" and LIMITS["milliseconds"].holds(number):
        settings.midi.interval_ms, settings.midi.interval_ticks = number, 1
    elif unit != "ms" and number == int(number) and LIMITS["ticks"].holds(number):
        settings.midi.interval_ms, settings.midi.interval_ticks = 0.0, int(number)
    else:
        return False
    return True


class Exports(QObject):
    """The exports of one window, by what is set in the Export panel. `exported` counts them."""

    changed = pyqtSignal()  # something has been exported

    def __init__(self, session: Session, ask: Ask) -> None:
        super().__init__()
        self.exported = 0
        self.session, self.ask, self.settings = session, ask, session.settings
        self.working: Work | None = None

    # --- MIDI ---

    def midi(self) -> None:
        """Ask for a file, and export MIDI."""
        path = self._write("Export MIDI", ".mid", MIDI)
        if path:
            self.write_midi(path)

    def write_midi(self, path: Path) -> None:
        """Export MIDI to a file."""
        from zolvek.formats.midi import file_out as midi_out

        project, split, close = (
            self.session.project,
            self.settings.midi.split,
            self.settings.midi.resolution,
        )
        exact = self.settings.midi.exact_time
        if paths.may_replace(self.session.document, self.ask, path, midi_out.files_of(project, path, split)):
            self.run(path.name, lambda on_progress: midi_out.save(project, path, close, split, on_progress, exact))

    def midi_to_drag(self) -> Path:
        """The MIDI file in a folder of its own, to be dragged into another program."""
        from zolvek.formats.midi import file_out as midi_out
        from zolvek.storage.file_names import file_name

        folder = Path(tempfile.mkdtemp(prefix="zolvek-"))
        name = file_name(self.session.project.name)
        return midi_out.save(
            self.session.project,
            folder / f"{name}.mid",
            self.settings.midi.resolution,
            exact_time=self.settings.midi.exact_time,
        )[0]

    def import_midi(self) -> None:
        """Ask for a MIDI file, and import it."""
        path = self._read("Import MIDI", MIDI)
        if path:
            self.import_midi_file(path)

    def import_midi_file(self, path: Path) -> None:
        """Its controllers as lanes and its notes, on new tracks; asks how first."""
        from zolvek.formats.midi import file_in as midi_in

        self.run(path.name, lambda _: midi_in.load(path), lambda score: self._ask_midi(path, score), "")

    def _ask_midi(self, path: Path, score: Score) -> None:
        from zolvek.formats.midi import file_in as midi_in
        from zolvek.studio.toolkit.dialogs import MidiDialog

        if not score.parts:
            raise ZolvekError("The file has no notes or controllers.", str(path), "Choose another file.")
        dialog = self.ask.filled(lambda over: MidiDialog(path.name, score, over))
        if dialog is None:
            return
        self.change(
            f"Import {path.name}",
            lambda _: midi_in.fitted(score, dialog.tolerance),
            lambda project, curves: midi_in.imported(project, score, curves, dialog.takes_time, dialog.takes_time),
            f"Import {path.name}: {score.lanes} lanes",
        )

    # --- sound ---

    def control(self) -> None:
        """Ask for a file, and export the lane as a control signal."""
        lane = self.needed_lane()
        path = self._write("Export lane as control signal", ".wav", WAV)
        if path:
            self.control_to(lane, path)

    def control_to(self, lane: str, path: Path) -> None:
        """Export the lane as a control signal to a file."""
        from zolvek.formats.audio.sound_writer import SoundFormat
        from zolvek.sound.jobs.control_export import save_control

        settings, project = self.settings, self.session.project
        span = self.session.span.needed() if settings.audio.selection else None
        sound_format = SoundFormat(settings.audio.rate, "float" if settings.audio.depth == "float" else "24")
        self.run(
            path.name, lambda _: [save_control(project, lane, path, sound_format, settings.audio.control_range, span)]
        )

    def import_curve(self) -> None:
        """Ask for an audio file, and make the lane's curve from it."""
        self.needed_lane()
        path = self._read("Import audio into lane", SOUNDS)
        if path:
            self.import_curve_file(path)

    def import_curve_file(self, path: Path) -> None:
        """A sound file as the focus lane's curve from the selection or the playhead on."""
        from zolvek.core.curve.spans import splice
        from zolvek.formats.audio import curve_import
        from zolvek.studio.toolkit.dialogs import SoundCurveDialog

        self.needed_lane()
        dialog = self.ask.filled(lambda over: SoundCurveDialog(path.name, over))
        if dialog is None:
            return
        session = self.session
        first = session.span.beats[0] if session.span.beats else session.playhead.beat
        tempo = session.project.tempo
        drawn = target(session)  # now, wherever the focus goes meanwhile

        def reading(_: Progress) -> Curve:
            sound, rate = curve_import.read(path)
            if dialog.follows:
                result = curve_import.followed(sound, rate, tempo, first, *dialog.times, dialog.tolerance)
            else:
                result = curve_import.as_control(sound, rate, tempo, first, dialog.tolerance, dialog.swing)
            return result.shifted(-first)

        def change(project: Project, put: Curve) -> Project:
            return drawn.put(project, lambda old: splice(old, first, put, first + float(put.beat[-1])))

        self.change(f"Import {path.name}", reading, change, f"Import {path.name}")

    # --- tables and pictures ---

    def points(self) -> None:
        """Ask for a file, and export the lane's points."""
        from zolvek.formats.tables import curve_csv

        self.needed_lane()
        path = self._write("Export lane points", ".csv", CSV)
        drawn = self.session.target
        if path and drawn and self.session.notices.run_guarded(lambda: curve_csv.save(drawn.curve, path)):
            self.session.notices.say(f"Exported {path.name}")

    def import_points(self) -> None:
        """Ask for a CSV file, and import its points."""
        path = self._read("Import points into lane", CSV)
        if path:
            self.import_points_file(path)

    def import_points_file(self, path: Path) -> None:
        """Import points from a CSV file."""
        from zolvek.formats.tables import curve_csv

        self.needed_lane()
        self.session.edit_curve(f"Import {path.name}", curve_csv.load(path))

    def table(self) -> None:
        """Ask for a file, and export a table."""
        path = self._write("Export table", ".csv", CSV)
        if path:
            self.write_table(path)

    def write_table(self, path: Path) -> None:
        """Export a table to a file."""
        from zolvek.formats.tables import lane_table

        settings, project, lanes = self.settings, self.session.project, self._lanes()

        def writing(_: Progress) -> list[Path]:
            text = lane_table.to_text(
                project, lanes, settings.tables.step, settings.tables.time_base, settings.tables.cells
            )
            return [lane_table.save(path, text)]

        self.run(path.name, writing)

    def picture(self) -> None:
        """Ask for a file, and export a picture."""
        path = self._write("Export picture", ".svg", PICTURE)
        if path:
            self.write_picture(path)

    def write_picture(self, path: Path) -> None:
        """Export a picture to a file."""
        from zolvek.formats import picture
        from zolvek.studio.toolkit import svg_to_png

        lanes, span = self._lanes(), self.session.span.beats
        if path.suffix.lower() == ".png":
            svg_to_png.save(picture.svg(self.session.project, lanes, span), path)
        else:
            picture.save(self.session.project, lanes, path, span)
        self.session.notices.say(f"Exported {path.name}")

    def _lanes(self) -> list[str]:
        """The focus lane, or all that are shown."""
        if not self.settings.tables.all_lanes:
            return [self.needed_lane()]
        return [lane.id for lane in self.session.project.lanes() if not lane.hidden]

    def needed_lane(self) -> str:
        """The focus lane's id. Raises ZolvekError when there is none."""
        lane = self.session.lane
        if lane is None:
            raise ZolvekError("There is no lane.", remedy="Touch a control and press A.")
        return lane.id

    # --- working ---

    def run(
        self,
        name: str,
        task: Callable[[Progress], Any],
        done: Callable[[Any], object] = lambda _: None,
        said: str | None = None,
    ) -> None:
        """Work off the interface thread, with progress and a way to stop; then `done` is given the
        result."""
        if self.working is not None:
            raise ZolvekError("Another export or import is still running.", name, "Wait for it, or stop it.")
        thread = self.working = Work(task)
        bar = self.ask.progress(name, thread.stop)
        thread.progress.connect(bar.progressed)

        def ended() -> None:
            bar.close()
            self.working = None
            if thread.error:
                self.session.notices.report(thread.error)
            elif self.session.notices.run_guarded(lambda: done(thread.result)):
                count = len(thread.result) if isinstance(thread.result, list) else 1
                message = f"Exported {name}" if count == 1 else f"Exported {count} files"
                if said is None:
                    self.exported += 1
                    self.changed.emit()
                if said != "":  # "": what is done with it says so itself
                    self.session.notices.say(said or message)
            thread.deleteLater()

        thread.finished.connect(ended)
        thread.start()

    def change(
        self,
        label: str,
        task: Callable[[Progress], Any],
        change: Callable[[Project, Any], Project],
        said: str | None = None,
    ) -> None:
        """Work in the background, and apply what comes of it, by `change`, to the project of that
        moment: what was edited meanwhile stays. One undo step named `label`."""
        session = self.session

        def done(result: Any) -> None:
            session.document.edit(label, change(session.project, result))
            if said:
                session.notices.say(said)

        self.run_for_project(label, task, done)

    def run_for_project(self, label: str, task: Callable[[Progress], Any], done: Callable[[Any], object]) -> None:
        """As `run`; what comes of it is of no use to another project, and says so."""
        document = self.session.document
        opened = document.opened

        def finish(result: Any) -> None:
            if document.opened is not opened:
                raise ZolvekError(
                    "Another project was opened meanwhile.",
                    label,
                    "Start it again in that project.",
                )
            done(result)

        self.run(label, task, finish, "")

    def _read(self, title: str, kinds: str) -> Path | None:
        return self.ask.path_to_read(title, paths.folder(self.session.document), kinds)

    def _write(self, title: str, suffix: str, kinds: str) -> Path | None:
        return paths.to_write(self.session.document, self.ask, title, suffix, kinds)

    def close(self) -> None:
        """End what is still going."""
        if self.working:
            end(self.working)
