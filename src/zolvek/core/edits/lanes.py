# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of lanes as a whole: reach, target, order, links, clearing."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Ints, among
from zolvek.core.curve.construction import flat
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.point_edits import set_value
from zolvek.core.curve.shaping import valued
from zolvek.core.curve.spans import cut
from zolvek.core.edits.edit_scope import counted
from zolvek.core.edits.replacement import remove_lane, with_curve, with_lane, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Cycle, Lane, Link, Project, Switch
from zolvek.core.movement.evaluation.layering import free_of_reach, rescaled
from zolvek.core.records import replace
from zolvek.core.value.reach import WHOLE, around

STILL = 1e-4  # of the height: what moves by less stands still


def with_reach(lane: Lane, low: float, high: float, keep_sound: bool = False) -> Lane:
    """The lane with another reach. Its curve keeps its form, or with `keep_sound` its values
    are changed so that it is heard as before, as far as the new reach goes. A level curve has no form
    to keep, and is heard as before."""
    new = replace(lane, reach=(low, high))
    if not keep_sound and np.ptp(lane.curve.value) > 0.0:
        return new
    value = new.from_position(lane.to_position(lane.curve.value))
    factor = (lane.reach[1] - lane.reach[0]) / (high - low)
    return replace(new, curve=valued(lane.curve, value, factor))


def reach_of(lane: Lane, first: float, last: float) -> tuple[float, float]:
    """The positions that the curve runs through from beat `first` to `last`, for a reach
    "from the selection". Raises ZolvekError when it does not move there."""
    low, high = lane.curve.extent(first, last)
    if high - low < 1e-6:
        raise ZolvekError("The curve does not move there.", remedy="Select a span in which it moves.")
    ends = lane.to_position([low, high])
    return float(ends[0]), float(ends[1])


def made_relative(project: Project, lane: str) -> Project:
    """The lane drawn around where its control stands, heard as before while it stands there."""
    old = project.lane(lane)
    if old.relative:
        return project
    old = free_of_reach(old, project.tempo, project.length)
    present = project.device_of(lane).position(old.parameter)
    value = 0.5 + 0.5 * (old.to_position(old.curve.value) - present)
    factor = 0.5 * (old.reach[1] - old.reach[0])
    curve = valued(old.curve, value, factor)
    layers = rescaled(old.layers, factor)
    return with_lane(project, replace(old, curve=curve, layers=layers, reach=WHOLE, relative=True))


def made_absolute(project: Project, lane: str) -> Project:
    """The lane drawn over its control's whole travel, heard as it is now: clipped where it is."""
    old = project.lane(lane)
    if not old.relative:
        return project
    old = free_of_reach(old, project.tempo, project.length)
    low, high = around(old.reach, project.device_of(lane).position(old.parameter))
    value = np.clip(low + (high - low) * old.curve.value, 0.0, 1.0)
    curve = valued(old.curve, value, high - low)
    layers = rescaled(old.layers, high - low)
    return with_lane(project, replace(old, curve=curve, layers=layers, reach=WHOLE, relative=False))


def all_absolute(project: Project, device: str) -> Project:
    """The device's lanes, none of them relative: what writes positions needs them so."""
    for lane in project.device_track(device).lanes:
        if lane.device == device and lane.relative and not lane.locked:
            project = made_absolute(project, lane.id)
    return project


def retarget(project: Project, lane: str, device: str, parameter: str) -> Project:
    """The lane drives another parameter and keeps its curve. Raises ZolvekError when that
    parameter has a lane already."""
    old, track = project.lane(lane), project.device_track(device)
    if track.lane_on(device, parameter):
        name = track.device(device).parameter(parameter).name
        raise ZolvekError(f"{name} already has a lane.", remedy="Remove it first.")
    track.device(device).parameter(parameter)
    moved = replace(old, device=device, parameter=parameter)
    rest = remove_lane(project, lane)
    track = rest.device_track(device)
    return replace(with_track(rest, replace(track, lanes=(*track.lanes, moved))), links=project.links)


def moved(project: Project, lane: str, by: int) -> Project:
    """The lane further up or down among its track's lanes."""
    track = project.track_of(lane)
    lanes = list(track.lanes)
    at = next(i for i, item in enumerate(lanes) if item.id == lane)
    to = min(max(at + by, 0), len(lanes) - 1)
    lanes.insert(to, lanes.pop(at))
    return with_track(project, replace(track, lanes=tuple(lanes)))


def grouped(project: Project) -> Project:
    """Every track's lanes in the order of its devices and their parameters."""
    for track in project.tracks:
        order = {(d.id, p.id): (i, j) for i, d in enumerate(track.devices) for j, p in enumerate(d.parameters)}
        lanes = tuple(sorted(track.lanes, key=lambda lane: order[lane.device, lane.parameter]))
        project = with_track(project, replace(track, lanes=lanes))
    return project


def cleared(project: Project, lane: str) -> Project:
    """The lane flat at its control's present value, as a new one is."""
    old = project.lane(lane)
    value = float(old.from_position(project.device_of(lane).position(old.parameter)))
    value = 0.5 if old.relative else value
    return with_lane(project, replace(old, curve=flat(value), cycle=None, switches=()))


def beside_the_curve(lane: Lane) -> list[str]:
    """What a lane has next to its curve, in words: "2 layers", "1 take"."""
    rows = ((lane.layers, "layer"), (lane.slots, "slot"), (lane.takes, "take"), (lane.pins, "pin"))
    return [counted(len(items), noun) for items, noun in rows if items]


def bypassed(project: Project, lanes: dict[str, bool]) -> Project:
    """These lanes bypassed (True) or applied."""
    for track in project.tracks:
        new = tuple(
            replace(x, bypassed=lanes[x.id]) if lanes.get(x.id, x.bypassed) != x.bypassed else x for x in track.lanes
        )
        if any(a is not b for a, b in zip(new, track.lanes, strict=True)):
            project = with_track(project, replace(track, lanes=new))
    return project


def beside(
    project: Project,
    focus: str | None,
    near: bool = True,
    kept: frozenset[str] = frozenset(),
    moving_in: tuple[float, float] | None = None,
) -> list[Lane]:
    """The shown lanes other than the focus: those of its device first, then those of its track, then
    the others (`near`), else in the project's order; `kept` ones before all. With `moving_in` only
    those that move there."""
    shown = [lane for lane in project.lanes() if not lane.hidden and lane.id != focus]
    if moving_in is not None:
        shown = [lane for lane in shown if lane.id in kept or moves(lane, *moving_in)]
    this_lane = project.lane(focus) if focus is not None else None
    track = {lane.id for lane in project.track_of(this_lane.id).lanes} if this_lane is not None else set()

    def rank(lane: Lane) -> int:
        if lane.id in kept:
            return 0
        if not near or this_lane is None:
            return 1
        return 1 if lane.device == this_lane.device else 2 if lane.id in track else 3

    return sorted(shown, key=rank)


def moves(lane: Lane, first: float, last: float) -> bool:
    """Whether a lane's curve or a layer of it does anything in a span."""
    if any(layer.on and layer.first < last and (layer.last is None or layer.last > first) for layer in lane.layers):
        return True
    beats = lane.curve.beat
    within = lane.curve.value[np.searchsorted(beats, first) : np.searchsorted(beats, last, side="right")]
    if within.size and np.ptp(within) > STILL:  # its points show it; the exact extent takes far longer
        return True
    low, high = lane.curve.extent(first, last)
    return high - low > STILL


def pins_moved(pins: tuple[float, ...], before: Curve, after: Curve) -> tuple[float, ...]:
    """Pins go where their points have gone: by their place among those whose beats have changed where
    there are as many of them as before, else by their place among all; a pin whose point is gone goes
    too."""
    gone = np.setdiff1d(pins, after.beat)
    if not gone.size:
        return pins
    old, new = np.setdiff1d(before.beat, after.beat), np.setdiff1d(after.beat, before.beat)
    if len(old) != len(new):
        old, new = before.beat, after.beat
    kept = set(pins) - set(gone.tolist())
    if len(old) == len(new):
        index = np.searchsorted(old, gone)
        there = among(gone, old)
        kept |= set(new[index[there]].tolist())
    return tuple(sorted(kept))


def pins_along(pins: tuple[float, ...], before: Curve, after: Curve, moved: tuple[Ints, Ints]) -> tuple[float, ...]:
    """Pins go where their points have gone, of which it is known which were `moved`: their indices before and
    after. A pin without a point goes."""
    there = dict(zip(before.beat[moved[0]].tolist(), after.beat[moved[1]].tolist(), strict=True))
    return tuple(sorted({there.get(pin, pin) for pin in pins} & set(after.beat.tolist())))


def linked(project: Project, lane: str, other: str, factor: float) -> Project:
    """`other` follows what is moved in `lane`; a factor of 0 ends the link."""
    rest = tuple(x for x in project.links if (x.lane, x.other) != (lane, other))
    if factor == 0.0:
        return replace(project, links=rest)
    if lane == other:
        raise ZolvekError("A lane can't follow itself.", remedy="Choose another lane.")
    return replace(project, links=(*rest, Link(lane, other, factor)))


def followed(project: Project, lane: str, before: Curve, after: Curve) -> Project:
    """The lanes linked to `lane` moved as it was: where its points' values have changed, theirs
    change by the link's factor of it. Locked lanes stay."""
    for link in project.links:
        other = project.lane(link.other)
        if link.lane != lane or other.locked:
            continue
        beats = np.union1d(before.beat, after.beat)
        changed = beats[np.abs(after.at(beats) - before.at(beats)) > 1e-12]
        if not changed.size:
            continue
        at = np.searchsorted(beats, [changed[0], changed[-1]])
        edges = beats[max(at[0] - 1, 0) : at[1] + 2]
        curve = cut(other.curve, edges)
        value = curve.value + link.factor * (after.at(curve.beat) - before.at(curve.beat))
        project = with_curve(project, other.id, set_value(curve, np.arange(len(curve)), value))
    return project


LEAST_LOOP = 1.0 / 64.0  # beats


def with_loop(lane: Lane, first: float, last: float) -> Lane:
    """The lane plays on to `last` once, and from there repeats what lies from `first` to it. Raises
    ZolvekError when that is too short."""
    return replace(lane, cycle=Cycle(first, last - first))


def moved_switch(lane: Lane, beat: float, to: float) -> Lane:
    """The switch at a beat at another one; where there is one already it goes."""
    slot = next(s.slot for s in lane.switches if s.beat == beat)
    return with_switch(without_switch(lane, beat), to, slot)


def without_switch(lane: Lane, beat: float) -> Lane:
    """What plays before the switch goes on."""
    return replace(lane, switches=tuple(s for s in lane.switches if s.beat != beat))


def moved_slot(lane: Lane, slot: int, by: int) -> Lane:
    """A slot further up or down; the switches go on to play what they played."""
    to = min(max(slot + by, 0), len(lane.slots) - 1)
    order = list(range(len(lane.slots)))
    order.insert(to, order.pop(slot))
    places = {old: new for new, old in enumerate(order)}
    switches = tuple(replace(s, slot=places.get(s.slot, s.slot)) for s in lane.switches)
    return replace(lane, slots=tuple(lane.slots[i] for i in order), switches=switches)


def without_slot(lane: Lane, slot: int) -> Lane:
    """A slot gone; where it played the lane's own curve does."""
    switches = tuple(replace(s, slot=-1 if s.slot == slot else s.slot - (s.slot > slot)) for s in lane.switches)
    slots = (*lane.slots[:slot], *lane.slots[slot + 1 :])
    return replace(lane, slots=slots, switches=switches)


def with_switch(lane: Lane, beat: float, slot: int) -> Lane:
    """From `beat` on the lane plays slot `slot` (−1: its own curve), up to the next switch."""
    others = [switch for switch in lane.switches if switch.beat != beat]
    ordered = sorted([*others, Switch(beat, slot)], key=lambda switch: switch.beat)
    # A switch to what plays already says nothing.
    kept: list[Switch] = []
    for switch in ordered:
        if switch.slot != (kept[-1].slot if kept else -1):
            kept.append(switch)
    return replace(lane, switches=tuple(kept))


def is_linked(project: Project, lane: str) -> bool:
    """Whether a lane moves another one along, or is moved along by one."""
    return any(lane in (link.lane, link.other) for link in project.links)
