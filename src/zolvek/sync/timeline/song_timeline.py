# SPDX-License-Identifier: GPL-3.0-or-later
"""All that a project sends, by song frame: what the MIDI file exports, as arrays that compiled code reads.

A song frame is a frame of sound since the project's start, at the tempo map.
"""

from __future__ import annotations

from typing import NamedTuple
from zlib import crc32

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.edits.connections import Port
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.time.meter import TICKS
from zolvek.formats.midi.encode import Messages, whole
from zolvek.formats.midi.file_out import note_messages, note_spans
from zolvek.formats.midi.step_streams import FINEST, exported_lanes, lane_messages
from zolvek.sync.timeline.clock_messages import FrameRate, clocks, quarter_frames

ALL = 0  # the port that everything of the tracks goes to besides their own
AFTER_END_S = 240.0  # seconds that clock and time code go on after the end: another program may be longer


class SongTimeline(NamedTuple):
    """`frame` (n,), increasing, `port` (n,), `data` (n, 3) and `size` (n,) of the messages. Lane i stands from
    `state_frame[j]` on where the messages `state_row[j]` to `state_row[j + 1]` of `row_data` put it, for j
    from `lane_first[i]` up to, but not at, `lane_first[i + 1]`; they go to `lane_port[i]`. Notes last from
    `note_first` to `note_last`; `note_data` begins them."""

    frame: Ints
    port: Ints
    data: np.ndarray
    size: Ints
    lane_first: Ints
    lane_port: Ints
    state_frame: Ints
    state_row: Ints
    row_data: np.ndarray
    row_size: Ints
    note_first: Ints
    note_last: Ints
    note_port: Ints
    note_data: np.ndarray


def sending(project: Project, rate: int, ports: tuple[Port, ...], resolution: Resolution = FINEST) -> SongTimeline:
    """The messages of the notes of tracks that are not muted, and of all lanes that are exported. Ports are counted as
    they stand in `ports`; a track that has none of its own sends to the one of all."""
    numbers = {port.key: number for number, port in enumerate(ports)}
    track_ports = {track.id: numbers.get(f"track {track.id}", ALL) for track in project.tracks}
    played = [track for track in project.tracks if track.notes and not track.muted]
    parts: list[tuple[int, Messages]] = [(track_ports[track.id], note_messages(project, track)) for track in played]
    spans = [note_spans(project, track) for track in played]
    counts: list[int] = []
    lane_ports: list[int] = []
    ticks, rows, data, sizes = [], [], [], []
    for heard, steps, sent in lane_messages(project, exported_lanes(project), resolution):
        lane = heard.lane
        port = numbers.get(f"named {lane.midi.port}", track_ports[project.track_of(lane.id).id])
        parts.append((port, sent))
        states, size = whole(lane.midi, steps.value)
        count, item = states.shape[:2]
        counts.append(count)
        lane_ports.append(port)
        ticks.append(steps.tick)
        rows.append(np.full(count, item))
        data.append(states.reshape(-1, 3))
        sizes.append(np.full(count * item, size))
    frame = [_frames(project, rate, sent.tick) for _, sent in parts]
    to = [np.full(len(sent.tick), number) for number, sent in parts]
    order = np.argsort(_joined(frame, np.int64), kind="stable")
    return SongTimeline(
        _joined(frame, np.int64)[order],
        _joined(to, np.int64)[order],
        _joined([sent.data for _, sent in parts], np.uint8, (0, 3))[order],
        _joined([sent.size for _, sent in parts], np.int64)[order],
        np.cumsum([0, *counts], dtype=np.int64),
        np.array(lane_ports, np.int64),
        _frames(project, rate, _joined(ticks, np.int64)),
        np.concatenate(([0], np.cumsum(_joined(rows, np.int64)))).astype(np.int64),
        _joined(data, np.uint8, (0, 3)),
        _joined(sizes, np.int64),
        _frames(project, rate, _joined([begin for begin, _, _ in spans], np.int64)),
        _frames(project, rate, _joined([end for _, end, _ in spans], np.int64)),
        _joined([np.full(len(track.notes), track_ports[track.id]) for track in played], np.int64),
        _joined([on for _, _, on in spans], np.uint8, (0, 3)),
    )


def clock_frames(project: Project, rate: int) -> Ints:
    """The song frames of the clock messages, until some time after the end."""
    end = float(project.tempo.beats(project.tempo.seconds(project.length) + AFTER_END_S))
    return np.round(project.tempo.seconds(clocks(end)) * rate).astype(np.int64)


def code_frames(project: Project, rate: int, code: FrameRate) -> tuple[Ints, np.ndarray]:
    """The song frames of the quarter frame messages, and their data."""
    moments, data = quarter_frames(float(project.tempo.seconds(project.length)) + AFTER_END_S, code)
    return np.round(moments * rate).astype(np.int64), data


def tempo_table(project: Project) -> Floats:
    """(points, 4): second, beat, BPM and slope of each tempo point (BPM a beat)."""
    beat, bpm, slope, seconds = project.tempo.table
    return np.ascontiguousarray(np.stack((seconds, beat, bpm, slope), axis=1))


def tempo_key(table: Floats) -> int:
    """A number that a tempo table is known by."""
    return crc32(table.tobytes()) + 1


def meter_table(project: Project) -> Floats:
    """(points, 4): beat, bar, beats in a bar and their unit, of each meter point."""
    meter = project.meter
    rows = [
        (start, point.bar, point.count, point.unit) for start, point in zip(meter.starts, meter.points, strict=True)
    ]
    return np.array(rows, np.float64)


def _frames(project: Project, rate: int, tick: Ints) -> Ints:
    return np.round(project.tempo.seconds(tick / TICKS) * rate).astype(np.int64)


def _joined(parts: list[np.ndarray], kind: type, empty: tuple[int, ...] = (0,)) -> np.ndarray:
    return np.concatenate(parts).astype(kind) if parts else np.zeros(empty, kind)
