"""A Standard MIDI File read in: its controllers, bends, pressure, registered and non-registered
parameters as lanes, its notes, tempo, meter and markers (SMF 1.0; MIDI 1.0)."""

from __future__ import annotations

import io
import os
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.catalogue import KINDS, DeviceKind
from zolvek.core.chain import add_device, add_track
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LAST_BAR, LIMITS
from zolvek.core.messages import CONTROLLERS, MESSAGES, MidiTarget
from zolvek.core.meter import MeterMap, MeterPoint
from zolvek.core.parameter import Parameter
from zolvek.core.project import Note, Project, Section, add_lanes, with_track
from zolvek.core.records import record
from zolvek.core.stepping import from_steps
from zolvek.core.tempo import TempoMap, TempoPoint
from zolvek.formats.atomic import read_bytes
from zolvek.formats.midi_wire import ENTRY, LOWER, NONE, SELECT

MOST_BEATS = 100_000.0
MOST_BYTES = 64 * 1024 * 1024


@dataclass
class Part:
    """What one track of the file has on one channel: notes, and streams of values by kind and
    number, each a list of (tick, value)."""

    name: str
    channel: int
    port: str = ""
    notes: list[Note] = field(default_factory=list)
    streams: dict[tuple[str, int], list[tuple[int, int]]] = field(default_factory=dict)
    semitones: float = 2.0


@record
class Score:
    """A whole file: beats are quarter notes. `left_out`: how many messages have no place here."""

    name: str
    ticks: int
    tempo: TempoMap
    meter: MeterMap
    length: float
    sections: tuple[Section, ...]
    parts: tuple[Part, ...]
    left_out: int

    @property
    def lanes(self) -> int:
        return sum(len(part.streams) for part in self.parts)


def load(path: str | os.PathLike[str]) -> Score:
    """Read a file. Raises ZolvekError naming it, what is wrong and the remedy."""
    return decode(read_bytes(path), str(path))


def decode(data: bytes, where: str = "the MIDI file") -> Score:
    """The score in the bytes of a MIDI file. Raises ZolvekError."""
    import mido

    if not data.startswith((b"MThd", b"RIFF")):
        raise ZolvekError("This is not a MIDI file.", where, "Choose a file ending in .mid.")
    if len(data) > MOST_BYTES:
        raise ZolvekError("The MIDI file is too large.", where, "Use one below 64 MiB.")
    start = data.find(b"MThd")
    try:
        file = mido.MidiFile(file=io.BytesIO(data[max(start, 0) :]), clip=True)
        return _score(file, Path(where).stem)
    except ZolvekError as error:
        raise error.at(where) from error
    except Exception as error:  # the parser raises whatever the damage happens to lead to
        raise ZolvekError(
            f"The MIDI file is damaged: {str(error) or type(error).__name__}.",
            where,
            "Export it again, or open another copy.",
        ) from error


def _score(file: Any, name: str) -> Score:
    ticks = file.ticks_per_beat
    if ticks <= 0:  # frames a second and ticks a frame: no beats, so 120 of them a minute
        frames, parts = 256 - ((ticks >> 8) & 255), ticks & 255
        ticks = max(frames * parts // 2, 1)
    merged = sorted(
        (
            (tick, number, message)
            for number, track in enumerate(file.tracks)
            for tick, message in _absolute(track)
        ),
        key=lambda row: row[0],
    )
    last = merged[-1][0] / ticks if merged else 0.0
    if last > MOST_BEATS:
        raise ZolvekError("It goes on for more than 100,000 beats.", remedy="Cut it shorter.")
    names = {n: _text(str(track.name)) for n, track in enumerate(file.tracks)}
    reader = Reader(ticks, names)
    for tick, number, message in merged:
        reader.take(tick, number, message)
    parts = reader.finished(round(last * ticks))
    title = (
        names.get(0, "")
        if file.type == 1 and not any(p.name == names.get(0) for p in parts)
        else ""
    )
    return Score(
        title or name,
        ticks,
        TempoMap(tuple(_tempo(reader.tempos, ticks))),
        MeterMap(tuple(_meter(reader.meters, ticks))),
        max(last, 1.0),
        tuple(Section(tick / ticks, text) for tick, text in reader.markers),
        parts,
        reader.left_out,
    )  # fmt: skip


def _text(told: str) -> str:
    """A text of the file, which mido reads as Latin-1: in UTF-8 where it is that."""
    try:
        return told.encode("latin-1").decode().strip()
    except UnicodeError:
        return told.strip()


def _absolute(track: Any) -> Any:
    now = 0
    for message in track:
        now += message.time
        yield now, message


class Reader:
    """Takes the messages of all tracks in order of time."""

    def __init__(self, ticks: int, names: dict[int, str]) -> None:
        self.ticks, self.names = ticks, names
        self.parts: dict[tuple[int, int], Part] = {}
        self.ports: dict[int, str] = {}
        self.tempos: list[tuple[int, int]] = []
        self.meters: list[tuple[int, int, int]] = []
        self.markers: list[tuple[int, str]] = []
        self.selected: dict[int, tuple[str, int, int]] = {}  # channel: kind, upper, lower half
        self.halves: dict[tuple[int, str, int], tuple[int, int]] = {}
        self.sounding: dict[tuple[int, int], tuple[int, int, int]] = {}
        self.left_out = 0

    def take(self, tick: int, track: int, message: Any) -> None:
        handler = HANDLERS.get(message.type)
        if handler is not None:
            handler(self, tick, track, message)
        elif not message.is_meta:
            self.left_out += 1

    def part(self, track: int, channel: int) -> Part:
        key = track, channel
        if key not in self.parts:
            name = self.names.get(track) or f"Channel {channel + 1}"
            self.parts[key] = Part(name, channel + 1, self.ports.get(track, ""))
        return self.parts[key]

    def put(self, tick: int, track: int, channel: int, kind: str, number: int, value: int) -> None:
        """A value into its stream; a parameter's messages may come by several tracks."""
        for (_, own), part in self.parts.items():
            if own == channel and (kind, number) in part.streams:
                part.streams[kind, number].append((tick, value))
                return
        self.part(track, channel).streams[kind, number] = [(tick, value)]

    def tempo(self, tick: int, track: int, message: Any) -> None:
        self.tempos.append((tick, message.tempo))

    def meter(self, tick: int, track: int, message: Any) -> None:
        self.meters.append((tick, message.numerator, message.denominator))

    def marker(self, tick: int, track: int, message: Any) -> None:
        text = _text(message.text)
        if text:
            self.markers.append((tick, text))

    def port(self, tick: int, track: int, message: Any) -> None:
        self.ports[track] = _text(message.name)

    def bend(self, tick: int, track: int, message: Any) -> None:
        self.put(tick, track, message.channel, "bend", 0, message.pitch + 8_192)

    def pressure(self, tick: int, track: int, message: Any) -> None:
        self.put(tick, track, message.channel, "pressure", 0, message.value)

    def control(self, tick: int, track: int, message: Any) -> None:
        channel, number, value = message.channel, message.control, message.value
        for kind, halves in SELECT.items():
            if number in halves:
                old = self.selected.get(channel, (kind, NONE, NONE))
                upper, lower = (value, old[2]) if number == halves[0] else (old[1], value)
                self.selected[channel] = kind, upper, lower
                return
        if number in (ENTRY, ENTRY + LOWER) and channel in self.selected:
            kind, upper, lower = self.selected[channel]
            if (upper, lower) != (NONE, NONE):
                self._entered(tick, track, channel, kind, upper << 7 | lower, number, value)
                return
        if number >= 120:
            return  # channel modes, such as all notes off, are no movement
        self.put(tick, track, channel, "cc", number, value)

    def _entered(
        self, tick: int, track: int, channel: int, kind: str, which: int, number: int, value: int
    ) -> None:
        place = channel, kind, which
        # Upper bits set the lower ones to zero, until those follow (MIDI 1.0).
        upper = self.halves.get(place, (0, 0))[0]
        self.halves[place] = (value, 0) if number == ENTRY else (upper, value)
        upper, lower = self.halves[place]
        if kind == "rpn" and which == 0:
            self.part(track, channel).semitones = min(upper + lower / 100.0, 96.0)
        else:
            self.put(tick, track, channel, kind, which, upper << 7 | lower)

    def note_on(self, tick: int, track: int, message: Any) -> None:
        if message.velocity == 0:
            self.note_off(tick, track, message)
            return
        self.note_off(tick, track, message)  # a key that is down already is struck again
        self.sounding[message.channel, message.note] = tick, message.velocity, track

    def note_off(self, tick: int, track: int, message: Any) -> None:
        found = self.sounding.pop((message.channel, message.note), None)
        if found is not None:
            begin, strength, own = found
            length = max(tick - begin, 1) / self.ticks
            note = Note(begin / self.ticks, length, message.note, strength / 127.0)
            self.part(own, message.channel).notes.append(note)

    def finished(self, last: int) -> tuple[Part, ...]:
        """All parts, pairs of controllers made one; keys that are still down go up at the end."""
        import mido

        for channel, note in list(self.sounding):
            self.note_off(last, 0, mido.Message("note_off", channel=channel, note=note))
        for part in self.parts.values():
            part.notes.sort(key=lambda note: note.beat)
            for number in range(32):
                if ("cc", number) in part.streams and ("cc", number + LOWER) in part.streams:
                    _pair(part, number)
        return tuple(part for part in self.parts.values() if part.notes or part.streams)


HANDLERS = {
    "set_tempo": Reader.tempo,
    "time_signature": Reader.meter,
    "marker": Reader.marker,
    "device_name": Reader.port,
    "pitchwheel": Reader.bend,
    "aftertouch": Reader.pressure,
    "control_change": Reader.control,
    "note_on": Reader.note_on,
    "note_off": Reader.note_off,
}


def _pair(part: Part, number: int) -> None:
    """A controller and the one 32 above it as one of fourteen bits."""
    upper, lower = part.streams.pop(("cc", number)), part.streams.pop(("cc", number + LOWER))
    rows = sorted(
        [(t, 0, v) for t, v in upper] + [(t, 1, v) for t, v in lower], key=lambda r: r[:2]
    )
    msb, lsb, found = 0, 0, []
    for tick, half, value in rows:
        msb, lsb = (msb, value) if half else (value, 0)
        found.append((tick, msb << 7 | lsb))
    part.streams["cc14", number] = found


def _tempo(tempos: list[tuple[int, int]], ticks: int) -> list[TempoPoint]:
    """Tempo points, those a program can play; 120 where the file tells none (SMF 1.0)."""
    found = {0: 500_000, **dict(tempos)}
    return [
        TempoPoint(tick / ticks, LIMITS["bpm"].kept(60e6 / max(micros, 1)))
        for tick, micros in sorted(found.items())
    ]


def _meter(meters: list[tuple[int, int, int]], ticks: int) -> list[MeterPoint]:
    """Meters at the bars they begin at; one in the midst of a bar begins at the next."""
    points, start = [MeterPoint(1, 4, 4)], 0.0  # the beat at which the last one begins
    for tick, count, unit in sorted(meters):
        if not (1 <= count <= 64 and unit in (1, 2, 4, 8, 16, 32)):
            continue
        last = points[-1]
        length = last.count * 4.0 / last.unit
        bars = int(np.ceil((tick / ticks - start) / length - 1e-6))
        if bars == 0:
            points.pop()
        bar = last.bar + bars
        if bar > LAST_BAR:
            raise ZolvekError(f"It has more than {LAST_BAR:,} bars.", remedy="Cut it shorter.")
        start += bars * length
        points.append(MeterPoint(bar, count, unit))
    return points


# --- into a project ---


def imported(
    project: Project, score: Score, tolerance: float | None = 0.002, time: bool = False
) -> Project:
    """The project with a track for each part of the score: its notes played by a stand-in synth,
    its streams as lanes of a device outside that they would go to. `tolerance`: steps are joined
    into curves within it; None holds them as they are. `time`: tempo, meter and sections come from
    the file."""
    length = max(project.length, float(np.ceil(score.length)))
    if time:
        project = replace(
            project, tempo=score.tempo, meter=score.meter, sections=score.sections, length=length
        )
    project = replace(project, length=length)
    for part in score.parts:
        project, track = add_track(project, part.name)
        if part.notes:
            project, _ = add_device(project, track, KINDS["synth"])
            own = next(each for each in project.tracks if each.id == track)
            project = with_track(project, replace(own, notes=tuple(part.notes)))
        if part.streams:
            project = _with_lanes(project, track, part, score.ticks, tolerance)
    return project


def as_project(score: Score, tolerance: float | None = 0.002) -> Project:
    """The score as a project of its own."""
    empty = Project(name=score.name or "Untitled", length=float(np.ceil(score.length)))
    return imported(empty, score, tolerance, True)


def _with_lanes(
    project: Project, track: str, part: Part, ticks: int, tolerance: float | None
) -> Project:
    rows = {
        _parameter(kind, number, part).id: (kind, number, stream)
        for (kind, number), stream in part.streams.items()
    }
    parameters = tuple(_parameter(kind, number, part) for kind, number, _ in rows.values())
    kind_ = DeviceKind(
        f"midi-{part.channel}", f"MIDI channel {part.channel}", "outside", parameters
    )
    project, device = add_device(project, track, kind_)
    curves = {}
    for key, (kind, _, stream) in rows.items():
        tick, value = np.array(stream, float).T
        highest = MESSAGES[kind].highest
        curves[key] = from_steps(tick / ticks, value / highest, 1.0 / highest, tolerance)
    project = add_lanes(project, device, list(rows), curves)
    own = next(each for each in project.tracks if each.id == track)
    lanes = []
    for lane in own.lanes:
        if lane.device == device:
            kind, number, _ = rows[lane.parameter]
            target = MidiTarget(part.channel, number, kind, part.semitones, part.port)
            lane = replace(lane, midi=target)
        lanes.append(lane)
    return with_track(project, replace(own, lanes=tuple(lanes)))


def _parameter(kind: str, number: int, part: Part) -> Parameter:
    row = MESSAGES[kind]
    if kind == "bend":
        wide = max(part.semitones, 0.01)
        return Parameter("bend", "Pitch bend", "", "st", -wide, wide, 0.0, sends="bend")
    if kind in ("cc", "cc14"):
        name = CONTROLLERS.get(number, f"{row.label} {number}")
    else:
        name = f"{row.label} {number}" if row.numbers else row.label
    sends = f"{kind} {number}" if row.numbers else kind
    return Parameter(f"{kind}-{number}", name, "", "", 0.0, float(row.highest), 0.0, sends=sends)
