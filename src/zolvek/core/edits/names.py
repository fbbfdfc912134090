# SPDX-License-Identifier: GPL-3.0-or-later
"""Names, order and copies of tracks and devices."""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.edits.chains import free_id, free_name, need_order, with_device
from zolvek.core.edits.replacement import add_lane, with_lane, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceRole
from zolvek.core.model.project import Device, Lane, Project, Track
from zolvek.core.model.state import State, StatePart
from zolvek.core.records import replace


def _named(name: str) -> str:
    clean = " ".join(name.split())
    if not clean:
        raise ZolvekError("A name is needed.", remedy="Type one.")
    if len(clean) > 200:
        raise ZolvekError("The name is too long.", remedy="Use at most 200 letters.")
    return clean


def _track(project: Project, key: str) -> Track:
    result = next((track for track in project.tracks if track.id == key), None)
    if result is None:
        raise ZolvekError(f"There is no track “{key}”.", "project")
    return result


def track_renamed(project: Project, key: str, name: str) -> Project:
    """The project with another name for a track. Raises ZolvekError for a name that is in use or not usable."""
    name, own = _named(name), _track(project, key)
    if any(track.name == name for track in project.tracks if track.id != key):
        raise ZolvekError(f"Another track is called {name}.", remedy="Choose another name.")
    return with_track(project, replace(own, name=name))


def device_renamed(project: Project, key: str, name: str) -> Project:
    """The project with another name for a device. Raises ZolvekError for a name that is in use or not usable."""
    name, track = _named(name), project.device_track(key)
    if any(device.name == name for device in track.devices if device.id != key):
        raise ZolvekError(f"Another device of {track.name} is called {name}.", remedy="Choose another name.")
    return with_device(project, replace(track.device(key), name=name))


def project_renamed(project: Project, name: str) -> Project:
    """The project with another name. Raises ZolvekError for one that is not usable."""
    return replace(project, name=_named(name))


def track_moved(project: Project, key: str, to: int) -> Project:
    """The track at another place among all, counted from 0."""
    rest = [track for track in project.tracks if track.id != key]
    rest.insert(min(max(to, 0), len(rest)), _track(project, key))
    return replace(project, tracks=tuple(rest))


def device_moved(project: Project, key: str, track: str, to: int) -> Project:
    """The device, with its lanes, at place `to` of a track's chain, its own or another one's. Raises
    ZolvekError for a second instrument, or one that would not come first."""
    source, target = project.device_track(key), _track(project, track)
    device = source.device(key)
    rest = [item for item in target.devices if item.id != key]
    if device.role == DeviceRole.INSTRUMENT and any(item.role == DeviceRole.INSTRUMENT for item in rest):
        raise ZolvekError("The track already has an instrument.", target.name, "Remove it first.")
    if source.id != track:
        device = replace(device, name=free_name([item.name for item in rest], device.name))
    rest.insert(min(max(to, 0), len(rest)), device)
    need_order(rest, target.name)
    if source.id == track:
        return with_track(project, replace(target, devices=tuple(rest)))
    lanes = tuple(lane for lane in source.lanes if lane.device == key)
    left = replace(
        source,
        devices=tuple(item for item in source.devices if item.id != key),
        lanes=tuple(lane for lane in source.lanes if lane.device != key),
    )
    gained = replace(target, devices=tuple(rest), lanes=(*target.lanes, *lanes))
    tracks = tuple({source.id: left, track: gained}.get(item.id, item) for item in project.tracks)
    return replace(project, tracks=tracks)


def _twin(project: Project, device: Device, track: str, names: list[str]) -> Device:
    key = free_id(project, f"{track}-{device.kind}")
    return replace(device, id=key, name=free_name(names, device.name))


def _twin_lanes(project: Project, lanes: list[Lane], ids: dict[str, str]) -> tuple[Lane, ...]:
    used = {lane.id for lane in project.lanes()}
    new_lanes = []
    for lane in lanes:
        key = base = f"{ids[lane.device]}.{lane.parameter}"
        number = 2
        while key in used:
            key, number = f"{base}.{number}", number + 1
        used.add(key)
        new_lanes.append(replace(lane, id=key, device=ids[lane.device]))
    return tuple(new_lanes)


def device_doubled(project: Project, key: str) -> tuple[Project, str]:
    """The device once more, right after itself, with its lanes and states. Raises ZolvekError for an
    instrument, of which a track has one."""
    track = project.device_track(key)
    device = track.device(key)
    if device.role == DeviceRole.INSTRUMENT:
        raise ZolvekError("A track has one instrument.", track.name, "Duplicate the track instead.")
    twin = _twin(project, device, track.id, [item.name for item in track.devices])
    devices = list(track.devices)
    devices.insert(devices.index(device) + 1, twin)
    own = [lane for lane in track.lanes if lane.device == key]
    lanes = (*track.lanes, *_twin_lanes(project, own, {key: twin.id}))
    new_project = with_track(project, replace(track, devices=tuple(devices), lanes=lanes))
    return replace(new_project, states=(*new_project.states, *_twin_states(new_project, {key: twin.id}))), twin.id


def track_doubled(project: Project, key: str) -> tuple[Project, str]:
    """The track once more, right after itself, with its devices, lanes, states, notes and blocks."""
    track = _track(project, key)
    name = free_name([item.name for item in project.tracks], track.name)
    new = free_id(project, name)
    ids: dict[str, str] = {}
    devices: list[Device] = []
    growing = replace(project, tracks=(*project.tracks, Track(new, name)))
    for device in track.devices:
        twin = _twin(growing, device, new, [item.name for item in devices])
        devices.append(twin)
        ids[device.id] = twin.id
        growing = with_track(growing, Track(new, name, tuple(devices)))
    lanes = _twin_lanes(project, list(track.lanes), ids)
    twin_track = replace(track, id=new, name=name, devices=tuple(devices), lanes=lanes)
    tracks = list(project.tracks)
    tracks.insert(tracks.index(track) + 1, twin_track)
    states = (*project.states, *_twin_states(project, ids))
    return replace(project, tracks=tuple(tracks), states=states), new


def _twin_states(project: Project, ids: dict[str, str]) -> list[State]:
    """The states of devices, for their twins."""
    used = {state.id for state in project.states}
    states = []
    for state in project.states:
        parts = tuple(StatePart(ids[p.device], p.values) for p in state.parts if p.device in ids)
        if parts:
            key, number = f"{state.id}-2", 3
            while key in used:
                key, number = f"{state.id}-{number}", number + 1
            used.add(key)
            states.append(replace(state, id=key, parts=parts))
    return states


class CopyResult(NamedTuple):
    """How many lanes have been copied, and the names of those that had no counterpart."""

    project: Project
    lanes: int
    without: list[str]


def automation_copied(project: Project, source: str, target: str) -> CopyResult:
    """All of a track's automation on another track: each lane on the like-named parameter of the
    like-named device, else of the only device that has one of that name. What was drawn there is
    replaced; locked lanes stay, and count as without counterpart."""
    origin, other = _track(project, source), _track(project, target)
    if source == target:
        raise ZolvekError("This is the same track.", origin.name, "Choose another one.")
    without, count = [], 0
    for lane in origin.lanes:
        device = origin.device(lane.device)
        name = device.parameter(lane.parameter).name
        result = _counterpart(other, device.name, name)
        there = other.lane_on(*result) if result else None
        if result is None or (there is not None and there.locked):
            without.append(f"{device.name} · {name}")
            continue
        project, key = add_lane(project, *result)
        old = project.lane(key)
        kept = replace(
            lane,
            id=old.id,
            device=old.device,
            parameter=old.parameter,
            midi=old.midi,
            colour=old.colour,
            reach=lane.reach,
        )
        project, count = with_lane(project, kept), count + 1
    return CopyResult(project, count, without)


def _counterpart(track: Track, device: str, parameter: str) -> tuple[str, str] | None:
    rows = [(item, p.id) for item in track.devices for p in item.parameters if p.name == parameter]
    same = [(item.id, key) for item, key in rows if item.name == device]
    if same:
        return same[0]
    return (rows[0][0].id, rows[0][1]) if len({item.id for item, _ in rows}) == 1 else None
