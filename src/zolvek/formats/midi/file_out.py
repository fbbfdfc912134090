"""A Standard MIDI File, type 1: tempo, meter, section markers, and a track of messages for each
lane (Standard MIDI Files 1.0)."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from zolvek.core.arrays import Ints
from zolvek.core.errors import ZolvekError
from zolvek.core.model.messages import MESSAGES
from zolvek.core.model.project import Project
from zolvek.core.movement.playing import Heard, played
from zolvek.core.movement.stepping import Resolution, Stream, stepped
from zolvek.core.time.meter import TICKS
from zolvek.core.time.tempo import TempoMap
from zolvek.formats.atomic import write_bytes
from zolvek.formats.midi.chunks import (
    DEVICE,
    END,
    MARKER,
    METER,
    NAME,
    PORT,
    TEMPO,
    chunk,
    header,
    meta,
    quantity,
)
from zolvek.formats.midi.encode import Messages, messages, sharing
from zolvek.formats.names import file_names, one_line

CLOCKS, THIRTY_SECONDS = 24, 8  # of a metronome click, and in a quarter note: the usual ones
TEMPO_STEP = 0.25  # beats between tempo messages on a ramp
LONGEST_TEMPO = 0xFFFFFF  # microseconds a quarter note that fit the message
SPLITS = {"one": "One file", "track": "A file per track", "lane": "A file per lane"}
FINEST = Resolution()
Progress = Callable[[int, int], object]


def stream(
    heard: Heard, project: Project, resolution: Resolution = FINEST,
    going: Callable[[], object] = lambda: None,
) -> Stream:  # fmt: skip
    """The fewest messages' worth of steps that follow the lane over its whole height."""
    highest = MESSAGES[heard.lane.midi.kind].highest
    return stepped(heard, project.length, highest, project.tempo, resolution, going)


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
    places = spans.tolist()
    for first, last, due in zip(places, places[1:], wanted[1:].tolist(), strict=False):
        exact = (due - elapsed) / (last - first) * 1e6
        micros.append(min(max(round(exact), 1), LONGEST_TEMPO))
        elapsed += micros[-1] * (last - first) / 1e6
    return ticks.astype(np.intp), np.array(micros, np.intp)


def delivered(project: Project) -> list[Heard]:
    """The lanes that are delivered, as they are heard: those that are applied."""
    return [played(lane, project) for lane in project.lanes() if not lane.bypassed]


def lane_messages(
    project: Project, lanes: list[Heard], resolution: Resolution = FINEST,
    progress: Progress | None = None,
) -> list[tuple[Heard, Stream, Messages]]:  # fmt: skip
    """Each lane with its steps and its messages. `progress` is told lanes done and lanes in all."""
    shared = sharing([heard.lane.midi for heard in lanes])

    def work(heard: Heard) -> tuple[Heard, Stream, Messages]:
        target = heard.lane.midi
        own = stream(heard, project, resolution, going)
        anew = (target.port, target.channel) in shared
        return heard, own, messages(target, own.tick, own.value, anew)

    found: list[tuple[Heard, Stream, Messages]] = []

    def going() -> None:
        if progress:
            progress(len(found), len(lanes))

    # Lanes know nothing of each other, and long arrays are worked on side by side.
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        try:
            for row in pool.map(work, lanes):
                found.append(row)
                going()
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return found


def encode(
    project: Project, lanes: list[Heard] | None = None, resolution: Resolution = FINEST,
    progress: Progress | None = None,
) -> bytes:  # fmt: skip
    """The bytes of a MIDI file with some lanes, or all that are delivered."""
    lanes = delivered(project) if lanes is None else lanes
    end = round(project.length * TICKS)
    chunks = [_conductor(project, end)]
    ports = {
        port: number for number, port in enumerate(dict.fromkeys(x.lane.midi.port for x in lanes))
    }
    for heard, _, sent in lane_messages(project, lanes, resolution, progress):
        port = heard.lane.midi.port
        names = [meta(NAME, _text(project.label_of(heard.lane.id).replace("·", "-")))]
        if port:
            names += [meta(PORT, bytes((min(ports[port], 127),))), meta(DEVICE, _text(port))]
        told = b"".join(b"\0" + name for name in names)
        chunks.append(_track(told + _events(sent), sent.tick, end))
    return header(len(chunks), TICKS) + b"".join(chunks)


def _conductor(project: Project, end: int) -> bytes:
    """The first track: name, meter, tempo and sections."""
    events: list[tuple[int, int, bytes]] = [(0, 0, meta(NAME, _text(project.name)))]
    for point, start in zip(project.meter.points, project.meter.starts, strict=True):
        told = bytes((point.count, point.unit.bit_length() - 1, CLOCKS, THIRTY_SECONDS))
        events.append((round(start * TICKS), 1, meta(METER, told)))
    for tick, micros in zip(
        *(x.tolist() for x in tempo_messages(project.tempo, project.length)), strict=True
    ):
        events.append((tick, 2, meta(TEMPO, micros.to_bytes(3, "big"))))
    for section in project.sections:
        events.append((round(section.beat * TICKS), 3, meta(MARKER, _text(section.name))))
    events.sort(key=lambda event: event[:2])
    parts: list[bytes] = []
    now = 0
    for tick, _, data in events:
        parts += (quantity(tick - now), data)
        now = tick
    return _track(b"".join(parts), np.array([now]), end)


def _events(sent: Messages) -> bytes:
    """Messages with their delta times, all at once: as `quantity`, on arrays."""
    delta = np.diff(sent.tick, prepend=0)
    wide = int((delta > 0x7F).any()) + int((delta > 0x3FFF).any()) + int((delta > 0x1FFFFF).any())
    out = np.empty((len(delta), wide + 4), np.uint8)
    for place in range(wide + 1):  # from the last byte of the delta time back
        out[:, wide - place] = ((delta >> (7 * place)) & 127) | (128 if place else 0)
    out[:, wide + 1 :] = sent.data
    if not wide and (sent.size == 3).all():
        return out.tobytes()
    there = np.ones(out.shape, bool)
    for place in range(1, wide + 1):
        there[:, wide - place] = delta >= 1 << (7 * place)
    there[:, -1] = sent.size > 2
    return out[there].tobytes()


def _track(body: bytes, ticks: Ints, end: int) -> bytes:
    last = int(ticks[-1]) if len(ticks) else 0
    return chunk(b"MTrk", body + quantity(max(end - last, 0)) + meta(END, b""))


def _text(text: str) -> bytes:
    """Names on one line, in UTF-8, which ASCII is a part of (SMF 1.0 asks for ASCII and allows more)."""
    return one_line(text).encode()


def save(
    project: Project, path: str | os.PathLike[str], resolution: Resolution = FINEST,
    split: str = "one", progress: Progress | None = None,
) -> list[Path]:  # fmt: skip
    """Write the MIDI file, or one per track or lane beside each other, named after `path` and what
    is in them; each is written atomically. Raises ZolvekError when one can't be."""
    if split not in SPLITS:
        raise ZolvekError(
            f"Files can't be split by “{split}”.", remedy=f"Take {', '.join(SPLITS)}."
        )
    if split == "one":
        return [write_bytes(path, encode(project, None, resolution, progress))]
    groups: dict[str, list[Heard]] = {}
    for heard in delivered(project):
        key = project.track_of(heard.lane.id).id if split == "track" else heard.lane.id
        groups.setdefault(key, []).append(heard)
    called = [
        project.track_of(lanes[0].lane.id).name if split == "track" else project.label_of(key)
        for key, lanes in groups.items()
    ]
    target, done = Path(path), []
    names = file_names(called)
    for number, (name, lanes) in enumerate(zip(names, groups.values(), strict=True)):
        done.append(
            write_bytes(
                target.with_name(f"{target.stem} - {name}{target.suffix or '.mid'}"),
                encode(project, lanes, resolution),
            )
        )
        if progress:
            progress(number + 1, len(groups))
    return done  # fmt: skip
