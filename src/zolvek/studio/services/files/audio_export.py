# SPDX-License-Identifier: GPL-3.0-or-later
"""An export of sound by what is set in the Export panel: what is missing is asked for first, and what clips after."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING

from zolvek.core.errors import Failure, ZolvekError
from zolvek.studio.services.files import paths
from zolvek.studio.services.files.exports import Exports
from zolvek.studio.services.tasks.thread_work import Progress

if TYPE_CHECKING:
    from zolvek.sound.jobs.mix_export import MissingPlugins, MixReport


SOUND = "WAV files (*.wav);;FLAC files (*.flac)"


def export_sound(exports: Exports) -> None:
    """Ask where, and write what the Export panel says."""
    document, kind = exports.session.document, exports.settings.audio.kind
    path = paths.to_write(document, exports.ask, "Export audio", kind, SOUND)
    if path:
        SoundExport(exports, path).start()


class SoundExport:
    """One file, or one a track, from the project as it is when it begins."""

    def __init__(self, exports: Exports, path: Path) -> None:
        self.exports, self.path = exports, path
        self.session, self.ask = exports.session, exports.ask
        self.project, self.settings = exports.session.project, exports.settings
        self.depth = self.settings.audio.depth
        self.span = self.session.span.needed() if self.settings.audio.selection else None
        self.allow = False  # without what can't be played
        self.lower = 0.0  # dB

    def start(self) -> None:
        """Ask for what has to be asked, and write."""
        from zolvek.sound.engine import clip_playback
        from zolvek.sound.jobs.mix_export import files_of

        files = files_of(self.project, self.path, self.settings.audio.tracks)
        if not paths.may_replace(self.session.document, self.ask, self.path, files):
            return
        try:
            clip_playback.need(self.project)
        except ZolvekError as error:
            question = "Audio files are missing or can't be played. Export without them?"
            if not self.ask.confirm(question, f"{error.where}: {error.what}"):
                return
            self.allow = True
        self._write()

    def _write(self) -> None:
        from zolvek.formats.audio.sound_writer import SoundFormat
        from zolvek.sound.jobs.mix_export import MissingPlugins, export_in_process

        settings = self.settings
        sound_format = SoundFormat(settings.audio.rate, self.depth)
        work = (
            self.project,
            self.path,
            sound_format,
            self.span,
            settings.audio.bypass,
            settings.audio.tail,
            settings.audio.tracks,
        )
        allow, lower = self.allow, self.lower

        def task(report: Progress) -> MixReport | MissingPlugins:
            try:
                return export_in_process(*work, report, allow, lower)
            except MissingPlugins as error:
                return error

        self.exports.run(self.path.name, task, self._finish, "")

    def _finish(self, result: MixReport | MissingPlugins) -> None:
        from zolvek.sound.jobs.mix_export import MissingPlugins

        if not isinstance(result, MissingPlugins):
            self._report(result)
        elif self.ask.confirm("Some plugins are not running. Export without them?", result.where):
            self.allow = True
            self._write()

    def _report(self, done: MixReport) -> None:
        """Say what has been written; where it clips, offer it lower, or as floats."""
        exports, name, count = self.exports, self.path.name, len(done.files)
        exports.exported += 1
        exports.changed.emit()
        self.session.notices.say(f"Exported {name}" if count == 1 else f"Exported {count} files")
        rest = done.words[1:] if done.cut else done.words
        if rest:
            remedy = "Check the result before you use it."
            self.session.notices.report(Failure(" ".join(rest), name, remedy))
        if done.cut:
            self._offer(done)

    def _offer(self, done: MixReport) -> None:
        highest = max(done.true_peak, done.peak)
        lower = round(self.lower + max(math.ceil(10.0 * highest) / 10.0, 0.1), 1)
        quieter, floats, keep = (
            f"Export {lower:.1f} dB lower",
            "Export as 32-bit float",
            "Keep as it is",
        )
        options = [quieter, *([floats] if self.path.suffix.lower() == ".wav" else []), keep]
        chosen = self.ask.pick("The export clips.", done.words[0], options)
        if chosen == quieter:
            self.lower = lower
        elif chosen == floats:
            self.depth = "float"
        else:
            return
        self._write()
