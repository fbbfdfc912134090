# SPDX-License-Identifier: GPL-3.0-or-later
"""The hits that are marked on the time axis and snapped to: of the shown track, or of another one."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.arrays import Floats
from zolvek.core.edits import hits
from zolvek.core.edits.hits import NONE, Band
from zolvek.core.model.project import Track
from zolvek.core.same import Same
from zolvek.core.time.grid import GridKind
from zolvek.studio.services.sounds.sound_files import Sounds
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.hit_fields import HitChoice


class Hits(QObject):
    """`source`: the id of the track whose hits they are; "" for the one that is shown. `band` and `least` choose among
    them, `beats` are the chosen ones."""

    changed = pyqtSignal()

    def __init__(self, session: Session, sounds: Sounds) -> None:
        super().__init__()
        self.session, self.sounds = session, sounds
        self.source = ""
        self.band, self.least = Band.ALL, 0.0
        self.every = NONE
        self.beats: Floats = NONE.beats
        self.known: tuple[object, ...] = ()
        for signal in (session.document.changed, session.focus.changed, session.shown.changed,
                       sounds.changed, session.tools.changed):  # fmt: skip
            signal.connect(self._follow)
        self._follow()

    def choose(self, source: str) -> None:
        """Use the hits of another track."""
        self.source = source
        self._follow()

    @property
    def choice(self) -> HitChoice:
        """Which hits are used."""
        return HitChoice(self.source, str(self.band), round(100 * self.least))

    def use(self, choice: HitChoice) -> None:
        """Use other hits."""
        if choice != self.choice:
            self.source, self.band, self.least = choice.source, Band(choice.band), choice.least / 100.0
            self._follow()
            self._select()

    def _select(self) -> None:
        self.beats = hits.chosen(self.every, self.band, self.least)
        self._give()
        self.changed.emit()

    @property
    def track(self) -> Track | None:
        """The track whose hits are used."""
        project, session = self.session.project, self.session
        this_track = next((track for track in project.tracks if track.id == self.source), None)
        if this_track is not None:
            return this_track
        if session.focus.id is not None:
            return project.track_of(session.focus.id)
        return project.device_track(session.shown.device) if session.shown.device else None

    def _follow(self) -> None:
        track, project = self.track, self.session.project
        files = {clip.file for clip in track.clips} if track is not None else set()
        onsets = {name: self.sounds.hits[name] for name in files if name in self.sounds.hits}
        lengths = {name: x for name, x in self.sounds.lengths().items() if name in files}
        known = (
            track and track.notes,
            track and track.clips,
            project.tempo,
            project.length,
            frozenset((name, Same(onset)) for name, onset in onsets.items()),
            tuple(lengths.items()),
        )
        if known != self.known:
            self.known = known
            self.every = hits.hits_of(project, track, onsets, lengths) if track is not None else NONE
            self._select()
        else:
            self._give()
        for name in sorted(files - onsets.keys()):
            self.sounds.want("hits", name, first=True)

    def _give(self) -> None:
        """The grid has them, while it is one of hits."""
        grid = self.session.tools.grid
        wanted = tuple(self.beats.tolist()) if grid.kind == GridKind.HITS else ()
        if grid.hits != wanted:
            self.session.tools.set_grid(hits=wanted)
