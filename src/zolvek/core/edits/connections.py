# SPDX-License-Identifier: GPL-3.0-or-later
"""The ports of a project, and how they are connected to those of other programs.

A port is given by what it belongs to, so that a track keeps its connections under another name.
"""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

from zolvek.core.model.project import Lane, Project
from zolvek.core.records import replace

MOST_TRACKS, MOST_NAMED = 64, 32  # tracks, and names that lanes give, with ports of their own
MOST_VOLTAGES = 64  # lanes as control voltages
ALL, CLOCK, CONTROL, MIX = "All tracks", "Clock", "Control", "Mix"
SIDES = ("left", "right")


class PortKind(StrEnum):
    """What goes through a port."""

    SOUND = "sound"
    MIDI = "midi"
    VOLTAGE = "voltage"  # a control voltage, in a port for sound


class Port(NamedTuple):
    """`key` is what it belongs to; `out`: it gives."""

    key: str
    name: str
    kind: PortKind = PortKind.MIDI
    out: bool = True


def ports_of(project: Project) -> tuple[Port, ...]:
    """The ports of a project: messages of all tracks; of each track, by its name; of each name that lanes give;
    the clock. Then sound, left and right: of the mix, and of each track; lanes as control voltages. At last the one
    that takes messages in."""
    taken = {ALL, CLOCK, CONTROL, MIX}
    tracks = [(t.id, _free(taken, t.name, "Track")) for t in project.tracks[:MOST_TRACKS]]
    named = dict.fromkeys(lane.midi.port for lane in project.lanes() if lane.midi.port)
    lanes = [(name, _free(taken, name, "Lane")) for name in list(named)[:MOST_NAMED]]
    voltages = [(lane.id, _free(taken, _voltage_name(project, lane), "Lane CV")) for lane in voltage_lanes(project)]
    return (
        Port("all", ALL),
        *(Port(f"track {key}", f"{name} MIDI") for key, name in tracks),
        *(Port(f"named {key}", f"{name} MIDI") for key, name in lanes),
        Port("clock", CLOCK),
        *(
            Port(f"{key} {side}", f"{name} {side}", PortKind.SOUND)
            for key, name in (("mix", MIX), *((f"sound {key}", name) for key, name in tracks))
            for side in SIDES
        ),
        *(Port(f"voltage {key}", name, PortKind.VOLTAGE) for key, name in voltages),
        Port("control", CONTROL, PortKind.MIDI, False),
    )


def voltage_lanes(project: Project) -> list[Lane]:
    """The lanes that are sent as control voltages: of more than MOST_VOLTAGES the first."""
    return [lane for lane in project.lanes() if lane.voltage][:MOST_VOLTAGES]


def _voltage_name(project: Project, lane: Lane) -> str:
    name = lane.name or project.parameter_of(lane.id).name
    return f"{project.track_of(lane.id).name} {name} CV"


def named(project: Project, connections: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
    """Connections by the names that ports have now; what belongs to nothing that is there is left out."""
    names = {port.key: port.name for port in ports_of(project)}
    return tuple((names[key], other) for key, other in connections if key in names)


def connected(project: Project, key: str, other: str) -> Project:
    """With another program's port connected to the one of ours."""
    setup = project.sync
    rows = dict.fromkeys((*setup.connections, (key, other)))
    return replace(project, sync=replace(setup, connections=tuple(rows)))


def disconnected(project: Project, key: str, other: str) -> Project:
    """The project without the connection between the two ports."""
    setup = project.sync
    rows = tuple(row for row in setup.connections if row != (key, other))
    return replace(project, sync=replace(setup, connections=rows))


def pairs(project: Project, key: str, takers: list[str]) -> list[tuple[str, str]]:
    """How a side of a pair and the other one are connected to another program's, of which the ports are given in
    their order: left to the first and right to the second, or both to one."""
    whole, _, side = key.rpartition(" ")
    if side not in SIDES or not takers:
        return [(key, taker) for taker in takers[:1]]
    return [(f"{whole} {SIDES[0]}", takers[0]), (f"{whole} {SIDES[1]}", takers[-1])]


def _free(taken: set[str], wanted: str, otherwise: str) -> str:
    base = " ".join(wanted.replace(":", "-").split()) or otherwise
    result, number = base, 2
    while result in taken:
        result, number = f"{base} {number}", number + 1
    taken.add(result)
    return result
