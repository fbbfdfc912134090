"""A Standard MIDI File, type 1: tempo, meter, section markers, and a track of controller
messages for each lane (MIDI 1.0 detailed specification; Standard MIDI Files 1.0)."""

from __future__ import annotations

import io
import os
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve import Curve
from zolvek.core.layers import Layered
from zolvek.core.messages import MESSAGES
from zolvek.core.meter import TICKS
from zolvek.core.playing import Heard, played
from zolvek.core.project import Project
from zolvek.core.tempo import TempoMap
from zolvek.formats.atomic import write_bytes

TEMPO_STEP = 0.25  # beats between tempo messages on a ramp
LONGEST_TEMPO = 0xFFFFFF  # microseconds a quarter note that fit the message


@dataclass(frozen=True)
class Stream:
    """One lane's messages: `tick` increasing, `value` from 0 to the highest of its kind, and how
    far the stepped stream strays from the curve at most, in steps."""

    lane: str
    tick: Ints
    value: Ints
    strays: float


def stream(heard: Heard, length: float) -> Stream:
    """The fewest messages that follow the lane's curve over its whole height.

    In every tick the stream holds the step nearest to the middle of what the curve does in
    that tick: half a step off at most, and more only where the curve runs through several
    steps within one tick.
    """
    low, high = _by_tick(heard.curve, length)
    highest = MESSAGES[heard.lane.midi.kind].highest
    steps = np.floor((low + high) / 2.0 * highest + 0.5).astype(np.intp)
    strays = np.maximum(high * highest - steps, steps - low * highest).max()
    tick = np.flatnonzero(np.concatenate(([True], steps[1:] != steps[:-1])))
    return Stream(heard.lane.id, tick, steps[tick], float(strays))


def message_bytes(channel: int, kind: str, number: int, value: int) -> bytes:
    """One message on the wire (MIDI 1.0, table 1): channel 1..16, a kind of core.messages."""
    return BYTES[kind](channel - 1, number, value)


BYTES: dict[str, Callable[[int, int, int], bytes]] = {
    "cc": lambda channel, number, value: bytes((0xB0 | channel, number, value)),
    "bend": lambda channel, number, value: bytes((0xE0 | channel, value & 0x7F, value >> 7)),
    "pressure": lambda channel, number, value: bytes((0xD0 | channel, value)),
}


def _by_tick(curve: Curve | Layered, length: float) -> tuple[Floats, Floats]:
    """Lowest and highest value of the curve within each tick up to `length` beats."""
    ticks = max(int(np.ceil(length * TICKS)), 1)
    return curve.extents(np.arange(ticks + 1) / TICKS)


def tempo_messages(tempo: TempoMap, length: float) -> tuple[Ints, Ints]:
    """Ticks and microseconds a quarter note that keep time with the tempo map.

    A ramp becomes steps. Each lasts as long as the ramp does over its beats, less what
    rounding to microseconds has put the file ahead so far, so errors don't add up.
    """
    beats = [0.0]
    for here, after in zip(tempo.points, (*tempo.points[1:], None), strict=True):
        end = after.beat if after else length
        beats.append(here.beat)
        if here.ramp and after and here.bpm != after.bpm:
            beats += np.arange(here.beat, end, TEMPO_STEP).tolist()
    ticks = np.unique(np.round(np.array([b for b in beats if b < max(length, TEMPO_STEP)]) * TICKS))
    spans = np.append(ticks, max(length * TICKS, ticks[-1] + TICKS)) / TICKS
    wanted = tempo.seconds(spans)
    micros, elapsed = [], 0.0
    for first, last, due in zip(spans, spans[1:], wanted[1:], strict=False):
        exact = (due - elapsed) / (last - first) * 1e6
        micros.append(min(max(round(float(exact)), 1), LONGEST_TEMPO))
        elapsed += micros[-1] * (last - first) / 1e6
    return ticks.astype(np.intp), np.array(micros, np.intp)


def delivered(project: Project) -> list[Heard]:
    """The lanes that are delivered, as they are heard: those that are applied."""
    return [played(lane, project) for lane in project.lanes() if not lane.bypassed]


def encode(project: Project) -> bytes:
    """The whole project as the bytes of a MIDI file."""
    import mido

    file = mido.MidiFile(type=1, ticks_per_beat=TICKS)
    file.tracks.append(_conductor(project))
    for heard in delivered(project):
        lane = heard.lane
        track = mido.MidiTrack(
            [mido.MetaMessage("track_name", name=_ascii(project.label_of(lane.id)))]
        )
        file.tracks.append(track)
        found, now = stream(heard, project.length), 0
        for tick, value in zip(found.tick.tolist(), found.value.tolist(), strict=True):
            data = message_bytes(lane.midi.channel, lane.midi.kind, lane.midi.controller, value)
            track.append(mido.Message.from_bytes(data, time=tick - now))
            now = tick
        _end(track, now, project.length)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _conductor(project: Project) -> list:
    import mido

    meta = mido.MetaMessage
    events: list[tuple[int, int, object]] = [(0, 0, meta("track_name", name=_ascii(project.name)))]
    for point, start in zip(project.meter.points, project.meter.starts, strict=True):
        message = meta("time_signature", numerator=point.count, denominator=point.unit)
        events.append((round(start * TICKS), 1, message))
    for tick, micros in zip(*tempo_messages(project.tempo, project.length), strict=True):
        events.append((int(tick), 2, meta("set_tempo", tempo=int(micros))))
    for section in project.sections:
        events.append((round(section.beat * TICKS), 3, meta("marker", text=_ascii(section.name))))
    events.sort(key=lambda event: event[:2])
    track, now = mido.MidiTrack(), 0
    for tick, _, message in events:
        track.append(message.copy(time=tick - now))  # type: ignore[attr-defined]
        now = tick
    _end(track, now, project.length)
    return track


def _end(track: list, now: int, length: float) -> None:
    import mido

    track.append(mido.MetaMessage("end_of_track", time=max(round(length * TICKS) - now, 0)))


def _ascii(text: str) -> str:
    """Names as SMF 1.0 wants them: tools disagree on anything beyond ASCII."""
    plain = unicodedata.normalize("NFKD", text.replace("·", "-").replace("–", "-"))
    return (
        "".join(c for c in plain if not unicodedata.combining(c))
        .encode("ascii", "replace")
        .decode()
    )


def save(project: Project, path: str | os.PathLike[str]) -> Path:
    """Write the MIDI file atomically. Raises ZolvekError when it can't be."""
    return write_bytes(path, encode(project))
