# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of a track's notes, by their numbers among the track's notes."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from zolvek.core.edits.clips import track_of
from zolvek.core.edits.replacement import with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LIMITS
from zolvek.core.model.device_kind import DeviceRole
from zolvek.core.model.project import Project, Track
from zolvek.core.model.source import Note
from zolvek.core.records import replace
from zolvek.core.time.grid import Grid

SHORTEST = 1.0 / 128.0  # beats
Changed = tuple[Project, frozenset[int]]


def _put(project: Project, track: str, notes: list[Note], chosen: set[int]) -> Changed:
    """The notes in order of time, and the new numbers of those chosen."""
    this_track = track_of(project, track)
    order = sorted(range(len(notes)), key=lambda i: (notes[i].beat, notes[i].pitch))
    new_project = with_track(project, replace(this_track, notes=tuple(notes[i] for i in order)))
    return new_project, frozenset(new for new, old in enumerate(order) if old in chosen)


def _checked(project: Project, track: str, which: Iterable[int]) -> tuple[list[Note], list[int]]:
    notes, rows = list(track_of(project, track).notes), sorted(which)
    if not rows:
        raise ZolvekError("No note is selected.", remedy="Click one on the track row.")
    return notes, rows


def need_instrument(track: Track) -> None:
    """Raises ZolvekError for a track that plays no notes."""
    if not any(device.role in (DeviceRole.INSTRUMENT, DeviceRole.OUTSIDE) for device in track.devices):
        raise ZolvekError(
            "The track has no instrument to play notes.",
            track.name,
            "Add a synth, or drop an audio file.",
        )


def added(project: Project, track: str, note: Note) -> Changed:
    """A note added, and the numbers of the notes that changed."""
    notes = [*track_of(project, track).notes, note]
    return _put(project, track, notes, {len(notes) - 1})


def removed(project: Project, track: str, which: Iterable[int]) -> Project:
    """The project without these notes of the track."""
    notes, rows = _checked(project, track, which)
    gone = set(rows)
    return _put(project, track, [n for i, n in enumerate(notes) if i not in gone], set())[0]


def moved(project: Project, track: str, which: Iterable[int], beats: float, pitches: int) -> Changed:
    """Later by so many beats and higher by so many semitones, all of them together: as far as the first and
    the highest can go."""
    notes, rows = _checked(project, track, which)
    beats = max(beats, -min(notes[i].beat for i in rows))
    pitch = [notes[i].pitch for i in rows]
    low, high = LIMITS["pitch"].low, LIMITS["pitch"].high
    pitches = int(min(max(pitches, low - min(pitch)), high - max(pitch)))
    for i in rows:
        notes[i] = replace(notes[i], beat=notes[i].beat + beats, pitch=notes[i].pitch + pitches)
    return _put(project, track, notes, set(rows))


def lengthened(project: Project, track: str, which: Iterable[int], beats: float) -> Changed:
    """Longer by so many beats, or shorter; none shorter than can be heard."""
    notes, rows = _checked(project, track, which)
    for i in rows:
        notes[i] = replace(notes[i], length=max(notes[i].length + beats, SHORTEST))
    return _put(project, track, notes, set(rows))


def struck(project: Project, track: str, which: Iterable[int], strength: float) -> Changed:
    """With another velocity, 0..1."""
    notes, rows = _checked(project, track, which)
    for i in rows:
        notes[i] = replace(notes[i], strength=strength)
    return _put(project, track, notes, set(rows))


def quantised(project: Project, track: str, which: Iterable[int], grid: Grid, strength: float = 1.0) -> Changed:
    """Their starts pulled to the grid, `strength` (0..1) of the way; lengths stay."""
    notes, rows = _checked(project, track, which)
    lines = grid.snap(np.array([notes[i].beat for i in rows]), project.meter)
    for i, line in zip(rows, lines.tolist(), strict=True):
        notes[i] = replace(notes[i], beat=notes[i].beat + strength * (line - notes[i].beat))
    return _put(project, track, notes, set(rows))


def within(project: Project, track: str, first: float, last: float, low: int, high: int) -> frozenset[int]:
    """The notes that sound in a span of beats and of pitches."""
    return frozenset(
        i
        for i, note in enumerate(track_of(project, track).notes)
        if note.beat < last and note.beat + note.length > first and low <= note.pitch <= high
    )


def recorded(project: Project, track: str, played: Iterable[Note]) -> Changed:
    """Notes that have been played, next to those there are."""
    notes = list(track_of(project, track).notes)
    start = len(notes)
    notes += list(played)
    return _put(project, track, notes, set(range(start, len(notes))))
