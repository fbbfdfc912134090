"""Points of what is drawn on: selected, moved, changed, shaped."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.curve import edits
from zolvek.core.curve.quantise import quantised
from zolvek.core.curve.shapes import CODES, SHAPES
from zolvek.core.document import parts
from zolvek.core.document.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.core.records import replace
from zolvek.core.value.changes import by_units, parse_change
from zolvek.studio.commands.scope import base_only, target, unlocked
from zolvek.studio.session import NONE_CHOSEN, Session


def select_all(session: Session) -> None:
    if session.target:
        session.points.choose(np.arange(len(session.target.curve)))


def delete(session: Session) -> None:
    points = session.points
    if session.target is not None and points.chosen.size:
        curve = edits.delete(session.target.curve, points.chosen)
        session.edit_curve(f"Delete {points.scope_name}", curve, NONE_CHOSEN)


def set_shape(session: Session, key: str) -> None:
    """A shape on the segments that begin at the points of the scope."""
    if session.target is None:
        return
    curve = session.target.curve
    segments = edits.segments_of(curve, session.points.scope)
    count = "1 segment" if len(segments) == 1 else f"{len(segments)} segments"
    label = f"{SHAPES[CODES[key]].label} on {count}"
    session.edit_curve(label, edits.set_shape(curve, segments, key))


def pin(session: Session) -> None:
    """The selected points stay when the lane is thinned; again lets them go."""
    lane = base_only(session, "pins")
    beats = {float(b) for b in lane.curve.beat[session.points.chosen]}
    pins = set(lane.pins)
    new = pins - beats if beats <= pins else pins | beats
    session.edit_lane("Pin or free points", replace(lane, pins=tuple(sorted(new))))


def nudge_time(session: Session, way: int, fine: bool) -> None:
    """The selected points one grid step, or ten ticks, on."""
    drawn, points = target(session), session.points
    if not points.chosen.size:
        return
    beat = float(drawn.curve.beat[points.chosen[0]])
    grid, meter = session.tools.grid, session.project.meter
    step = 10 * edits.TICK if fine else grid.step_at(beat, meter)
    curve, where = edits.move(
        drawn.curve, points.chosen, way * step, 0.0, session.settings.when_met
    )
    session.edit_curve(f"Nudge {points.scope_name}", curve, where)


def nudge_value(session: Session, count: float) -> None:
    """The selected points by units of the parameter: a semitone, 1 dB, 1 %."""
    drawn = target(session)
    if session.points.chosen.size:
        change = by_units(drawn.parameter, count)
        _change(session, drawn, change, f"Nudge {session.points.scope_name}")


def change_values(session: Session, text: str) -> None:
    """The selected points, or all, changed by what is typed."""
    drawn = target(session)
    change = parse_change(drawn.parameter, text)
    _change(session, drawn, change, f"Change {session.points.scope_name} by {text}")


def _change(session: Session, drawn: Target, change: Callable, label: str) -> None:
    which = session.points.scope
    position = change(drawn.to_position(drawn.curve.value[which]))
    curve = edits.set_value(drawn.curve, which, drawn.from_position(position))
    session.edit_curve(label, curve, session.points.chosen)


def toggle_jump(session: Session) -> None:
    curve = target(session).curve
    if session.points.chosen.size:
        curve = edits.toggle_jump(curve, int(session.points.chosen[-1]))
        session.edit_curve("Make or close a jump", curve, NONE_CHOSEN)


def take_from_dial(session: Session) -> None:
    """The selected points, or all, at the control's own present value."""
    lane, points = base_only(session, "dial"), session.points
    position = session.project.device_of(lane.id).position(lane.parameter)
    curve = edits.set_value(lane.curve, points.scope, lane.from_position(position))
    session.edit_curve(f"Take the dial's value for {points.scope_name}", curve, points.chosen)


def send_to_dial(session: Session) -> None:
    """The control's present value is set to the first selected point's, or the playhead's."""
    lane, chosen = base_only(session, "dial"), session.points.chosen
    at = lane.curve.beat[chosen[0]] if chosen.size else session.playhead.beat
    position = float(lane.at(at))
    parameter = session.project.parameter_of(lane.id)
    project = parts.set_dial(session.project, lane.device, lane.parameter, position)
    session.document.edit(f"Set {parameter.name} to {parameter.text(position)}", project)


def reset(session: Session) -> None:
    """The focus lane's curve as it was when the project was opened or last saved."""
    lane, saved = unlocked(session), session.document.saved
    if saved is None or not saved.has_lane(lane.id):
        raise ZolvekError("The lane was not there then.", remedy="Undo goes back step by step.")
    base_only(session, "saved form")
    session.edit_curve("Reset the lane to what was saved", saved.lane(lane.id).curve, NONE_CHOSEN)


def quantise(session: Session, strength: float = 1.0) -> None:
    """Points pulled to the grid; what can't be placed is said."""
    curve, points = target(session).curve, session.points
    grid = replace(session.tools.grid, on=True)
    curve, left = quantised(curve, grid, session.project.meter, strength, points.scope)
    session.edit_curve(f"Quantise {points.scope_name} to {grid.label}", curve, points.chosen)
    if left.size:
        noun = "point" if left.size == 1 else "points"
        session.notices.say(f"{left.size} {noun} found no free line and stay where they are.")
        points.choose(left)
