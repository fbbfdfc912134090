# SPDX-License-Identifier: GPL-3.0-or-later
"""The bytes of a Standard MIDI File as a score: notes, streams of values, tempo, meter and markers
(SMF 1.0; MIDI 1.0)."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LAST_BAR, LIMITS
from zolvek.core.model.messages import MessageKind
from zolvek.core.model.project import Note, Section
from zolvek.core.records import Record
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.formats.midi import chunks as midi_chunks
from zolvek.formats.midi.chunks import DEVICE, MARKER, META, METER, NAME, TEMPO, Event, Midi
from zolvek.formats.midi.encode import ENTRY, LOWER, NONE, SELECT

MOST_BEATS = 100_000.0
MOST_BYTES = 64 * 1024 * 1024
MOST_NOTES = 250_000


ChannelKey = tuple[str, int]  # port and channel
Stream = list[tuple[int, int]]  # of tick and value


@dataclass
class TrackPart:
    """What one track of the file has on one channel: notes, and streams of values by kind and
    number, each a list of (tick, value)."""

    name: str
    channel: int
    port: str = ""
    notes: list[Note] = field(default_factory=list)
    streams: dict[tuple[str, int], Stream] = field(default_factory=dict)
    semitones: float = 2.0


class Score(Record, frozen=True):
    """A whole file: beats are quarter notes. `left_out`: how many messages of
    which kinds have no place here."""

    name: str
    ticks: int
    tempo: TempoMap
    meter: MeterMap
    length: float
    sections: tuple[Section, ...]
    parts: tuple[TrackPart, ...]
    left_out: dict[str, int]

    @property
    def left_out_text(self) -> str:
        """What is left out, as a person would say it; empty where nothing is."""
        return ", ".join(f"{count:,} {what}" for what, count in sorted(self.left_out.items()))

    @property
    def lanes(self) -> int:
        """How many streams of values there are."""
        return sum(len(part.streams) for part in self.parts)


def decode(data: bytes, where: str = "the MIDI file") -> Score:
    """The score in the bytes of a MIDI file. Raises ZolvekError."""
    if not data.startswith((b"MThd", b"RIFF")):
        raise ZolvekError("This is not a MIDI file.", where, "Choose a file ending in .mid.")
    if len(data) > MOST_BYTES:
        raise ZolvekError("The MIDI file is too large.", where, "Use one below 64 MiB.")
    try:
        return _score(midi_chunks.read(data), Path(where).stem)
    except ZolvekError as error:
        raise error.at(where) from error


def _score(file: Midi, name: str) -> Score:
    ticks = file.division
    if ticks <= 0:  # frames a second and ticks a frame: no beats, so 120 of them a minute
        frames, item = -(ticks >> 8), ticks & 255
        ticks = max(frames * item // 2, 1)
    last = file.events[-1][0] / ticks if file.events else 0.0
    if last > MOST_BEATS:
        raise ZolvekError("It is longer than 100,000 beats.", remedy="Shorten it.")
    names: dict[int, str] = {}
    for _, track, status, kind, _, data in file.events:
        if status == META and kind == NAME:
            names.setdefault(track, _text(data))
    reader = Reader(ticks, names)
    reader.take(file.events)
    parts = reader.finished(round(last * ticks))
    title = names.get(0, "") if file.format == 1 and not any(p.name == names.get(0) for p in parts) else ""
    return Score(
        title or name,
        ticks,
        TempoMap(tuple(_tempo(reader.tempos, ticks))),
        MeterMap(tuple(_meter(reader.meters, ticks))),
        max(last, 1.0),
        tuple(Section(tick / ticks, text) for tick, text in reader.markers),
        parts,
        dict(reader.left_out),
    )


def _text(data: bytes) -> str:
    """A text of the file: UTF-8 where it is that, else Latin-1, as older programs write it."""
    try:
        return data.decode().strip("\0 \t\r\n")
    except UnicodeDecodeError:
        return data.decode("latin-1").strip("\0 \t\r\n")


# Controller -> which kind of parameter it selects, and which half of its number.
SELECTORS = {number: (kind, half) for kind, halves in SELECT.items() for half, number in enumerate(halves)}


class Reader:
    """Takes the messages of all tracks in order of time."""

    def __init__(self, ticks: int, names: dict[int, str]) -> None:
        self.ticks, self.names = ticks, names
        self.parts: dict[tuple[int, int], TrackPart] = {}
        self.ports: dict[int, str] = {}
        self.tempos: list[tuple[int, int]] = []
        self.meters: list[tuple[int, int, int]] = []
        self.markers: list[tuple[int, str]] = []
        # By port and channel: on another port the same channel is another one.
        self.streams: dict[tuple[ChannelKey, str, int], Stream] = {}
        self.selected: dict[ChannelKey, tuple[str, int, int]] = {}  # kind, upper, lower half
        self.halves: dict[tuple[ChannelKey, str, int], tuple[int, int]] = {}
        # Track, channel and pitch -> the keys that are down, the first one struck first.
        self.sounding: dict[tuple[int, int, int], deque[tuple[int, int]]] = {}
        self.left_out: Counter[str] = Counter()
        self.notes = 0

    def take(self, events: list[Event]) -> None:
        """Read a track's events, in order."""
        on_channel = {
            kind << 4 | channel: (handler.__get__(self), channel)
            for kind, handler in CHANNEL_HANDLERS.items()
            for channel in range(16)
        }
        for tick, track, status, first, second, data in events:
            result = on_channel.get(status)
            if result is not None:
                result[0](tick, track, result[1], first, second)
            elif status == META:
                if first in META_HANDLERS:
                    META_HANDLERS[first](self, tick, track, data)
                elif first in TEXTS:
                    self.left_out[TEXTS[first]] += 1
            else:
                self.left_out[LEFT_OUT.get(status >> 4, SYSTEM)] += 1

    def part(self, track: int, channel: int) -> TrackPart:
        """The notes and streams of a track's channel."""
        key = track, channel
        if key not in self.parts:
            name = self.names.get(track) or f"Channel {channel + 1}"
            self.parts[key] = TrackPart(name, channel + 1, self.ports.get(track, ""))
        return self.parts[key]

    def key_of(self, track: int, channel: int) -> ChannelKey:
        """The state of a track's channel: selected parameters and pending halves."""
        return self.ports.get(track, ""), channel

    def put(self, tick: int, track: int, channel: int, kind: str, number: int, value: int) -> None:
        """A value into its stream; a parameter's messages may come by several tracks."""
        channel_key = self.key_of(track, channel)
        stream = self.streams.get((channel_key, kind, number))
        if stream is None:
            stream = self.streams[channel_key, kind, number] = []
            self.part(track, channel).streams[kind, number] = stream
        stream.append((tick, value))

    def tempo(self, tick: int, track: int, data: bytes) -> None:
        """A tempo event (SMF 1.0, FF 51)."""
        if len(data) >= 3:
            micros = int.from_bytes(data[:3], "big")
            self.tempos.append((tick, micros))
            if not micros or not LIMITS["bpm"].holds(60e6 / micros):
                self.left_out["tempos out of range"] += 1

    def meter(self, tick: int, track: int, data: bytes) -> None:
        """A time signature (SMF 1.0, FF 58)."""
        if len(data) >= 2 and data[1] < 16:
            count, unit = data[0], 1 << data[1]
            if 1 <= count <= 64 and unit <= 32:
                self.meters.append((tick, count, unit))
            else:
                self.left_out["invalid meters"] += 1

    def marker(self, tick: int, track: int, data: bytes) -> None:
        """A marker (SMF 1.0, FF 06)."""
        text = _text(data)
        if text:
            self.markers.append((tick, text))

    def port(self, tick: int, track: int, data: bytes) -> None:
        """A MIDI port event (FF 21), which is not used."""
        self.ports[track] = _text(data)

    def bend(self, tick: int, track: int, channel: int, low: int, high: int) -> None:
        """A pitch bend message."""
        self.put(tick, track, channel, "bend", 0, high << 7 | low)

    def pressure(self, tick: int, track: int, channel: int, value: int, _: int) -> None:
        """A channel pressure message."""
        self.put(tick, track, channel, "pressure", 0, value)

    def program(self, tick: int, track: int, channel: int, number: int, _: int) -> None:
        """A program change message."""
        self.put(tick, track, channel, "program", 0, number)

    def control(self, tick: int, track: int, channel: int, number: int, value: int) -> None:
        """A control change, which may select or set a registered or non-registered parameter (MIDI 1.0)."""
        channel_key = self.key_of(track, channel)
        if number in SELECTORS:
            kind, half = SELECTORS[number]
            old = self.selected.get(channel_key, (kind, NONE, NONE))
            upper, lower = (value, old[2]) if half == 0 else (old[1], value)
            self.selected[channel_key] = kind, upper, lower
            return
        if number in (ENTRY, ENTRY + LOWER) and channel_key in self.selected:
            kind, upper, lower = self.selected[channel_key]
            if (upper, lower) != (NONE, NONE):
                self._entered(tick, track, channel, kind, upper << 7 | lower, number, value)
                return
        if number >= 120:  # such as all notes off: no movement
            self.left_out["channel mode messages"] += 1
            return
        self.put(tick, track, channel, "cc", number, value)

    def _entered(self, tick: int, track: int, channel: int, kind: str, which: int, number: int, value: int) -> None:
        key = self.key_of(track, channel), kind, which
        # Upper bits set the lower ones to zero, until those follow (MIDI 1.0).
        upper = self.halves.get(key, (0, 0))[0]
        self.halves[key] = (value, 0) if number == ENTRY else (upper, value)
        upper, lower = self.halves[key]
        if kind == MessageKind.RPN and which == 0:
            self.part(track, channel).semitones = min(upper + lower / 100.0, 96.0)
        else:
            self.put(tick, track, channel, kind, which, upper << 7 | lower)

    def note_on(self, tick: int, track: int, channel: int, pitch: int, strength: int) -> None:
        """A note-on message; velocity 0 is a note-off (MIDI 1.0)."""
        if strength:
            self.sounding.setdefault((track, channel, pitch), deque()).append((tick, strength))
        else:
            self.note_off(tick, track, channel, pitch)

    def note_off(self, tick: int, track: int, channel: int, pitch: int, _: int = 0) -> None:
        """A key goes up: of one struck again while it was down, the first. MIDI 1.0 asks for a Note Off
        for each Note On, so each track has its own to give, whatever others on its channel do."""
        result = self.sounding.get((track, channel, pitch))
        if result:
            self.notes += 1
            if self.notes > MOST_NOTES:
                raise ZolvekError(
                    f"The MIDI file holds more than {MOST_NOTES:,} notes.",
                    remedy="Use a shorter one.",
                )
            begin, strength = result.popleft()
            length = max(tick - begin, 1) / self.ticks
            note = Note(begin / self.ticks, length, pitch, strength / 127.0)
            self.part(track, channel).notes.append(note)

    def finished(self, last: int) -> tuple[TrackPart, ...]:
        """All parts, pairs of controllers made one; keys that are still down go up at the end."""
        for (track, channel, pitch), down in list(self.sounding.items()):
            for _ in range(len(down)):
                self.note_off(last, track, channel, pitch)
        for part in self.parts.values():
            part.notes.sort(key=lambda note: note.beat)
        for channel_key, kind, number in list(self.streams):
            if kind == MessageKind.CC and number < LOWER and (channel_key, "cc", number + LOWER) in self.streams:
                self._pair(channel_key, number)
        in_order = (self.parts[key] for key in sorted(self.parts))
        return tuple(part for part in in_order if part.notes or part.streams)

    def _pair(self, channel_key: ChannelKey, number: int) -> None:
        """A controller and the one 32 above it, of whichever tracks, as one of fourteen bits."""
        upper, lower = self.streams[channel_key, "cc", number], self.streams[channel_key, "cc", number + LOWER]
        rows = [(tick, 0, value) for tick, value in upper]
        rows += [(tick, 1, value) for tick, value in lower]
        high, low, result = 0, 0, []
        for tick, half, value in sorted(rows, key=lambda row: row[:2]):
            high, low = (high, value) if half else (value, 0)
            result.append((tick, high << 7 | low))
        for part in self.parts.values():
            if part.streams.get(("cc", number + LOWER)) is lower:
                del part.streams["cc", number + LOWER]
            if part.streams.get(("cc", number)) is upper:
                del part.streams["cc", number]
                part.streams["cc14", number] = result


SYSTEM = "system messages"
# What is left out, by the upper half of its status, and texts that are no names of ours.
LEFT_OUT = {0xA: "key pressures"}
TEXTS = {0x01: "texts", 0x02: "copyright notices", 0x05: "lyrics", 0x07: "cue points"}
META_HANDLERS: dict[int, Callable[[Reader, int, int, bytes], None]] = {
    TEMPO: Reader.tempo,
    METER: Reader.meter,
    MARKER: Reader.marker,
    DEVICE: Reader.port,
}
# By the upper half of the status; what is not here is left out, and counted.
CHANNEL_HANDLERS: dict[int, Callable[[Reader, int, int, int, int, int], None]] = {
    0x8: Reader.note_off,
    0x9: Reader.note_on,
    0xB: Reader.control,
    0xC: Reader.program,
    0xD: Reader.pressure,
    0xE: Reader.bend,
}


def _tempo(tempos: list[tuple[int, int]], ticks: int) -> list[TempoPoint]:
    """Tempo points, those a program can play; 120 where the file says none (SMF 1.0)."""
    result = {0: 500_000, **dict(tempos)}
    return [
        TempoPoint(tick / ticks, LIMITS["bpm"].kept(60e6 / max(micros, 1))) for tick, micros in sorted(result.items())
    ]


def _meter(meters: list[tuple[int, int, int]], ticks: int) -> list[MeterPoint]:
    """Meters at the bars they begin at; one in the middle of a bar begins at the next."""
    points, start = [MeterPoint(1, 4, 4)], 0.0  # the beat at which the last one begins
    for tick, count, unit in sorted(meters):
        last = points[-1]
        length = last.count * 4.0 / last.unit
        bars = int(np.ceil((tick / ticks - start) / length - 1e-6))
        if bars == 0:
            points.pop()
        bar = last.bar + bars
        if bar > LAST_BAR:
            raise ZolvekError(f"It has more than {LAST_BAR:,} bars.", remedy="Shorten it.")
        start += bars * length
        points.append(MeterPoint(bar, count, unit))
    return points
