"""A plugin tried: every parameter from end to end, twice, and what came of it."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np

from zolvek.core.curve.building import lines
from zolvek.core.document.chain import add_device, add_track
from zolvek.core.document.parts import add_lanes, with_track
from zolvek.core.model.project import Note, Project
from zolvek.core.model.source import Clip
from zolvek.core.records import replace
from zolvek.sound.lv2.instance import BLOCK, Instance
from zolvek.sound.lv2.world import kind_of
from zolvek.sound.renderer import render

MOST_SWEPT = 200  # parameters
BEATS = 8.0
SOUND = "shipped:fog.flac"


def job(_: Callable[[int, int], object], uri: str) -> dict[str, Any]:
    """What is so of the plugin, in words; and "over": microseconds that a block of 64 frames takes beyond
    its own run."""
    kind = kind_of(uri)
    assert kind.plugin is not None
    project, track = add_track(Project(length=BEATS), "T")
    notes = tuple(Note(float(beat), 0.9, 45 + 3 * beat) for beat in range(int(BEATS)))
    own = replace(project.tracks[0], notes=notes, clips=(Clip(0.0, SOUND),))
    project, device = add_device(with_track(project, own), track, kind)
    keys = list(kind.plugin.ports)[:MOST_SWEPT]
    ways = {key: lines([0.0, BEATS / 2.0, BEATS], [0.0, 1.0, 0.0]) for key in keys}
    moved = add_lanes(project, device, keys, ways)
    first, second = (render(moved, 0.0, BEATS) for _ in range(2))
    kept = all(
        abs(
            float(b.port(p.value(p.default_position), 48_000.0))
            - float(b.port(np.array(max(p.default, -1e11)), 48_000.0))
        )
        < 1e-4
        for p, b in ((kind.parameter(key), port) for key, port in kind.plugin.ports.items())
    )
    return {
        "keeps its defaults": kept,
        "gives numbers alone": bool(np.isfinite(first).all()),
        "is the same twice": bool(np.array_equal(first, second)),
        "over": _over(project, kind.plugin),
    }


def _over(project: Project, plugin: Any) -> float:
    """With the sound of the track taken off."""
    began = time.perf_counter()
    render(project, 0.0, BEATS)
    whole = time.perf_counter() - began
    devices = tuple(d for d in project.tracks[0].devices if d.row.plugin is None)
    plain = with_track(project, replace(project.tracks[0], devices=devices))
    began = time.perf_counter()
    render(plain, 0.0, BEATS)
    without = time.perf_counter() - began
    blocks = int(float(project.tempo.seconds(BEATS)) * 48_000) // BLOCK
    instance = Instance(plugin, 48_000)
    began = time.perf_counter()
    for _ in range(blocks):
        instance.run_(instance.handle, BLOCK)
    own = time.perf_counter() - began
    instance.close()
    return 1e6 * (whole - without - own) / blocks
