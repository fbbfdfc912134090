# SPDX-License-Identifier: GPL-3.0-or-later
"""A hosted device given another description of its plugin, as of another version: values and points stay at their real
values, where tapers, ranges or units differ."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.edits.replacement import with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.morph import Morph
from zolvek.core.model.plugin import USUAL_RATE, Binding, Plugin, reached, real
from zolvek.core.model.project import Lane, Project
from zolvek.core.model.state import State, StatePart, Values
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter

LEAST_REACH = 1e-6  # of the travel, that a lane's reach keeps


def updated(project: Project, device: str, there: DeviceKind) -> Project:
    """The device with the description of the plugin as it is installed, its controls found by their symbols. Those
    that are no longer there stay as they are. Raises ZolvekError where that changes nothing."""
    track = project.device_track(device)
    own = track.device(device)
    kind = merged(own.row, there)
    if kind == own.row:
        raise ZolvekError("The description is up to date.", own.name, "Nothing needs to be done.")
    changed = _changed(own.row, kind)
    values = {key: _position(changed, key, value) for key, value in own.values.items()}
    new = replace(own, described=kind, values=values)
    lanes = tuple(_lane(lane, changed) if lane.device == device else lane for lane in track.lanes)
    devices = tuple(new if item.id == device else item for item in track.devices)
    project = with_track(project, replace(track, devices=devices, lanes=lanes))
    states = tuple(_state(state, device, changed) for state in project.states)
    morphs = tuple(_morph(morph, changed) if morph.device == device else morph for morph in project.morphs)
    return replace(project, states=states, morphs=morphs)


def merged(stored: DeviceKind, there: DeviceKind) -> DeviceKind:
    """A stored description brought up to the installed one: each control keeps its id. Raises ZolvekError for another
    plugin's."""
    old, new = stored.plugin, there.plugin
    if old is None or new is None or (old.format, old.uri) != (new.format, new.uri):
        raise ZolvekError("This is not the device's plugin.", stored.name)
    ids = _ids(old, new)
    parameters = [replace(p, id=ids.get(p.id, p.id)) for p in there.parameters]
    ports: dict[str, Binding] = {ids.get(key, key): binding for key, binding in new.ports.items()}
    known = {parameter.id for parameter in parameters}
    for parameter in stored.parameters:
        if parameter.id not in known:
            parameters.append(parameter)
            if parameter.id in old.ports:
                ports[parameter.id] = old.ports[parameter.id]
    hidden = tuple(ids.get(key, key) for key in new.hidden)
    plugin = replace(new, ports=ports, hidden=hidden, enabled=ids.get(new.enabled, new.enabled))
    return replace(there, key=stored.key, parameters=tuple(parameters), plugin=plugin)


def _ids(old: Plugin, new: Plugin) -> dict[str, str]:
    """New id -> the one that the control of this symbol has had."""
    by_symbol = {binding.symbol: key for key, binding in old.ports.items()}
    return {key: by_symbol[binding.symbol] for key, binding in new.ports.items() if binding.symbol in by_symbol}


class Travel(NamedTuple):
    """A control, and how it reaches its port where it has one."""

    parameter: Parameter
    binding: Binding | None


Changed = dict[str, tuple[Travel, Travel]]


def _changed(stored: DeviceKind, there: DeviceKind) -> Changed:
    """The controls of which a position may be another value in both: before, and after."""
    assert stored.plugin is not None and there.plugin is not None
    result = {}
    for parameter in stored.parameters:
        key = parameter.id
        old = Travel(parameter, stored.plugin.ports.get(key))
        new = Travel(there.parameter(key), there.plugin.ports.get(key))
        if _travel(old) != _travel(new):
            result[key] = old, new
    return result


def _travel(control: Travel) -> tuple[object, ...]:
    parameter, binding = control
    law = None if binding is None else (binding.law, binding.by, binding.values, binding.by_rate, binding.places)
    return parameter.low, parameter.high, parameter.taper, len(parameter.choices), law


def _position(changed: Changed, key: str, value: float) -> float:
    return float(_positions(changed[key], np.array([value]))[0]) if key in changed else value


def _positions(pair: tuple[Travel, Travel], positions: Floats) -> Floats:
    """New positions at which the port has the same values."""
    old, new = pair
    value = old.parameter.value(positions)
    if old.binding is not None and new.binding is not None:
        port = reached(old.parameter, old.binding, value, USUAL_RATE)
        value = np.array([real(new.parameter, new.binding, float(at), USUAL_RATE) for at in port])
    return new.parameter.position(np.clip(value, _lowest(new.parameter), new.parameter.high))


def _lowest(parameter: Parameter) -> float:
    return -np.inf if parameter.taper == "decibel" else parameter.low


def _lane(lane: Lane, changed: Changed) -> Lane:
    """A lane whose reach and points have the same real values; a relative one is drawn around its control as before."""
    pair = changed.get(lane.parameter)
    if pair is None or lane.relative:
        return lane
    low, high = _positions(pair, np.array(lane.reach))
    if abs(high - low) < LEAST_REACH:
        low, high = (0.0, 1.0) if lane.reach[0] < lane.reach[1] else (1.0, 0.0)
    new = replace(lane, reach=(float(low), float(high)))

    def curve(drawn: Curve) -> Curve:
        value = new.from_position(_positions(pair, lane.to_position(drawn.value)))
        if not len(drawn.part):
            return drawn.having(value=value)
        # A cut segment swings in the proportion that its two points do.
        before, after = np.diff(drawn.value, append=drawn.value[-1]), np.diff(value, append=value[-1])
        factor = np.divide(after, before, out=np.ones_like(after), where=np.abs(before) > LEAST_REACH)
        part = drawn.part.copy()
        part[:, 2] *= factor
        return drawn.having(value=value, part=part)

    return replace(
        new,
        curve=curve(lane.curve),
        slots=tuple(replace(pattern, curve=curve(pattern.curve)) for pattern in lane.slots),
        takes=tuple(replace(take, curve=curve(take.curve)) for take in lane.takes),
        comp=None if lane.comp is None else replace(lane.comp, under=curve(lane.comp.under)),
    )


def _values(values: Values, changed: Changed) -> Values:
    return {key: _position(changed, key, value) for key, value in values.items()}


def _state(state: State, device: str, changed: Changed) -> State:
    parts = tuple(
        StatePart(part.device, _values(part.values, changed)) if part.device == device else part for part in state.parts
    )
    return replace(state, parts=parts)


def _morph(morph: Morph, changed: Changed) -> Morph:
    return replace(morph, start=_values(morph.start, changed))
