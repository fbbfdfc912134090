"""States: whole settings of a device, or of a track's chain, kept under a name."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.records import record

if TYPE_CHECKING:
    from zolvek.core.project import Device, Project

Values = dict[str, float]  # parameter id -> position 0..1
SAME = 1e-9  # positions closer than this do not differ


@record
class Part:
    """One device's share of a state: its id, and positions of its parameters."""

    device: str
    values: Values


@record
class State:
    """A named setting. Raises ZolvekError when it holds nothing, or a position beyond 0..1."""

    id: str
    name: str
    parts: tuple[Part, ...]

    def __post_init__(self) -> None:
        if not self.parts or not self.name:
            raise ZolvekError("A state needs a name and a device.", f"state {self.id}")
        for part in self.parts:
            for key, position in part.values.items():
                if not 0.0 <= position <= 1.0:
                    raise ZolvekError(
                        f"The position {position} is not between 0 and 1.",
                        f"state {self.name}, {key}",
                        "Mend the state, or keep it anew.",
                    )

    def of(self, device: str) -> Values:
        """The positions it holds for a device; none where it has no part of it."""
        return next((part.values for part in self.parts if part.device == device), {})


def state_of(project: Project, key: str) -> State:
    """A state by its id or its name. Raises ZolvekError when there is none."""
    for state in project.states:
        if key in (state.id, state.name):
            return state
    raise ZolvekError(
        f"There is no state “{key}”.", "states", "`zolvek states` lists the ones there are."
    )


def present(device: Device) -> Values:
    """Where all controls of a device stand."""
    return {parameter.id: device.position(parameter.id) for parameter in device.parameters}


def at_beat(project: Project, device: str, beat: float) -> Values:
    """Where all controls of a device are heard to stand at a beat, lanes applied."""
    from zolvek.core.playing import played

    track = project.device_track(device)
    values = present(track.device(device))
    for lane in track.lanes:
        if lane.device == device and not lane.bypassed:
            values[lane.parameter] = float(np.clip(played(lane, project).at(beat), 0.0, 1.0))
    return values


def kept(project: Project, name: str, parts: tuple[Part, ...]) -> tuple[Project, str]:
    """Another state; one of the same name gets a number. Returns its id."""
    name = name.strip()
    if not name:
        raise ZolvekError("A state needs a name.", remedy="Write one.")
    names, number, own = {state.name for state in project.states}, 2, name
    while own in names:
        own, number = f"{name} {number}", number + 1
    used, count = {state.id for state in project.states}, 1
    while f"state-{count}" in used:
        count += 1
    state = State(f"state-{count}", own, parts)
    return replace(project, states=(*project.states, state)), state.id


def with_state(project: Project, state: State) -> Project:
    """The state of this id replaced; morphs that are linked to it follow."""
    from zolvek.core.morphing import remade

    states = tuple(state if each.id == state.id else each for each in project.states)
    return remade(replace(project, states=states), state.id)


def without_state(project: Project, key: str) -> Project:
    """The state gone; morphs made from it stay as they are, no longer linked."""
    morphs = tuple(each for each in project.morphs if key not in each.states)
    pads = tuple(
        replace(pad, corners=tuple(c for c in pad.corners if c.state != key))
        for pad in project.pads
    )
    states = tuple(each for each in project.states if each.id != key)
    return replace(project, states=states, morphs=morphs, pads=pads)


def set_to(project: Project, state: State) -> Project:
    """All controls that the state tells moved there. Raises ZolvekError where it tells of
    controls that are not there."""
    from zolvek.core.chain import with_device

    for part in state.parts:
        device = project.device_track(part.device).device(part.device)
        checked(device, part.values, state.name)
        project = with_device(project, replace(device, values={**device.values, **part.values}))
    return project


def checked(device: Device, values: Values, name: str) -> None:
    """Raises ZolvekError where values name parameters that the device has not got."""
    unknown = set(values) - {parameter.id for parameter in device.parameters}
    if unknown:
        raise ZolvekError(
            f"It holds “{min(unknown)}”, which {device.name} has not got.",
            f"state {name}",
            "Use a state of a device of this kind.",
        )


def differing(one: Values, other: Values) -> list[str]:
    """The parameters that both tell and that differ."""
    return [key for key in one if key in other and abs(one[key] - other[key]) > SAME]


def mutated(device: Device, values: Values, distance: float, seed: int) -> Values:
    """A variation: every position up to `distance` 0..1 away, choices changed as often. The same
    seed gives the same one (NumPy's PCG64)."""
    rng = np.random.Generator(np.random.PCG64(seed))
    made: Values = {}
    for parameter in device.parameters:
        here = values.get(parameter.id, parameter.default_position)
        move, chance, pick = 2.0 * rng.random() - 1.0, rng.random(), rng.random()
        if parameter.steps:
            change = chance < 0.5 * distance
            choice = np.floor(pick * parameter.steps) if change else parameter.value(here)
            made[parameter.id] = float(parameter.position(choice))
        else:
            # Folded back at the ends, so that what stands there moves too.
            folded = abs(here + distance * move)
            made[parameter.id] = float(1.0 - abs(1.0 - folded)) if folded > 1.0 else float(folded)
    return made
