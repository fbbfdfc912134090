# SPDX-License-Identifier: GPL-3.0-or-later
"""What the program and the ports' process send each other: one struct a kind, tagged by its class.

They travel pickled (`sound.processes.framing`), as projects do; the type of a message says what it is, and the fields
of its struct are the arguments of what handles it.
"""

from __future__ import annotations

from typing import NamedTuple

import msgspec

from zolvek.core.edits.connections import PortKind
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import Resolution

NO_SERVER = ""


class Command(msgspec.Struct, frozen=True, tag=True):
    """What the ports' process is asked to do."""


class Use(Command, frozen=True):
    """Send this project at this resolution: its ports, its messages."""

    project: Project
    resolution: Resolution


class Hold(Command, frozen=True):
    """Lanes held at values 0..1 of their curves, as by a hand."""

    held: tuple[tuple[str, float], ...]


class UseTime(Command, frozen=True):
    """Whether the song goes with the server's transport, and is the one that says bars and beats there."""

    together: bool
    leads: bool


class Start(Command, frozen=True):
    """Start from a beat after a count-in of so many frames and clicks, at a moment of time.perf_counter (0: now)."""

    beat: float
    count_in: int = 0
    clicks: int = 0
    moment: float = 0.0


class Stop(Command, frozen=True):
    pass


class Locate(Command, frozen=True):
    beat: float


class SetSpeed(Command, frozen=True):
    """How fast a song goes that moves by itself, as a factor."""

    speed: float


class SetLoop(Command, frozen=True):
    """Loop a span of beats; None ends it."""

    span: tuple[float, float] | None


class Join(Command, frozen=True):
    """Be a client of the server, or leave it and wait."""

    on: bool


class SendClock(Command, frozen=True):
    """MIDI clock with the song position, and time code of a rate ("" for none)."""

    clock: bool
    code: str


class UseConnections(Command, frozen=True):
    """These connections and no others of ours: (port of ours, port of another program)."""

    wanted: tuple[tuple[str, str], ...]


class Disconnect(Command, frozen=True):
    port: str
    other: str


class Panic(Command, frozen=True):
    """All notes and all sound off."""


class Close(Command, frozen=True):
    pass


# Commands that mean nothing while there is no server.
NEED_SERVER = (Start, Stop, Locate, Disconnect)


class OtherPort(NamedTuple):
    """A port of another program: whether it takes (not gives), and whether it is hardware."""

    name: str
    kind: PortKind
    takes: bool
    hardware: bool


class Report(msgspec.Struct, frozen=True, tag=True):
    """What the ports' process says of the server: `state` is its kind, "" while there is none and `trouble` says why;
    `name` is ours there; `connections` are (a port of ours, one of others); `ended`: its process is gone."""

    state: str = NO_SERVER
    trouble: str = ""
    name: str = ""
    rate: int = 0
    block: int = 0
    realtime: bool = False
    others: tuple[OtherPort, ...] = ()
    connections: tuple[tuple[str, str], ...] = ()
    seen: tuple[int, int, int] = (0, 0, 0)
    ended: bool = False
