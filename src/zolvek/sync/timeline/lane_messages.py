# SPDX-License-Identifier: GPL-3.0-or-later
"""The messages that lanes send while they play: which, between one moment and the next."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from zolvek.core.model.messages import MessageKind
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.time.meter import TICKS
from zolvek.formats.midi.encode import BEND, CONTROL, PROGRAM, Messages, messages
from zolvek.formats.midi.step_streams import FINEST, exported_lanes, lane_messages, stream


class SentMessage(NamedTuple):
    """One message: when (beats), which lane, and its bytes on the wire (MIDI 1.0)."""

    beat: float
    lane: str
    data: bytes

    @property
    def channel(self) -> int:
        """Its channel, 1 to 16."""
        return (self.data[0] & 15) + 1

    @property
    def kind(self) -> str:
        """A kind of core.messages: what the message is by itself."""
        return {CONTROL: "cc", BEND: "bend", PROGRAM: "program"}.get(self.data[0] & 0xF0, "pressure")

    @property
    def number(self) -> int:
        """Its controller or parameter number, −1 for none."""
        return self.data[1]

    @property
    def value(self) -> int:
        """Its value as sent."""
        if self.kind == MessageKind.BEND:
            return self.data[1] | self.data[2] << 7
        return self.data[-1]


def between(project: Project, first: float, last: float, resolution: Resolution = FINEST) -> list[SentMessage]:
    """The messages from beat `first` up to, but not at, `last`, in order of time: those that the file
    exports at this resolution."""
    rows = []
    for heard, _, sent in lane_messages(project, exported_lanes(project), resolution):
        low, high = np.searchsorted(sent.tick, np.array([first, last]) * TICKS, side="left")
        rows += _sent(heard.lane.id, Messages(*(column[low:high] for column in sent)))
    return sorted(rows, key=lambda row: row.beat)


def at(project: Project, beat: float, resolution: Resolution = FINEST) -> list[SentMessage]:
    """What every lane holds at `beat`: sent first when playing begins in the middle."""
    rows = []
    for heard in exported_lanes(project):
        this_stream = stream(heard, project, resolution)
        index = max(int(np.searchsorted(this_stream.tick, beat * TICKS, side="right")) - 1, 0)
        tick = np.array([round(beat * TICKS)])
        rows += _sent(heard.lane.id, messages(heard.lane.midi, tick, this_stream.value[[index]]))
    return rows


def _sent(lane: str, found: Messages) -> list[SentMessage]:
    columns = (found.tick.tolist(), found.data, found.size.tolist())
    return [SentMessage(tick / TICKS, lane, data[:size].tobytes()) for tick, data, size in zip(*columns, strict=True)]
