# SPDX-License-Identifier: GPL-3.0-or-later
"""Things of the time rows in the user."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent

from zolvek.core.edits.time_maps import tempo_moved
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap
from zolvek.studio.commands import sections, song, time_maps
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session
from zolvek.studio.views.timeline.tempo_scale import TempoScale


class Drag:
    """`move` is given the beat under the pointer, on a bar line with `by_bars`, else on the grid."""

    by_bars = True

    def move(self, beat: float, event: QMouseEvent) -> None:
        """Move to the pointer."""
        raise NotImplementedError

    def finish(self) -> None:
        """End the drag: one step."""


class SectionDrag(Drag):
    """A whole section: released over another one, it comes before that, or after it where it came from
    before."""

    def __init__(self, session: Session, number: int) -> None:
        self.session, self.number = session, number
        self.target: int | None = None

    def move(self, beat: float, event: QMouseEvent) -> None:
        """Move the section to the pointer."""
        spans = self.session.project.section_spans()
        over = max((i for i, (_, first, _) in enumerate(spans) if first <= beat), default=0)
        _, first, last = spans[over]
        to = over + (beat > (first + last) / 2.0)
        self.target = None if to in (self.number, self.number + 1) else to
        name = spans[self.number][0].name
        where = "at the end" if to >= len(spans) else f"before {spans[to][0].name}"
        self.session.notices.say(f"{name} stays where it is" if self.target is None else f"{name} moves {where}")

    def finish(self) -> None:
        """End the drag: one step."""
        if self.target is not None:
            sections.move_section_to(self.session, self.number, self.target)


class BorderDrag(Drag):
    """Where a section begins."""

    def __init__(self, session: Session, number: int) -> None:
        self.session, self.number = session, number
        self.name = session.project.section_spans()[number][0].name

    def move(self, beat: float, event: QMouseEvent) -> None:
        """Move the border to the pointer."""
        at = self.session.project.meter.text(beat)
        label = f"{self.name} begins at {at}"
        sections.change_section(self.session, self.number, label, self, beat=beat)


class EndDrag(Drag):
    """The song's end; what lies beyond it is asked about when it is released."""

    def __init__(self, studio: Studio) -> None:
        self.studio = studio
        self.beat: float | None = None

    def move(self, beat: float, event: QMouseEvent) -> None:
        """Move the song's end to the pointer."""
        self.beat = beat
        self.studio.session.notices.say(f"End at {self.studio.session.project.meter.text(beat)}")

    def finish(self) -> None:
        """End the drag: one step."""
        if self.beat is not None and self.beat != self.studio.session.project.length:
            song.end_at(self.studio, self.beat)


class MeterDrag(Drag):
    """A meter change: it goes to the bar under the pointer, counted as before it was taken."""

    def __init__(self, session: Session, number: int) -> None:
        self.session, self.number = session, number
        self.meter = session.project.meter

    def move(self, beat: float, event: QMouseEvent) -> None:
        """Move the meter to the pointer's bar."""
        points = list(self.meter.points)
        before = MeterMap(tuple(points[: self.number]))
        low = points[self.number - 1].bar + 1
        high = points[self.number + 1].bar - 1 if self.number + 1 < len(points) else 10**9
        bar = min(max(before.bar_at(beat), low), high)
        points[self.number] = replace(points[self.number], bar=bar)
        point = points[self.number]
        project = self.session.document.before(self)
        label = f"{point.count}/{point.unit} from bar {bar} on"
        time_maps.put_meter(self.session, label, project, MeterMap(tuple(points)), self)


class TempoDrag(Drag):
    by_bars = False

    def __init__(self, session: Session, place: int, scale: TempoScale, at: QPointF) -> None:
        self.session, self.place, self.scale, self.at = session, place, scale, at
        self.tempo = session.project.tempo

    def move(self, beat: float, event: QMouseEvent) -> None:
        """Move the tempo point to the pointer."""
        own = self.tempo.points[self.place]
        bpm = self.scale.rounded(own.bpm + self.scale.bpm(event.position().y()) - self.scale.bpm(self.at.y()))
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            way = event.position() - self.at
            if abs(way.x()) > abs(way.y()):
                bpm = own.bpm
            else:
                beat = own.beat
        tempo = tempo_moved(self.tempo, self.place, beat, bpm)
        point = tempo.points[self.place]
        where = self.session.project.meter.text(point.beat)
        time_maps.put_tempo(self.session, f"Tempo {point.bpm:g} at {where}", tempo, self)
        self.session.notices.say(f"{point.bpm:g} BPM at {where}")
