# SPDX-License-Identifier: GPL-3.0-or-later
"""A track's notes as MIDI for a plugin: keys down and up at their frames."""

from __future__ import annotations

from zolvek.sound.signal.new_note import Message, NewNote

NOTE_ON, NOTE_OFF, ALL_OFF = 0x90, 0x80, (0xB0, 123, 0)


class Keys:
    """Which keys are down, and until when, in seconds of the renderer's clock."""

    def __init__(self, rate: int) -> None:
        self.rate = rate
        self.ends: list[tuple[float, int]] = []  # when, and the pitch that ends
        self.off = False  # all keys go up with the next frame

    def release_all(self) -> None:
        """All keys up."""
        self.ends, self.off = [], True

    def release(self, pitch: int, now: float) -> None:
        """A key up."""
        self.ends = [(min(end, now) if item == pitch else end, item) for end, item in self.ends]

    def messages(self, notes: list[NewNote], now: float, frames: int) -> list[Message]:
        """What is sent in a stretch that begins `now`; up before down where both are at once."""
        result: list[tuple[int, int, bytes]] = []
        if self.off:
            result.append((0, 0, bytes(ALL_OFF)))
            self.off = False
        for note, after, seconds in notes:
            frame = min(max(round(after * self.rate), 0), frames - 1)
            strength = min(max(round(note.strength * 127), 1), 127)
            result.append((frame, 2, bytes((NOTE_ON, note.pitch, strength))))
            self.ends.append((now + after + seconds, note.pitch))
        still = []
        for end, pitch in self.ends:
            frame = round((end - now) * self.rate)
            if frame < frames:
                result.append((max(frame, 0), 1, bytes((NOTE_OFF, pitch, 0))))
            else:
                still.append((end, pitch))
        self.ends = still
        return [(frame, data) for frame, _, data in sorted(result, key=lambda row: row[:2])]


def in_order(*rows: list[Message]) -> list[Message]:
    """Messages of several sources in order of time; of one frame, in the order of the sources."""
    present = [source for source in rows if source]
    return present[0] if len(present) == 1 else sorted((row for source in present for row in source), key=_frame)


def _frame(message: Message) -> int:
    return message[0]


def between(messages: list[Message], at: int, first: int, last: int) -> tuple[list[Message], int]:
    """The messages from place `at` on that lie before frame `last`, counted from `first`; and the next
    place."""
    due = []
    while at < len(messages) and messages[at][0] < last:
        due.append((messages[at][0] - first, messages[at][1]))
        at += 1
    return due, at
