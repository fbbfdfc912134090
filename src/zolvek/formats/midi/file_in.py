# SPDX-License-Identifier: GPL-3.0-or-later
"""A Standard MIDI File read in: its controllers, bends, pressure, programs, registered and non-registered
parameters as lanes, its notes, tempo, meter and markers."""

from __future__ import annotations

import os

import numpy as np

from zolvek.core.curve.curve import Curve
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.replacement import add_lanes, with_track
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.device_kind import DeviceKind, DeviceRole
from zolvek.core.model.messages import CONTROLLERS, MESSAGES, MessageKind, MidiTarget
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import from_steps
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter
from zolvek.formats.midi.decode import Score, TrackPart, decode
from zolvek.storage.opening import read_bytes

PROGRAMS = tuple(str(number) for number in range(1, 129))  # as they are called: MIDI 1.0 counts them from 0


def load(path: str | os.PathLike[str]) -> Score:
    """Read a file. Raises ZolvekError naming it, what is wrong and the remedy."""
    return decode(read_bytes(path), str(path))


Fitted = dict[tuple[int, str, int], Curve]  # by part, kind and number


def fitted(score: Score, tolerance: float | None = 0.002) -> Fitted:
    """The curves of all streams, which take the time. `tolerance`: steps are joined into curves within
    it; None holds them as they are."""
    result: Fitted = {}
    for index, part in enumerate(score.parts):
        for (kind, number), stream in part.streams.items():
            tick, value = np.array(stream, float).T
            scale = MidiTarget(part.channel, number, kind).scale
            within = None if kind == MessageKind.PROGRAM else tolerance  # between choices there is nothing
            result[index, kind, number] = from_steps(
                tick / score.ticks, scale.values(value), 1.0 / scale.highest, within
            )
    return result


def imported(
    project: Project, score: Score, curves: Fitted, takes_tempo: bool = False, takes_meter: bool = False
) -> Project:
    """The project with a track for each part of the score: its notes played by a stand-in synth,
    its streams, fitted to `curves`, as lanes of a device outside that they would go to. Tempo and meter come from the
    file where they are taken, and its sections with either."""
    length = max(project.length, float(np.ceil(score.length)))
    if takes_tempo or takes_meter:
        tempo = score.tempo if takes_tempo else project.tempo
        meter = score.meter if takes_meter else project.meter
        project = replace(project, tempo=tempo, meter=meter, sections=score.sections)
    project = replace(project, length=length)
    for index, part in enumerate(score.parts):
        project, track = add_track(project, part.name)
        if part.notes:
            project, _ = add_device(project, track, DEVICE_KINDS["synth"])
            this_track = next(item for item in project.tracks if item.id == track)
            project = with_track(project, replace(this_track, notes=tuple(part.notes)))
        if part.streams:
            own_curves = {row[1:]: drawn for row, drawn in curves.items() if row[0] == index}
            project = _with_lanes(project, track, part, own_curves)
    return project


def as_project(score: Score, tolerance: float | None = 0.002) -> Project:
    """The score as a project of its own."""
    empty = Project(name=score.name or "Untitled", length=float(np.ceil(score.length)))
    return imported(empty, score, fitted(score, tolerance), True, True)


def _with_lanes(project: Project, track: str, part: TrackPart, drawn: dict[tuple[str, int], Curve]) -> Project:
    rows = {_parameter(kind, number, part).id: (kind, number) for kind, number in part.streams}
    parameters = tuple(_parameter(kind, number, part) for kind, number in rows.values())
    kind_ = DeviceKind(f"midi-{part.channel}", f"MIDI channel {part.channel}", DeviceRole.OUTSIDE, parameters)
    project, device = add_device(project, track, kind_)
    curves = {key: drawn[row] for key, row in rows.items()}
    project = add_lanes(project, device, list(rows), curves)
    this_track = next(item for item in project.tracks if item.id == track)
    lanes = []
    for lane in this_track.lanes:
        if lane.device == device:
            kind, number = rows[lane.parameter]
            target = MidiTarget(part.channel, number, kind, part.semitones, part.port)
            lane = replace(lane, midi=target)
        lanes.append(lane)
    return with_track(project, replace(this_track, lanes=tuple(lanes)))


def _parameter(kind: str, number: int, part: TrackPart) -> Parameter:
    row = MESSAGES[kind]
    if kind == MessageKind.BEND:
        wide = max(part.semitones, 0.01)
        return Parameter("bend", "Pitch bend", "", "st", -wide, wide, 0.0, sends="bend")
    if kind == MessageKind.PROGRAM:
        return Parameter(kind, "Program", taper="stepped", choices=PROGRAMS, sends=kind)
    if kind in (MessageKind.CC, MessageKind.CC14):
        name = CONTROLLERS.get(number, f"{row.label} {number}")
    else:
        name = f"{row.label} {number}" if row.numbers else row.label
    sends = f"{kind} {number}" if row.numbers else kind
    return Parameter(f"{kind}-{number}", name, "", "", 0.0, float(row.highest), 0.0, sends=sends)
