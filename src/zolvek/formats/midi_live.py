"""The messages that lanes send while they play: which, between one moment and the next."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.meter import TICKS
from zolvek.core.playing import Heard
from zolvek.core.project import Project
from zolvek.formats.midi_out import delivered, message_bytes, stream


class Sent(NamedTuple):
    """One message: when (beats), which lane, and what: channel 1..16, kind, number, value."""

    beat: float
    lane: str
    channel: int
    kind: str
    number: int
    value: int

    @property
    def data(self) -> bytes:
        """The bytes on the wire (MIDI 1.0)."""
        return message_bytes(self.channel, self.kind, self.number, self.value)


class Live:
    """The streams of a project's lanes, each kept until its lane changes."""

    def __init__(self) -> None:
        self.kept: dict[str, tuple[Heard, float, Floats, Ints]] = {}

    def _stream(self, heard: Heard, length: float) -> tuple[Floats, Ints]:
        found = self.kept.get(heard.lane.id)
        if found is None or found[0] is not heard or found[1] != length:
            made = stream(heard, length)
            found = (heard, length, made.tick / TICKS, made.value)
            self.kept[heard.lane.id] = found
        return found[2], found[3]

    def between(self, project: Project, first: float, last: float) -> list[Sent]:
        """The messages from beat `first` up to, but not at, `last`, in order of time."""
        rows = []
        for heard in delivered(project):
            lane = heard.lane
            beats, values = self._stream(heard, project.length)
            low, high = np.searchsorted(beats, [first, last], side="left")
            to = lane.midi
            rows += [
                Sent(beat, lane.id, to.channel, to.kind, to.address[2], value)
                for beat, value in zip(
                    beats[low:high].tolist(), values[low:high].tolist(), strict=True
                )
            ]
        return sorted(rows, key=lambda row: row.beat)

    def at(self, project: Project, beat: float) -> list[Sent]:
        """What every lane holds at `beat`: sent first when playing begins in the middle."""
        rows = []
        for heard in delivered(project):
            lane = heard.lane
            beats, values = self._stream(heard, project.length)
            place = max(int(np.searchsorted(beats, beat, side="right")) - 1, 0)
            to = lane.midi
            value = int(values[place])
            rows.append(Sent(beat, lane.id, to.channel, to.kind, to.address[2], value))
        return rows
