# SPDX-License-Identifier: GPL-3.0-or-later
"""Blocks and notes of the strip in the user. Each works from the project as it was when it was taken."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QMouseEvent

from zolvek.core.edits import clips, notes
from zolvek.core.edits.clips import Block
from zolvek.core.limits import LIMITS
from zolvek.core.model.source import Note
from zolvek.core.records import replace
from zolvek.studio.session.session import Session
from zolvek.studio.views.timeline.track_row_picture import Strip


class StripDrag:
    """`move` is given the beat under the pointer, and whether it is free of the grid."""

    def __init__(self, session: Session, strip: Strip, at: QPointF) -> None:
        self.session, self.strip, self.at = session, strip, at
        self.beat = strip.beat(at.x())

    def move(self, beat: float, free: bool, event: QMouseEvent) -> None:
        """Move to the pointer."""
        raise NotImplementedError

    def snap(self, beat: float, free: bool) -> float:
        """The beat, or the grid's line near it."""
        beat = max(beat, 0.0)
        return beat if free else float(self.session.tools.grid.snap(beat, self.session.project.meter))

    def moved(self, beat: float, to: float, free: bool) -> float:
        """Where a thing at `beat` lands that is moved to `to`."""
        to = max(to, 0.0)
        return to if free else self.session.tools.moved(beat, to, self.session.project.meter)


class BlockDrag(StripDrag):
    """`way`: "move", "start", "end", "fade-in" or "fade-out"."""

    def __init__(self, session: Session, strip: Strip, at: QPointF, block: Block, way: str) -> None:
        super().__init__(session, strip, at)
        self.block, self.way = block, way
        self.clip = clips.clip_of(session.project, block)
        self.lasts = strip.lasts(self.clip)

    def move(self, beat: float, free: bool, event: QMouseEvent) -> None:
        """Move, trim or fade the clip."""
        session, clip, block = self.session, self.clip, self.block
        before = session.document.before(self)
        name = clip.file.rpartition("/")[2].removeprefix("shipped:")
        tempo, text = before.tempo, before.meter.text
        if self.way == "move":
            to = self.moved(clip.beat, clip.beat + beat - self.beat, free)
            made, label = clips.moved(before, block, to), f"Move {name} to {text(to)}"
        elif self.way == "start":
            made = clips.trimmed_start(before, block, self.snap(beat, free), self.lasts)
            label = f"{name} begins at {text(clips.clip_of(made, block).beat)}"
        elif self.way == "end":
            made = clips.trimmed_end(before, block, self.snap(beat, free), self.lasts)
            end = clips.end_of(clips.clip_of(made, block), tempo, self.lasts)
            label = f"{name} ends at {text(end)}"
        else:
            end = clips.end_of(clip, tempo, self.lasts)
            ends = float(tempo.seconds(clip.beat)), float(tempo.seconds(end))
            here = min(max(float(tempo.seconds(beat)), ends[0]), ends[1])
            inner = self.way == "fade-in"
            seconds = here - ends[0] if inner else ends[1] - here
            changed = replace(clip, **{"fade_in" if inner else "fade_out": seconds})
            made = clips.changed(before, block, changed)
            label = f"{name} fades {'in' if inner else 'out'} over {seconds:.2f} s"
        session.document.edit(label, made, self, partial(session.arranging.place_block, block))
        session.notices.say(label)


class NoteDrag(StripDrag):
    """The selected notes in time and pitch, or (`longer`) their ends."""

    def __init__(self, session: Session, strip: Strip, at: QPointF, held: Note, longer: bool) -> None:
        super().__init__(session, strip, at)
        self.held, self.longer = held, longer
        self.track = strip.track.id
        self.which = session.arranging.notes
        self.pitch = strip.pitch(at.y())

    def move(self, beat: float, free: bool, event: QMouseEvent) -> None:
        """Move or lengthen the notes."""
        session, before = self.session, self.session.document.before(self)
        if self.longer:
            end = self.held.beat + self.held.length
            to = self.snap(end + beat - self.beat, free)
            made, chosen = notes.lengthened(before, self.track, self.which, to - end)
            label = "Lengthen notes"
        else:
            to = self.moved(self.held.beat, self.held.beat + beat - self.beat, free)
            by = self.strip.pitch(event.position().y()) - self.pitch
            made, chosen = notes.moved(before, self.track, self.which, to - self.held.beat, by)
            label = f"Move {len(self.which)} note{'s' * (len(self.which) != 1)}"
        session.document.edit(label, made, self, partial(session.arranging.place_notes, self.track, chosen))


class DrawDrag(StripDrag):
    """A new note: its length is drawn."""

    def __init__(self, session: Session, strip: Strip, at: QPointF, beat: float) -> None:
        super().__init__(session, strip, at)
        self.pitch = strip.pitch(at.y())
        self.first = beat
        self.step = session.tools.grid.step_at(beat, session.project.meter)
        self.put(beat + self.step)

    def put(self, end: float) -> None:
        """Add the note."""
        session, track = self.session, self.strip.track.id
        length = min(max(end - self.first, notes.SHORTEST), LIMITS["length"].high)
        before = session.document.before(self)
        made, chosen = notes.added(before, track, Note(self.first, length, self.pitch))
        session.document.edit("Add a note", made, self, partial(session.arranging.place_notes, track, chosen))

    def move(self, beat: float, free: bool, event: QMouseEvent) -> None:
        """Lengthen the new note."""
        self.put(beat if free else max(self.snap(beat, free), self.first + self.step))


class BoxDrag(StripDrag):
    """A box that selects the notes in it."""

    def __init__(self, session: Session, strip: Strip, at: QPointF) -> None:
        super().__init__(session, strip, at)
        self.to = at

    def move(self, beat: float, free: bool, event: QMouseEvent) -> None:
        """Select the notes in the box."""
        self.to = event.position()
        first, last = sorted((self.beat, beat))
        low, high = sorted((self.strip.pitch(self.at.y()), self.strip.pitch(self.to.y())))
        track = self.strip.track.id
        found = notes.within(self.session.project, track, first, last, low, high)
        self.session.arranging.pick_notes(track, found)
