# SPDX-License-Identifier: GPL-3.0-or-later
"""The sound behind a lane: what a track sounds like over the whole project, as a picture."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.sound.analysis.measures import spectrogram, waveform
from zolvek.sound.engine.offline import OFFLINE_FRAMES
from zolvek.sound.engine.renderer import Renderer

BACKDROP_RATE = 44_100  # what is shown ends at 20 kHz
COLUMNS_A_BEAT, MOST_COLUMNS = 32, 12_000


class Backdrop(NamedTuple):
    """`kind` and its `picture`: for the waveform lowest and highest sample (2, columns), for the
    spectrogram shades 0..255 (rows, columns). Columns are even in beats from 0 to `length`."""

    kind: str
    picture: np.ndarray
    length: float


def backdrop(project: Project, track: str, kind: str, progress: Callable[[int, int], object] | None = None) -> Backdrop:
    """The picture of one track's sound, its automation applied."""
    owner = next(item for item in project.tracks if item.id == track)
    new_owner = replace(owner, muted=False)
    alone = replace(project, tracks=(new_owner,), links=(), mappings=())
    if new_owner.takes_sends:
        others = tuple(item for item in project.tracks if item.id != track)
        alone = replace(project, tracks=(*others, new_owner), links=(), mappings=())
    renderer = Renderer(alone, BACKDROP_RATE)
    total = renderer.frame_of(project.length)
    parts = []
    while renderer.frame < total:
        mix = renderer.render(min(OFFLINE_FRAMES, total - renderer.frame))
        parts.append(mix.astype(np.float32))
        if progress:
            progress(renderer.frame, total)
    sound = np.concatenate(parts, axis=1)
    columns = int(min(max(project.length * COLUMNS_A_BEAT, 64), MOST_COLUMNS))
    edges = np.linspace(0.0, project.length, columns + 1)
    frames = project.tempo.seconds(edges) * BACKDROP_RATE
    if kind == "waveform":
        return Backdrop(kind, waveform(sound, frames).astype(np.float32), project.length)
    centres = 0.5 * (frames[1:] + frames[:-1])
    return Backdrop(kind, spectrogram(sound, BACKDROP_RATE, centres), project.length)


def job(progress: Callable[[int, int], object], project: Project, track: str, kind: str) -> Backdrop:
    """`backdrop`, as a job of a process of its own."""
    return backdrop(project, track, kind, progress)
