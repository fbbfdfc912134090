# SPDX-License-Identifier: GPL-3.0-or-later
"""A device at work, of any kind: its inputs and its outputs."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple, Protocol

from zolvek.core.arrays import Floats
from zolvek.sound.signal.automation import Controls
from zolvek.sound.signal.new_note import Message, NewNote


class Incoming(NamedTuple):
    """A stretch to be played: the sound that comes in, float64 (2, frames); the notes that begin in it;
    what the device's controls do; and when it begins, in seconds of the renderer's clock. `side`: the sound of another
    track, float64 (2, frames), for a side-chain; `messages`: what a MIDI device before it gives in place of notes."""

    sound: Floats
    notes: list[NewNote]
    controls: Controls
    now: float
    side: Floats | None = None
    messages: Sequence[Message] = ()


class UnitOutput(NamedTuple):
    """What goes on, and what is sent to the tracks that take in sends; `messages`: what it gives of MIDI, None where it
    gives none; `more`: its outputs beyond left and right, float64 (outputs, frames)."""

    sound: Floats
    sent: Floats | None = None
    messages: list[Message] | None = None
    more: Floats | None = None


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
