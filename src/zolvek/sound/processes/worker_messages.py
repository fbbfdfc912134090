# SPDX-License-Identifier: GPL-3.0-or-later
"""What the program and a render worker send each other: one struct a kind, tagged by its class.

They travel pickled (`framing`), as arrays and projects do; the type of a message says what it is, and the fields
of its struct are the arguments of what handles it.
"""

from __future__ import annotations

import msgspec

from zolvek.core.model.project import Project

ALIVE_EVERY_S = 0.25  # between a worker's signs of life
Span = tuple[float, float]
Held = tuple[tuple[str, float], ...]


class Command(msgspec.Struct, frozen=True, tag=True):
    """What a worker is asked to do."""


class Use(Command, frozen=True):
    project: Project


class UseOther(Command, frozen=True):
    """Another version to compare with; None ends it."""

    project: Project | None


class Hold(Command, frozen=True):
    """Lanes held at values 0..1 of their curves."""

    held: Held


class LeaveOut(Command, frozen=True):
    """Devices whose plugins are bypassed, each with the reason."""

    devices: dict[str, str]


class HearOther(Command, frozen=True):
    """Which version is heard, and the gains of the project and of the other one."""

    on: bool
    gains: tuple[float, float]


class UseMetronome(Command, frozen=True):
    on: bool


class Fill(Command, frozen=True):
    """Keep the memory of a file filled with sound, by the class that `filler` names as "module:class"; no path ends
    it."""

    path: str
    filler: str


class UseRing(Command, frozen=True):
    """Where the sound of plays goes: the path of a `sound_ring.SoundRing`."""

    path: str


class Play(Command, frozen=True):
    """Play number `number` from a beat, at a rate in Hz, after `count_in` clicks."""

    number: int
    beat: float
    rate: int
    count_in: int = 0


class Key(Command, frozen=True):
    """A key of a track's instrument, down with a velocity 0..1, or up with none."""

    track: str
    pitch: int
    velocity: float


class SetLoop(Command, frozen=True):
    span: Span | None


class Stop(Command, frozen=True):
    pass


class Close(Command, frozen=True):
    pass


# Commands that a later one of the same kind replaces, as long as it has not been sent.
STATES = (Use, UseOther, Hold, LeaveOut)
# Commands after which sound is expected.
STARTS = (Play, Fill)


class Report(msgspec.Struct, frozen=True, tag=True):
    """What a worker says."""


class Alive(Report, frozen=True):
    pass


class WorkerFailure(Report, frozen=True):
    """What it ends of."""

    reason: str


class FillProgress(Report, frozen=True):
    """Sound of a play (0 where a memory is filled by itself) is ready: the count of frames it begins at, the tracks'
    levels, the peaks; or, with None, nothing more is wanted yet."""

    shown: tuple[int, dict[str, float], tuple[float, float]] | None
    number: int = 0


class Trouble(Report, frozen=True):
    """A plugin is bypassed that should run ("" for no device: sound was not a number), and why; or, `muted`, what a
    device gives is silent ("" for the mix), as it has run away."""

    device: str
    reason: str
    muted: bool = False
