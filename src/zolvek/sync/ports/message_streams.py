# SPDX-License-Identifier: GPL-3.0-or-later
"""Streams of messages by time alone: MIDI to ports of the machine, and lanes as OSC."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

import numpy as np

from zolvek.core.edits.connections import Port
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.sync.emission import layout as s
from zolvek.sync.emission import message_emission
from zolvek.sync.emission.tables import MessageTables, addresses_of, tables_of
from zolvek.sync.ports.osc_ports import Output
from zolvek.sync.timeline.clock_messages import RATES
from zolvek.sync.timeline.osc_lanes import OscLanes, Values, bundle

RATE = 48_000  # frames a second that messages are placed by
LONGEST_LEAD_S = 0.2  # seconds that a packet may be sent before it is meant
EDITS_APART_S = 0.04  # between computations: while something is dragged or held not each change is worth one

MidiRow = tuple[str, bytes]  # a port's name, "" for the one of all else; a message


class MidiOut(Protocol):
    def send(self, message: bytes) -> None:
        """Send one message."""
        ...


class StreamRequest(NamedTuple):
    """What is to be sent: a project at a resolution, with or without clock and time code."""

    project: Project
    resolution: Resolution
    clock: bool
    code: str

    @property
    def names(self) -> tuple[str, ...]:
        """The names of the ports it goes to: "" is first."""
        return ("", *dict.fromkeys(lane.midi.port for lane in self.project.lanes() if lane.midi.port))


class Emission:
    """The memory that `message_emission` works on, for as many ports as a request names, and its table."""

    def __init__(self, request: StreamRequest) -> None:
        self.request, self.names = request, request.names
        self.words = np.zeros(s.EMISSION_WORDS, np.int64)
        self.notes = np.zeros(s.PORT_NOTES * len(self.names), np.uint8)
        self.scratch = np.zeros(s.SCRATCH_BYTES, np.uint8)
        self.events = np.zeros(s.EVENTS_HELD, s.EVENT_ROW)
        for word, array in ((s.NOTES, self.notes), (s.SCRATCH, self.scratch), (s.EVENTS, self.events)):
            self.words[word] = array.ctypes.data
        self.words[s.MIDI_COUNT], self.words[s.NAMED_FROM], self.words[s.RATE] = len(self.names), 1, RATE
        self.use(request)

    def use(self, request: StreamRequest) -> None:
        """Another request for the same ports."""
        self.request = request
        ports = (Port("all", ""), *(Port(f"named {name}", name) for name in self.names[1:]))
        self.tables: MessageTables = tables_of(request.project, request.resolution, RATE, ports, request.code)
        self.table = addresses_of(self.tables)
        self.words[s.TABLE] = self.table.ctypes.data
        self.words[s.CLOCK_ON], self.words[s.CODE_ON] = int(request.clock), int(request.code in RATES)

    def taken(self) -> list[tuple[int, MidiRow]]:
        """The events that were emitted since the last time: the frame in the block, and what."""
        rows = self.events[: int(self.words[s.EVENT_COUNT])].tolist()
        data = self.events["data"]
        self.words[s.EVENT_COUNT] = 0
        return [
            (offset, (self.names[port], data[number, :size].tobytes()))
            for number, (port, offset, size, _) in enumerate(rows)
        ]

    def next_frame(self, frame: int) -> float:
        """The frame of the next message from one on; infinite where there is none."""
        tables, words = self.tables, self.words
        clocks = words[s.CLOCK_ON] and words[s.CLOCK_STATE] != s.CLOCK_STILL
        frames = [tables.sending.frame]
        frames += [tables.clocks] if clocks else []
        frames += [tables.quarters] if words[s.CODE_ON] else []
        places = [(item, int(np.searchsorted(item, frame))) for item in frames]
        return min((float(item[index]) for item, index in places if index < len(item)), default=np.inf)


class MidiStream:
    """Everything that the MIDI file exports, and the clock, as JACK's callbacks send it. `port` gives the output for a
    name that a lane gives, "" for all else, or None."""

    ahead = lead = 0.0  # what is emitted is on its way: nothing is looked up before it is due

    def __init__(self, port: Callable[[str], MidiOut | None]) -> None:
        self.port = port
        self.wanted: StreamRequest | None = None
        self.emission: Emission | None = None
        self.made = 0.0  # when its table was computed

    def use(self, project: Project, resolution: Resolution, clock: bool = False, code: str = "") -> None:
        """What is sent from now on; it is computed by who sends it."""
        before, wanted = self.wanted, StreamRequest(project, resolution, clock, code)
        if before is None or before.project is not project or before[1:] != wanted[1:]:
            self.wanted = wanted

    @property
    def outdated(self) -> bool:
        """Whether something else is to be sent now."""
        emission = self.emission
        due = time.monotonic() - self.made > EDITS_APART_S
        return emission is not None and emission.request is not self.wanted and due

    def _begin(self) -> Emission:
        assert self.wanted is not None
        if self.emission is None or self.emission.names != self.wanted.names:
            self.emission = Emission(self.wanted)
            self.made = time.monotonic()
        elif self.outdated:
            self.emission.use(self.wanted)
            self.made = time.monotonic()
        return self.emission

    def at(self, seconds: float) -> list[MidiRow]:
        """The messages that set everything as it is at a time in seconds."""
        before = self._ended()
        emission = self._begin()
        message_emission.send_position(emission.words, emission.table, _frame(seconds), 0)
        return before + [row for _, row in emission.taken()]

    def rest(self, seconds: float, moved: bool) -> list[MidiRow]:
        """The messages for a song that is stopped at a time in seconds; `moved`: it was stopped elsewhere."""
        emission = self._begin()
        message_emission.send_rest(emission.words, emission.table, _frame(seconds), 0, moved)
        return [row for _, row in emission.taken()]

    def retimed(self, seconds: float) -> float | None:
        """Where the song is by the tempo that is wanted now, for a time in seconds by the one that is used: between
        the same messages. None where the tempo is the same."""
        emission, wanted = self.emission, self.wanted
        if emission is None or wanted is None or emission.request is wanted:
            return None
        if emission.request.project.tempo == wanted.project.tempo:
            return None
        beat = emission.request.project.tempo.beats(max(_frame(seconds) - 0.5, 0.0) / RATE)
        return float(np.floor(wanted.project.tempo.seconds(beat) * RATE + 0.5)) / RATE

    def changed(self, seconds: float, was: float) -> list[MidiRow]:
        """The messages that an edit makes necessary at a time in seconds, which was `was` before it: of each lane that
        differs all of them, as the parts of a controller mean nothing without its number."""
        old = self.emission
        if old is None or (self.wanted is not None and self.wanted.names != old.names):
            return self.at(seconds)
        table, tables = old.table, old.tables
        self.made = 0.0  # at once
        emission = self._begin()
        message_emission.chase_changed(emission.words, emission.table, _frame(seconds), table, _frame(was), 0)
        del tables  # held until here: the old table is addresses in it
        return [row for _, row in emission.taken()]

    def between(self, first: float, last: float) -> list[tuple[float, MidiRow]]:
        """Messages with their times, from `first` to before `last`, in seconds."""
        emission = self.emission or self._begin()
        begin, end = _frame(first), _frame(last)
        message_emission.emit_messages(emission.words, emission.table, begin, begin, end, 0, 1.0)
        return [((begin + offset) / RATE, row) for offset, row in emission.taken()]

    def upcoming(self, seconds: float) -> float:
        """The second of the next message from a second of the song on."""
        emission = self.emission
        return emission.next_frame(_frame(seconds)) / RATE if emission is not None else np.inf

    def send(self, packets: list[MidiRow], moment: float) -> None:
        """Send messages, due at a moment."""
        for name, data in packets:
            port = self.port(name)
            if port is not None:
                port.send(data)

    def _ended(self) -> list[MidiRow]:
        """What ends the notes that sound, and the clock."""
        emission = self.emission
        if emission is None:
            return []
        message_emission.stop_messages(emission.words, 0)
        return [row for _, row in emission.taken()]

    def stop(self) -> None:
        """End notes, and stop the clock."""
        self.send(self._ended(), 0.0)


def _frame(seconds: float) -> int:
    """The frame nearest to a second of the song, as the table's are: what lies there is sent by itself."""
    return round(seconds * RATE)


class OscStream:
    """Lanes to an address, `rate` times a second where they move, with the moment at which each is meant."""

    ahead = 0.5  # seconds that are looked up at a time

    def __init__(self, output: Output) -> None:
        self.output = output
        self.lead = 0.0
        self.project, self.rate = Project(), 60.0
        self.lanes = OscLanes(self.project, self.rate)  # as looked at last: edits since then are sent together

    def use(self, project: Project, rate: float, lead: float = 0.0) -> None:
        """Use a project, at most `rate` values per second for each lane, each sent `lead` seconds before its time
        tag."""
        self.project, self.rate, self.lead = project, rate, min(max(lead, 0.0), LONGEST_LEAD_S)

    @property
    def outdated(self) -> bool:
        """Whether the project has been edited since it was looked at."""
        return self.project is not self.lanes.project or self.rate != self.lanes.rate

    def at(self, seconds: float) -> list[Any]:
        """The packets with all values at a time in seconds."""
        self.lanes = OscLanes(self.project, self.rate, self.lanes)
        return self._encoded(self.lanes.at(seconds))

    def rest(self, seconds: float, moved: bool) -> list[Any]:
        """The packets with all values where the song is stopped."""
        packets = self.at(seconds)
        self.lanes.between(seconds, seconds + self.ahead)  # it begins from here without a wait
        return packets

    def retimed(self, seconds: float) -> float | None:
        """Where the song is by the project's tempo, for a time in seconds by the one that is used; None where they are
        the same."""
        used, wanted = self.lanes.project.tempo, self.project.tempo
        return None if used is wanted or used == wanted else float(wanted.seconds(used.beats(seconds)))

    def changed(self, seconds: float, was: float) -> list[Any]:
        """The packets that an edit makes necessary at a time in seconds, which was `was` before it."""
        before, self.lanes = self.lanes, OscLanes(self.project, self.rate, self.lanes)
        return self._encoded(self.lanes.changed(before, seconds, was))

    def between(self, first: float, last: float) -> list[tuple[float, Any]]:
        """Packets with their times, from `first` to before `last`, in seconds."""
        return list(self.lanes.encoded(self.lanes.between(first, last)))

    def _encoded(self, values: Values) -> list[Any]:
        return [packet for _, packet in self.lanes.encoded(values)]

    def upcoming(self, seconds: float) -> float:
        """Values may move at any time."""
        return seconds

    def send(self, packets: list[Any], moment: float) -> None:
        """Send packets, due at a moment."""
        self.output.send([bundle(packet, moment) for packet in packets])

    def stop(self) -> None:
        """Values have no end."""
