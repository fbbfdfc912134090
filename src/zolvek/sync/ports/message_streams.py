# SPDX-License-Identifier: GPL-3.0-or-later
"""Streams of messages by time alone: MIDI to ports of the machine, and lanes as OSC."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.edits.connections import Port
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.sync.ports.osc_ports import Output
from zolvek.sync.timeline import osc_messages, song_timeline
from zolvek.sync.timeline.clock_messages import (
    CLOCK,
    CONTINUE,
    LAST_POSITION,
    POSITION_BEATS,
    QUARTER_FRAME,
    RATES,
    START,
    STOP,
    clocks,
    full_frame,
    position_at,
    quarter_frames,
    song_position,
)

RATE = 48_000  # frames a second that messages are placed by
APART = 0.2  # seconds between computations
OFF, ON = 0x80, 0x90


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


class TimedMessages(NamedTuple):
    """The same by its moments: messages, names of ports, beats and seconds of clocks, and of quarter frames."""

    of: StreamRequest
    sending: song_timeline.SongTimeline
    names: tuple[str, ...]
    beats: Floats
    moments: Floats
    code: Floats
    data: np.ndarray


class MidiStream:
    """Everything that the MIDI file exports, and the clock: the same messages in the same order. `port` gives the
    output for a name that a lane gives, "" for all else, or None."""

    def __init__(self, port: Callable[[str], MidiOut | None]) -> None:
        self.port = port
        self.wanted: StreamRequest | None = None
        self.now: TimedMessages | None = None  # what is sent of it
        self.sent: TimedMessages | None = None  # what was looked at last: edits since then are sent together
        self.made = 0.0  # when that was computed
        self.on: dict[tuple[str, int, int], None] = {}  # notes: port, channel, pitch
        self.runs = False  # the clock has been given to go
        self.waits, self.begins = False, 0.0  # it is to be given so at a beat

    def use(self, project: Project, resolution: Resolution, clock: bool = False, code: str = "") -> None:
        """What is sent from now on; it is computed by who sends it."""
        self.wanted = StreamRequest(project, resolution, clock, code)

    def _fresh(self) -> TimedMessages:
        wanted, now = self.wanted, self.now
        assert wanted is not None
        # While something is dragged there are many; not each is worth the work.
        due = time.monotonic() - self.made > APART
        if now is None or (now.of is not wanted and due):
            self.now = _placed(wanted)
            self.made = time.monotonic()
        assert self.now is not None
        return self.now

    def at(self, seconds: float) -> list[Any]:
        """The messages that set everything as it is at a time in seconds."""
        placed = self.sent = self._fresh()
        rows = [row for lane in _states(placed, seconds).values() for row in lane] + _sounding(placed, seconds)
        code = RATES.get(placed.of.code)
        if code:
            rows.append(("", full_frame(seconds, code)))
        if placed.of.clock:
            position = position_at(float(placed.of.project.tempo.beats(seconds)))
            # Beyond the last position that the message holds there is no clock: nobody could say where it is.
            there = position <= LAST_POSITION
            if position > 0 and there:
                rows.append(("", song_position(position)))
            self.begins, self.waits = position * POSITION_BEATS if there else np.inf, True
        return rows

    def changed(self, seconds: float) -> list[Any]:
        """The messages that an edit makes necessary at a time in seconds: of each lane that differs all of them, as
        the parts of a controller mean nothing without its number."""
        placed = self._fresh()
        before, self.sent = self.sent, placed
        old = _states(before, seconds) if before is not None else {}
        return [row for lane, rows in _states(placed, seconds).items() if old.get(lane) != rows for row in rows]

    def between(self, first: float, last: float) -> list[tuple[float, Any]]:
        """Messages with their times, from `first` to before `last`, in seconds."""
        placed = self._fresh()
        found = placed.sending
        low, high = np.searchsorted(found.frame, np.ceil(np.array([first, last]) * RATE - 1e-6))
        rows: list[tuple[float, Any]] = [
            (frame / RATE, (placed.names[port], data[:size].tobytes()))
            for frame, port, data, size in zip(
                found.frame[low:high].tolist(),
                found.port[low:high].tolist(),
                found.data[low:high],
                found.size[low:high].tolist(),
                strict=True,
            )
        ]
        low, high = np.searchsorted(placed.code, [first, last])
        rows += [
            (when, ("", bytes((QUARTER_FRAME, value))))
            for when, value in zip(placed.code[low:high].tolist(), placed.data[low:high].tolist(), strict=True)
        ]
        low, high = np.searchsorted(placed.moments, [first, last])
        for beat, when in zip(placed.beats[low:high].tolist(), placed.moments[low:high].tolist(), strict=True):
            if self.waits and beat < self.begins - 1e-9:
                continue
            if self.waits:
                rows.append((when, ("", bytes((START if beat == 0.0 else CONTINUE,)))))
                self.waits = False
            rows.append((when, ("", bytes((CLOCK,)))))
        return sorted(rows, key=lambda row: row[0])

    def send(self, packets: list[Any], moment: float) -> None:
        """Send messages, due at a moment."""
        for name, data in packets:
            port = self.port(name)
            if port is None:
                continue
            kind = data[0] & 0xF0
            if kind in (OFF, ON):
                key = name, data[0] & 15, data[1]
                self.on.pop(key, None)
                if kind == ON and data[2]:
                    self.on[key] = None
            self.runs = self.runs or data[0] in (START, CONTINUE)
            port.send(data)

    def stop(self) -> None:
        """End notes, and stop the clock."""
        for name, channel, pitch in list(self.on):
            port = self.port(name)
            if port is not None:
                port.send(bytes((OFF | channel, pitch, 64)))
        self.on.clear()
        port = self.port("")
        if self.runs and port is not None:
            port.send(bytes((STOP,)))
        self.runs = False


def _placed(wanted: StreamRequest) -> TimedMessages:
    project = wanted.project
    names = dict.fromkeys(x.midi.port for x in project.lanes() if x.midi.port)
    ports = (Port("all", ""), *(Port(f"named {name}", name) for name in names))
    beats = clocks(project.length) if wanted.clock else np.zeros(0)
    code, data = np.zeros(0), np.zeros(0, np.uint8)
    if wanted.code in RATES:
        code, data = quarter_frames(float(project.tempo.seconds(project.length)), RATES[wanted.code])
    return TimedMessages(
        wanted,
        song_timeline.sending(project, RATE, ports, wanted.resolution),
        ("", *names),
        beats,
        project.tempo.seconds(beats),
        code,
        data,
    )


def _frame(seconds: float) -> int:
    """The first frame that is not before a second of the song: what lies at it is sent by itself."""
    return int(np.ceil(seconds * RATE - 1e-6))


def _states(placed: TimedMessages, seconds: float) -> dict[int, list[Any]]:
    """The messages that set each lane as it is just before a second of the song, by the lane's number."""
    found, frame = placed.sending, _frame(seconds)
    states: dict[int, list[Any]] = {}
    for lane, port in enumerate(found.lane_port.tolist()):
        first, last = found.lane_first[lane : lane + 2].tolist()
        state = first + int(np.searchsorted(found.state_frame[first:last], frame)) - 1
        if state >= first:
            begin, end = found.state_row[state : state + 2].tolist()
            states[lane] = [
                (placed.names[port], found.row_data[row, : found.row_size[row]].tobytes()) for row in range(begin, end)
            ]
    return states


def _sounding(placed: TimedMessages, seconds: float) -> list[Any]:
    """Notes that are on already."""
    found, frame = placed.sending, _frame(seconds)
    on = np.flatnonzero((found.note_first < frame) & (frame < found.note_last)).tolist()
    return [(placed.names[found.note_port[n]], found.note_data[n].tobytes()) for n in on]


class OscStream:
    """Lanes to an address, `rate` times a second where they move, with the moment at which each is meant."""

    def __init__(self, output: Output) -> None:
        self.output = output
        self.project, self.rate = Project(), 60.0
        self.sent = self.project  # what was looked at last: edits since then are sent together

    def use(self, project: Project, rate: float) -> None:
        """Use a project, at most `rate` values per second for each lane."""
        self.project, self.rate = project, rate

    def at(self, seconds: float) -> list[Any]:
        """The packets with all values at a time in seconds."""
        self.sent = self.project
        return list(osc_messages.at(self.sent, float(self.sent.tempo.beats(seconds))))

    def changed(self, seconds: float) -> list[Any]:
        """The packets that an edit makes necessary at a time in seconds."""
        before, now = self.sent, self.project
        self.sent = now
        stood = {row[1:] for row in osc_messages.at(before, float(before.tempo.beats(seconds)))}
        return [r for r in osc_messages.at(now, float(now.tempo.beats(seconds))) if r[1:] not in stood]

    def between(self, first: float, last: float) -> list[tuple[float, Any]]:
        """Packets with their times, from `first` to before `last`, in seconds."""
        project = self.project
        beats = project.tempo.beats(np.array([first, last]))
        rows = osc_messages.between(project, float(beats[0]), float(beats[1]), self.rate)
        when = project.tempo.seconds(np.array([row.beat for row in rows])).tolist()
        return list(zip(when, rows, strict=True))

    def send(self, packets: list[Any], moment: float) -> None:
        """Send packets, due at a moment."""
        self.output.send(osc_messages.bundles(packets, {row.beat: moment for row in packets}))

    def stop(self) -> None:
        """Values have no end."""
