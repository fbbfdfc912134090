# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes' steps as MIDI messages on the wire (MIDI 1.0 detailed specification).

Kinds of more than seven bits take several messages: the upper seven bits first, then the lower
ones. When the upper bits change, receivers may take the lower ones for zero or keep the old ones;
the lower ones are left out only where both come to the same.
"""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Bools, Ints, distinct
from zolvek.core.model.messages import MessageKind, MidiTarget

CONTROL, PROGRAM, PRESSURE, BEND = 0xB0, 0xC0, 0xD0, 0xE0
SHORT = {MessageKind.PROGRAM: PROGRAM, MessageKind.PRESSURE: PRESSURE}  # kinds of one byte of data
LOWER = 32  # a fine controller's lower half lies so far above
ENTRY = 6  # data entry, which sets the registered or non-registered parameter that is selected
SELECT = {"rpn": (101, 100), "nrpn": (99, 98)}  # controllers that select one: upper, lower half
SENSITIVITY = 0  # the registered parameter for the range of the bend: semitones, then cents
NOTHING = 16_383  # the number that selects no parameter at all
NONE = 127  # both halves of the number that selects no parameter at all
LEAST_BEYOND = 8  # steps beyond both values that are worth a message
# Kind -> where a value stands in the messages that say it by itself: which of them, counted from the last one,
# which byte, and the bits below those seven.
VALUE_IN = {
    "cc": ((-1, 2, 0),),
    "pressure": ((-1, 1, 0),),
    "program": ((-1, 1, 0),),
    "bend": ((-1, 1, 0), (-1, 2, 7)),
    "cc14": ((-2, 2, 7), (-1, 2, 0)),
    "rpn": ((-4, 2, 7), (-3, 2, 0)),
    "nrpn": ((-4, 2, 7), (-3, 2, 0)),
}
BAUD = 31_250  # of a DIN cable, ten bits a byte


class Messages(NamedTuple):
    """Messages in order of time: `tick` and `data`, (count, 3) bytes, and how many bytes count."""

    tick: Ints
    data: np.ndarray
    size: Ints


def messages(target: MidiTarget, tick: Ints, value: Ints, shared: bool = False) -> Messages:
    """A lane's steps as messages. `shared`: another parameter may have been selected on the
    channel in between, so that it is selected again before each change."""
    status, kind = target.channel - 1, target.kind
    if kind == MessageKind.BEND:
        body = _rows(tick, BEND | status, value & 127, value >> 7)
        return joined([_sensitivity(target, int(tick[0])), body])
    if kind in SHORT:
        result = _rows(tick, SHORT[MessageKind(kind)] | status, value, np.zeros_like(value))
        return result._replace(size=np.full(len(tick), 2))
    if kind == MessageKind.CC:
        return _rows(tick, CONTROL | status, np.full_like(value, target.controller), value)
    upper = target.controller if kind == MessageKind.CC14 else ENTRY
    changes = _halves(tick, value, CONTROL | status, upper)
    if kind == MessageKind.CC14:
        return changes
    chosen = _selected(kind, status, target.controller, distinct(changes.tick) if shared else tick[:1])
    # Once all is said nothing stays selected, so that no data entry of another's can change it. Between
    # two changes it does: selecting it again would make two messages of each change four.
    end = _selected(kind, status, NOTHING, tick[-1:])
    return in_time([chosen, changes, end])


def whole(target: MidiTarget, value: Ints) -> tuple[np.ndarray, int]:
    """For each value by itself the messages that put the lane there, whatever was sent before: their data,
    (values, messages, 3), and how many bytes of each count."""
    if not len(value):
        return np.zeros((0, 1, 3), np.uint8), 3
    first = messages(target, np.zeros(1, np.intp), value[:1])
    data = np.repeat(first.data[None], len(value), axis=0)
    for index, byte, bits in VALUE_IN[target.kind]:
        data[:, index, byte] = (value >> bits) & 127
    return data, int(first.size[-1])


def _rows(tick: Ints, status: int, first: Ints, second: Ints) -> Messages:
    data = np.stack((np.full_like(tick, status), first, second), axis=1).astype(np.uint8)
    return Messages(tick, data, np.full(len(tick), 3))


def _halves(tick: Ints, value: Ints, status: int, upper: int) -> Messages:
    """Upper and lower halves, whichever of them are needed, and before a rising upper half a lower one
    half way, where a receiver that keeps the old one would go beyond both values."""
    before, first, second = halves(value)
    msb, lsb = value >> 7, value & 127
    there = np.stack((before >= 0, first, second), axis=1).ravel()
    numbers = np.tile([upper + LOWER, upper, upper + LOWER], len(tick))[there]
    values = np.stack((before, msb, lsb), axis=1).ravel()[there]
    return _rows(np.repeat(tick, 3)[there], status, numbers, values)


def halves(value: Ints) -> tuple[Ints, Bools, Bools]:
    """Of each change of a fine controller: the lower half that is sent before the upper one, or −1; and
    whether the upper and the lower one are sent."""
    msb, lsb = value >> 7, value & 127
    old_msb, old_lsb = np.append(-1, msb[:-1]), np.append(0, lsb[:-1])
    first = msb != old_msb
    rising = first & (old_msb >= 0) & (msb > old_msb) & (old_lsb - lsb > LEAST_BEYOND)
    before = np.where(rising, (old_lsb + lsb) // 2, -1)
    still = (lsb == 0) & (np.where(before >= 0, before, old_lsb) == 0)
    still[0] = False
    return before, first, np.where(first, ~still, True)


def beyond(value: Ints) -> Ints:
    """How many steps outside old..new a receiver sees at most while the halves of each change come in:
    one that takes the lower half for zero with each upper one (as MIDI 1.0 has it), or one that keeps
    it. Falling upper halves can't be given better: with the first kind of receiver the lower one is zero
    until it comes."""
    before, first, _ = halves(value)
    old, new = value[:-1], value[1:]
    low, high = np.minimum(old, new), np.maximum(old, new)
    early, upper = before[1:], new & ~127
    kept = np.where(early >= 0, early, old & 127)
    seen = [np.where(early >= 0, (old & ~127) + early, old), upper, upper + kept]
    far = [np.maximum(np.maximum(low - item, item - high), 0) for item in seen]
    return np.where(first[1:], np.maximum.reduce(far), 0)


def _selected(kind: str, status: int, number: int, ticks: Ints) -> Messages:
    """The parameter selected at each of `ticks`: the upper half of its number, then the lower."""
    return _rows(
        np.repeat(ticks, 2),
        CONTROL | status,
        np.tile(SELECT[kind], len(ticks)),
        np.tile([number >> 7, number & 127], len(ticks)),
    )


def _sensitivity(target: MidiTarget, tick: int) -> Messages:
    """RPN 0 set to the bend's range, and no parameter selected after it."""
    whole = int(target.semitones)
    upper, lower = SELECT["rpn"]
    cents = round(100.0 * (target.semitones - whole))
    rows = ((upper, 0), (lower, SENSITIVITY), (ENTRY, whole), (ENTRY + LOWER, cents), (upper, NONE), (lower, NONE))
    numbers, values = np.array(rows).T
    return _rows(np.full(len(rows), tick), CONTROL | (target.channel - 1), numbers, values)


def joined(parts: list[Messages]) -> Messages:
    """Several streams of messages as one, in order of time."""
    return Messages(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def in_time(parts: list[Messages]) -> Messages:
    """All messages in order of time; at one tick, in the order of the parts."""
    whole = joined(parts)
    order = np.argsort(whole.tick, kind="stable")
    return Messages(whole.tick[order], whole.data[order], whole.size[order])


def sharing(targets: list[MidiTarget]) -> set[tuple[str, int]]:
    """Ports and channels on which several lanes select parameters."""
    selecting = [(t.port, t.channel) for t in targets if t.kind in (*SELECT, MessageKind.BEND)]
    return {channel for channel, count in Counter(selecting).items() if count > 1}


def running(data: np.ndarray) -> Bools:
    """Which messages need no status of their own on a cable or in a track: theirs is that of the one
    before (running status, MIDI 1.0)."""
    status = data[:, 0]
    return np.concatenate(([False], status[1:] == status[:-1])) if len(status) else np.zeros(0, bool)
