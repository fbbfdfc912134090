# SPDX-License-Identifier: GPL-3.0-or-later
"""MIDI messages that an instrument takes as parameters of it, so that lanes drive them: controllers that MIDI 1.0
names, pitch bend, channel pressure and the program."""

from __future__ import annotations

import numpy as np

from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.messages import CONTROLLERS, MessageKind, MidiTarget, parse_target
from zolvek.core.model.project import Device
from zolvek.core.value.parameter import Parameter
from zolvek.formats.midi.encode import CONTROL, messages
from zolvek.sound.hosting.plugin.note_events import Message
from zolvek.sound.signal.automation import Controls

GROUP, PREFIX = "MIDI", "midi-"
PEDALS = frozenset((64, 65, 66, 67))  # on from 64 upwards (MIDI 1.0)
# What controllers stand at before anything is sent (General MIDI level 1 developer guidelines; from memory); others
# are at 0.
AT_FIRST = {7: 100.0, 8: 64.0, 10: 64.0, 11: 127.0, **dict.fromkeys(range(70, 79), 64.0)}
BEND_RANGE = 8_192.0  # steps each way


def _rows() -> tuple[Parameter, ...]:
    programs = tuple(str(number) for number in range(1, 129))
    rows = [
        Parameter(f"{PREFIX}bend", "Pitch bend", GROUP, "±%", -100.0, 100.0, 0.0, sends="bend"),
        Parameter(f"{PREFIX}pressure", "Channel pressure", GROUP, "", 0.0, 127.0, 0.0, sends="pressure"),
        Parameter(f"{PREFIX}program", "Program", GROUP, "", 0.0, 127.0, 0.0, "stepped", programs, "program"),
    ]
    for number, name in CONTROLLERS.items():
        key, message = f"{PREFIX}cc-{number}", f"cc {number}"
        if number in PEDALS:
            rows.append(Parameter(key, name, GROUP, taper="switch", sends=message))
        else:
            first = AT_FIRST.get(number, 0.0)
            rows.append(Parameter(key, name, GROUP, "", 0.0, 127.0, first, sends=message))
    return tuple(rows)


MIDI_PARAMETERS = _rows()


def without(keys: list[str]) -> list[Parameter]:
    """The parameters whose ids are not taken."""
    return [parameter for parameter in MIDI_PARAMETERS if parameter.id not in keys]


class MidiDriver:
    """Sends what moves, as changes of whole steps, and knows what was sent."""

    def __init__(self, kind: DeviceKind) -> None:
        """Raises ZolvekError where a parameter is a message that can't be sent."""
        self.targets: dict[str, MidiTarget] = {}
        for parameter in kind.parameters if kind.plugin is not None else ():
            target = parse_target(parameter.sends) if parameter.id.startswith(PREFIX) else None
            if target is not None and kind.plugin is not None and parameter.id not in kind.plugin.ports:
                self.targets[parameter.id] = target
        self.sent: dict[str, int] = {}

    def forget(self) -> None:
        """What was sent is not known any more."""
        self.sent.clear()

    def messages(self, controls: Controls) -> list[Message]:
        """At their frames of the stretch, increasing: what differs from what was sent last. A control that has never
        been moved sends nothing."""
        result: list[Message] = []
        for key, target in self.targets.items():
            result += self._of(controls, key, target)
        return sorted(result, key=lambda row: row[0])

    def _of(self, controls: Controls, key: str, target: MidiTarget) -> list[Message]:
        device = controls.device
        if key not in controls.lanes and key not in self.sent and _at_default(device, key):
            return []
        parameter = device.parameter(key)
        value = controls.values(key)
        last = float(target.scale.highest)
        if parameter.taper == "switch":
            steps = np.where(value >= 0.5, last, 0.0)
        elif target.kind == MessageKind.BEND:
            steps = np.clip(np.round(value / 100.0 * BEND_RANGE + BEND_RANGE), 0, last)
        else:
            steps = np.clip(np.round(value), 0, last)
        steps = steps.astype(np.int64)
        before = self.sent.get(key, -1)
        new = np.flatnonzero(np.diff(steps, prepend=before))
        if not new.size:
            return []
        self.sent[key] = int(steps[-1])
        encoded = messages(target, controls.cuts[new].astype(np.int64), steps[new])
        return [
            (int(frame), data[:size].tobytes())
            for frame, data, size in zip(encoded.tick, encoded.data, encoded.size.tolist(), strict=True)
            if target.kind != MessageKind.BEND or data[0] & 0xF0 != CONTROL  # its range is the instrument's own
        ]


def _at_default(device: Device, key: str) -> bool:
    return device.position(key) == device.parameter(key).default_position
