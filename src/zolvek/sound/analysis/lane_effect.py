# SPDX-License-Identifier: GPL-3.0-or-later
"""What one lane does to what is heard over time, and a companion on the track's level that takes back the loudness it
adds."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import CODES
from zolvek.core.edits.layers import free_layer_id, with_layer
from zolvek.core.edits.measured_lanes import lane_with_reach
from zolvek.core.edits.replacement import with_lane
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer, LayerKind
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import Record, replace
from zolvek.sound.analysis.control_effects import checked_span
from zolvek.sound.analysis.descriptors import centroid_octaves
from zolvek.sound.analysis.held_renders import HeldRenders
from zolvek.sound.analysis.measures import block_powers, lufs

WINDOW_S, EVERY_S = 0.4, 0.1  # of a moment (momentary loudness, EBU Tech 3341)
QUIETEST_LUFS = -60.0  # of a moment: what is fainter is not compared
KNOTS_A_BEAT = 2
CORRECTIONS = 3
KEPT = "Loudness kept"

Progress = Callable[[int, int], object]


class LaneEffect(Record, frozen=True):
    """At increasing `beats`: by how much a lane makes what is heard brighter, in octaves, and louder, in LU, against
    the control where it stands; NaN where nothing is heard."""

    beats: Floats
    brightness: Floats
    loudness: Floats


def lane_effect(project: Project, lane: str, span: tuple[float, float], progress: Progress | None = None) -> LaneEffect:
    """The effect of a lane in a span of beats. Raises ZolvekError for a span too short, and where rendering fails."""
    span = checked_span(span)
    rows = []
    for number, version in enumerate((project, with_lane(project, replace(project.lane(lane), bypassed=True)))):
        rows.append(_moments(version, project.lane(lane).device, span))
        if progress:
            progress(number + 1, 2)
    (beats, bright, loud), (_, plain_bright, plain_loud) = rows
    heard = np.maximum(loud, plain_loud) > QUIETEST_LUFS
    return LaneEffect(beats, np.where(heard, bright - plain_bright, np.nan), np.where(heard, loud - plain_loud, np.nan))


def _moments(project: Project, device: str, span: tuple[float, float]) -> tuple[Floats, Floats, Floats]:
    """The middles of moments in beats, and brightness and loudness in each."""
    held = HeldRenders(project, device, span)
    sound, rate = held.at({}), held.rate
    power = block_powers(sound, rate, WINDOW_S, EVERY_S)
    loud = lufs(np.maximum(power, 1e-8))
    starts = (np.arange(len(power)) * EVERY_S * rate).astype(int)
    mono = sound.mean(axis=0)
    bright = np.array([centroid_octaves(mono[at : at + round(WINDOW_S * rate)], rate) for at in starts.tolist()])
    first = float(project.tempo.seconds(span[0]))
    seconds = first + np.arange(len(power)) * EVERY_S + 0.5 * WINDOW_S
    beats = np.asarray(project.tempo.beats(seconds), float)
    return np.minimum(beats, span[1]), bright, loud


def loudness_kept(project: Project, lane: str, span: tuple[float, float], progress: Progress | None = None) -> Project:
    """The project with a layer on the track's level that takes back what a lane adds to the loudness, in a span of
    beats. Raises ZolvekError where the lane is the level itself, where the track has none after it, and as
    `lane_effect`."""
    span = checked_span(span)
    device, key = _level_of(project, lane)
    parameter = project.device_track(device).device(device).parameter(key)
    count = max(round((span[1] - span[0]) * KNOTS_A_BEAT), 1)
    knots = np.linspace(*span, count + 1)
    plain = with_lane(project, replace(project.lane(lane), bypassed=True))
    own = project.lane(lane).device
    beats, _, wanted = _moments(plain, own, span)
    start, level_lane = lane_with_reach(project, device, key, (0.0, 1.0))
    now = played(start.lane(level_lane), start).at(knots)
    decibels = np.maximum(np.asarray(parameter.value(now), float), parameter.low)
    asked = np.zeros(len(knots))
    result = project
    for number in range(CORRECTIONS):
        _, _, loud = _moments(result, own, span)
        audible = np.maximum(loud, wanted) > QUIETEST_LUFS
        error = np.where(audible, loud - wanted, 0.0)
        asked = asked - np.interp(knots, beats, error)
        places = np.asarray(parameter.position(np.clip(decibels + asked, parameter.low, parameter.high)), float)
        result = _with_offsets(start, level_lane, knots, places - now)
        if progress:
            progress(number + 1, CORRECTIONS)
    return result


def _level_of(project: Project, lane: str) -> tuple[str, str]:
    """The last level of the lane's track, from its device on."""
    this_lane = project.lane(lane)
    track = project.track_of(lane)
    index = [device.id for device in track.devices].index(this_lane.device)
    for device in reversed(track.devices[index:]):
        for parameter in device.row.parameters:
            if parameter.taper == "decibel" and parameter.id == "level":
                if (device.id, parameter.id) == (this_lane.device, this_lane.parameter):
                    raise ZolvekError("This lane is the level itself.", track.name, "Choose another lane.")
                return device.id, parameter.id
    raise ZolvekError("The track has no level after this device.", track.name, "Add a strip to its chain.")


def _with_offsets(project: Project, lane: str, knots: Floats, offsets: Floats) -> Project:
    this_lane = project.lane(lane)
    low, high = this_lane.reach
    values = np.append(np.clip(0.5 + 0.5 * offsets / (high - low), 0.0, 1.0), 0.5)
    beats = np.append(knots, knots[-1])
    curve = Curve(beats, values, np.full(len(beats), CODES["line"], np.uint8), np.zeros(len(beats)))
    key = free_layer_id(this_lane)
    layer = Layer(key, str(LayerKind.OFFSET), KEPT, float(knots[0]), float(knots[-1]), curve=curve)
    return with_layer(project, lane, layer)


def effect_job(progress: Progress, project: Project, lane: str, span: tuple[float, float]) -> LaneEffect:
    """`lane_effect`, as a job of a process of its own."""
    return lane_effect(project, lane, span, progress)


def kept_job(progress: Progress, project: Project, lane: str, span: tuple[float, float]) -> Project:
    """`loudness_kept`, as a job of a process of its own."""
    return loudness_kept(project, lane, span, progress)
