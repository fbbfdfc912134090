# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes as control voltages: break-points by song frame, between which a straight line is within DEVIATION."""

from __future__ import annotations

from typing import NamedTuple
from zlib import crc32

import numpy as np

from zolvek.core.arrays import Floats, Ints, among, distinct
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.polylines import sampled_lines
from zolvek.core.edits.connections import voltage_lanes
from zolvek.core.edits.monitoring import lanes_outside
from zolvek.core.model.messages import VOLTAGES
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane, played
from zolvek.core.same import Same

DEVIATION = 1e-4  # of the travel, between break-points
ACCURACY = 0.4 * DEVIATION  # that is looked for where it is looked
LAYERED_BEATS = 1.0 / 32.0  # between the first looks at a curve that is known by its values alone
INSIDE = (0.25, 0.5, 0.75)  # where a line is compared with the curve


class Voltages(NamedTuple):
    """By lane: `key` (n,), which names its port, and `first` (n + 1,): its break-points are numbers `first[i]` up to,
    but not at, `first[i + 1]` of `frame`, increasing, and `value`; two at one frame are a jump."""

    key: Ints
    first: Ints
    frame: Ints
    value: Floats


def voltage_key(lane: str) -> int:
    """The number that names the port of a lane; never 0."""
    return crc32(lane.encode()) + 1


def voltages(project: Project, rate: int) -> Voltages:
    """The control voltages of a project at `rate` frames a second."""
    wanted = {lane.id for lane in voltage_lanes(project)}
    keys, counts, frames, values = [], [0], [np.zeros(0, np.int64)], [np.zeros(0)]
    for lane in lanes_outside(project, whole=True):
        if lane.id in wanted:
            frame, position = break_points(played(lane, project), project, rate)
            low, span = VOLTAGES[lane.voltage].low, VOLTAGES[lane.voltage].high - VOLTAGES[lane.voltage].low
            keys.append(voltage_key(lane.id))
            counts.append(len(frame))
            frames.append(frame)
            values.append(low + span * position)
    return Voltages(
        np.array(keys, np.int64), np.cumsum(counts, dtype=np.int64), np.concatenate(frames), np.concatenate(values)
    )


def break_points(heard: EvaluatedLane, project: Project, rate: int) -> tuple[Ints, Floats]:
    """Song frames, increasing, and the lane's positions 0..1 there; of two at one frame the first is what lies before
    the jump. Kept with the lane as it is heard."""
    kept = heard.__dict__.get("_voltages")
    key = (rate, project.length, Same(project.tempo))
    if kept is None or kept[0] != key:
        kept = heard.__dict__["_voltages"] = (key, _computed(heard, project, rate))
    result: tuple[Ints, Floats] = kept[1]
    return result


def _computed(heard: EvaluatedLane, project: Project, rate: int) -> tuple[Ints, Floats]:
    tempo = project.tempo
    end = round(float(tempo.seconds(project.length)) * rate)
    jumps = _frames(heard.leaps, project, rate, end)
    edges = distinct(np.concatenate(([0, end], jumps, _frames(_looks(heard, project), project, rate, end))))
    is_jump = among(edges, jumps)
    low, high = edges[:-1], edges[1:]
    found: list[Ints] = [edges]
    while len(low):
        length = high - low
        begin, ending = _at(heard, project, rate, low), _before(heard, project, rate, high)
        far = np.zeros(len(low), bool)
        for share in INSIDE:
            at = low + np.floor(share * length).astype(np.int64)
            line = begin + (ending - begin) * (at - low) / length
            far |= np.abs(_at(heard, project, rate, at) - line) > ACCURACY
        far &= length > 1
        middle = (low[far] + high[far]) // 2
        found.append(middle)
        low, high = np.concatenate((low[far], middle)), np.concatenate((middle, high[far]))
    frames = distinct(np.concatenate(found))
    after, before = _at(heard, project, rate, frames), _before(heard, project, rate, frames)
    twice = among(frames, edges[is_jump])
    counts = 1 + twice.astype(np.int64)
    last = np.cumsum(counts) - 1
    frame, value = np.repeat(frames, counts), np.repeat(after, counts)
    value[last[twice] - 1] = before[twice]
    return frame, value


def _looks(heard: EvaluatedLane, project: Project) -> Floats:
    """Beats at which the search begins: so close that what is between them is simple."""
    drawn = heard.curve
    tempos = np.array([point.beat for point in project.tempo.points])
    if isinstance(drawn, Curve):
        return np.concatenate((sampled_lines(drawn, ACCURACY)[0], tempos))
    return np.concatenate((drawn.knots, tempos, np.arange(0.0, project.length, LAYERED_BEATS)))


def _frames(beats: Floats, project: Project, rate: int, end: int) -> Ints:
    """The frames from which on beats have come, as messages are placed, inside the song."""
    frames = np.round(project.tempo.seconds(beats) * rate).astype(np.int64)
    return frames[(frames >= 0) & (frames < end)]


def _at(heard: EvaluatedLane, project: Project, rate: int, frames: Ints) -> Floats:
    """The lane at frames: one next to which it jumps (its moment is rounded) has what comes after."""
    beats = project.tempo.beats(frames / rate)
    return heard.at(_past_leap(heard, project, rate, frames, beats))


def _past_leap(heard: EvaluatedLane, project: Project, rate: int, frames: Ints, beats: Floats) -> Floats:
    leaps = heard.leaps
    if not leaps.size:
        return beats
    places = np.round(project.tempo.seconds(leaps) * rate).astype(np.int64)
    index = np.clip(np.searchsorted(places, frames, side="right") - 1, 0, len(leaps) - 1)
    return np.where(places[index] == frames, np.maximum(beats, leaps[index]), beats)


def _before(heard: EvaluatedLane, project: Project, rate: int, frames: Ints) -> Floats:
    """What the lane comes to up to frames, from the left."""
    beats = project.tempo.beats(frames / rate)
    leaps = heard.leaps
    if leaps.size:
        places = np.round(project.tempo.seconds(leaps) * rate).astype(np.int64)
        index = np.clip(np.searchsorted(places, frames, side="left"), 0, len(leaps) - 1)
        beats = np.where(places[index] == frames, leaps[index], beats)
    return heard.lane.to_position(heard.curve.before(beats))
