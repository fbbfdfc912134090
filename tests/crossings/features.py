# SPDX-License-Identifier: GPL-3.0-or-later
"""Features that a project can have: each a function from project to project, with what it needs and what it can't
be together with. `bare` is what they are put on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import numpy as np
import soundfile

from tests.crossings.probe import DELAY, LISTENER, PROBE
from zolvek.core.curve.construction import curve
from zolvek.core.curve.pattern import Pattern
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.curve.spans import cut
from zolvek.core.edits import chains, lanes, replacement, sections, states, takes
from zolvek.core.edits import pads as pads_edits
from zolvek.core.edits.layers import with_layer
from zolvek.core.edits.monitoring import Listening, heard
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.layer import Layer
from zolvek.core.model.messages import MidiTarget
from zolvek.core.model.morph import Course
from zolvek.core.model.pad import Pad, PadCorner
from zolvek.core.model.project import Clip, Lane, Note, Project, Section
from zolvek.core.model.state import StatePart
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.movement.generators.randomness import STREAMS, RandomMove
from zolvek.core.movement.morphing import morphs, pad_paths
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.rates import Rate
from zolvek.core.time.tempo import TempoMap, TempoPoint

Put = Callable[[Project], Project]
LENGTH = 32.0
LANE, DEVICE, SOUND = "shown-probe.value", "shown-probe", "sound-filter"
FILE_RATE = 8_000


class Feature(NamedTuple):
    put: Put
    needs: tuple[str, ...] = ()
    against: tuple[str, ...] = ()


FEATURES: dict[str, Feature] = {}


def feature(name: str, needs: tuple[str, ...] = (), against: tuple[str, ...] = ()) -> Callable[[Put], Put]:
    def add(put: Put) -> Put:
        FEATURES[name] = Feature(put, needs, against)
        return put

    return add


def bare(folder: Path) -> Project:
    """Eight bars with three sections. The first track shows what its lane comes to; the second plays a sound."""
    path = folder / "noise.wav"
    noise = 0.3 * np.random.default_rng(5).uniform(-1, 1, round(1.3 * FILE_RATE))
    soundfile.write(path, noise, FILE_RATE, subtype="FLOAT")
    project, first = chains.add_track(Project(name="Crossing", length=LENGTH), "Shown")
    project, _ = chains.add_device(project, first, PROBE)
    project, lane = replacement.add_lane(project, DEVICE, "value")
    assert lane == LANE, lane
    drawn = curve([(0.0, 0.2), (6.0, 0.7, "bend", 0.5), (13.5, 0.3), (20.0, 0.6), (32.0, 0.4)])
    project = replacement.with_curve(project, lane, drawn)
    project, second = chains.add_track(project, "Sound")
    project, _ = chains.add_device(project, second, DEVICE_KINDS["filter"])
    track = next(track for track in project.tracks if track.id == second)
    clip = Clip(3.0, str(path))
    project = replacement.with_track(project, replace(track, clips=(clip,)))
    marks = tuple(Section(beat, name) for beat, name in ((0.0, "A"), (8.0, "B"), (20.0, "C")))
    return replace(project, sections=marks)


def _lane(project: Project, **changes: object) -> Project:
    return replacement.with_lane(project, replace(project.lane(LANE), **changes))


def _curved(project: Project, points: list[tuple]) -> Project:
    return replacement.with_curve(project, LANE, curve(points))


def _clip(project: Project, **changes: object) -> Project:
    track = project.tracks[1]
    clip = replace(track.clips[0], **changes)
    return replacement.with_track(project, replace(track, clips=(clip, *track.clips[1:])))


# --- what is drawn ---

DRAWN = ("every shape", "cut inside a shape", "jumps on borders", "many points")


def drawn(name: str) -> Callable[[Put], Put]:
    return feature(name, against=tuple(each for each in DRAWN if each != name))


@drawn("every shape")
def _every_shape(project: Project) -> Project:
    amounts = {"none": 0.0, "bend": -0.6, "count": 3.0}
    rows = [
        (4.0 * index, 0.1 if index % 2 else 0.9, row.key, amounts[row.amount.kind]) for index, row in enumerate(SHAPES)
    ]
    return _curved(project, [*rows, (4.0 * len(rows), 0.5)])


@drawn("cut inside a shape")
def _cut_inside(project: Project) -> Project:
    drawn = curve([(0.0, 0.1, "stairs", 4.0), (16.0, 0.9, "pulses", 3.0), (32.0, 0.2)])
    return replacement.with_curve(project, LANE, cut(drawn, [6.4, 7.7, 16.0 + 16.0 / 6.0, 25.0]))


@drawn("jumps on borders")
def _jumps(project: Project) -> Project:
    return _curved(
        project,
        [(0.0, 0.1), (8.0, 0.2), (8.0, 0.9), (19.0, 0.3, "hold"), (20.0, 0.6), (20.0, 0.1), (32.0, 0.8)],
    )


@drawn("many points")
def _many(project: Project) -> Project:
    at = np.linspace(0.0, LENGTH, 700)
    value = 0.5 + 0.4 * np.sin(at * 2.1) * np.cos(at * 0.3)
    return _curved(project, list(zip(at.tolist(), value.tolist(), strict=True)))


# --- how a lane takes it ---

REACHES = ("narrow reach", "turned reach", "relative")


@feature("narrow reach", against=("turned reach",))
def _narrow(project: Project) -> Project:
    return _lane(project, reach=(0.25, 0.6))


@feature("turned reach", against=("narrow reach", "relative"))
def _turned(project: Project) -> Project:
    return _lane(project, reach=(0.9, 0.15))


@feature("relative", against=("turned reach",))
def _relative(project: Project) -> Project:
    moved = replacement.set_dial(project, DEVICE, "value", 0.55)
    return lanes.made_relative(moved, LANE)


@feature("bypassed lane")
def _bypassed(project: Project) -> Project:
    return lanes.bypassed(project, {LANE: True})


@feature("locked lane")
def _locked(project: Project) -> Project:
    return _lane(project, locked=True, hidden=True, name="Of mine", colour=3)


@feature("lane's own loop", against=("slots",))
def _loop(project: Project) -> Project:
    return replacement.with_lane(project, lanes.with_loop(project.lane(LANE), 5.0, 8.0))


@feature("slots", against=("lane's own loop",))
def _slots(project: Project) -> Project:
    own = replace(
        project.lane(LANE),
        slots=(
            Pattern("Up", 2.0, curve([(0.0, 0.1), (2.0, 0.9)])),
            Pattern("Steps", 3.0, curve([(0.0, 0.3, "hold"), (1.0, 0.8, "hold"), (3.0, 0.2)])),
        ),
    )
    for beat, slot in ((7.0, 0), (12.5, 1), (20.0, -1)):
        own = lanes.with_switch(own, beat, slot)
    return replacement.with_lane(project, own)


@feature("LFO layer")
def _lfo(project: Project) -> Project:
    lfo = Lfo("saw-up", Rate(1.5), phase=0.2, skew=0.3)
    return with_layer(project, LANE, Layer("lfo", "lfo", first=5.0, last=23.0, amount=0.4, lfo=lfo))


@feature("LFO layer in seconds")
def _lfo_timed(project: Project) -> Project:
    lfo = Lfo("sine", Rate(0.7, True), smooth=0.2)
    return with_layer(project, LANE, Layer("timed", "lfo", amount=0.3, lfo=lfo))


@feature("random layer")
def _random(project: Project) -> Project:
    move = RandomMove(every=Rate(0.75), seed=4, stream=STREAMS["steps"])
    return with_layer(project, LANE, Layer("chance", "random", first=2.0, last=30.0, amount=0.2, random=move))


@feature("offset layer")
def _offset(project: Project) -> Project:
    own = curve([(4.0, 0.5), (10.0, 0.7, "cosine"), (28.0, 0.45)])
    return with_layer(project, LANE, Layer("lift", "offset", first=4.0, last=28.0, amount=0.8, curve=own))


@feature("scale layer")
def _scale(project: Project) -> Project:
    own = curve([(0.0, 0.6), (16.0, 0.2), (32.0, 0.5)])
    return with_layer(project, LANE, Layer("size", "scale", amount=0.7, curve=own, gaps=((9.0, 11.0),)))


@feature("depth curve", needs=("LFO layer",))
def _depth(project: Project) -> Project:
    lane = project.lane(LANE)
    way = curve([(0.0, 0.5), (12.0, 1.0), (24.0, 0.2), (32.0, 0.5)])
    made = tuple(replace(layer, amount_way=way) for layer in lane.layers)
    return _lane(project, layers=made)


@feature("fitted layers", needs=("offset layer",))
def _fitted(project: Project) -> Project:
    return _lane(project, fit=True)


@feature("takes")
def _takes(project: Project) -> Project:
    own = takes.with_take(project.lane(LANE), curve([(6.0, 0.8), (15.0, 0.1), (22.0, 0.9)]), 6.0, 22.0)
    own = takes.with_take(own, curve([(0.0, 0.4), (30.0, 0.6)]), 0.0, 30.0)
    own = takes.chosen(own, own.takes[0].id, 7.0, 9.5, 0.25, 0.0)
    return replacement.with_lane(project, takes.chosen(own, own.takes[1].id, 18.0, 21.0, 0.0, 0.0))


@feature("pins")
def _pins(project: Project) -> Project:
    return _lane(project, pins=(6.0, 20.0))


@feature("link")
def _link(project: Project) -> Project:
    project, other = replacement.add_lane(project, SOUND, "cutoff")
    return lanes.linked(project, LANE, other, -0.5)


# --- states ---


@feature("states")
def _states(project: Project) -> Project:
    for name, cutoff in (("Dull", 0.2), ("Bright", 0.8)):
        values = states.present(project.device_track(SOUND).device(SOUND)) | {"cutoff": cutoff}
        project, _ = states.kept(project, name, (StatePart(SOUND, values),))
    return project


@feature("morph", needs=("states",), against=("pad",))
def _morph(project: Project) -> Project:
    dull, bright = (state.id for state in project.states)
    return morphs.chained(project, SOUND, [(6.0, dull), (12.0, bright), (26.0, dull)], Course("bend", 0.3))


@feature("pad", needs=("states",), against=("morph",))
def _pad(project: Project) -> Project:
    dull, bright = (state.id for state in project.states)
    way = curve([(4.0, 0.0), (14.0, 1.0), (24.0, 0.3)])
    corners = (PadCorner(dull, 0.0, 0.5), PadCorner(bright, 1.0, 0.5))
    pad = Pad(SOUND, corners, x=way, first=4.0, last=24.0)
    return pad_paths.as_lanes(pads_edits.with_pad(project, pad), pad, 0.002)


# --- time ---


@feature("tempo ramp")
def _tempo(project: Project) -> Project:
    points = (TempoPoint(0.0, 97.0), TempoPoint(5.0, 97.0, True), TempoPoint(18.0, 151.0), TempoPoint(24.0, 120.0))
    return replace(project, tempo=TempoMap(points))


@feature("odd meter")
def _meter(project: Project) -> Project:
    """Bars of 4/4 up to beat 8, then eight of 3/4: the sections' borders stay bar lines."""
    return replace(project, meter=MeterMap((MeterPoint(1, 4, 4), MeterPoint(3, 3, 4))))


@feature("versions")
def _versions(project: Project) -> Project:
    project = sections.versioned(project, 1, "Other")
    return replacement.edit_lane(project, LANE, lambda own: own)


# --- sound ---


@feature("looped block")
def _looped(project: Project) -> Project:
    return _clip(project, loop_until=19.5, turn=0.4)


@feature("faded block")
def _faded(project: Project) -> Project:
    return _clip(project, start=0.2, seconds=0.9, fade_in=0.2, fade_out=0.3, gain_db=-4.0)


@feature("side-chain")
def _side_chain(project: Project) -> Project:
    project, device = chains.add_device(project, project.tracks[0].id, LISTENER)
    own = project.device_track(device).device(device)
    project = chains.with_device(project, replace(own, side_chain=project.tracks[1].id))
    return chains.move_device(project, device, -2)  # before the probe, which lets nothing through


@feature("send")
def _send(project: Project) -> Project:
    project, _ = chains.add_track(project, "Room", takes_sends=True)
    strip = project.tracks[1].devices[-1].id
    return replacement.set_dial(project, strip, "send", 0.7)


@feature("latent device")
def _latent(project: Project) -> Project:
    for track in project.tracks[:2]:
        project, device = chains.add_device(project, track.id, DELAY)
        for _ in track.devices:
            project = chains.move_device(project, device, -1)
    return project


@feature("muted track")
def _muted(project: Project) -> Project:
    return replacement.with_track(project, replace(project.tracks[1], muted=True))


@feature("solo")
def _solo(project: Project) -> Project:
    return heard(project, Listening(solo=frozenset((project.tracks[0].id,))))


@feature("device bypass lane")
def _bypass_lane(project: Project) -> Project:
    project, lane = replacement.add_lane(project, SOUND, "bypass")
    return replacement.with_curve(project, lane, curve([(0.0, 0.0, "hold"), (9.0, 1.0, "hold"), (17.0, 0.0)]))


@feature("notes")
def _notes(project: Project) -> Project:
    project, track = chains.add_track(project, "Keys")
    project, _ = chains.add_device(project, track, DEVICE_KINDS["synth"])
    own = project.tracks[-1]
    rows = tuple(Note(1.5 * n, 1.0, 48 + n, 0.7) for n in range(18))
    return replacement.with_track(project, replace(own, notes=rows))


# --- messages ---

KINDS = {
    "MIDI controller of 14 bits": MidiTarget(2, 7, "cc14"),
    "MIDI bend": MidiTarget(3, 0, "bend", 12.0, "Left"),
    "MIDI NRPN": MidiTarget(4, 300, "nrpn"),
    "MIDI RPN": MidiTarget(1, 5, "rpn", port="Right"),
    "MIDI pressure": MidiTarget(16, 0, "pressure"),
}


def _sent_as(name: str, target: MidiTarget) -> None:
    @feature(name, against=tuple(kind for kind in KINDS if kind != name))
    def _put(project: Project) -> Project:
        return _lane(project, midi=target)


for _name, _target in KINDS.items():
    _sent_as(_name, _target)


def shown(project: Project) -> Lane:
    """The lane that the probe shows."""
    return project.lane(LANE)
