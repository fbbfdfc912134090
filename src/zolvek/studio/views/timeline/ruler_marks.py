# SPDX-License-Identifier: GPL-3.0-or-later
"""Marks on the ruler that belong to the focus lane: the ends of its own loop, and where its slots
switch. They are dragged there."""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.edits import lanes
from zolvek.core.model.project import Lane
from zolvek.studio.services.playback.scrubbing import Scrubber
from zolvek.studio.session.command_scope import unlocked
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.timeline.drag import Drag, Pointer, snapped

NEAR_PX = 6.0  # pixels within which a mark is taken hold of


class Mark(NamedTuple):
    """`kind` is "loop-start", "loop-end" or "switch"; `text` what is written next to it."""

    kind: str
    beat: float
    text: str


def marks_of(lane: Lane | None) -> list[Mark]:
    """The marks of a lane."""
    if lane is None:
        return []
    result = []
    if lane.cycle is not None:
        end = lane.cycle.beat + lane.cycle.length
        result = [Mark("loop-start", lane.cycle.beat, ""), Mark("loop-end", end, "")]
    names = ["The lane's curve", *(slot.name for slot in lane.slots)]
    return result + [Mark("switch", s.beat, names[s.slot + 1]) for s in lane.switches]


def mark_at(session: Session, view: Viewport, x: float) -> Mark | None:
    """The mark at a pixel of the view, the nearest where several are."""
    result = marks_of(session.lane)
    near = [mark for mark in result if abs(view.x(mark.beat) - x) <= NEAR_PX]
    return min(near, key=lambda mark: abs(view.x(mark.beat) - x), default=None)


class MarkDrag(Drag):
    """A mark of the lane: one end of its loop, or a slot change."""

    def __init__(self, session: Session, mark: Mark) -> None:
        self.session, self.mark = session, mark
        self.lane = unlocked(session)

    def update(self, pointer: Pointer) -> None:
        """Take the mark to the pointer."""
        session, lane = self.session, self.lane
        beat = min(snapped(session, pointer.beat, pointer.keys), session.project.length)
        at = session.project.meter.text(beat)
        if self.mark.kind == "switch":
            new_lane = lanes.moved_switch(lane, self.mark.beat, beat)
            label = f"Change to {self.mark.text} at {at}"
        else:
            assert lane.cycle is not None
            ends = [lane.cycle.beat, lane.cycle.beat + lane.cycle.length]
            ends[self.mark.kind == "loop-end"] = beat
            if ends[1] - ends[0] < lanes.LEAST_LOOP:
                return
            new_lane = lanes.with_loop(lane, *ends)
            label = f"Move the lane loop to {at}"
        self.text = label
        session.edit_lane(label, new_lane, self)


class PlayheadDrag(Drag):
    """The playhead: the song is heard where it is dragged to."""

    def __init__(self, session: Session, scrubber: Scrubber) -> None:
        self.session, self.scrubber, self.before = session, scrubber, session.playhead.beat

    def update(self, pointer: Pointer) -> None:
        """Take the playhead to the pointer."""
        beat = min(snapped(self.session, pointer.beat, pointer.keys), self.session.project.length)
        self.text = f"Playhead at {self.session.project.meter.text(beat)}"
        self.scrubber.to(beat)

    def finish(self) -> None:
        """Leave it there."""
        self.scrubber.end()

    def cancel(self) -> None:
        """Take it back."""
        self.scrubber.to(self.before)
        self.scrubber.end()


class SpanDrag(Drag):
    """The span that is drawn on the ruler. It is no step: a selection is not undone, but cancelled."""

    def __init__(self, session: Session, beat: float) -> None:
        self.session, self.beat, self.before = session, beat, session.span.beats

    def update(self, pointer: Pointer) -> None:
        """Select up to the pointer."""
        session = self.session
        end = min(snapped(session, pointer.beat, pointer.keys), session.project.length)
        low, high = sorted((self.beat, end))
        session.span.choose((low, high) if high > low else None)

    def cancel(self) -> None:
        """Select what was selected."""
        self.session.span.choose(self.before)
