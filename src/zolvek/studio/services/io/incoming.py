# SPDX-License-Identifier: GPL-3.0-or-later
"""MIDI messages on their way from a port's thread to the window's: however many come, the window keeps up."""

from __future__ import annotations

from collections import deque

from PyQt6.QtCore import QObject, pyqtSignal

Arrival = tuple[bytes, float]  # a message and its time, of time.perf_counter

FEW = 16  # that are all followed
MOST_HELD = 1 << 16  # messages, seconds of a cable's worth
CONTROLLER, PRESSURE, BEND = 0xB0, 0xD0, 0xE0
# Controllers that mean something only together: those that select a parameter and set it (MIDI 1.0).
TOGETHER = frozenset((6, 38, 96, 97, 98, 99, 100, 101))


def newest(taken: list[Arrival]) -> list[Arrival]:
    """Where many have come, of each control the last move alone; all else stays, in its order."""
    if len(taken) <= FEW:
        return taken
    last: dict[bytes, int] = {}
    for number, (message, _) in enumerate(taken):
        control = _control(message)
        if control:
            last[control] = number
    return [row for number, row in enumerate(taken) if last.get(_control(row[0]), number) == number]


def _control(message: bytes) -> bytes:
    """What a message moves; nothing for one that has to be followed."""
    kind = message[0] & 0xF0
    if kind == CONTROLLER and len(message) > 1 and message[1] not in TOGETHER:
        return message[:2]
    return message[:1] if kind in (PRESSURE, BEND) else b""


class Incoming(QObject):
    """`put` may be called from any thread; `arrived` is emitted once for all that waits then. `replaced`: moves that
    newer ones took the place of."""

    arrived = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.waiting: deque[Arrival] = deque(maxlen=MOST_HELD)
        self.replaced = 0

    def put(self, message: tuple[int, ...], seconds: float) -> None:
        """A message has come."""
        self.waiting.append((bytes(message), seconds))
        if len(self.waiting) == 1:
            self.arrived.emit()

    def take(self, every: bool) -> list[Arrival]:
        """What waits: `every` message, or what the window has to follow."""
        taken = []
        for _ in range(len(self.waiting)):
            taken.append(self.waiting.popleft())
        kept = taken if every else newest(taken)
        self.replaced += len(taken) - len(kept)
        if self.waiting:  # what has come meanwhile saw others before it
            self.arrived.emit()
        return kept
