# SPDX-License-Identifier: GPL-3.0-or-later
"""What is heard in the project's place, or of it."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.curve.curve import Curve
from zolvek.core.edits.monitoring import Listening
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.studio.session.document import Document


class Audition(QObject):
    """`listening`: solo, a lane alone, without automation, the metronome. `kept`: an earlier version
    to compare with; `comparing`: "", or what is heard instead ("bypass", "kept", "version", "trial")."""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self._begin()
        document.changed.connect(self._follow)

    def _begin(self) -> None:
        self.known = self.document.opened
        self.listening = Listening()
        self.kept: Project | None = None
        self.comparing = ""
        self.trial: Project | None = None  # what is tried in the project's place, and kept nowhere
        self.version: tuple[int, int] | None = None  # of a section, by numbers, heard in its place
        self.match_loudness = False
        self.takes: tuple[str, ...] = ()  # that are heard in their lane's place
        # Which lanes were bypassed before all of a track (or, None, of the project) were.
        self.bypassed_before: dict[str | None, frozenset[str]] = {}

    def listen(self, **changes: object) -> None:
        """Hear the project otherwise."""
        if "tried" in changes:
            self.takes = ()
        self.listening = replace(self.listening, **changes)
        self.changed.emit()

    def play_takes(self, tried: tuple[str, Curve] | None, takes: tuple[str, ...]) -> None:
        """Hear takes in a lane's place."""
        self.takes = takes
        self.listening = replace(self.listening, tried=tried)
        self.changed.emit()

    def compare(self, with_what: str) -> None:
        """Hear something else in the project's place: "bypass", "kept", or "" for the project."""
        if with_what == "kept" and self.kept is None:
            raise ZolvekError(
                "No version is stored.",
                remedy="Store one in the Listen panel first.",
            )
        self.comparing = with_what
        self.changed.emit()

    def hear_trial(self, project: Project | None) -> None:
        """Hear a project in the place of this one, or, with None, this one again."""
        self.trial = project
        self.comparing = "trial" if project is not None else ""
        self.changed.emit()

    def hear_version(self, section: int, version: int) -> None:
        """Hear another version of a section in its place."""
        self.version = section, version
        self.comparing = "version"
        self.changed.emit()

    def compare_later(self, section: int, version: int) -> None:
        """Which version of a section is compared with next."""
        self.version = section, version
        self.changed.emit()

    def keep_version(self) -> None:
        """The present state becomes what later ones are compared with."""
        self.kept = self.document.project
        self.changed.emit()

    def match(self, on: bool) -> None:
        """Compare at the same loudness, or as they are."""
        self.match_loudness = on
        self.changed.emit()

    def has_version(self) -> bool:
        """Whether there is a version of a section to be heard in its place."""
        spans = self.document.project.section_spans()
        if self.version is None or self.version[0] >= len(spans):
            return False
        span = spans[self.version[0]][0]
        return self.version[1] < len(span.versions) and self.version[1] != span.chosen

    def _follow(self) -> None:
        """Tracks and lanes that no longer exist are not listened to."""
        project = self.document.project
        if self.known is not self.document.opened:
            self._begin()
            self.changed.emit()
            return
        if self.comparing == "trial":  # it was of what has been edited
            self.hear_trial(None)
        if self.comparing == "version" and not self.has_version():
            self.compare("")
        alone = self.listening.alone
        listening = replace(
            self.listening,
            solo=self.listening.solo & {track.id for track in project.tracks},
            alone=alone if alone and project.has_lane(alone) else None,
        )
        if listening != self.listening:
            self.listening = listening
            self.changed.emit()


class HeldLanes(QObject):
    """`values`: lanes that are held at values 0..1 of their curves, as by a hand. Apart from the
    rest of what is heard, for it changes thirty times a second."""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document, self.known = document, document.opened
        self.values: tuple[tuple[str, float], ...] = ()
        document.changed.connect(self._follow)

    def hold(self, held: dict[str, float]) -> None:
        """These lanes are held; all others are released."""
        lanes = tuple(sorted(held.items()))
        if lanes != self.values:
            self.values = lanes
            self.changed.emit()

    def _follow(self) -> None:
        if self.known is not self.document.opened:
            self.known = self.document.opened
            self.hold({})
