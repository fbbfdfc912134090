# SPDX-License-Identifier: GPL-3.0-or-later
"""Renders a project offline: the mix of a span, block by block."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.sound.engine.renderer import RATE, Renderer

TAIL_STEP, TAIL_QUIET, LONGEST_TAIL = 0.25, 1.0, 30.0  # seconds
INAUDIBLE = 1e-4  # 80 dB below full scale
OFFLINE_FRAMES = 65_536  # a stretch when nobody waits for it


class Exploded(Failure):
    """A device's sound has run away."""


def render_blocks(
    project: Project,
    first: float = 0.0,
    last: float | None = None,
    rate: int = RATE,
    bypass: bool = False,
    progress: Callable[[int, int], object] | None = None,
    tail: bool = False,
) -> Iterator[np.ndarray]:
    """The mix from beat `first` to `last` as float32 blocks of (2, frames).

    With `tail`, what still sounds at the end dies away: no note or clip begins any more, keys go
    up, effects ring on until they are inaudible. `progress` is given frames done and frames in all.
    Raises ZolvekError for an empty span, and Exploded where a device's sound runs away.
    """
    last = project.length if last is None else last
    if not 0.0 <= first < last:
        raise ZolvekError("The span to render is empty.", remedy="Choose an end after the start.")
    renderer = Renderer(project, rate, bypass)
    renderer.seek(first)
    total = renderer.frame_of(last) - renderer.frame
    if total < 1:
        raise ZolvekError("The span to render is empty.", remedy="Choose an end after the start.")
    skip = renderer.prepare()
    done = 0
    while done < total:
        frames = min(OFFLINE_FRAMES, total - done + skip)
        before = renderer.reserve
        block = renderer.render(frames).astype(np.float32)
        # Where a plugin has become later on the way, all comes as much later from there on.
        skip += renderer.reserve - before
        _need_level(renderer)
        cut = min(skip, block.shape[1])
        block, skip = block[:, cut : cut + total - done], skip - cut
        if block.shape[1]:
            yield block
        done += block.shape[1]
        if progress:
            progress(done, total)
    if tail:
        yield from _tail(renderer)


def _need_level(renderer: Renderer) -> None:
    """Raises Exploded where something was muted, as its sound had run away."""
    for device, why in renderer.guard.muted.items():
        project, beat = renderer.project, renderer.beat
        name = project.device_track(device).device(device).name if device else "the mix"
        raise Exploded(
            f"{why} before {project.meter.text(beat)}. Nothing was written.",
            name,
            "Lower what drives it, or bypass it, then export again.",
        )


def _tail(renderer: Renderer) -> Iterator[np.ndarray]:
    """What rings on after the end, until it has been inaudible for a while."""
    project, rate = renderer.project, renderer.rate
    renderer.release_all()
    silent = tuple(replace(track, notes=(), clips=()) for track in project.tracks)
    renderer.use(replace(project, tracks=silent))
    step, quiet = round(TAIL_STEP * rate), 0.0
    for _ in range(round(LONGEST_TAIL / TAIL_STEP)):
        block = renderer.render(step).astype(np.float32)
        _need_level(renderer)
        quiet = quiet + TAIL_STEP if np.abs(block).max() < INAUDIBLE else 0.0
        if quiet > TAIL_QUIET:
            return
        yield block


def render(project: Project, first: float = 0.0, last: float | None = None, **options: object) -> np.ndarray:
    """The mix as one float32 array, (2, frames). Options as for `render_blocks`."""
    return np.concatenate(list(render_blocks(project, first, last, **options)), axis=1)  # type: ignore[arg-type]  # options go on as they came
