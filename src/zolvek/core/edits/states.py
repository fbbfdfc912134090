# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of states: stored, recalled, compared, and varied a little."""

from __future__ import annotations

import numpy as np

from zolvek.core.edits.chains import with_device
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device, Project
from zolvek.core.model.state import State, StatePart, Values
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.generators.randomness import STREAMS, source
from zolvek.core.records import replace

SAME = 1e-9  # positions closer than this do not differ


def state_of(project: Project, key: str) -> State:
    """A state by its id or its name. Raises ZolvekError when there is none."""
    for state in project.states:
        if key in (state.id, state.name):
            return state
    raise ZolvekError(f"There is no state “{key}”.", "states", "`zolvek states` lists the ones there are.")


def present(device: Device) -> Values:
    """Where all controls of a device stand, but for its bypass: a state is how it sounds."""
    return {parameter.id: device.position(parameter.id) for parameter in device.row.parameters}


def at_beat(project: Project, device: str, beat: float) -> Values:
    """Where all controls of a device are heard to stand at a beat, lanes applied."""
    track = project.device_track(device)
    values = present(track.device(device))
    for lane in track.lanes:
        if lane.device == device and not lane.bypassed and lane.parameter in values:
            values[lane.parameter] = float(np.clip(played(lane, project).at(beat), 0.0, 1.0))
    return values


def kept(project: Project, name: str, parts: tuple[StatePart, ...]) -> tuple[Project, str]:
    """Another state; one of the same name gets a number. Returns its id."""
    name = name.strip()
    if not name:
        raise ZolvekError("A state needs a name.", remedy="Type one.")
    names, number, unique = {state.name for state in project.states}, 2, name
    while unique in names:
        unique, number = f"{name} {number}", number + 1
    used, count = {state.id for state in project.states}, 1
    while f"state-{count}" in used:
        count += 1
    state = State(f"state-{count}", unique, parts)
    return replace(project, states=(*project.states, state)), state.id


def without_state(project: Project, key: str) -> Project:
    """The state gone; morphs made from it stay as they are, no longer linked."""
    morphs = tuple(morph for morph in project.morphs if key not in morph.states)
    pads = tuple(replace(pad, corners=tuple(c for c in pad.corners if c.state != key)) for pad in project.pads)
    states = tuple(state for state in project.states if state.id != key)
    return replace(project, states=states, morphs=morphs, pads=pads)


def set_to(project: Project, state: State) -> Project:
    """All controls that the state says moved there. Raises ZolvekError where it says of
    controls that are not there."""
    for part in state.parts:
        device = project.device_track(part.device).device(part.device)
        checked(device, part.values, state.name)
        project = with_device(project, device.at(part.values))
    return project


def checked(device: Device, values: Values, name: str) -> None:
    """Raises ZolvekError where values name parameters that the device does not have."""
    unknown = set(values) - {parameter.id for parameter in device.parameters}
    if unknown:
        raise ZolvekError(
            f"It contains “{min(unknown)}”, which {device.name} does not have.",
            f"state {name}",
            "Use a state of a device of this type.",
        )


def differing(one: Values, other: Values) -> list[str]:
    """The parameters that both say and that differ."""
    return [key for key in one if key in other and abs(one[key] - other[key]) > SAME]


def mutated(device: Device, values: Values, distance: float, seed: int) -> Values:
    """A variation: every position up to `distance` 0..1 away, choices changed as often. The same
    seed gives the same one (NumPy's PCG64)."""
    rng = source(seed, STREAMS["state"])
    new_values: Values = {}
    for parameter in device.row.parameters:
        here = values.get(parameter.id, parameter.default_position)
        move, chance, pick = 2.0 * rng.random() - 1.0, rng.random(), rng.random()
        if parameter.steps:
            change = chance < 0.5 * distance
            choice = np.floor(pick * parameter.steps) if change else parameter.value(here)
            new_values[parameter.id] = float(parameter.position(choice))
        else:
            # Folded back at the ends, so that what stands there moves too.
            folded = abs(here + distance * move)
            new_values[parameter.id] = float(1.0 - abs(1.0 - folded)) if folded > 1.0 else float(folded)
    return new_values
