# SPDX-License-Identifier: GPL-3.0-or-later
"""Projects that are not the demo: bare, odd, extreme and large ones, by name."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path

import numpy as np

from zolvek.core.curve.construction import curve
from zolvek.core.curve.curve import Curve
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.limits import LIMITS
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.project import Device, Lane, Note, Project, Section, Track
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.demo.night_regatta import build

LOW, HIGH = LIMITS["bpm"].low, LIMITS["bpm"].high


def ordinary_midi() -> bytes:
    """A MIDI file as other programs write them: a tempo, two tracks of notes, controllers, no markers.
    Written by mido."""
    import mido

    file = mido.MidiFile(ticks_per_beat=480)
    head = file.add_track()
    head.append(mido.MetaMessage("set_tempo", tempo=500_000))
    head.append(mido.MetaMessage("time_signature", numerator=3, denominator=4))
    for channel in range(2):
        track = file.add_track(f"Part {channel + 1}")
        for step in range(24):
            track.append(mido.Message("note_on", channel=channel, note=60 + step, velocity=80))
            track.append(mido.Message("control_change", channel=channel, control=74, value=step * 5))
            track.append(mido.Message("note_off", channel=channel, note=60 + step, time=240))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def from_midi(folder: Path) -> Project:
    from zolvek.formats.midi import file_in as midi_in

    path = folder / "ordinary.mid"
    path.write_bytes(ordinary_midi())
    return midi_in.as_project(midi_in.load(path))


def many_lanes(count: int, points: int = 4) -> Project:
    """One track with as many devices as `count` lanes need."""
    row = DEVICE_KINDS["synth"]
    beats = np.linspace(0.0, 127.0, points).tolist()
    drawn = curve([(beat, (index % 5) / 5.0) for index, beat in enumerate(beats)])
    devices: list[Device] = []
    lanes: list[Lane] = []
    for number in range(-(-count // len(row.parameters))):
        key = f"synth-{number}"
        devices.append(Device(key, "synth" if not number else "filter", f"Device {number}"))
        for parameter in devices[-1].parameters:
            if len(lanes) < count:
                lanes.append(Lane(f"{key}.{parameter.id}", key, parameter.id, drawn))
    while len(lanes) < count:
        number = len(devices)
        device = Device(f"more-{number}", "eq", f"Device {number}")
        devices.append(device)
        for parameter in device.parameters[: count - len(lanes)]:
            lanes.append(Lane(f"{device.id}.{parameter.id}", device.id, parameter.id, drawn))
    return Project(tracks=(Track("many", "Many", tuple(devices), tuple(lanes)),))


def two_hours() -> Project:
    """The demo's lanes over two hours: each of its curves again and again."""
    from zolvek.core.curve.shaping import repeated

    demo = build()
    beats = float(demo.tempo.beats(7_200.0))
    times = int(beats // demo.length)
    tracks = []
    for track in demo.tracks:
        lanes = []
        for lane in track.lanes:
            long = lane.curve
            if len(long) > 1:
                first = float(long.beat[0])
                moved = replace_beats(long, long.beat - first)
                made = repeated(moved, demo.length, times, 1.0, 0.0)
                long = replace_beats(made, made.beat + first)
            lanes.append(replace(lane, curve=long, takes=(), comp=None))
        tracks.append(replace(track, lanes=tuple(lanes)))
    return replace(demo, tracks=tuple(tracks), length=beats, morphs=(), pads=())


def replace_beats(drawn: Curve, beats: np.ndarray) -> Curve:
    from zolvek.core.curve.construction import joined

    return joined(beats, drawn.value, drawn.shape, drawn.amount)


def _bare_track(_: Path) -> Project:
    project = add_track(Project(), "Bare")[0]
    return replace(project, tracks=(replace(project.tracks[0], devices=()),))


def _no_lanes(_: Path) -> Project:
    project, key = add_track(Project(), "Quiet")
    return add_device(project, key, DEVICE_KINDS["synth"])[0]


def _extremes(_: Path) -> Project:
    tempo = TempoMap(
        (
            TempoPoint(0.0, LOW, True),
            TempoPoint(1e-6, HIGH, True),
            TempoPoint(9.0, LOW),
            TempoPoint(900.0, HIGH),
        )
    )
    meter = MeterMap((MeterPoint(1, 64, 1), MeterPoint(2, 1, 32), MeterPoint(3, 7, 8)))
    return replace(build(), tempo=tempo, meter=meter)


def _far_section(_: Path) -> Project:
    return replace(
        build(),
        sections=(Section(LIMITS["beat"].high, "Far"), Section(3.0, ""), Section(3.0, "Twice")),
    )


PROJECTS: dict[str, Callable[[Path], Project]] = {
    "empty": lambda _: Project(),
    "a track without devices": _bare_track,
    "no lanes": _no_lanes,
    "no sections": lambda _: replace(build(), sections=()),
    "no notes": lambda _: replace(build(), tracks=tuple(replace(t, notes=(), clips=()) for t in build().tracks)),
    "one bar": lambda _: replace(build(), length=4.0),
    "the shortest": lambda _: replace(build(), length=LIMITS["length"].low),
    "the longest": lambda _: replace(build(), length=LIMITS["length"].high),
    "sections far away and on one beat": _far_section,
    "tempo and meter at their extremes": _extremes,
    "one note of each end": lambda _: Project(
        tracks=(
            Track(
                "t",
                "T",
                (Device("d", "synth", "D"),),
                (),
                (
                    Note(0.0, LIMITS["length"].low, 0, 0.0),
                    Note(1.0, LIMITS["length"].high, 127, 1.0),
                ),
            ),
        )
    ),
    "an ordinary MIDI file": from_midi,
    "1,000 lanes": lambda _: many_lanes(1_000),
    "two hours": lambda _: two_hours(),
}
