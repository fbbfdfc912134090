# SPDX-License-Identifier: GPL-3.0-or-later
"""Points of what is drawn on: selected, moved, changed, shaped."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Ints, among
from zolvek.core.curve import point_edits
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.quantising import quantised
from zolvek.core.curve.shapes import CODES, SHAPES
from zolvek.core.curve.thinning import thinned
from zolvek.core.edits import replacement
from zolvek.core.edits.edit_scope import EditScope, counted, edit_scope_of
from zolvek.core.edits.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.evaluation.lane_evaluation import reach_heard
from zolvek.core.records import replace
from zolvek.core.value.adjustment import by_units, parse_change
from zolvek.core.value.number_entry import number_of
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import (
    base_only,
    edit_together,
    point_scope,
    segment_scope,
    target,
    together,
    unlocked,
)
from zolvek.studio.session.session import NONE_CHOSEN, Session


def select_all(session: Session) -> None:
    """Select all points."""
    if session.target:
        session.points.choose(np.arange(len(session.target.curve)))


# --- selected ---


def step(session: Session, direction: int, extend: bool = False) -> None:
    """The point after (1) or before (−1) the selection, or the playhead, selected; with `extend` it
    joins the selection. The playhead is left where it is."""
    drawn, chosen = session.target, session.points.chosen
    if drawn is None:
        return
    beats = drawn.curve.beat
    if chosen.size:
        index = int(chosen[-1 if direction > 0 else 0]) + direction
    else:
        here = session.playhead.beat
        index = int(np.searchsorted(beats, here, side="left" if direction > 0 else "right"))
        index -= direction < 0
    if 0 <= index < len(beats):
        new = np.array([index])
        session.points.choose(np.union1d(chosen, new) if extend else new)
    else:
        session.notices.say("There are no points beyond.")


def select_nth(studio: Studio) -> None:
    """Ask for a number, and select every nth of the points worked on."""
    session = studio.session
    result = point_scope(session)
    every = studio.ask.number("Select every nth point", "Every:", 2, 2, max(len(result.points), 2), 0)
    if every is not None:
        session.points.choose(result.points[:: max(round(every), 2)])


def select_band(studio: Studio) -> None:
    """Ask for two values, and select the points between them."""
    session, drawn = studio.session, target(studio.session)
    words = drawn.parameter.text
    low, high = (words(end) for end in sorted(drawn.reach))

    def use(typed: str) -> None:
        ends = [part for part in typed.split(" to ") if part.strip()]
        if len(ends) != 2:
            raise ZolvekError(
                f"“{typed}” can't be read.",
                "Select points by value",
                f"Type a range, such as {low} to {high}.",
            )
        band = np.sort(drawn.from_position([drawn.parameter.parse(part) for part in ends]))
        within = point_edits.points_in(drawn.curve, -np.inf, np.inf, float(band[0]), float(band[1]))
        span = session.span.beats
        if span is not None:
            within = np.intersect1d(within, point_edits.points_in(drawn.curve, *span))
        session.points.choose(within)
        session.notices.say(f"{counted(len(within), 'point')} selected.")

    studio.ask.typed("Select points by value", "From … to …:", f"{low} to {high}", use)


# --- added, changed, deleted ---


def add_at(session: Session, beat: float, value: float | None = None) -> None:
    """A point at a beat, on the curve or at a value; it is selected."""
    drawn = target(session)
    height = float(drawn.curve.at(beat)) if value is None else value
    curve, index = point_edits.add(drawn.curve, beat, height, bool(drawn.parameter.steps))
    where = session.project.meter.text(beat)
    session.edit_curve(f"Add a point at {where}", curve, np.array([index]))


def add_at_playhead(session: Session) -> None:
    """Add a point at the playhead."""
    add_at(session, session.playhead.beat)


def thin(session: Session) -> None:
    """Fewer of the points worked on, within the tolerance that passes are thinned by; all others stay."""
    drawn, result = target(session), point_scope(session)
    keep = np.ones(len(drawn.curve), bool)
    keep[result.points] = False
    if not drawn.aside:
        keep |= among(drawn.curve.beat, unlocked(session).pins)
    done = thinned(drawn.curve, session.settings.recording.tolerance, keep=keep)
    session.edit_curve(f"Thin {result.name}: {done.before - done.after} fewer", done.curve, NONE_CHOSEN)


def average(session: Session) -> None:
    """The points at the mean of their values."""
    drawn, result = target(session), point_scope(session)
    mean = float(drawn.curve.value[result.points].mean())
    text = drawn.parameter.text(float(drawn.to_position(mean)))
    curve = point_edits.set_value(drawn.curve, result.points, mean)
    session.edit_curve(f"Average {result.name}: {text}", curve, session.points.chosen)


def _own(session: Session, each: Target, found: EditScope) -> EditScope:
    """What of one of several lanes is worked on: what is found of the one in focus, or lies in the span."""
    if each.lane == session.focus.id:
        return found
    none, span = NONE_CHOSEN, session.span.beats
    return edit_scope_of(each.curve, none, span, session.project.meter)


def delete(session: Session) -> None:
    """Delete the points in scope."""
    result = point_scope(session)

    def edit(each: Target) -> Curve:
        return point_edits.delete(each.curve, _own(session, each, result).points)

    edit_together(session, f"Delete {result.name}", edit, NONE_CHOSEN)


def set_shape(session: Session, key: str) -> None:
    """A shape on the segments worked on."""
    result = segment_scope(session)

    def edit(each: Target) -> Curve:
        return point_edits.set_shape(each.curve, _own(session, each, result).segments, key)

    label = f"{SHAPES[CODES[key]].label} on {result.segments_name}"
    edit_together(session, label, edit, session.points.chosen)


def pin(session: Session) -> None:
    """The points stay when the lane is thinned; again releases."""
    lane, result = base_only(session, "pins"), point_scope(session)
    beats = {float(b) for b in lane.curve.beat[result.points]}
    pins = set(lane.pins)
    free = beats <= pins
    new = pins - beats if free else pins | beats
    label = f"{'Free' if free else 'Pin'} {result.name}"
    session.edit_lane(label, replace(lane, pins=tuple(sorted(new))))


def nudge_time(session: Session, direction: int, fine: bool) -> None:
    """The points one grid step, or ten ticks, on."""
    drawn, result = target(session), point_scope(session)
    beat = float(drawn.curve.beat[result.points[0]])
    grid, meter = session.tools.grid, session.project.meter
    step = 10 * point_edits.TICK if fine else grid.step_at(beat, meter)
    when_met = session.settings.editing.collisions
    where = result.points

    def edit(each: Target) -> Curve:
        nonlocal where
        points = _own(session, each, result).points
        curve, moved = point_edits.move(each.curve, points, direction * step, 0.0, when_met)
        where = moved if each.lane == drawn.lane else where
        return curve

    if len(together(session)) == 1:
        curve = edit(drawn)
        moved = (result.points, where)
        session.edit_curve(f"Nudge {result.name}", curve, _still(session, where), moved=moved)
    else:
        edit_together(session, f"Nudge {result.name}", edit, NONE_CHOSEN)


def nudge_value(session: Session, count: float) -> None:
    """The points by units of the parameter: a semitone, 1 dB, 1 %."""
    result = point_scope(session)

    def edit(each: Target) -> Curve:
        return _by(each, by_units(each.parameter, count), _own(session, each, result).points)

    edit_together(session, f"Nudge {result.name}", edit, session.points.chosen)


def change_values(session: Session, text: str) -> None:
    """The points changed by what is typed."""
    drawn, result = target(session), point_scope(session)
    change = parse_change(drawn.parameter, text)
    curve = _by(drawn, change, result.points)
    session.edit_curve(f"Change {result.name} by {text}", curve, session.points.chosen)


def set_value(session: Session, text: str) -> None:
    """The points at the value that is typed, in the parameter's unit or in percent of its travel."""
    drawn, result = target(session), point_scope(session)
    bpm = float(session.project.tempo.bpm(float(drawn.curve.beat[result.points[0]])))
    position = drawn.parameter.parse(text, bpm)
    low, high = sorted(drawn.reach)
    if not low - 1e-12 <= position <= high + 1e-12:
        words = drawn.parameter.text
        raise ZolvekError(
            f"“{text}” is outside the lane's reach.",
            drawn.parameter.name,
            f"The reach is {words(low)} to {words(high)}.",
        )
    curve = point_edits.set_value(drawn.curve, result.points, drawn.from_position(position))
    label = f"Set {result.name} to {drawn.parameter.text(position)}"
    session.edit_curve(label, curve, session.points.chosen)


def set_position(session: Session, text: str) -> None:
    """The points as a group, so that the first of them lies at the position that is typed."""
    drawn, result = target(session), point_scope(session)
    meter, beat = session.project.meter, session.position_of(text)
    curve, where = point_edits.place(drawn.curve, result.points, beat, session.settings.editing.collisions)
    label = f"Move {result.name} to {meter.text(beat)}"
    session.edit_curve(label, curve, _still(session, where), moved=(result.points, where))


def set_amount(session: Session, text: str) -> None:
    """What the shapes of the segments take."""
    drawn, result = target(session), segment_scope(session)
    amount = number_of(text, "", -1e6, 1e6, "Amount")
    curve = point_edits.set_amount(drawn.curve, result.segments, amount)
    session.edit_curve(f"Set the amount of {result.segments_name} to {text}", curve)


def _by(drawn: Target, change: Callable, points: Ints) -> Curve:
    """Points changed in the parameter's own measure."""
    position = change(drawn.to_position(drawn.curve.value[points]))
    return point_edits.set_value(drawn.curve, points, drawn.from_position(position))


def _still(session: Session, where: Ints) -> Ints:
    """The selection after points have moved: they stay selected if they were, a span stays a span."""
    return where if session.points.chosen.size else NONE_CHOSEN


def toggle_jump(session: Session) -> None:
    """At the last of the points."""
    curve, result = target(session).curve, point_scope(session)
    curve = point_edits.toggle_jump(curve, int(result.points[-1]))
    session.edit_curve("Make or close a jump", curve, NONE_CHOSEN)


def take_from_dial(session: Session) -> None:
    """The points at the control's own present value."""
    lane, result = base_only(session, "dial"), point_scope(session)
    position = session.project.device_of(lane.id).position(lane.parameter)
    value = 0.5 if lane.relative else lane.from_position(position)
    curve = point_edits.set_value(lane.curve, result.points, value)
    session.edit_curve(f"Take the dial's value for {result.name}", curve, session.points.chosen)


def send_to_dial(session: Session) -> None:
    """The control's present value is set to the first selected point's, or the playhead's."""
    lane, chosen = base_only(session, "dial"), session.points.chosen
    at = lane.curve.beat[chosen[0]] if chosen.size else session.playhead.beat
    low, high = reach_heard(lane, session.project)
    position = min(max(low + (high - low) * float(lane.curve.at(at)), 0.0), 1.0)
    parameter = session.project.parameter_of(lane.id)
    project = replacement.set_dial(session.project, lane.device, lane.parameter, position)
    session.document.edit(f"Set {parameter.name} to {parameter.text(position)}", project)


def reset(session: Session) -> None:
    """The focus lane's curve as it was when the project was opened or last saved."""
    lane, saved = unlocked(session), session.document.saved
    if saved is None or not saved.has_lane(lane.id):
        raise ZolvekError("The lane did not exist then.", remedy="Use undo instead.")
    base_only(session, "saved form")
    session.edit_curve("Revert to the saved curve", saved.lane(lane.id).curve, NONE_CHOSEN)


def quantise(session: Session, strength: float = 1.0) -> None:
    """Points pulled to the grid; what can't be placed is said."""
    result = point_scope(session)
    grid = replace(session.tools.grid, on=True)
    curve, left = quantised(target(session).curve, grid, session.project.meter, strength, result.points)
    chosen = left if left.size else session.points.chosen
    session.edit_curve(f"Quantise {result.name} to {grid.label}", curve, chosen)
    if left.size:
        noun = "point" if left.size == 1 else "points"
        session.notices.say(f"{left.size} {noun} had no free grid line and did not move.")
