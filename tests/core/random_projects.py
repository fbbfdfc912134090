# SPDX-License-Identifier: GPL-3.0-or-later
"""Random projects with something of everything that lies in time: every shape, jumps, layers, takes, loops, ramps."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.edits import chains, replacement
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Clip, Cycle, Note, Project, Section
from zolvek.core.model.take import Choice, Comp, Take
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.movement.generators.randomness import RandomMove
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.rates import Rate
from zolvek.core.time.tempo import TempoMap, TempoPoint

BARS, BEATS = 16, 64.0


def wild_curve(rng: np.random.Generator, points: int = 9) -> Curve:
    """Points on a sixteenth, each segment of a shape of its own, a jump now and then."""
    beat = np.sort(rng.integers(0, round(BEATS * 4), points)) / 4.0
    for index in range(2, points):  # at most two on a beat
        if beat[index] <= beat[index - 2]:
            beat[index:] += 0.25
    codes = rng.integers(0, len(SHAPES), points)
    amount = np.zeros(points)
    for index, code in enumerate(codes):
        kind = SHAPES[code].amount.kind
        amount[index] = rng.integers(1, 9) if kind == "count" else rng.uniform(-0.9, 0.9) if kind == "bend" else 0.0
    return Curve(beat, rng.uniform(0, 1, points), codes.astype(np.uint8), amount)


def wild_tempo(rng: np.random.Generator) -> TempoMap:
    beats = np.unique(np.append(0, rng.integers(1, 60, 4))).tolist()
    return TempoMap(tuple(TempoPoint(float(b), float(rng.uniform(60, 180)), bool(rng.random() < 0.6)) for b in beats))


def span(rng: np.random.Generator) -> tuple[float, float]:
    first = float(rng.integers(0, 220)) / 4.0
    return first, min(first + float(rng.integers(4, 100)) / 4.0, BEATS)


def wild_layers(rng: np.random.Generator) -> tuple[Layer, ...]:
    rate = Rate(float(rng.choice([0.5, 1.0, 3.0]))) if rng.random() < 0.6 else Rate(float(rng.uniform(0.3, 2.0)), True)
    lfo = Lfo("sine", rate, phase=float(rng.random()))
    layers = []
    for number, kind in enumerate(("lfo", "random", "offset", "scale")):
        first, last = span(rng)
        more: dict[str, dict[str, Any]] = {
            "lfo": {"lfo": lfo},
            "random": {"random": RandomMove(every=Rate(0.5), seed=int(rng.integers(99)))},
        }
        own = more.get(kind) or {"curve": wild_curve(rng, 5)}
        ends = None if rng.random() < 0.3 else last
        layers.append(Layer(f"l{number}", kind, first=first, last=ends, amount=0.3, **own))
    return tuple(layers)


def wild(seed: int, sound: str = "x.wav", seconds: float = 2.0) -> Project:
    rng = np.random.default_rng(seed)
    project, _ = chains.add_track(Project(length=BEATS, tempo=wild_tempo(rng)), "T")
    device = project.tracks[0].devices[0].id
    project, lane_id = replacement.add_lane(project, device, "level")
    first, last = span(rng)
    takes = (
        Take("t-1", "One", wild_curve(rng, 5), first, last),
        Take("t-2", "Two", wild_curve(rng, 5), *span(rng)),
    )
    lane = replace(
        project.lane(lane_id),
        curve=wild_curve(rng),
        layers=wild_layers(rng),
        takes=takes,
        comp=Comp(wild_curve(rng, 4), (Choice(first, last, "t-1"),)),
        cycle=Cycle(40.0, 4.0) if rng.random() < 0.2 else None,
    )
    project = replacement.with_lane(project, lane)
    notes = tuple(Note(float(b) / 4.0, 0.2, 60) for b in np.sort(rng.integers(0, 250, 12)))
    clips = []
    for number in range(3):
        at = float(rng.integers(0, 200)) / 4.0
        loops = at + float(rng.integers(4, 60)) / 4.0 if number else None
        clips.append(Clip(at, sound, seconds=seconds * float(rng.uniform(0.2, 0.9)), loop_until=loops))
    own = replace(project.tracks[0], notes=notes, clips=tuple(sorted(clips, key=lambda c: c.beat)))
    project = replacement.with_track(project, own)
    meter = MeterMap((MeterPoint(1, 4, 4),))
    marks = tuple(Section(4.0 * b, f"S{b}") for b in sorted({0, *rng.integers(1, BARS, 4).tolist()}))
    return replace(project, sections=marks, meter=meter)
