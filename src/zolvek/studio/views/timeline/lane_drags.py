# SPDX-License-Identifier: GPL-3.0-or-later
"""What a drag on the focus lane does: one small class a gesture, chosen from one table.

`LaneDrag.update` gives the whole new curve, worked from the one as it was when the button went down.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from zolvek.core.arrays import Floats, Ints, distinct
from zolvek.core.curve import point_edits
from zolvek.core.curve.construction import curve as line_curve
from zolvek.core.curve.construction import lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import HOLD
from zolvek.core.curve.spans import splice
from zolvek.core.curve.stamps import stamped
from zolvek.core.curve.thinning import fitted
from zolvek.core.edits.targets import Target
from zolvek.core.value.value_grid import LevelKind
from zolvek.studio.session.session import NONE_CHOSEN, Session
from zolvek.studio.session.tools import Tool
from zolvek.studio.views.timeline.drag import Drag, DragKeys, Pointer, snapped


@dataclass(eq=False)
class LaneDrag(Drag):
    """One drag: where it began (beat, value), what it holds, and what it does."""

    session: Session
    kind: str  # a key of the table below
    curve: Curve
    beat: float
    value: float
    height: float  # of the lane, in pixels
    points: Ints = field(default_factory=lambda: NONE_CHOSEN)
    segment: int = -1
    before: Ints = field(default_factory=lambda: NONE_CHOSEN)  # the points that were selected
    stroke: Stroke = field(init=False)

    @property
    def label(self) -> str:
        """The name of the step."""
        return LABELS[self.kind].format(_points(len(self.points)))

    def __post_init__(self) -> None:
        self.acts = self.kind == "add"  # a point that is added is there with the press

    def update(self, pointer: Pointer) -> None:
        """The whole new curve, for where the pointer is."""
        beat, value = self.beat + pointer.beats, self.value + pointer.rise(self.height)
        curve, points = UPDATES[self.kind](self, beat, value, pointer.keys, pointer.along)
        moved = (self.points, points) if self.kind == "move" else None
        self.session.edit_curve(self.label, curve, points, self, moved)


def _points(count: int) -> str:
    return "a point" if count == 1 else f"{count} points"


def _shift(drag: LaneDrag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[float, float]:
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
        # What lies off the grid stays at its time until the pointer has moved by half a step.
        still = not held.free and drag.kind == "move" and abs(beat - drag.beat) < _half_step(drag)
        beats = 0.0 if still or beat == drag.beat else wanted - anchor
    if held.axis and along:
        return beats, 0.0
    return beats, _level_move(drag, value - drag.value, held)


def _half_step(drag: LaneDrag) -> float:
    grid = drag.session.tools.grid
    step = grid.step_at(max(drag.beat, 0.0), drag.session.project.meter)
    return 0.5 * step if grid.on else 0.0


def _level_move(drag: LaneDrag, rise: float, held: DragKeys) -> float:
    """How far to move in value, so that the grabbed point lands on a level of the value grid."""
    session, target = drag.session, drag.session.target
    if held.free or session.tools.value_grid.kind == LevelKind.OFF or target is None or abs(rise) < 1e-12:
        return rise
    grabbed = drag.segment if drag.segment >= 0 else int(drag.points[0])
    level = float(drag.curve.value[grabbed])
    return session.tools.value_grid.snap(level + rise, target.reach, target.parameter) - level


def _move(drag: LaneDrag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    beats, height = _shift(drag, beat, value, held, along)
    return point_edits.move(drag.curve, drag.points, beats, height, drag.session.settings.editing.collisions)


def _bend(drag: LaneDrag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    return point_edits.bend_through(drag.curve, drag.segment, drag.beat, value), drag.before


def _stroke(drag: LaneDrag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    """A freehand stroke, reduced to few shaped points while the button is still down."""
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


def _span_of(drag: LaneDrag, beat: float, held: DragKeys) -> tuple[float, float]:
    ends = sorted(snapped(drag.session, b, held) for b in (drag.beat, beat))
    return ends[0], ends[1]


def _line(drag: LaneDrag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    first, last = _span_of(drag, beat, held)
    if last - first < point_edits.TICK:
        return drag.curve, NONE_CHOSEN
    ends = (drag.value, value) if beat >= drag.beat else (value, drag.value)
    levels = [min(max(level, 0.0), 1.0) for level in ends]
    straight = line_curve([(0.0, levels[0]), (last - first, levels[1])])
    return splice(drag.curve, first, straight), NONE_CHOSEN


def _stamp(drag: LaneDrag, beat: float, value: float, held: DragKeys, along: bool) -> tuple[Curve, Ints]:
    first, last = _span_of(drag, beat, held)
    if last - first < point_edits.TICK:
        return drag.curve, NONE_CHOSEN
    key, sliders = drag.session.tools.stamp, drag.session.tools.sliders
    ends = [min(max(level, 0.0), 1.0) for level in (drag.value, value)]
    return splice(drag.curve, first, stamped(key, last - first, *ends, **sliders)), NONE_CHOSEN


UPDATES = {
    "move": _move,
    "add": _move,
    "bend": _bend,
    "freehand": _stroke,
    "line": _line,
    Tool.STAMP: _stamp,
}
LABELS = {
    "move": "Move {}",
    "add": "Add a point",
    "bend": "Bend a segment",
    "freehand": "Draw freehand",
    "line": "Draw a line",
    Tool.STAMP: "Stamp",
}
FREEHAND_TOLERANCE = 0.012  # of the lane's height


class Stroke:
    """Samples of the pointer's path. Going back in time draws over what was drawn there."""

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
        fine = distinct(np.concatenate((beats, np.linspace(beats[0], beats[-1], 4 * len(beats)))))
        return fine, np.interp(fine, beats, self.values)


def begin_drawing(session: Session, tool: str, beat: float, value: float, height: float) -> LaneDrag:
    """A freehand stroke, a line or a stamp, by the selected tool."""
    target = session.target
    assert target is not None
    drag = LaneDrag(session, tool, target.curve, max(beat, 0.0), value, height, before=session.points.chosen)
    drag.stroke = Stroke(max(beat, 0.0), value)
    return drag


def begin_add(session: Session, beat: float, value: float, height: float, held: DragKeys) -> LaneDrag:
    """A new point where the pointer is, then dragged on."""
    target = session.target
    assert target is not None
    before = session.points.chosen
    at = snapped(session, beat, held)
    if not held.free:
        value = session.tools.value_grid.snap(value, target.reach, target.parameter)
    curve, index = point_edits.add(target.curve, at, value, bool(target.parameter.steps))
    drag = LaneDrag(session, "add", curve, beat, value, height, np.array([index]), before=before)
    session.edit_curve(drag.label, curve, drag.points, drag)
    return drag


def begin_move(session: Session, points: Ints, grabbed: int, beat: float, value: float, height: float) -> LaneDrag:
    """The points move as a group; the grabbed one is what snaps."""
    target = session.target
    assert target is not None
    return LaneDrag(session, "move", target.curve, beat, value, height, points, grabbed, session.points.chosen)


def begin_bend(session: Session, segment: int, beat: float, value: float, height: float) -> LaneDrag:
    """Begin to bend a segment."""
    target = session.target
    assert target is not None
    return LaneDrag(session, "bend", target.curve, beat, value, height, NONE_CHOSEN, segment, session.points.chosen)
