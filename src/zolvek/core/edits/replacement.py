# SPDX-License-Identifier: GPL-3.0-or-later
"""Parts of a project, changed and put back into it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache

import numpy as np

from zolvek.core.curve.construction import flat
from zolvek.core.curve.curve import Curve
from zolvek.core.model.messages import MidiTarget, parse_target
from zolvek.core.model.project import Lane, Project, Track
from zolvek.core.records import replace


def with_track(project: Project, track: Track) -> Project:
    """The project with the track in place of the one of its id."""
    tracks = tuple(track if item.id == track.id else item for item in project.tracks)
    return replace(project, tracks=tracks)


def with_lane(project: Project, lane: Lane) -> Project:
    """The project with the lane of this id replaced."""
    track = project.track_of(lane.id)
    lanes = tuple(lane if item.id == lane.id else item for item in track.lanes)
    return with_track(project, replace(track, lanes=lanes))


def with_curve(project: Project, lane: str, curve: Curve) -> Project:
    """The project with another base curve for a lane."""
    return with_lane(project, replace(project.lane(lane), curve=curve))


def edit_lane(project: Project, lane: str, edit: Callable[[Curve], Curve]) -> Project:
    """The project with a lane changed by `edit`."""
    return with_curve(project, lane, edit(project.lane(lane).curve))


def add_lane(project: Project, device: str, parameter: str) -> tuple[Project, str]:
    """A lane for a parameter, flat at the control's present value; returns its id.

    A parameter that has a lane keeps it, and its id is returned.
    """
    there = project.device_track(device).lane_on(device, parameter)
    if there:
        return project, there.id
    project = add_lanes(project, device, [parameter])
    return project, project.device_track(device).lanes[-1].id


def add_lanes(
    project: Project,
    device: str,
    parameters: list[str],
    curves: dict[str, Curve] | None = None,
) -> Project:
    """As `add_lane`, for many parameters of a device in one go; `curves` gives some of them a
    curve to begin with."""
    track = project.device_track(device)
    this_device = track.device(device)
    driven = {lane.parameter for lane in track.lanes if lane.device == device}
    used = {lane.id for lane in project.lanes()}
    taken = {lane.midi.address for lane in project.lanes()}
    channel = project.tracks.index(track) % 16 + 1
    free = iter([t for t in _general_targets(channel) if t.address not in taken])
    added: list[Lane] = []
    for parameter in parameters:
        if parameter in driven:
            continue
        key = base = f"{device}.{parameter}"
        number = 2
        while key in used:
            key, number = f"{base}.{number}", number + 1
        used.add(key)
        target = parse_target(this_device.parameter(parameter).sends, channel)
        target = target or next(free, MidiTarget(channel, 119))
        curve = (curves or {}).get(parameter) or flat(this_device.position(parameter))
        colour = (len(track.lanes) + len(added)) % LANE_COLOURS  # so that neighbours differ
        added.append(Lane(key, device, parameter, curve, midi=target, colour=colour))
    return with_track(project, replace(track, lanes=(*track.lanes, *added)))


LANE_COLOURS = 10  # that lanes are drawn in

# Controllers that MIDI 1.0 leaves undefined or to general use, taken in this order.
FREE_CONTROLLERS = (*range(14, 32), *range(85, 91), *range(102, 120))


@lru_cache(maxsize=16)
def _general_targets(channel: int) -> tuple[MidiTarget, ...]:
    return tuple(MidiTarget(channel, number) for number in FREE_CONTROLLERS)


def remove_lane(project: Project, lane: str) -> Project:
    """The project without the lane and its links."""
    track = project.track_of(lane)
    lanes = tuple(item for item in track.lanes if item.id != lane)
    links = tuple(link for link in project.links if lane not in (link.lane, link.other))
    return with_track(replace(project, links=links), replace(track, lanes=lanes))


def set_dial(project: Project, device: str, parameter: str, position: float) -> Project:
    """The present value of a control."""
    return set_dials(project, device, {parameter: position})


def set_dials(project: Project, device: str, positions: Mapping[str, float]) -> Project:
    """The present values of several controls of a device, by parameter."""
    track = project.device_track(device)
    old = track.device(device)
    new = old.at({key: float(np.clip(position, 0.0, 1.0)) for key, position in positions.items()})
    devices = tuple(new if item.id == device else item for item in track.devices)
    return with_track(project, replace(track, devices=devices))
