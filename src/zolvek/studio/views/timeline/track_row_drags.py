# SPDX-License-Identifier: GPL-3.0-or-later
"""Drags of clips and notes on the track row."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF

from zolvek.core.edits import clips, notes
from zolvek.core.edits.clips import Block
from zolvek.core.limits import LIMITS
from zolvek.core.model.source import Note
from zolvek.core.records import replace
from zolvek.studio.session.session import Session
from zolvek.studio.views.timeline.drag import Drag, Pointer, moved, snapped
from zolvek.studio.views.timeline.track_row_picture import Strip


class BlockDrag(Drag):
    """`way`: "move", "start", "end", "fade-in" or "fade-out"."""

    def __init__(self, session: Session, strip: Strip, block: Block, edge: str) -> None:
        self.session, self.block, self.way = session, block, edge
        self.clip = clips.clip_of(session.project, block)
        self.lasts = strip.lasts(self.clip)

    def update(self, pointer: Pointer) -> None:
        """Move, trim or fade the clip."""
        session, clip, block = self.session, self.clip, self.block
        before = session.document.before(self)
        name = clip.file.rpartition("/")[2].removeprefix("shipped:")
        tempo, text = before.tempo, before.meter.text
        if self.way == "move":
            to = moved(session, clip.beat, clip.beat + pointer.beats, pointer.keys)
            new_project, label = clips.moved(before, block, to), f"Move {name} to {text(to)}"
        elif self.way == "start":
            new_project = clips.trimmed_start(before, block, snapped(session, pointer.beat, pointer.keys), self.lasts)
            label = f"{name} begins at {text(clips.clip_of(new_project, block).beat)}"
        elif self.way == "end":
            new_project = clips.trimmed_end(before, block, snapped(session, pointer.beat, pointer.keys), self.lasts)
            end = clips.end_of(clips.clip_of(new_project, block), tempo, self.lasts)
            label = f"{name} ends at {text(end)}"
        else:
            end = clips.end_of(clip, tempo, self.lasts)
            ends = float(tempo.seconds(clip.beat)), float(tempo.seconds(end))
            here = min(max(float(tempo.seconds(pointer.beat)), ends[0]), ends[1])
            inner = self.way == "fade-in"
            seconds = here - ends[0] if inner else ends[1] - here
            changed = replace(clip, **{"fade_in" if inner else "fade_out": seconds})
            new_project = clips.changed(before, block, changed)
            label = f"{name} fades {'in' if inner else 'out'} over {seconds:.2f} s"
        session.document.edit(label, new_project, self, partial(session.arranging.place_block, block))
        self.text = label


class NoteDrag(Drag):
    """The selected notes in time and pitch, or (`longer`) their ends."""

    def __init__(self, session: Session, strip: Strip, at: QPointF, held: Note, longer: bool) -> None:
        self.session, self.strip, self.held, self.longer = session, strip, held, longer
        self.track = strip.track.id
        self.which = session.arranging.notes
        self.pitch = strip.pitch(at.y())

    def update(self, pointer: Pointer) -> None:
        """Move or lengthen the notes."""
        session, before = self.session, self.session.document.before(self)
        if self.longer:
            end = self.held.beat + self.held.length
            to = snapped(session, end + pointer.beats, pointer.keys)
            result, chosen = notes.lengthened(before, self.track, self.which, to - end)
            label = "Lengthen notes"
        else:
            to = moved(session, self.held.beat, self.held.beat + pointer.beats, pointer.keys)
            by = self.strip.pitch(pointer.at.y()) - self.pitch
            result, chosen = notes.moved(before, self.track, self.which, to - self.held.beat, by)
            label = f"Move {len(self.which)} note{'s' * (len(self.which) != 1)}"
        self.text = label
        session.document.edit(label, result, self, partial(session.arranging.place_notes, self.track, chosen))


class DrawDrag(Drag):
    """A new note: its length is drawn."""

    acts = True

    def __init__(self, session: Session, strip: Strip, at: QPointF, beat: float) -> None:
        self.session, self.strip, self.first = session, strip, beat
        self.pitch = strip.pitch(at.y())
        self.step = session.tools.grid.step_at(beat, session.project.meter)
        self.put(beat + self.step)

    def put(self, end: float) -> None:
        """Add the note."""
        session, track = self.session, self.strip.track.id
        length = min(max(end - self.first, notes.SHORTEST), LIMITS["length"].high)
        before = session.document.before(self)
        result, chosen = notes.added(before, track, Note(self.first, length, self.pitch))
        session.document.edit("Add a note", result, self, partial(session.arranging.place_notes, track, chosen))

    def update(self, pointer: Pointer) -> None:
        """Lengthen the new note."""
        end = snapped(self.session, pointer.beat, pointer.keys)
        self.put(end if pointer.keys.free else max(end, self.first + self.step))


class NotesBoxDrag(Drag):
    """A box that selects the notes in it."""

    def __init__(self, session: Session, strip: Strip, at: QPointF) -> None:
        self.session, self.strip, self.at, self.to = session, strip, at, at

    def update(self, pointer: Pointer) -> None:
        """Select the notes in the box."""
        self.to = pointer.at
        first, last = sorted((self.strip.beat(self.at.x()), pointer.beat))
        low, high = sorted((self.strip.pitch(self.at.y()), self.strip.pitch(self.to.y())))
        track = self.strip.track.id
        inside = notes.within(self.session.project, track, first, last, low, high)
        self.session.arranging.pick_notes(track, inside)
