# SPDX-License-Identifier: GPL-3.0-or-later
"""The notes that begin while tracks are rendered: those that are written, and keys pressed by hand."""

from __future__ import annotations

import numpy as np

from zolvek.core.model.project import Project, Track
from zolvek.core.model.source import Note
from zolvek.core.time.tempo import TempoMap
from zolvek.sound.signal.automation import Block
from zolvek.sound.signal.new_note import LIVE_NOTE_S, NewNote


class TrackNotes:
    """Of one renderer."""

    def __init__(self) -> None:
        self.chased: set[str] = set()  # tracks whose notes that are on already must begin
        self.pressed: list[tuple[str, Note]] = []  # keys that have gone down since the last stretch

    def use(self, project: Project) -> None:
        """Go on with an edited project."""
        self.tempo: TempoMap = project.tempo
        self.notes = {t.id: sorted(t.notes, key=lambda note: note.beat) for t in project.tracks}
        self.starts = {key: np.array([n.beat for n in notes]) for key, notes in self.notes.items()}

    def chase(self) -> None:
        """Notes that are on already where the song goes on from begin there."""
        self.chased = set(self.notes)

    def press(self, track: str, pitch: int, strength: float) -> None:
        """A key of a track down, by hand."""
        self.pressed.append((track, Note(0.0, 1.0, pitch, strength)))

    def let_up(self, track: str, pitch: int) -> None:
        """A key up that may not have begun yet."""
        self.pressed = [(k, n) for k, n in self.pressed if (k, n.pitch) != (track, pitch)]

    def begun(self, track: Track, stretch: Block, until: float, now: float) -> list[NewNote]:
        """The notes that begin in the stretch, which ends at beat `until` and begins `now`, in seconds of the song."""
        first = float(stretch.beats[0])
        starts, notes = self.starts[track.id], self.notes[track.id]
        low, high = np.searchsorted(starts, [first, until], side="left")
        new = notes[low:high]
        if track.id in self.chased:
            self.chased.discard(track.id)
            new = [note for note in notes[:low] if note.beat + note.length > first] + new
        if not new:
            return self._by_hand(track)
        begin = self.tempo.seconds([note.beat for note in new])
        end = self.tempo.seconds([note.beat + note.length for note in new])
        timed = [NewNote(note, float(b - now), float(e - b)) for note, b, e in zip(new, begin, end, strict=True)]
        return timed + self._by_hand(track)

    def _by_hand(self, track: Track) -> list[NewNote]:
        pressed = [note for key, note in self.pressed if key == track.id]
        if pressed:
            self.pressed = [(key, note) for key, note in self.pressed if key != track.id]
        return [NewNote(note, 0.0, 2.0 * LIVE_NOTE_S) for note in pressed]


class LateNotes:
    """Notes that wait for the sound that they play with, by device: when, in frames of the renderer's clock."""

    def __init__(self) -> None:
        self.waiting: dict[str, list[tuple[int, NewNote]]] = {}

    def clear(self) -> None:
        """None waits any more."""
        self.waiting.clear()

    def keep(self, devices: set[str]) -> None:
        """Forget those of all other devices."""
        self.waiting = {key: rows for key, rows in self.waiting.items() if key in devices}

    def due(self, device: str, notes: list[NewNote], late: int, clock: int, rate: int, frames: int) -> list[NewNote]:
        """The notes that a device begins in a stretch of `frames`, which begins at `clock`: new ones are `late`."""
        waiting = self.waiting.pop(device, [])
        if not late and not waiting:
            return notes
        begun = []
        for begins, note in [*waiting, *((clock + late, note) for note in notes)]:
            after = note.after + (begins - clock) / rate
            if after * rate < frames:
                begun.append(note._replace(after=after))
            else:
                self.waiting.setdefault(device, []).append((begins, note))
        return begun
