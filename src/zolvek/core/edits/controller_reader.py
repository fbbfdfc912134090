# SPDX-License-Identifier: GPL-3.0-or-later
"""MIDI messages as moves of controls, in as many bits as they come in.

A controller from 0 to 31 may come in two halves, its second 32 higher (MIDI 1.0, table III); registered and
non-registered parameters are chosen by controllers 98 to 101 and set by 6 and 38. The first half alone would be off by
up to a 127th: where the second half has come once, both are waited for.
"""

from __future__ import annotations

from zolvek.core.edits.controller_mappings import read_message

HALVES = 32  # controllers that may have a second half, and how much higher that is
DATA = 6  # sets what was chosen; its second half is 38
NRPN_LOW, NRPN_HIGH, RPN_LOW, RPN_HIGH = 98, 99, 100, 101
NOTHING_CHOSEN = 127
WHOLE = 16_383.0
Moved = tuple[str, float]  # a control's id, and its position 0..1


class ControllerReader:
    """Of one input: it remembers what was chosen, and first halves."""

    def __init__(self) -> None:
        self.first: dict[str, int] = {}  # by control: the first half that came last
        self.waiting: set[str] = set()  # controls whose second half is still to come
        self.paired: set[str] = set()  # those whose second half has come with the last first one
        self.chosen: dict[int, tuple[str, list[int]]] = {}  # by channel: kind, and both halves of a number

    def read(self, message: tuple[int, ...]) -> Moved | None:
        """The control that a message moves, and where to; None for one that moves nothing (yet)."""
        if len(message) != 3 or message[0] & 0xF0 != 0xB0 or not all(0 <= byte < 128 for byte in message[1:]):
            return read_message(message)
        channel, number, value = (message[0] & 0x0F) + 1, message[1], message[2]
        if number in (NRPN_LOW, NRPN_HIGH, RPN_LOW, RPN_HIGH):
            self._choose(channel, number, value)
            return None
        if number >= 2 * HALVES:
            return read_message(message)
        control = f"cc:{channel}:{number % HALVES}"
        if number % HALVES == DATA and channel in self.chosen:
            kind, (low, high) = self.chosen[channel]
            control = f"{kind}:{channel}:{128 * high + low}"
        if number < HALVES:
            return self._first(control, value)
        if control not in self.first:  # a controller by itself
            return read_message(message)
        self.waiting.discard(control)
        self.paired.add(control)
        return control, (128 * self.first[control] + value) / WHOLE

    def _first(self, control: str, value: int) -> Moved | None:
        if control in self.waiting:  # its second halves have ended
            self.paired.discard(control)
        self.first[control] = value
        self.waiting.add(control)
        return None if control in self.paired else (control, value / 127.0)

    def _choose(self, channel: int, number: int, value: int) -> None:
        kind = "nrpn" if number in (NRPN_LOW, NRPN_HIGH) else "rpn"
        if channel not in self.chosen or self.chosen[channel][0] != kind:
            self.chosen[channel] = kind, [NOTHING_CHOSEN, NOTHING_CHOSEN]
        halves = self.chosen[channel][1]
        halves[number in (NRPN_HIGH, RPN_HIGH)] = value
        if halves == [NOTHING_CHOSEN, NOTHING_CHOSEN]:  # which means that nothing is chosen any more
            del self.chosen[channel]
