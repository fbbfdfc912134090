# SPDX-License-Identifier: GPL-3.0-or-later
"""Kinds of MIDI messages that a lane can be sent as: the one table (MIDI 1.0 specification)."""

from __future__ import annotations

import re
from enum import StrEnum
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, Numbers, floats
from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record


class Scale(NamedTuple):
    """How values 0..1 are counted in steps 0..`highest`; `centre` is what ½ is. Where that is a whole step
    a centre goes out and comes in exactly; the halves next to it are even in themselves (as MIDI 2.0's
    bit scaling and resolution, M2-115, does it)."""

    highest: int
    centre: float

    def steps(self, values: Numbers) -> Floats:
        """Values in steps, not rounded."""
        v = floats(values)
        above = self.centre + (v - 0.5) * 2.0 * (self.highest - self.centre)
        return np.where(v < 0.5, v * 2.0 * self.centre, above)

    def values(self, steps: Numbers) -> Floats:
        """What steps stand for, 0..1."""
        n = floats(steps)
        above = 0.5 + (n - self.centre) / (2.0 * (self.highest - self.centre))
        return np.where(n < self.centre, n / (2.0 * self.centre), above)


def even(highest: int) -> Scale:
    """All steps of one size."""
    return Scale(highest, highest / 2.0)


def centred(highest: int) -> Scale:
    """The step in the middle, 64 or 8192, is the centre (MIDI 1.0)."""
    return Scale(highest, (highest + 1) / 2.0)


class MessageKind(StrEnum):
    """The kinds of messages, as the project file has them."""

    CC = "cc"
    CC14 = "cc14"
    BEND = "bend"
    PRESSURE = "pressure"
    PROGRAM = "program"
    RPN = "rpn"
    NRPN = "nrpn"


class Message(NamedTuple):
    """`highest` value it carries; `numbers` it may bear, lowest and highest, or none; those of them whose
    middle is a centre, "all" of them or some."""

    key: str
    label: str
    highest: int
    numbers: tuple[int, int] | None = None
    centred: frozenset[int] | None = frozenset()  # None: all


BALANCES = frozenset((8, 10))  # balance and pan: 64 is the middle (MIDI 1.0, RP-037)
MESSAGES: dict[str, Message] = {
    row.key: row
    for row in (
        Message(MessageKind.CC, "Controller", 127, (0, 119), BALANCES),
        Message(MessageKind.CC14, "Fine controller", 16_383, (0, 31), BALANCES),  # and its half, 32 above
        Message(MessageKind.BEND, "Pitch bend", 16_383, None, None),
        Message(MessageKind.PRESSURE, "Channel pressure", 127),
        Message(MessageKind.PROGRAM, "Program change", 127),
        Message(MessageKind.RPN, "RPN", 16_383, (0, 16_382)),
        Message(MessageKind.NRPN, "NRPN", 16_383, (0, 16_382)),
    )
}


# What MIDI 1.0 (table 3) and its recommended practices RP-021 and RP-023 call controllers; from memory.
CONTROLLERS = {
    1: "Modulation wheel", 2: "Breath", 4: "Foot", 5: "Portamento time", 7: "Channel volume",
    8: "Balance", 10: "Pan", 11: "Expression", 12: "Effect control 1", 13: "Effect control 2",
    64: "Sustain pedal", 65: "Portamento", 66: "Sostenuto", 67: "Soft pedal", 70: "Sound variation",
    71: "Timbre", 72: "Release time", 73: "Attack time", 74: "Brightness", 75: "Decay time",
    76: "Vibrato rate", 77: "Vibrato depth", 78: "Vibrato delay", 91: "Reverb send",
    92: "Tremolo depth", 93: "Chorus send", 94: "Celeste depth", 95: "Phaser depth",
}  # fmt: skip
MOST_SEMITONES = 96
# Kinds that choose a parameter by controllers and set it by data entry, 6 and 38 (MIDI 1.0).
SELECTING = {"rpn": (100, 101, 6, 38), "nrpn": (98, 99, 6, 38)}


class MidiTarget(Record, frozen=True):
    """Where a lane's messages go: channel 1..16, the kind of message, its number where it has
    one, how many semitones a bend goes each way, and the port ("": whichever is chosen). Raises
    ZolvekError when that can't be sent."""

    channel: int = 1
    controller: int = 1
    kind: str = "cc"
    semitones: float = 2.0
    port: str = ""

    def __post_init__(self) -> None:
        if self.kind not in MESSAGES:
            raise ZolvekError(
                f"There is no message type “{self.kind}”.",
                remedy=f"Choose one of {', '.join(MESSAGES)}.",
            )
        low, high = MESSAGES[self.kind].numbers or (0, 16_383)
        if not (1 <= self.channel <= 16 and low <= self.controller <= high):
            raise ZolvekError(
                f"Channel {self.channel}, number {self.controller} can't be sent.",
                remedy=f"Use channels 1 to 16 and numbers {low} to {high}.",
            )
        if not 0.0 <= self.semitones <= MOST_SEMITONES:
            raise ZolvekError(
                f"A bend of {self.semitones:g} semitones can't be set.",
                remedy=f"Use 0 to {MOST_SEMITONES}.",
            )

    @property
    def address(self) -> tuple[int, str, int]:
        """Channel, kind and number, 0 where there is none."""
        numbered = MESSAGES[self.kind].numbers is not None
        return self.channel, self.kind, self.controller if numbered else 0

    @property
    def scale(self) -> Scale:
        """How its values are counted."""
        row = MESSAGES[self.kind]
        middle = row.centred is None or self.controller in row.centred
        return centred(row.highest) if middle else even(row.highest)

    @property
    def selects(self) -> frozenset[tuple[str, int, str, int]]:
        """Controllers that it uses to choose a parameter and set it: shared by all that do so, which
        choose again each time, but not by a lane that is such a controller."""
        used = SELECTING.get(self.kind, ())
        return frozenset((self.port, self.channel, "cc", n) for n in used)

    @property
    def takes(self) -> frozenset[tuple[str, int, str, int]]:
        """What it takes up on the wire; lanes that have any of it in common can't be distinguished
        on arrival. The pair of a fine controller takes up two controllers."""
        channel, kind, number = self.address
        if kind == MessageKind.CC14:
            return frozenset((self.port, channel, "cc", n) for n in (number, number + 32))
        if kind == MessageKind.BEND:  # its range is registered parameter 0
            return frozenset(((self.port, channel, kind, 0), (self.port, channel, "rpn", 0)))
        return frozenset({(self.port, channel, kind, number)})

    @property
    def text(self) -> str:
        """The message type as text: "Controller 74, channel 1"."""
        row = MESSAGES[self.kind]
        number = f" {self.controller}" if row.numbers else ""
        return f"{row.label}{number}, channel {self.channel}"


class Voltage(NamedTuple):
    """What a control voltage ranges over: from `low` at the bottom of a control's travel to `high` at its top."""

    label: str
    low: float
    high: float


# A lane as a control voltage: full scale of an audio port is −1 to 1.
VOLTAGES: dict[str, Voltage] = {"unipolar": Voltage("0 to 1", 0.0, 1.0), "bipolar": Voltage("−1 to 1", -1.0, 1.0)}


def parse_target(text: str, channel: int = 1) -> MidiTarget | None:
    """The target that "cc 74", "nrpn 260", "bend" and the like name; None for no text.

    Raises ZolvekError when it can't be read.
    """
    if not text:
        return None
    match = re.fullmatch(r"([a-z0-9]+)(?:\s+(\d{1,5}))?", text.strip().lower())
    if match and match[1] in MESSAGES:
        numbered = MESSAGES[match[1]].numbers is not None
        if numbered == (match[2] is not None):
            return MidiTarget(channel, int(match[2] or 0), match[1])
    raise ZolvekError(
        f"“{text}” is not a message.",
        "sends",
        "Use one such as “cc 74”, “cc14 1”, “nrpn 260”, “bend”, “pressure” or “program”.",
    )
