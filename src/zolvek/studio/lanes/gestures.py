"""What a drag on the focus lane does: one small class a gesture, chosen from one table.

Every gesture works from the curve as it was when the button went down, so a drag has no memory
of its way, and `Drag.update` gives the whole new curve.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from zolvek.core import edits
from zolvek.core.arrays import Ints
from zolvek.core.curve import Curve
from zolvek.studio.session import NONE_CHOSEN, Session


@dataclass(frozen=True)
class Held:
    """The keys that change a drag."""

    free: bool = False  # time does not snap
    axis: bool = False  # one axis is held
    bend: bool = False


@dataclass(eq=False)
class Drag:
    """One drag: where it began (beat, value), what it holds, and what it does."""

    session: Session
    kind: str  # a key of the table below
    curve: Curve
    beat: float
    value: float
    points: Ints = field(default_factory=lambda: NONE_CHOSEN)
    segment: int = -1
    before: Ints = field(default_factory=lambda: NONE_CHOSEN)
    moved: bool = False

    @property
    def label(self) -> str:
        return LABELS[self.kind].format(_points(len(self.points)))

    def update(self, beat: float, value: float, held: Held, along: bool) -> None:
        """The pointer is at `beat` and `value`; `along`: it went further in time than in value."""
        self.moved = True
        curve, points = UPDATES[self.kind](self, beat, value, held, along)
        self.session.edit_curve(self.label, curve, points, self)

    def finish(self) -> None:
        self.session.end_gesture()

    def cancel(self) -> None:
        self.session.cancel_gesture(self.before)


def _points(count: int) -> str:
    return "a point" if count == 1 else f"{count} points"


def _snapped(drag: Drag, beat: float, held: Held) -> float:
    session = drag.session
    if held.free:
        return beat
    return float(session.grid.snap(beat, session.project.meter))


def _shift(drag: Drag, beat: float, value: float, held: Held, along: bool) -> tuple[float, float]:
    """How far to move, after the grid and the held axis: the grabbed point lands on a line."""
    if held.axis and not along:
        beats = 0.0
    else:
        anchor = float(drag.curve.beat[drag.points[0]]) if drag.segment < 0 else drag.beat
        if drag.kind == "move" and drag.segment >= 0:
            anchor = float(drag.curve.beat[drag.segment])
        wanted = anchor + beat - drag.beat
        beats = _snapped(drag, wanted, held) - anchor if beat != drag.beat else 0.0
    return beats, 0.0 if held.axis and along else value - drag.value


def _move(drag: Drag, beat: float, value: float, held: Held, along: bool) -> tuple[Curve, Ints]:
    beats, height = _shift(drag, beat, value, held, along)
    return edits.move(drag.curve, drag.points, beats, height, drag.session.settings.when_met)


def _bend(drag: Drag, beat: float, value: float, held: Held, along: bool) -> tuple[Curve, Ints]:
    return edits.bend_through(drag.curve, drag.segment, drag.beat, value), drag.before


UPDATES = {"move": _move, "add": _move, "bend": _bend}
LABELS = {"move": "Move {}", "add": "Add a point", "bend": "Bend a segment"}


def begin_add(session: Session, beat: float, value: float, held: Held) -> Drag:
    """A new point where the pointer is, then dragged on."""
    lane = session.lane
    assert lane is not None
    before = session.chosen
    at = max(beat if held.free else float(session.grid.snap(beat, session.project.meter)), 0.0)
    curve, index = edits.add(lane.curve, at, value)
    drag = Drag(session, "add", curve, beat, value, np.array([index]), before=before)
    session.edit_curve(drag.label, curve, drag.points, drag)
    return drag


def begin_move(session: Session, points: Ints, grabbed: int, beat: float, value: float) -> Drag:
    """The points move as a group; the grabbed one is what snaps."""
    lane = session.lane
    assert lane is not None
    return Drag(session, "move", lane.curve, beat, value, points, grabbed, session.chosen)


def begin_bend(session: Session, segment: int, beat: float, value: float) -> Drag:
    lane = session.lane
    assert lane is not None
    return Drag(session, "bend", lane.curve, beat, value, NONE_CHOSEN, segment, session.chosen)
