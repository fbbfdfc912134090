# SPDX-License-Identifier: GPL-3.0-or-later
"""MIDI devices at work: notes and messages that go into them, and those that come out in their place."""

from __future__ import annotations

import numpy as np

from zolvek.core.model.device_kind import BYPASS
from zolvek.core.model.project import Device
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane
from zolvek.sound.engine.device_units import Units
from zolvek.sound.signal.automation import Block, Controls
from zolvek.sound.signal.device_unit import Incoming
from zolvek.sound.signal.new_note import Message, NewNote

ENDED: tuple[Message, ...] = ((0, bytes((0xB0, 123, 0))),)  # all notes off


class MidiDevices:
    """Of one renderer."""

    def __init__(self, units: Units) -> None:
        self.units = units
        self.active: set[str] = set()  # devices whose messages went on in the last stretch

    def through(
        self,
        device: Device,
        lanes: dict[str, EvaluatedLane],
        stretch: Block,
        now: float,
        notes: list[NewNote],
        messages: list[Message],
    ) -> tuple[list[NewNote], list[Message]]:
        """What goes on: messages in place of the notes. Bypassed, it lets all pass, and what it held ends."""
        unit = self.units.of(device)
        if not _bypassed(device, lanes, stretch):
            self.active.add(device.id)
            silence = np.zeros((2, stretch.frames))
            controls = Controls(device, lanes, stretch, unit.spacing)
            played = unit.play(Incoming(silence, notes, controls, now, None, messages))
            return ([], played.messages) if played.messages is not None else (notes, messages)
        held = device.id in self.active
        self.active.discard(device.id)
        if held:
            unit.release_all(now)
        return notes, [*ENDED, *messages] if held else messages


def _bypassed(device: Device, lanes: dict[str, EvaluatedLane], stretch: Block) -> bool:
    if device.has_bypass and BYPASS.id in lanes:
        return bool(BYPASS.value(lanes[BYPASS.id].at(stretch.beats[:1]))[0] >= 0.5)
    return device.bypassed
