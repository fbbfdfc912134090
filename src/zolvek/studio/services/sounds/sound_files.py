# SPDX-License-Identifier: GPL-3.0-or-later
"""The project's sound files: their waveforms, and where their hits are. Found in a process
in the background, one file after another, and kept."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.arrays import Floats
from zolvek.core.edits.chains import sound_files
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.session.session import Session

if TYPE_CHECKING:
    from zolvek.sound.analysis.waveform import Peaks

JOBS = {
    "peaks": "zolvek.sound.analysis.waveform:job",
    "hits": "zolvek.sound.analysis.onsets:job",
}
LATER_MS = 60
AGAIN_MS = 2_000  # between looks whether files have changed
Key = tuple[str, str]  # what is looked for, and the file
Stamp = tuple[int, int] | None


def _stamp(name: str) -> Stamp:
    """Another one when a file has changed; None where there is none."""
    from zolvek.formats.audio.streams import path_of

    try:
        about = path_of(name).stat()
    except (OSError, ValueError):
        return None
    return about.st_mtime_ns, about.st_size


class Sounds(QObject):
    """`peaks` and `hits` by file. Pictures of all files come first, those of the shown track before
    others; hits where they are asked for. A file that has changed, or has come back, is read again."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.peaks: dict[str, Peaks] = {}
        self.hits: dict[str, Floats] = {}
        self.wanted: list[Key] = []
        self.tried: dict[Key, Stamp] = {}  # and of which content
        self.going: Key | None = None
        self.background = Background(self)
        self.background.done.connect(self._take)
        self.background.failed.connect(lambda _: self._next())
        self.later = QTimer(self)
        self.later.setSingleShot(True)
        self.later.setInterval(LATER_MS)
        self.later.timeout.connect(self._look)
        self.again = QTimer(self)
        self.again.setInterval(AGAIN_MS)
        self.again.timeout.connect(self.rescan)
        self.begun = False
        session.document.changed.connect(self._follow)

    def begin(self) -> None:
        """After the first picture of the window."""
        self.begun = True
        self.later.start()
        self.again.start()

    def _follow(self) -> None:
        if self.begun and not self.later.isActive():
            self.later.start()

    def _look(self) -> None:
        """Pictures of what the project plays, then what else is wanted."""
        for name in sound_files(self.session.project):
            self.want("peaks", name)
        if self.going is None:
            self._next()

    def rescan(self) -> None:
        """What has been read of a file that is another one now, or is there again, is read again."""
        changed = {name for (_, name), stamp in self.tried.items() if _stamp(name) != stamp}
        for name in changed:
            for what, result in (("peaks", self.peaks), ("hits", self.hits)):
                if self.tried.pop((what, name), None) is not None:
                    result.pop(name, None)
                    self.want(what, name)
        if changed:
            self.changed.emit()

    def want(self, what: str, name: str, first: bool = False) -> None:
        """Look for "peaks" or "hits" of a file, unless they are known or can't be had."""
        key = what, name
        if key in self.tried or not self.begun:
            return
        self.tried[key] = _stamp(name)
        self.wanted.insert(0, key) if first else self.wanted.append(key)
        self.wanted.sort(key=lambda each: each[0] != "peaks")  # pictures are quick
        if self.going is None and not self.later.isActive():
            self.later.start()  # so that what is wanted together is looked for in its order

    def _next(self) -> None:
        self.going = self.wanted.pop(0) if self.wanted else None
        if self.going is not None:
            self.tried[self.going] = _stamp(self.going[1])
            what, name = self.going
            self.background.start(JOBS[what], name)

    def _take(self, made: Any) -> None:
        assert self.going is not None
        what, name = self.going
        (self.peaks if what == "peaks" else self.hits)[name] = made
        self._next()
        self.changed.emit()

    def lengths(self) -> dict[str, float]:
        """Seconds that files last, as far as they have been read."""
        return {name: peaks.seconds for name, peaks in self.peaks.items()}

    def close(self) -> None:
        """End the analysis."""
        self.later.stop()
        self.again.stop()
        self.wanted.clear()
        self.background.close()
