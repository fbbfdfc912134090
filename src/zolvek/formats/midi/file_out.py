# SPDX-License-Identifier: GPL-3.0-or-later
"""A Standard MIDI File, type 1: tempo, meter, section markers, a track of notes for each track that has
any, and a track of messages for each lane (Standard MIDI Files 1.0)."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

from zolvek.core.arrays import Ints
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project, Track
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.time.meter import TICKS
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
from zolvek.formats.midi.encode import Messages, running
from zolvek.formats.midi.step_streams import FINEST, Progress, exported_lanes, lane_messages
from zolvek.formats.midi.tempo_events import tempo_messages
from zolvek.storage.atomic import write_bytes
from zolvek.storage.file_names import file_names, one_line

CLOCKS, THIRTY_SECONDS = 24, 8  # of a metronome click, and in a quarter note: the usual ones
SPLITS = {"one": "One file", "track": "A file per track", "lane": "A file per lane"}
NOTE_OFF, NOTE_ON, RELEASED = 0x80, 0x90, 64  # and the strength of a release that says none


def note_messages(project: Project, track: Track) -> Messages:
    """A track's notes, on the channel of its place in the project. MIDI 1.0 asks for a Note Off for each
    Note On; at one tick those that end come first."""
    begin, end, on = note_spans(project, track)
    off = on.copy()
    off[:, 0] ^= NOTE_ON ^ NOTE_OFF
    off[:, 2] = RELEASED
    tick = np.concatenate((end, begin))
    order = np.argsort(tick, kind="stable")
    return Messages(tick[order], np.concatenate((off, on))[order], np.full(len(tick), 3))


def note_spans(project: Project, track: Track) -> tuple[Ints, Ints, np.ndarray]:
    """A track's notes: the ticks at which each begins and ends, and the message (notes, 3) that begins it."""
    channel = project.tracks.index(track) % 16
    begin = np.round(np.array([note.beat for note in track.notes]) * TICKS).astype(np.intp)
    end = np.round(np.array([note.beat + note.length for note in track.notes]) * TICKS)
    end = np.maximum(end.astype(np.intp), begin + 1)
    pitch = np.array([note.pitch for note in track.notes])
    strength = np.clip(np.round([127.0 * note.strength for note in track.notes]), 1, 127)
    status = np.full(len(pitch), NOTE_ON | channel)
    return begin, end, np.stack((status, pitch, strength), axis=1).astype(np.uint8)


def encode(
    project: Project,
    lanes: list[EvaluatedLane] | None = None,
    resolution: Resolution = FINEST,
    progress: Progress | None = None,
    tracks: tuple[Track, ...] | None = None,
    exact_time: bool = False,
) -> bytes:
    """The bytes of a MIDI file with some lanes and the notes of some tracks, or all that are exported; muted tracks are
    left out.
    `exact_time`: with the further tempo events that `tempo_messages` says of."""
    tracks = project.tracks if lanes is None and tracks is None else tracks or ()
    lanes = exported_lanes(project) if lanes is None else lanes
    end = round(project.length * TICKS)
    chunks = [_conductor(project, end, exact_time)]
    for track in tracks:
        if track.notes and not track.muted:
            sent = note_messages(project, track)
            name = meta(NAME, _text(track.name))
            chunks.append(_track(b"\0" + name + _events(sent), sent.tick, end))
    ports = {port: number for number, port in enumerate(dict.fromkeys(x.lane.midi.port for x in lanes))}
    for heard, _, sent in lane_messages(project, lanes, resolution, progress):
        port = heard.lane.midi.port
        names = [meta(NAME, _text(track_name(project, heard.lane.id)))]
        if port:
            names += [meta(PORT, bytes((min(ports[port], 127),))), meta(DEVICE, _text(port))]
        name_data = b"".join(b"\0" + name for name in names)
        chunks.append(_track(name_data + _events(sent), sent.tick, end))
    return header(len(chunks), TICKS) + b"".join(chunks)


def track_name(project: Project, lane: str) -> str:
    """What a lane's track is called: the lane's label. What was read from a MIDI file goes by the name its
    track had there, so that names stay as they are however often a piece goes out and in."""
    track, device, this_lane = project.track_of(lane), project.device_of(lane), project.lane(lane)
    if device.kind != f"midi-{this_lane.midi.channel}":
        return project.label_of(lane).replace("·", "-")
    alone = not track.notes and len(track.lanes) == 1
    return track.name if alone else f"{track.name} - {project.parameter_of(lane).name}"


def _conductor(project: Project, end: int, exact_time: bool) -> bytes:
    """The first track: name, meter, tempo and sections."""
    events: list[tuple[int, int, bytes]] = [(0, 0, meta(NAME, _text(project.name)))]
    for point, start in zip(project.meter.points, project.meter.starts, strict=True):
        name_data = bytes((point.count, point.unit.bit_length() - 1, CLOCKS, THIRTY_SECONDS))
        events.append((round(start * TICKS), 1, meta(METER, name_data)))
    tempo = tempo_messages(project.tempo, project.length, exact_time)
    for tick, micros in zip(*(x.tolist() for x in tempo), strict=True):
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
    for index in range(wide + 1):  # from the last byte of the delta time back
        out[:, wide - index] = ((delta >> (7 * index)) & 127) | (128 if index else 0)
    out[:, wide + 1 :] = sent.data
    there = np.ones(out.shape, bool)
    for index in range(1, wide + 1):
        there[:, wide - index] = delta >= 1 << (7 * index)
    there[:, wide + 1] = ~running(sent.data)
    there[:, -1] = sent.size > 2
    return out[there].tobytes()


def _track(body: bytes, ticks: Ints, end: int) -> bytes:
    last = int(ticks[-1]) if len(ticks) else 0
    return chunk(b"MTrk", body + quantity(max(end - last, 0)) + meta(END, b""))


def _text(text: str) -> bytes:
    """Names on one line, in UTF-8, which ASCII is a part of (SMF 1.0 asks for ASCII and allows more)."""
    return one_line(text).encode()


def save(
    project: Project,
    path: str | os.PathLike[str],
    resolution: Resolution = FINEST,
    split: str = "one",
    progress: Progress | None = None,
    exact_time: bool = False,
) -> list[Path]:
    """Write the MIDI file, or one per track or lane next to each other, named after `path` and what
    is in them; each is written atomically. Raises ZolvekError when one can't be."""
    if split == "one":
        return [write_bytes(path, encode(project, None, resolution, progress, None, exact_time))]
    done, files = [], _files(project, path, split)
    for number, (file, lanes) in enumerate(files):
        track_ids = (project.track_of(lanes[0].lane.id),) if split == "track" else ()
        done.append(write_bytes(file, encode(project, lanes, resolution, None, track_ids, exact_time)))
        if progress:
            progress(number + 1, len(files))
    return done


def files_of(project: Project, path: str | os.PathLike[str], split: str = "one") -> list[Path]:
    """The files that `save` would write."""
    return [Path(path)] if split == "one" else [file for file, _ in _files(project, path, split)]


def _files(project: Project, path: str | os.PathLike[str], split: str) -> list[tuple[Path, list[EvaluatedLane]]]:
    """The files of a split export, each with its lanes. Raises ZolvekError for a split there is not."""
    if split not in SPLITS:
        raise ZolvekError(f"Files can't be split by “{split}”.", remedy=f"Use {', '.join(SPLITS)}.")
    groups: dict[str, list[EvaluatedLane]] = {}
    for heard in exported_lanes(project):
        key = project.track_of(heard.lane.id).id if split == "track" else heard.lane.id
        groups.setdefault(key, []).append(heard)
    called = [
        project.track_of(lanes[0].lane.id).name if split == "track" else project.label_of(key)
        for key, lanes in groups.items()
    ]
    target = Path(path)
    return [
        (target.with_name(f"{target.stem} - {name}{target.suffix or '.mid'}"), lanes)
        for name, lanes in zip(file_names(called), groups.values(), strict=True)
    ]
