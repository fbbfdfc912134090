# SPDX-License-Identifier: GPL-3.0-or-later
"""Drags of sections, their borders, the end, meter and tempo on the time rows."""

from __future__ import annotations

from zolvek.core.edits.time_maps import tempo_moved
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap
from zolvek.studio.commands import sections, song, time_maps
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session
from zolvek.studio.views.timeline.drag import Drag, DragKeys, Pointer, snapped
from zolvek.studio.views.timeline.tempo_scale import TempoScale


def snapped_to(session: Session, beat: float, keys: DragKeys, by_bars: bool) -> float:
    """A beat on the nearest bar line, or on the grid; Ctrl frees it."""
    if keys.free or not by_bars:
        return snapped(session, beat, keys)
    meter = session.project.meter
    bar = meter.bar_at(beat)
    return min((meter.bar_beat(bar), meter.bar_beat(bar + 1)), key=lambda line: abs(line - beat))


class TimeDrag(Drag):
    """A drag that goes by bar lines, or by the grid where `by_bars` is False."""

    by_bars = True

    def __init__(self, session: Session) -> None:
        self.session = session

    def beat(self, pointer: Pointer) -> float:
        """The beat that the pointer means."""
        return snapped_to(self.session, pointer.beat, pointer.keys, self.by_bars)


class SectionDrag(TimeDrag):
    """A whole section: released over another one, it comes before that, or after it where it came from
    before."""

    def __init__(self, session: Session, number: int) -> None:
        self.session, self.number = session, number
        self.target: int | None = None

    def update(self, pointer: Pointer) -> None:
        """Move the section to the pointer."""
        beat = self.beat(pointer)
        spans = self.session.project.section_spans()
        over = max((i for i, (_, first, _) in enumerate(spans) if first <= beat), default=0)
        _, first, last = spans[over]
        to = over + (beat > (first + last) / 2.0)
        self.target = None if to in (self.number, self.number + 1) else to
        name = spans[self.number][0].name
        where = "at the end" if to >= len(spans) else f"before {spans[to][0].name}"
        self.text = f"{name} stays where it is" if self.target is None else f"{name} moves {where}"

    def finish(self) -> None:
        """Move the section, as one step."""
        if self.target is not None:
            sections.move_section_to(self.session, self.number, self.target)


class BorderDrag(TimeDrag):
    """Where a section begins."""

    def __init__(self, session: Session, number: int) -> None:
        self.session, self.number = session, number
        self.name = session.project.section_spans()[number][0].name

    def update(self, pointer: Pointer) -> None:
        """Move the border to the pointer."""
        beat = self.beat(pointer)
        at = self.session.project.meter.text(beat)
        label = f"{self.name} begins at {at}"
        sections.change_section(self.session, self.number, label, self, beat=beat)


class EndDrag(TimeDrag):
    """The song's end; what lies beyond it is asked about when it is released."""

    def __init__(self, studio: Studio) -> None:
        super().__init__(studio.session)
        self.studio = studio
        self.end: float | None = None

    def update(self, pointer: Pointer) -> None:
        """Move the song's end to the pointer."""
        beat = self.beat(pointer)
        self.end = beat
        self.text = f"End at {self.session.project.meter.text(beat)}"

    def finish(self) -> None:
        """Ask about what lies beyond, and move the end."""
        if self.end is not None and self.end != self.session.project.length:
            song.end_at(self.studio, self.end)


class MeterDrag(TimeDrag):
    """A meter change: it goes to the bar under the pointer, counted as before it was taken."""

    def __init__(self, session: Session, number: int) -> None:
        self.session, self.number = session, number
        self.meter = session.project.meter

    def update(self, pointer: Pointer) -> None:
        """Move the meter to the pointer's bar."""
        beat = self.beat(pointer)
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


class TempoDrag(TimeDrag):
    """A tempo point, in time and in tempo; Shift holds one of them."""

    by_bars = False

    def __init__(self, session: Session, index: int, scale: TempoScale) -> None:
        self.session, self.place, self.scale = session, index, scale
        self.tempo = session.project.tempo

    def update(self, pointer: Pointer) -> None:
        """Move the tempo point to the pointer."""
        beat = self.beat(pointer)
        this_point = self.tempo.points[self.place]
        bpm = self.scale.rounded(this_point.bpm + self.scale.bpm(pointer.at.y()) - self.scale.bpm(pointer.start.y()))
        if pointer.keys.axis and pointer.along:
            bpm = this_point.bpm
        elif pointer.keys.axis:
            beat = this_point.beat
        tempo = tempo_moved(self.tempo, self.place, beat, bpm)
        point = tempo.points[self.place]
        where = self.session.project.meter.text(point.beat)
        time_maps.put_tempo(self.session, f"Tempo {point.bpm:g} at {where}", tempo, self)
        self.text = f"{point.bpm:g} BPM at {where}"
