# SPDX-License-Identifier: GPL-3.0-or-later
"""Which control of a controller moves which parameter."""

from __future__ import annotations

from zolvek.core.model.messages import MessageKind
from zolvek.core.model.project import Mapping, Project
from zolvek.core.records import Record, replace


class OutsideControl(Record, frozen=True):
    """A control of the stand-in controller, or one that a MIDI message says."""

    id: str
    name: str


DIALS = tuple(OutsideControl(f"dial-{n}", f"Dial {n}") for n in range(1, 9))
BUTTONS = tuple(OutsideControl(f"button-{n}", f"Button {n}") for n in range(1, 9))
PAD = (OutsideControl("pad-x", "Pad, across"), OutsideControl("pad-y", "Pad, up"))
STAND_IN: dict[str, OutsideControl] = {c.id: c for c in (*DIALS, *BUTTONS, *PAD)}


def control_name(control: str) -> str:
    """What a person calls the control: "Dial 3", "Controller 74, channel 1"."""
    if control in STAND_IN:
        return STAND_IN[control].name
    kind, _, rest = control.partition(":")
    numbers = rest.split(":")
    if kind == MessageKind.CC and len(numbers) == 2:
        return f"Controller {numbers[1]}, channel {numbers[0]}"
    if kind in (MessageKind.RPN, MessageKind.NRPN) and len(numbers) == 2:
        return f"{kind.upper()} {numbers[1]}, channel {numbers[0]}"
    return {"bend": "Pitch bend", "pressure": "Pressure", "program": "Program"}.get(kind, kind) + f", channel {rest}"


def read_message(message: tuple[int, ...]) -> tuple[str, float] | None:
    """The control that a MIDI message's bytes say, and its position 0..1 (MIDI 1.0); None for
    a message that is no control's."""
    if len(message) < 2 or not all(0 <= byte < 128 for byte in message[1:]):
        return None
    status, channel = message[0] & 0xF0, (message[0] & 0x0F) + 1
    if status == 0xB0 and len(message) == 3 and message[1] < 120:
        return f"cc:{channel}:{message[1]}", message[2] / 127.0
    if status == 0xE0 and len(message) == 3:
        # The middle, 8192, is exactly half way; the ends are 0 and 16383.
        bend = message[1] + 128 * message[2] - 8_192
        return f"bend:{channel}", 0.5 + bend / (16_384 if bend < 0 else 16_382)
    if status == 0xD0 and len(message) == 2:
        return f"pressure:{channel}", message[1] / 127.0
    if status == 0xC0 and len(message) == 2:
        return f"program:{channel}", message[1] / 127.0
    return None


def read_key(message: tuple[int, ...]) -> tuple[int, float] | None:
    """The pitch of a key that a MIDI message's bytes say, and its strength, 0 where it goes up (MIDI 1.0:
    a note-on of velocity 0 is a note-off); None for another message."""
    if len(message) != 3 or not all(0 <= byte < 128 for byte in message[1:]):
        return None
    kind = message[0] & 0xF0
    if kind not in (0x80, 0x90):
        return None
    return message[1], message[2] / 127.0 if kind == 0x90 else 0.0


def mapped(project: Project, control: str, device: str, parameter: str) -> Project:
    """The control moves this parameter from now on, and nothing else; the parameter may be moved
    by several controls."""
    project.device_track(device).device(device).parameter(parameter)
    rest = tuple(mapping for mapping in project.mappings if mapping.control != control)
    return replace(project, mappings=(*rest, Mapping(control, device, parameter)))


def unmapped(project: Project, control: str) -> Project:
    """The project without the mapping of a control."""
    return replace(project, mappings=tuple(x for x in project.mappings if x.control != control))


def target_of(project: Project, control: str) -> tuple[str, str] | None:
    """Device and parameter that a control moves."""
    for mapping in project.mappings:
        if mapping.control == control:
            return mapping.device, mapping.parameter
    return None
