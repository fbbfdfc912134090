"""The messages that lanes send while they play: which, between one moment and the next."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from zolvek.core.model.project import Project
from zolvek.core.movement.playing import Heard
from zolvek.core.movement.stepping import Stream
from zolvek.core.time.meter import TICKS
from zolvek.formats.midi.encode import BEND, CONTROL, Messages, messages, sharing
from zolvek.formats.midi.file_out import delivered, stream


class Sent(NamedTuple):
    """One message: when (beats), which lane, and its bytes on the wire (MIDI 1.0)."""

    beat: float
    lane: str
    data: bytes

    @property
    def channel(self) -> int:
        return (self.data[0] & 15) + 1

    @property
    def kind(self) -> str:
        """A kind of core.messages: what the message is by itself."""
        return {CONTROL: "cc", BEND: "bend"}.get(self.data[0] & 0xF0, "pressure")

    @property
    def number(self) -> int:
        return self.data[1]

    @property
    def value(self) -> int:
        if self.kind == "bend":
            return self.data[1] | self.data[2] << 7
        return self.data[-1]


class Live:
    """The streams of a project's lanes, each kept until its lane changes."""

    def __init__(self) -> None:
        self.kept: dict[str, tuple[Heard, bool, Stream, Messages]] = {}

    def _messages(self, project: Project, heard: Heard, shared: bool) -> tuple[Stream, Messages]:
        found = self.kept.get(heard.lane.id)
        if found is None or found[0] is not heard or found[1] != shared:
            own = stream(heard, project)
            found = heard, shared, own, messages(heard.lane.midi, own.tick, own.value, shared)
            self.kept[heard.lane.id] = found
        return found[2], found[3]

    def between(self, project: Project, first: float, last: float) -> list[Sent]:
        """The messages from beat `first` up to, but not at, `last`, in order of time."""
        rows = []
        lanes = delivered(project)
        shared = sharing([heard.lane.midi for heard in lanes])
        for heard in lanes:
            target = heard.lane.midi
            _, own = self._messages(project, heard, (target.port, target.channel) in shared)
            low, high = np.searchsorted(own.tick, np.array([first, last]) * TICKS, side="left")
            rows += _sent(heard.lane.id, Messages(*(column[low:high] for column in own)))
        return sorted(rows, key=lambda row: row.beat)

    def at(self, project: Project, beat: float) -> list[Sent]:
        """What every lane holds at `beat`: sent first when playing begins in the middle."""
        rows = []
        for heard in delivered(project):
            own, _ = self._messages(project, heard, False)
            place = max(int(np.searchsorted(own.tick, beat * TICKS, side="right")) - 1, 0)
            tick = np.array([round(beat * TICKS)])
            rows += _sent(heard.lane.id, messages(heard.lane.midi, tick, own.value[[place]]))
        return rows


def _sent(lane: str, found: Messages) -> list[Sent]:
    columns = (found.tick.tolist(), found.data, found.size.tolist())
    return [
        Sent(tick / TICKS, lane, data[:size].tobytes())
        for tick, data, size in zip(*columns, strict=True)
    ]
