# SPDX-License-Identifier: GPL-3.0-or-later
"""What is selected in the arrangement: a section, a clip, notes, marks for fitting."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.edits.clips import Block
from zolvek.core.model.project import Section, Track
from zolvek.studio.session.document import Document


class Arranging(QObject):
    """`block`: the picked block; `notes`: numbers of the picked notes of the track `notes_of`; `marks`:
    beats marked as bar lines of a recording, increasing."""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document, self.known = document, document.opened
        self._section: Section | None = None
        self.block: Block | None = None
        self.notes: frozenset[int] = frozenset()
        self.notes_of: str | None = None
        self.marks: tuple[float, ...] = ()
        document.changed.connect(self._follow)

    @property
    def section(self) -> int | None:
        """The number of the picked section, in order of time."""
        for number, (section, _, _) in enumerate(self.document.project.section_spans()):
            if section == self._section:
                return number
        return None

    def pick_section(self, number: int | None) -> None:
        """Select a section."""
        spans = self.document.project.section_spans()
        span = spans[number][0] if number is not None and number < len(spans) else None
        if span != self._section:
            self._section = span
            self.changed.emit()

    def pick_block(self, block: Block | None) -> None:
        """Select a clip."""
        if block != self.block or self.notes:
            self.block, self.notes = block, frozenset()
            self.changed.emit()

    def pick_notes(self, track: str, notes: frozenset[int]) -> None:
        """Select notes."""
        self.block, self.notes_of, self.notes = None, track, notes
        self.changed.emit()

    def place_section(self, number: int) -> None:
        """Select a section within an edit, which notifies (`Document.edit`)."""
        self._section = self.document.project.section_spans()[number][0]

    def place_block(self, block: Block | None) -> None:
        """Select a clip within an edit, which notifies (`Document.edit`)."""
        self.block = block

    def place_notes(self, track: str, notes: frozenset[int]) -> None:
        """Select notes within an edit, which notifies (`Document.edit`)."""
        self.notes_of, self.notes = track, notes

    def mark(self, beats: tuple[float, ...]) -> None:
        """Mark a beat as a bar line, or remove the mark."""
        self.marks = tuple(sorted(set(beats)))
        self.changed.emit()

    def _track(self, key: str | None) -> Track | None:
        return next((t for t in self.document.project.tracks if t.id == key), None)

    def _follow(self) -> None:
        if self.known is not self.document.opened:
            self.known = self.document.opened
            self._section, self.block, self.notes, self.marks = None, None, frozenset(), ()
            self.changed.emit()
        if self.block is not None:
            track = self._track(self.block.track)
            if track is None or self.block.number >= len(track.clips):
                self.block = None
        track = self._track(self.notes_of)
        count = len(track.notes) if track is not None else 0
        self.notes = frozenset(number for number in self.notes if number < count)
