# SPDX-License-Identifier: GPL-3.0-or-later
"""Numbers of MIDI messages that no lane uses yet."""

from __future__ import annotations

from zolvek.core.errors import ZolvekError
from zolvek.core.model.messages import CONTROLLERS, MESSAGES, SELECTING, MessageKind, MidiTarget
from zolvek.core.model.project import Project

# Controllers that mean something to every receiver (MIDI 1.0): bank select, data entry, and the fine
# halves of both.
RESERVED = frozenset((0, 6, 32, 38))


def taken_numbers(target: MidiTarget) -> set[int]:
    """The controllers that a lane's messages take on its channel."""
    if target.kind == MessageKind.CC:
        return {target.controller}
    if target.kind == MessageKind.CC14:
        return {target.controller, target.controller + 32}
    return set(SELECTING.get(target.kind, ()))


def free_number(project: Project, lane: str, kind: str, channel: int) -> int:
    """A number for messages of a kind on a channel that none of the other lanes takes: one that no
    practice names, where there is one. Raises ZolvekError when all are taken."""
    others = [item.midi for item in project.lanes() if item.id != lane and item.midi.channel == channel]
    numbers = MESSAGES[kind].numbers
    if numbers is None:
        return 0
    if kind in SELECTING:
        used = {other.controller for other in others if other.kind == kind}
    else:
        used = set(RESERVED).union(*(taken_numbers(other) for other in others))
    free = [
        n
        for n in range(numbers[0], numbers[1] + 1)
        if not used & (taken_numbers(MidiTarget(channel, n, kind)) if kind not in SELECTING else {n})
    ]
    if not free:
        raise ZolvekError(f"All numbers of channel {channel} are in use.", remedy="Choose another channel.")
    return next((n for n in free if n not in CONTROLLERS), free[0])
