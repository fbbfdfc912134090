# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes as streams of steps and as messages: computed once for the report, the file and what is sent live,
and kept with each lane as it is heard."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from zolvek.core.edits.monitoring import lanes_outside
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane, played
from zolvek.core.movement.evaluation.quantised_steps import Resolution, Stream, stepped
from zolvek.core.same import Same
from zolvek.formats.midi.encode import Messages, messages, sharing

FINEST = Resolution()
KEPT = 3  # streams of a lane, at several resolutions
Progress = Callable[[int, int], object]
Row = tuple[EvaluatedLane, Stream, Messages]


def exported_lanes(project: Project) -> list[EvaluatedLane]:
    """The lanes that are exported, as they are heard: one that is bypassed stands still."""
    return [played(lane, project) for lane in lanes_outside(project)]


def stream(
    heard: EvaluatedLane,
    project: Project,
    resolution: Resolution = FINEST,
    going: Callable[[], object] = lambda: None,
) -> Stream:
    """The fewest messages' worth of steps that follow the lane over its whole height."""
    return _kept(heard, project, resolution, False, going)[0]


def _kept(
    heard: EvaluatedLane, project: Project, resolution: Resolution, fresh: bool, going: Callable[[], object]
) -> tuple[Stream, Messages]:
    kept, key = _place(heard, project, resolution, fresh)
    result = kept.get(key)
    if result is None:
        target = heard.lane.midi
        steps = stepped(heard, project.length, target.scale, project.tempo, resolution, going)
        result = steps, messages(target, steps.tick, steps.value, fresh)
        while len(kept) >= KEPT:
            kept.pop(next(iter(kept)))
        kept[key] = result
    return result


def _place(
    heard: EvaluatedLane, project: Project, resolution: Resolution, fresh: bool
) -> tuple[dict[object, tuple[Stream, Messages]], object]:
    """Where a lane's streams are kept, and under what."""
    kept = heard.__dict__.setdefault("_streams", {})
    return kept, (resolution, project.length, Same(project.tempo), fresh)


def lane_messages(
    project: Project,
    lanes: list[EvaluatedLane],
    resolution: Resolution = FINEST,
    progress: Progress | None = None,
) -> list[Row]:
    """Each lane with its steps and its messages. `progress` is given lanes done and lanes in all."""
    shared = sharing([heard.lane.midi for heard in lanes])

    def fresh(heard: EvaluatedLane) -> bool:
        return (heard.lane.midi.port, heard.lane.midi.channel) in shared

    def work(heard: EvaluatedLane) -> Row:
        return heard, *_kept(heard, project, resolution, fresh(heard), going)

    rows: list[Row] = []

    def going() -> None:
        if progress:
            progress(len(rows), len(lanes))

    places = [_place(heard, project, resolution, fresh(heard)) for heard in lanes]
    if sum(key not in kept for kept, key in places) < 2:
        return [work(heard) for heard in lanes]
    # Lanes know nothing of each other, and long arrays are worked on side by side.
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        try:
            for row in pool.map(work, lanes):
                rows.append(row)
                going()
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return rows
