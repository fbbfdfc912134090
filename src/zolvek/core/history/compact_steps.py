# SPDX-License-Identifier: GPL-3.0-or-later
"""Projects of steps that are some way from the present, in little memory: without their large curves, each of which
is kept as what differs from the same lane's curve in the step that is one nearer.

Nothing that a project holds is changed for it: what is shelved is a project of its own, and taking it from the shelf
makes another that is equal to the one there was.
"""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.curve.compaction import LEAST, Difference, difference
from zolvek.core.curve.construction import flat
from zolvek.core.model.project import Lane, Project, Track
from zolvek.core.records import names_of, replace

NOTHING = flat(0.0)  # in place of a curve that is kept as a difference


class CompactStep(NamedTuple):
    """`project`: with NOTHING in place of the curves that the nearer step says; `differences`: lane -> how its
    curve differs from there; a lane that is not named has the nearer step's very curve."""

    project: Project
    differences: dict[str, Difference]

    @property
    def size(self) -> int:
        """Bytes that the step holds of its own."""
        return sum(item.size for item in self.differences.values())


def shelved(project: Project, nearer: Project) -> CompactStep | None:
    """A project as what differs from the one a step nearer; None where there is nothing worth it."""
    differences: dict[str, Difference] = {}
    tracks, any_ = [], False
    for track in project.tracks:
        lanes = []
        for lane in track.lanes:
            new = lane
            if len(lane.curve) >= LEAST and nearer.has_lane(lane.id):
                base = nearer.lane(lane.id).curve
                change = None if base is lane.curve else difference(lane.curve, base)
                if change is not None:
                    differences[lane.id] = change
                if change is not None or base is lane.curve:
                    new, any_ = _without_curve(lane), True
            lanes.append(new)
        tracks.append(replace(track, lanes=tuple(lanes)))
    return CompactStep(replace(project, tracks=tuple(tracks)), differences) if any_ else None


def restored(step: CompactStep, nearer: Project) -> Project:
    """The project again. What it shares with the nearer one is shared again."""
    others = {track.id: track for track in nearer.tracks}
    tracks = tuple(_track(track, step, nearer, others.get(track.id)) for track in step.project.tracks)
    return replace(step.project, tracks=tracks)


def _track(track: Track, step: CompactStep, nearer: Project, other: Track | None) -> Track:
    lanes = tuple(_lane(lane, step, nearer) for lane in track.lanes)
    new_track = replace(track, lanes=lanes)
    if other is None or len(lanes) != len(other.lanes):
        return new_track
    same = all(one is two for one, two in zip(lanes, other.lanes, strict=True))
    rest = (name for name in names_of(Track) if name != "lanes")
    return (
        other
        if same
        and all(getattr(new_track, n) is getattr(other, n) or getattr(new_track, n) == getattr(other, n) for n in rest)
        else new_track
    )


def _lane(lane: Lane, step: CompactStep, nearer: Project) -> Lane:
    if lane.curve is not NOTHING:
        return lane
    other = nearer.lane(lane.id)
    change = step.differences.get(lane.id)
    if change is None and other.__dict__.get("_without_curve") is lane:
        return other
    curve = other.curve if change is None else change.applied(other.curve)
    new_lane = replace(lane, curve=curve)
    new_lane.__dict__["_without_curve"] = lane
    return new_lane


def _without_curve(lane: Lane) -> Lane:
    """The lane with NOTHING for a curve; the same one each time."""
    result: Lane | None = lane.__dict__.get("_without_curve")
    if result is None:
        result = lane.__dict__["_without_curve"] = replace(lane, curve=NOTHING)
    return result
