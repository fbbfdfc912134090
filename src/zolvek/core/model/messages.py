"""Kinds of MIDI messages that a lane can be sent as: the one table (MIDI 1.0 specification)."""

from __future__ import annotations

import re
from typing import NamedTuple

from zolvek.core.errors import ZolvekError
from zolvek.core.records import record


class Message(NamedTuple):
    """`highest` value it carries; `numbers` it may bear, lowest and highest, or none."""

    key: str
    label: str
    highest: int
    numbers: tuple[int, int] | None = None


MESSAGES: dict[str, Message] = {
    row.key: row
    for row in (
        Message("cc", "Controller", 127, (0, 119)),
        Message("cc14", "Fine controller", 16_383, (0, 31)),  # and its lower half, 32 above
        Message("bend", "Pitch bend", 16_383),
        Message("pressure", "Channel pressure", 127),
        Message("rpn", "RPN", 16_383, (0, 16_382)),
        Message("nrpn", "NRPN", 16_383, (0, 16_382)),
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


@record
class MidiTarget:
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
                f"There are no messages of kind “{self.kind}”.",
                remedy=f"Kinds are {', '.join(MESSAGES)}.",
            )
        low, high = MESSAGES[self.kind].numbers or (0, 16_383)
        if not (1 <= self.channel <= 16 and low <= self.controller <= high):
            raise ZolvekError(
                f"Channel {self.channel}, number {self.controller} can't be sent.",
                remedy=f"Channels run from 1 to 16, numbers from {low} to {high}.",
            )
        if not 0.0 <= self.semitones <= MOST_SEMITONES:
            raise ZolvekError(
                f"A bend of {self.semitones:g} semitones can't be set.",
                remedy=f"It goes from 0 to {MOST_SEMITONES}.",
            )

    @property
    def address(self) -> tuple[int, str, int]:
        """Channel, kind and number, 0 where there is none."""
        numbered = MESSAGES[self.kind].numbers is not None
        return self.channel, self.kind, self.controller if numbered else 0

    @property
    def takes(self) -> frozenset[tuple[str, int, str, int]]:
        """What it takes up on the wire; lanes that have any of it in common can't be told apart
        on arrival. The pair of a fine controller takes up two controllers."""
        channel, kind, number = self.address
        if kind == "cc14":
            return frozenset((self.port, channel, "cc", n) for n in (number, number + 32))
        return frozenset({(self.port, channel, kind, number)})

    @property
    def text(self) -> str:
        row = MESSAGES[self.kind]
        number = f" {self.controller}" if row.numbers else ""
        return f"{row.label}{number}, channel {self.channel}"


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
        "Write one such as “cc 74”, “cc14 1”, “nrpn 260”, “bend” or “pressure”.",
    )
