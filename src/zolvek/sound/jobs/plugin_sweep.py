# SPDX-License-Identifier: GPL-3.0-or-later
"""Tries a plugin: moves every parameter from end to end, twice, and reports what happens."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np

from zolvek.core.curve.construction import lines
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.replacement import add_lanes, with_track
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.plugin import reached
from zolvek.core.model.project import Note, Project
from zolvek.core.model.source import Clip
from zolvek.core.records import replace
from zolvek.sound.engine.offline import OFFLINE_FRAMES, render
from zolvek.sound.engine.renderer import RATE, Renderer
from zolvek.sound.hosting.catalogue.hosts import host
from zolvek.sound.hosting.catalogue.loading import kind_of
from zolvek.sound.hosting.plugin.control_events import BLOCK_FRAMES

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
    held, again = host(kind.plugin.format).restored(kind, RATE)
    kept = all(
        abs(
            float(reached(p, b, p.value(p.default_position), 48_000.0))
            - float(reached(p, b, np.array(max(p.default, -1e11)), 48_000.0))
        )
        < 1e-4
        for p, b in ((kind.parameter(key), port) for key, port in kind.plugin.ports.items())
    )
    return {
        "keeps its defaults": kept,
        "outputs only numbers": bool(np.isfinite(first).all()),
        "restores its state": held == again,
        "is the same twice": bool(np.array_equal(first, second)),
        "over": _over(project, kind),
    }


def _over(project: Project, kind: DeviceKind) -> float:
    """With the sound of the track taken off, and no notes, as nothing is played to it alone either."""
    still = with_track(project, replace(project.tracks[0], notes=()))
    devices = tuple(d for d in still.tracks[0].devices if d.row.plugin is None)
    plain = with_track(still, replace(still.tracks[0], devices=devices))
    assert kind.plugin is not None
    run = host(kind.plugin.format).bare(kind, RATE)
    blocks = OFFLINE_FRAMES // BLOCK_FRAMES
    whole, without = (_best(_stretch(item)) for item in (still, plain))
    elapsed = _best(lambda: [run() for _ in range(blocks)])
    return 1e6 * (whole - without - elapsed) / blocks


def _stretch(project: Project) -> Callable[[], object]:
    """A stretch of it after another, once all is made."""
    renderer = Renderer(project)
    renderer.seek(0.0)
    renderer.render(BLOCK_FRAMES)
    return lambda: renderer.render(OFFLINE_FRAMES)


def _best(work: Callable[[], object], times: int = 5) -> float:
    """The least processor time of several runs, in seconds."""
    result = []
    for _ in range(times):
        began = time.process_time()
        work()
        result.append(time.process_time() - began)
    return min(result)
