# SPDX-License-Identifier: GPL-3.0-or-later
"""Morphing: every parameter of a device glides from one state to another over a span.

It is one sound whose controls move, not one sound faded into another: positions along the taper
are what moves, so frequencies go in octaves and levels in decibels. Choices and switches jump, at a
moment that is chosen, and never pass through what neither state has.
"""

from __future__ import annotations

import itertools
from typing import NamedTuple

import numpy as np

from zolvek.core.curve.curve import Curve
from zolvek.core.curve.point_edits import take
from zolvek.core.curve.shapes import CODES, HOLD, LINE
from zolvek.core.curve.spans import splice
from zolvek.core.edits import states as stored_states
from zolvek.core.edits.lanes import all_absolute
from zolvek.core.edits.replacement import add_lanes, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.morph import Course, Morph
from zolvek.core.model.project import Lane, Project
from zolvek.core.model.state import State, Values
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.morphing.lane_writing import ready
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter

Points = list[tuple[float, float, int, float]]  # beat, value, shape code, amount


class Row(NamedTuple):
    """One parameter of the table that is seen before a morph is applied."""

    parameter: Parameter
    start: float
    end: float


def rows(project: Project, device: str, start: Values, end: Values) -> list[Row]:
    """The parameters that differ, in the device's own order. Raises ZolvekError where a state
    says of parameters that the device does not have."""
    this_device = project.device_track(device).device(device)
    stored_states.checked(this_device, start, "start")
    stored_states.checked(this_device, end, "end")
    moved = set(stored_states.differing(start, end))
    return [Row(p, start[p.id], end[p.id]) for p in this_device.parameters if p.id in moved]


def morphed(
    project: Project,
    device: str,
    start: Values,
    end: Values,
    span: tuple[float, float],
    course: Course,
    always: frozenset[str] = frozenset(),
) -> Project:
    """The project with the morph written into lanes; those that are not there are added, those of
    parameters that neither differ nor are heard otherwise are left alone, but for those `always` written. Raises
    ZolvekError for an empty span, or where
    nothing differs."""
    first, last = span
    if not last > first >= 0.0:
        raise ZolvekError("The span is empty.", remedy="Select a span that ends after it begins.")
    project = all_absolute(project, device)
    own_rows = rows(project, device, start, end)
    also = always
    if own_rows:
        also |= _heard_otherwise(project, device, start, end, span)
    own_rows += [
        Row(p, start[p.id], end[p.id])
        for p in project.device_track(device).device(device).parameters
        if p.id in also and p.id in start and p.id not in {row.parameter.id for row in own_rows}
    ]
    wanted = [row for row in own_rows if row.parameter.id not in course.left_out]
    if not wanted:
        raise ZolvekError("The two states are equal.", remedy="Choose another state.")
    groups = list(dict.fromkeys(row.parameter.group for row in wanted))
    track = project.device_track(device)
    there = {lane.parameter: lane for lane in track.lanes if lane.device == device}
    own_device = track.device(device)
    result, curves = {}, {}
    for row in wanted:
        lane = there.get(row.parameter.id)
        if lane is None:
            this_span = _own_span(span, groups.index(row.parameter.group), len(groups), course.stagger)
            rest = own_device.position(row.parameter.id)
            curves[row.parameter.id] = _fresh(project, row, span, this_span, course, rest)
            continue
        this_span = _own_span(span, groups.index(row.parameter.group), len(groups), course.stagger)
        result[lane.id] = _moved(project, lane, row, span, this_span, course)
    project = add_lanes(project, device, list(curves), curves)
    track = project.device_track(device)
    lanes = tuple(result.get(lane.id, lane) for lane in track.lanes)
    return with_track(project, replace(track, lanes=lanes))


def _heard_otherwise(
    project: Project, device: str, start: Values, end: Values, span: tuple[float, float]
) -> frozenset[str]:
    """The parameters that both states say alike, but that are heard otherwise over the span: by their
    lane, or by the control where it has none. Left out, neither state would sound."""
    track = project.device_track(device)
    result = set()
    for key, position in start.items():
        if key not in end or abs(end[key] - position) > stored_states.SAME:
            continue
        lane = track.lane_on(device, key)
        if lane is None or lane.bypassed:
            heard = [track.device(device).position(key)]
        else:
            evaluated = played(lane, project)
            low, high = evaluated.curve.extents(np.array(span))
            heard = evaluated.lane.to_position(np.concatenate((low, high))).tolist()
        if max(abs(item - position) for item in heard) > stored_states.SAME:
            result.add(key)
    return frozenset(result)


def _piece(
    project: Project,
    row: Row,
    start: float,
    end: float,
    span: tuple[float, float],
    ends: tuple[float, float],
    course: Course,
) -> Points:
    """One parameter's way, from beat 0."""
    if row.parameter.steps:
        return _jump(project, start, end, span, course.moment)
    shape, amount = (course.apart or {}).get(row.parameter.id, (course.shape, course.amount))
    return _glide(start, end, *span, ends, CODES[shape], amount)


def _fresh(
    project: Project,
    row: Row,
    span: tuple[float, float],
    ends: tuple[float, float],
    course: Course,
    rest: float,
) -> Curve:
    """The curve of a new lane: at rest, the way, and what comes after."""
    first, last = span
    piece = _piece(project, row, row.start, row.end, span, ends, course)
    points = [(beat + first, *others) for beat, *others in piece]
    before = [(0.0, rest, HOLD, 0.0)] if first > 0.0 else []
    after = [] if course.stays else [(last, rest, HOLD, 0.0)]
    return _curve([*before, *points, *after])  # type: ignore[list-item]  # rows of four, of two lengths of tuples


def _curve(points: Points) -> Curve:
    beat, value, shape, amount = zip(*points, strict=True)
    return Curve(beat, value, shape, amount)  # type: ignore[arg-type]  # made arrays there


def _own_span(span: tuple[float, float], group: int, count: int, stagger: str) -> tuple[float, float]:
    """The part of the span in which a group moves."""
    first, last = span
    step = (last - first) / (count + 1)
    if stagger == "starts":
        return first + group * step, last
    if stagger == "ends":
        return first, last - (count - 1 - group) * step
    return span


def _moved(
    project: Project,
    lane: Lane,
    row: Row,
    span: tuple[float, float],
    ends: tuple[float, float],
    course: Course,
) -> Lane:
    """The lane with one parameter's way in it; its layers rest there."""
    first, last = span
    until = _stays_until(lane.curve, last, project.length) if course.stays else last
    lane = ready(project, lane, min(row.start, row.end), max(row.start, row.end), first, until)
    start, end = (float(v) for v in _exact(lane, [row.start, row.end]))
    piece = _curve(_piece(project, row, start, end, span, ends, course))
    curve = splice(lane.curve, first, piece, last)
    if course.stays:
        curve = _staying(curve, last, end)
    return replace(lane, curve=curve)


def _stays_until(curve: Curve, last: float, length: float) -> float:
    """Where what stays after a beat ends: at the curve's next point."""
    later = curve.beat[curve.beat > last]
    return float(later[0]) if later.size else max(length, last)


def _exact(lane: Lane, positions: list[float]) -> list[float]:
    """Curve values that give these positions back: the ends of the reach are exactly 0 and 1."""
    low, high = lane.reach
    return [0.0 if p == low else 1.0 if p == high else float(lane.from_position(p)) for p in positions]


def _glide(
    start: float,
    end: float,
    first: float,
    last: float,
    ends: tuple[float, float],
    code: int,
    amount: float,
) -> Points:
    rows_ = [(0.0, start, LINE, 0.0)]
    if ends[0] > first:
        rows_.append((ends[0] - first, start, LINE, 0.0))
    rows_[-1] = (*rows_[-1][:2], code, amount)
    if ends[1] < last:
        rows_.append((ends[1] - first, end, LINE, 0.0))
    rows_.append((last - first, end, LINE, 0.0))
    return rows_


def _jump(project: Project, start: float, end: float, span: tuple[float, float], moment: str) -> Points:
    """From one choice to the other at a moment, through none in between."""
    first, last = span
    length = last - first
    at = {"start": 0.0, "middle": 0.5 * length, "end": length}.get(moment)
    if at is None:
        nearest = round(first + 0.5 * length)
        at = float(min(max(nearest - first, 0.0), length))
    if at <= 0.0:
        return [(0.0, end, HOLD, 0.0), (length, end, HOLD, 0.0)]
    if at >= length:
        return [(0.0, start, HOLD, 0.0), (length, end, LINE, 0.0)]
    return [(0.0, start, HOLD, 0.0), (at, end, HOLD, 0.0), (length, end, LINE, 0.0)]


def _staying(curve: Curve, last: float, value: float) -> Curve:
    """The value held on from the end of the span to the lane's next point."""
    at = int(np.searchsorted(curve.beat, last, side="right")) - 1
    first_at = int(np.searchsorted(curve.beat, last, side="left"))
    keep = np.ones(len(curve), bool)
    if at > first_at:
        keep[at] = False  # the jump back to the old curve is what staying does without
    result = take(curve, keep)
    values, shapes, amounts = result.value.copy(), result.shape.copy(), result.amount.copy()
    values[first_at], shapes[first_at], amounts[first_at] = value, HOLD, 0.0
    return result.having(value=values, shape=shapes, amount=amounts)


def chained(
    project: Project,
    device: str,
    stops: list[tuple[float, str]],
    course: Course,
    linked: bool = True,
) -> Project:
    """A morph through several states: each of `stops` is a beat and a state's id ("" at the first
    for what is there now). Linked ones follow when a state is changed. Raises ZolvekError for fewer
    than two stops, or beats that go back."""
    if len(stops) < 2:
        raise ZolvekError("A morph needs two states.", remedy="Choose the second state.")
    beats = [beat for beat, _ in stops]
    if any(b <= a for a, b in itertools.pairwise(beats)):
        raise ZolvekError("The span is empty.", remedy="Put each stop after the previous one.")
    start = _values(project, device, stops[0][1], beats[0])
    new_project = _through(project, device, stops, start, course)
    if not linked:
        return new_project
    number = 1 + max((int(m.id.rpartition("-")[2]) for m in project.morphs), default=0)
    record = Morph(
        f"morph-{number}",
        device,
        tuple(key for _, key in stops),
        tuple(beats),
        course,
        start if stops[0][1] == "" else {},
        _keys(project, device, stops, start, course),
    )
    # A morph over the same span of the same device takes the place of the old one.
    others = tuple(
        m for m in new_project.morphs if m.device != device or m.beats[-1] <= beats[0] or m.beats[0] >= beats[-1]
    )
    return replace(new_project, morphs=(*others, record))


def _keys(
    project: Project, device: str, stops: list[tuple[float, str]], start: Values, course: Course
) -> tuple[str, ...]:
    """The parameters that a morph through these stops writes."""
    here, result = start, set()
    for beat, key in stops[1:]:
        there = {**here, **_values(project, device, key, beat)}
        result |= set(stored_states.differing(here, there))
        here = there
    return tuple(sorted(result - set(course.left_out)))


def _through(
    project: Project,
    device: str,
    stops: list[tuple[float, str]],
    start: Values,
    course: Course,
    always: frozenset[str] = frozenset(),
) -> Project:
    here = start
    for index, ((first, _), (last, key)) in enumerate(itertools.pairwise(stops)):
        there = _values(project, device, key, last)
        there = {**here, **there}
        # On the way each stop stays until the next part begins; only the end may come back.
        step = course if index == len(stops) - 2 else replace(course, stays=True)
        if stored_states.differing(here, there) or always:
            project = morphed(project, device, here, there, (first, last), step, always)
        here = there
    return project


def _values(project: Project, device: str, key: str, beat: float) -> Values:
    if key == "":
        return stored_states.at_beat(project, device, beat)
    values = stored_states.state_of(project, key).of(device)
    if not values:
        raise ZolvekError(
            "The state has no values of this device.",
            stored_states.state_of(project, key).name,
            "Choose a state of this device.",
        )
    stored_states.checked(project.device_track(device).device(device), values, key)
    return values


def remade(project: Project, state: str) -> Project:
    """Every linked morph that goes through a state, written again."""
    for morph in project.morphs:
        if state in morph.states:
            stops = list(zip(morph.beats, morph.states, strict=True))
            start = morph.start or _values(project, morph.device, morph.states[0], morph.beats[0])
            # What it moved before is written again even where nothing differs any more.
            always = frozenset(morph.moved)
            project = _through(project, morph.device, stops, start, morph.way, always)
            moved = tuple(sorted({*morph.moved, *_keys(project, morph.device, stops, start, morph.way)}))
            again = replace(morph, moved=moved)
            project = replace(project, morphs=tuple(again if m.id == morph.id else m for m in project.morphs))
    return project


def with_state(project: Project, state: State) -> Project:
    """The state of this id replaced; morphs that are linked to it follow."""
    states = tuple(state if item.id == state.id else item for item in project.states)
    return remade(replace(project, states=states), state.id)
