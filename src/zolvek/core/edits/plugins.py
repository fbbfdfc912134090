# SPDX-License-Identifier: GPL-3.0-or-later
"""Hosted plugins in a project: added with their presets as states; what another version of a plugin has changed."""

from __future__ import annotations

import numpy as np

from zolvek.core.edits import states
from zolvek.core.edits.chains import add_device, add_track, with_device
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.plugin import USUAL_RATE, Binding, reached
from zolvek.core.model.project import MOST_PAIRS, DeviceOutput, Project
from zolvek.core.model.state import StatePart
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter

MOST_STATES = 32  # of a plugin's presets that become states at once; the others are there as presets


def hosts_plugins(project: Project) -> bool:
    """Whether any device of the project is a hosted plugin."""
    return any(device.row.plugin is not None for track in project.tracks for device in track.devices)


def added(project: Project, track: str, kind: DeviceKind, favourites: tuple[str, ...] = ()) -> tuple[Project, str]:
    """The plugin in a track's chain with its favourite parameters, its first presets as states, so that it can go
    from one to another. Returns the device's id."""
    project, key = add_device(project, track, kind)
    device = replace(project.device_track(key).device(key), favourites=favourites)
    project = with_device(project, device)
    present = states.present(device)
    for preset in kind.presets[:MOST_STATES]:
        values = present | kind.named(preset.name)
        project, _ = states.kept(project, preset.name, (StatePart(key, values),))
    return project, key


def listening(project: Project, device: str, track: str) -> Project:
    """The side-chain of a device takes in the sound of a track; of none, "", it takes silence. Raises
    ZolvekError where that sound is not there yet when the device plays."""
    this_track = project.device_track(device)
    if track:
        source = next((item for item in project.tracks if item.id == track), None)
        if source is None:
            raise ZolvekError("The track no longer exists.", track, "Choose another one.")
        if source.takes_sends and not this_track.takes_sends:
            raise ZolvekError(
                "That track receives sends, so it comes after this one.", source.name, "Choose another one."
            )
        if this_track.id in heard_by(project, track):
            raise ZolvekError(
                "This would make a feedback loop.", f"{this_track.name}, {source.name}", "Choose another track."
            )
    return with_device(project, replace(this_track.device(device), side_chain=track))


def heard_by(project: Project, track: str) -> set[str]:
    """A track, and those whose sound its side-chains need, and theirs."""
    needs = {t.id: {d.side_chain for d in t.devices if d.side_chain} for t in project.tracks}
    result: set[str] = set()
    waiting = [track]
    while waiting:
        one = waiting.pop()
        if one not in result:
            result.add(one)
            waiting += needs.get(one, ())
    return result


def changes(stored: DeviceKind, there: DeviceKind) -> list[str]:
    """What differs between a plugin as a project knows it and as it is installed, a line each. Parameters
    are the same where their ports have one symbol."""
    if stored.plugin is None or there.plugin is None:
        return []
    now = {binding.symbol: key for key, binding in there.plugin.ports.items()}
    messages = []
    for key, binding in stored.plugin.ports.items():
        parameter = stored.parameter(key)
        if binding.symbol not in now:
            messages.append(f"{parameter.name} is no longer there.")
            continue
        other = there.parameter(now[binding.symbol])
        if _travel(parameter, binding) != _travel(other, there.plugin.ports[now[binding.symbol]]):
            messages.append(f"{parameter.name} was {_range(parameter)} and is {_range(other)}.")
    count = len(set(now) - {binding.symbol for binding in stored.plugin.ports.values()})
    if count:
        messages.append(f"{count} parameter{'s are' if count > 1 else ' is'} new.")
    return messages


def _travel(parameter: Parameter, binding: Binding) -> tuple[object, ...]:
    """What its port goes through, whatever its taper here is; and its choices."""
    ends = reached(parameter, binding, parameter.value(np.array([0.0, 1.0])), USUAL_RATE)
    return tuple(np.round(ends, 6).tolist()), parameter.choices


def _range(parameter: Parameter) -> str:
    return ", ".join(parameter.choices) or f"{parameter.text(0.0)} to {parameter.text(1.0)}"


def further_pairs(project: Project, device: str) -> list[int]:
    """The pairs of outputs beyond left and right, counted from 1, that no track takes yet."""
    plugin = project.device_track(device).device(device).row.plugin
    if plugin is None:
        return []
    taken = {t.output.pair for t in project.tracks if t.output is not None and t.output.device == device}
    pairs = (len(plugin.outputs) - 1) // 2
    return [pair for pair in range(1, min(pairs + 1, MOST_PAIRS)) if pair not in taken]


def with_output_tracks(project: Project, device: str) -> Project:
    """A track for each pair of a plugin's outputs beyond left and right, right after its own. Raises ZolvekError
    where there is none left."""
    track = project.device_track(device)
    own = track.device(device)
    pairs = further_pairs(project, device)
    if not pairs:
        raise ZolvekError("This device has no further outputs.", own.name, "Choose a plugin with more than two.")
    assert own.row.plugin is not None
    count = len(own.row.plugin.outputs)
    place = project.tracks.index(track) + 1
    for pair in pairs:
        first, last = 2 * pair + 1, min(2 * pair + 2, count)
        name = f"{own.name} {first}–{last}" if last > first else f"{own.name} {first}"
        project, key = add_track(project, name)
        new = replace(project.tracks[-1], output=DeviceOutput(device, pair))
        rest = [item for item in project.tracks if item.id != key]
        project = replace(project, tracks=(*rest[:place], new, *rest[place:]))
        place += 1
    return project


def with_plugin_file(project: Project, device: str, what: str, path: str) -> Project:
    """A device with the sound file that its plugin takes for something; "" for none."""
    own = project.device_track(device).device(device)
    files = {key: file for key, file in own.files.items() if key != what}
    return with_device(project, replace(own, files={**files, what: path} if path else files))
