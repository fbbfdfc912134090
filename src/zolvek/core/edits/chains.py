# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of tracks and their chains: devices added, ordered, bypassed, removed; presets; sources."""

from __future__ import annotations

import re
from collections.abc import Sequence

from zolvek.core.edits.replacement import remove_lane, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind, DeviceRole
from zolvek.core.model.project import Clip, Device, Lane, Project, Track
from zolvek.core.model.source import SHIPPED
from zolvek.core.records import replace

# What comes first in a chain; the rest follows in any order.
CHAIN_ORDER: dict[str, int] = {DeviceRole.MIDI: 0, DeviceRole.INSTRUMENT: 1}
REST = len(CHAIN_ORDER)


def free_id(project: Project, wanted: str) -> str:
    """`wanted`, or with a number behind it when something bears it already."""
    base = re.sub(r"[^a-z0-9]+", "-", wanted.lower()).strip("-") or "device"
    used = {track.id for track in project.tracks} | {lane.id for lane in project.lanes()}
    used |= {device.id for track in project.tracks for device in track.devices}
    key, number = base, 2
    while key in used:
        key, number = f"{base}-{number}", number + 1
    return key


def free_name(names: list[str], wanted: str) -> str:
    """`wanted`, with a number if the name is in use."""
    name, number = wanted, 2
    while name in names:
        name, number = f"{wanted} {number}", number + 1
    return name


def with_device(project: Project, device: Device) -> Project:
    """The project with the device of this id replaced."""
    track = project.device_track(device.id)
    devices = tuple(device if item.id == device.id else item for item in track.devices)
    return with_track(project, replace(track, devices=devices))


def add_track(project: Project, name: str, takes_sends: bool = False) -> tuple[Project, str]:
    """A track of its own name with nothing but a channel strip; returns its id."""
    name = free_name([track.name for track in project.tracks], name.strip() or "Track")
    key = free_id(project, name)
    strip = Device(free_id(project, f"{key}-strip"), "strip", "Channel strip")
    track = Track(key, name, (strip,), takes_sends=takes_sends)
    return replace(project, tracks=(*project.tracks, track)), key


def remove_track(project: Project, key: str) -> Project:
    """The track gone, its lanes and what is linked or mapped to them too."""
    track = next((item for item in project.tracks if item.id == key), None)
    if track is None:
        raise ZolvekError(f"There is no track “{key}”.", "project")
    for device in track.devices:
        project = remove_device(project, device.id)
    for device in (item for own in project.tracks for item in own.devices):
        if device.side_chain == key:
            project = with_device(project, replace(device, side_chain=""))
    return replace(project, tracks=tuple(item for item in project.tracks if item.id != key))


def add_device(project: Project, track: str, kind: DeviceKind) -> tuple[Project, str]:
    """A device more in the chain, at the place of its role. Returns its id. Raises ZolvekError for a second
    instrument."""
    from zolvek.core.model.catalogue import DEVICE_KINDS

    owner = next((item for item in project.tracks if item.id == track), None)
    if owner is None:
        raise ZolvekError(f"There is no track “{track}”.", "project")
    devices = list(owner.devices)
    if kind.role == DeviceRole.INSTRUMENT and any(item.role == DeviceRole.INSTRUMENT for item in devices):
        raise ZolvekError("The track already has an instrument.", owner.name, "Remove it first, or add a track.")
    name = free_name([item.name for item in devices], kind.name)
    described = None if DEVICE_KINDS.get(kind.key) is kind else kind
    key = free_id(project, f"{track}-{kind.name if kind.plugin is not None else kind.key}")
    device = Device(key, kind.key, name, described=described)
    devices.insert(place_for(devices, kind.role), device)
    return with_track(project, replace(owner, devices=tuple(devices))), device.id


def move_device(project: Project, key: str, by: int) -> Project:
    """A device further on in its chain, or back; an instrument stays first. Raises ZolvekError
    where it can't go on."""
    track = project.device_track(key)
    devices = list(track.devices)
    at = next(i for i, device in enumerate(devices) if device.id == key)
    to = min(max(at + by, 0), len(devices) - 1)
    devices.insert(to, devices.pop(at))
    need_order(devices, track.name)
    return with_track(project, replace(track, devices=tuple(devices)))


def place_for(devices: Sequence[Device], role: str) -> int:
    """Where in a chain one more device of a role comes in: after all that come before it or beside it, but before the
    channel strip."""
    rank = CHAIN_ORDER.get(role, REST)
    place = sum(CHAIN_ORDER.get(device.role, REST) <= rank for device in devices)
    return place - 1 if rank == REST and devices and devices[-1].kind == "strip" else place


def need_order(devices: list[Device], where: str) -> None:
    """Raises ZolvekError where an instrument does not come first in a chain, or a MIDI plugin not before it."""
    ranks = [CHAIN_ORDER.get(device.role, REST) for device in devices]
    if ranks != sorted(ranks):
        raise ZolvekError(
            "MIDI plugins come first in a chain, then the instrument, then effects.", where, "Move an effect instead."
        )


def lanes_of(project: Project, device: str) -> list[Lane]:
    """The lanes that would go with the device."""
    return [lane for lane in project.device_track(device).lanes if lane.device == device]


def remove_device(project: Project, key: str) -> Project:
    """The device gone, its lanes with it."""
    for lane in lanes_of(project, key):
        project = remove_lane(project, lane.id)
    mappings = tuple(mapping for mapping in project.mappings if mapping.device != key)
    for other in project.tracks:
        if other.output is not None and other.output.device == key:
            project = with_track(project, replace(other, output=None))
    track = project.device_track(key)
    devices = tuple(device for device in track.devices if device.id != key)
    return with_track(replace(project, mappings=mappings), replace(track, devices=devices))


def apply_preset(project: Project, key: str, preset: str) -> Project:
    """The device's controls at a preset's values; its lanes stay as they are."""
    device = project.device_track(key).device(key)
    kept = device.values if device.row.plugin is not None else {}  # what it does not name stays
    state = device.row.state(preset) or device.state
    values = kept | device.row.preset(preset)
    return with_device(project, replace(device, values=values, state=state))


def toggle_favourite(project: Project, key: str, parameter: str) -> Project:
    """The parameter among the device's favourites, or no longer."""
    device = project.device_track(key).device(key)
    device.parameter(parameter)
    own = device.favourites
    favourites = tuple(item for item in own if item != parameter) if parameter in own else (*own, parameter)
    return with_device(project, replace(device, favourites=favourites))


def with_sound(project: Project, track: str, file: str) -> Project:
    """A sound file as the track's source, from the start on; what sounded there before goes."""
    owner = next((item for item in project.tracks if item.id == track), None)
    if owner is None:
        raise ZolvekError("The track no longer exists.", track, "Choose another one.")
    return with_track(project, replace(owner, clips=(Clip(0.0, file),)))


def sound_files(project: Project) -> list[str]:
    """All sound files that the project plays, each once."""
    files = [clip.file for track in project.tracks for clip in track.clips]
    files += [file for track in project.tracks for device in track.devices for file in device.files.values()]
    return list(dict.fromkeys(files))


def own_sound_files(project: Project) -> list[str]:
    """Those of them that don't come with the program."""
    return [name for name in sound_files(project) if not name.startswith(SHIPPED)]


def with_file_found(project: Project, lost: str, found: str) -> Project:
    """Every clip of the file `lost`, and every device that has it, plays `found` instead."""
    for track in project.tracks:
        clips = tuple(replace(c, file=found) if c.file == lost else c for c in track.clips)
        devices = tuple(_with_file(device, lost, found) for device in track.devices)
        if clips != track.clips or devices != track.devices:
            project = with_track(project, replace(track, clips=clips, devices=devices))
    if lost in project.sounds:
        renamed_sounds = {found if name == lost else name: mark for name, mark in project.sounds.items()}
        project = replace(project, sounds=renamed_sounds)
    return project


def _with_file(device: Device, lost: str, found: str) -> Device:
    if lost not in device.files.values():
        return device
    return replace(device, files={key: found if file == lost else file for key, file in device.files.items()})
