# SPDX-License-Identifier: GPL-3.0-or-later
"""What a drag on the focus lane does: one small class a gesture, chosen from one table.

Every gesture works from the curve as it was when the button went down, so a drag has no memory
of its way, and `Drag.update` gives the whole new curve.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve import point_edits
from zolvek.core.curve.construction import curve as line_curve
from zolvek.core.curve.construction import lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import HOLD
from zolvek.core.curve.spans import splice
from zolvek.core.curve.stamps import stamped
from zolvek.core.curve.thinning import fitted
from zolvek.core.edits.targets import Target
from zolvek.studio.session.session import NONE_CHOSEN, Session


class DragKeys(NamedTuple):
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
    stroke: Stroke = field(init=False)

    @property
    def label(self) -> str:
        """The name of the step."""
        return LABELS[self.kind].format(_points(len(self.points)))

    def update(self, beat: float, value: float, held: DragKeys, along: bool) -> None:
        """The pointer is at `beat` and `value`; `along`: it went further in time than in value."""
        self.moved = True
        curve, points = UPDATES[self.kind](self, beat, value, held, along)
        moved = (self.points, points) if self.kind == "move" else None
        self.session.edit_curve(self.label, curve, points, self, moved)

    def finish(self) -> None:
        """End the drag: one step."""
        self.session.document.end_gesture()

    def cancel(self) -> None:
        """Undo the drag."""
        self.session.cancel_gesture(self.before)


def _points(count: int) -> str:
    return "a point" if count == 1 else f"{count} points"


def _snapped(drag: Drag, beat: float, held: DragKeys) -> float:
    session = drag.session
    if held.free:
        return beat
    return float(session.tools.grid.snap(beat, session.project.meter))


def _shift(drag: Drag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[float, float]:
    """How far to move, after the grid and the held axis: the grabbed point lands on a line, or keeps
    its distance from one."""
    if held.axis and not along:
        beats = 0.0
    else:
        anchor = float(drag.curve.beat[drag.points[0]]) if drag.segment < 0 else drag.beat
        if drag.kind == "move" and drag.segment >= 0:
            anchor = float(drag.curve.beat[drag.segment])
        wanted = anchor + beat - drag.beat
        session = drag.session
        if not held.free:
            wanted = session.tools.moved(anchor, wanted, session.project.meter)
        # What lies off the grid stays at its time until the user has gone half a step of it.
        still = not held.free and drag.kind == "move" and abs(beat - drag.beat) < _half_step(drag)
        beats = 0.0 if still or beat == drag.beat else wanted - anchor
    if held.axis and along:
        return beats, 0.0
    return beats, _level_move(drag, value - drag.value, held)


def _half_step(drag: Drag) -> float:
    grid = drag.session.tools.grid
    step = grid.step_at(max(drag.beat, 0.0), drag.session.project.meter)
    return 0.5 * step if grid.on else 0.0


def _level_move(drag: Drag, rise: float, held: DragKeys) -> float:
    """How far to move in value, so that the grabbed point lands on a level of the value grid."""
    session, target = drag.session, drag.session.target
    if held.free or session.tools.value_grid.kind == "off" or target is None or abs(rise) < 1e-12:
        return rise
    grabbed = drag.segment if drag.segment >= 0 else int(drag.points[0])
    own = float(drag.curve.value[grabbed])
    return session.tools.value_grid.snap(own + rise, target.reach, target.parameter) - own


def _move(drag: Drag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    beats, height = _shift(drag, beat, value, held, along)
    return point_edits.move(drag.curve, drag.points, beats, height, drag.session.settings.editing.collisions)


def _bend(drag: Drag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    return point_edits.bend_through(drag.curve, drag.segment, drag.beat, value), drag.before


def _stroke(drag: Drag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    """A freehand stroke, reduced to few shaped points while the user is still down."""
    drag.stroke.go(max(beat, 0.0), value)
    beats, values = drag.stroke.samples()
    if beats[-1] - beats[0] < point_edits.TICK:
        return drag.curve, NONE_CHOSEN
    target = drag.session.target
    if target is not None and target.parameter.steps:
        drawn = over_choices(beats - beats[0], values, target)
    else:
        drawn = fitted(beats - beats[0], values, FREEHAND_TOLERANCE)
    return splice(drag.curve, float(beats[0]), drawn), NONE_CHOSEN


def over_choices(beats: Floats, values: Floats, target: Target) -> Curve:
    """A stroke over choices: each held from where the user came to it."""
    parameter = target.parameter
    chosen = parameter.value(target.to_position(values))
    new = np.append(True, np.diff(chosen) != 0.0)
    new[-1] = True
    level = target.from_position(parameter.position(chosen[new]))
    return lines(beats[new], level, HOLD)


def _span_of(drag: Drag, beat: float, held: DragKeys) -> tuple[float, float]:
    ends = sorted(max(_snapped(drag, b, held), 0.0) for b in (drag.beat, beat))
    return ends[0], ends[1]


def _line(drag: Drag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    first, last = _span_of(drag, beat, held)
    if last - first < point_edits.TICK:
        return drag.curve, NONE_CHOSEN
    ends = (drag.value, value) if beat >= drag.beat else (value, drag.value)
    levels = [min(max(level, 0.0), 1.0) for level in ends]
    straight = line_curve([(0.0, levels[0]), (last - first, levels[1])])
    return splice(drag.curve, first, straight), NONE_CHOSEN


def _form(drag: Drag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    first, last = _span_of(drag, beat, held)
    if last - first < point_edits.TICK:
        return drag.curve, NONE_CHOSEN
    key, sliders = drag.session.tools.form, drag.session.tools.sliders
    ends = [min(max(level, 0.0), 1.0) for level in (drag.value, value)]
    return splice(drag.curve, first, stamped(key, last - first, *ends, **sliders)), NONE_CHOSEN


UPDATES = {
    "move": _move,
    "add": _move,
    "bend": _bend,
    "freehand": _stroke,
    "line": _line,
    "form": _form,
}
LABELS = {
    "move": "Move {}",
    "add": "Add a point",
    "bend": "Bend a segment",
    "freehand": "Draw freehand",
    "line": "Draw a line",
    "form": "Stamp",
}
FREEHAND_TOLERANCE = 0.012  # of the lane's height


class Stroke:
    """Samples of the user's way. Going back in time draws over what was drawn there."""

    def __init__(self, beat: float, value: float) -> None:
        self.beats, self.values = [beat], [value]
        self.at = (beat, value)

    def go(self, beat: float, value: float) -> None:
        """Add a position to the stroke."""
        low, high = sorted((self.at[0], beat))
        rows = [
            (b, v)
            for b, v in zip(self.beats, self.values, strict=True)
            if not low <= b <= high or b == self.at[0] != beat
        ]
        rows.append((beat, min(max(value, 0.0), 1.0)))
        rows.sort()
        self.beats, self.values = [b for b, _ in rows], [v for _, v in rows]
        self.at = (beat, value)

    def samples(self) -> tuple[np.ndarray, np.ndarray]:
        """Beats and values, joined by lines finely enough to be fitted."""
        beats = np.array(self.beats)
        fine = np.unique(np.concatenate((beats, np.linspace(beats[0], beats[-1], 4 * len(beats)))))
        return fine, np.interp(fine, beats, self.values)


def begin_drawing(session: Session, tool: str, beat: float, value: float, held: DragKeys) -> Drag:
    """A freehand stroke, a line or a form, by the tool in hand."""
    target = session.target
    assert target is not None
    drag = Drag(session, tool, target.curve, max(beat, 0.0), value, before=session.points.chosen)
    drag.stroke = Stroke(max(beat, 0.0), value)
    return drag


def begin_add(session: Session, beat: float, value: float, held: DragKeys) -> Drag:
    """A new point where the pointer is, then dragged on."""
    target = session.target
    assert target is not None
    before = session.points.chosen
    at = max(beat if held.free else float(session.tools.grid.snap(beat, session.project.meter)), 0.0)
    if not held.free:
        value = session.tools.value_grid.snap(value, target.reach, target.parameter)
    curve, index = point_edits.add(target.curve, at, value, bool(target.parameter.steps))
    drag = Drag(session, "add", curve, beat, value, np.array([index]), before=before)
    session.edit_curve(drag.label, curve, drag.points, drag)
    return drag


def begin_move(session: Session, points: Ints, grabbed: int, beat: float, value: float) -> Drag:
    """The points move as a group; the grabbed one is what snaps."""
    target = session.target
    assert target is not None
    return Drag(session, "move", target.curve, beat, value, points, grabbed, session.points.chosen)


def begin_bend(session: Session, segment: int, beat: float, value: float) -> Drag:
    """Begin to bend a segment."""
    target = session.target
    assert target is not None
    return Drag(session, "bend", target.curve, beat, value, NONE_CHOSEN, segment, session.points.chosen)
