# SPDX-License-Identifier: GPL-3.0-or-later
"""A device at work, of any kind: its inputs and its outputs."""

from __future__ import annotations

from typing import NamedTuple, Protocol

from zolvek.core.arrays import Floats
from zolvek.sound.signal.automation import Controls
from zolvek.sound.signal.new_note import NewNote


class Incoming(NamedTuple):
    """A stretch to be played: the sound that comes in, float64 (2, frames); the notes that begin in it;
    what the device's controls do; and when it begins, in seconds of the renderer's clock. `side`: the sound of another
    track, float64 (2, frames), for a side-chain."""

    sound: Floats
    notes: list[NewNote]
    controls: Controls
    now: float
    side: Floats | None = None


class UnitOutput(NamedTuple):
    """What goes on, and what is sent to the tracks that take in sends."""

    sound: Floats
    sent: Floats | None = None


class Unit(Protocol):
    """A device at work. It keeps its state from one block to the next; `spacing`: frames between the
    control points it wants."""

    @property
    def spacing(self) -> int:
        """Frames between its control values."""
        ...

    @property
    def latency(self) -> int:
        """Frames that it gives its sound late; it may change while it plays."""
        ...

    def play(self, block: Incoming) -> UnitOutput:
        """What the device gives for a block."""
        ...

    def release_all(self, now: float) -> None:
        """All keys up; what sounds dies away."""
        ...

    def release(self, pitch: int, now: float) -> None:
        """One key up."""
        ...
