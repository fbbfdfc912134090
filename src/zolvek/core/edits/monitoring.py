# SPDX-License-Identifier: GPL-3.0-or-later
"""What is listened to, without changing the project: solo, a lane alone, with and without."""

from __future__ import annotations

from zolvek.core.curve.construction import flat
from zolvek.core.curve.curve import Curve
from zolvek.core.model.project import Lane, Project
from zolvek.core.records import Record, replace


class Listening(Record, frozen=True):
    """`solo`: tracks heard alone; `alone`: the one lane that moves, all others held at their
    controls' present values; `held`: lanes held at values 0..1 of
    their curves, as by a hand; `tried`: a lane
    with another curve, as a preview is heard."""

    solo: frozenset[str] = frozenset()
    alone: str | None = None
    bypass: bool = False
    held: tuple[tuple[str, float], ...] = ()
    tried: tuple[str, Curve] | None = None
    metronome: bool = False


def heard(project: Project, listening: Listening) -> Project:
    """The project as it is to be rendered: tracks muted and lanes bypassed or held."""
    if listening == Listening() or listening == Listening(metronome=True):
        return project
    tracks = []
    for track in project.tracks:
        lanes = tuple(_lane(lane, listening) for lane in track.lanes)
        # What the soloed tracks send is a part of what they sound like.
        muted = track.muted or bool(
            listening.solo and track.id not in listening.solo and not (track.takes_sends or track.solo_safe)
        )
        tracks.append(replace(track, lanes=lanes, muted=muted))
    return replace(project, tracks=tuple(tracks))


def lanes_outside(project: Project, whole: bool = False) -> list[Lane]:
    """All lanes as other programs are to hear them, which is as they are heard here: one that is bypassed stands at
    its control's own value, or at the end of its reach that is nearest to that; `whole`: over the control's whole
    travel."""
    return [lane if not lane.bypassed else _still(project, lane, whole) for lane in project.lanes()]


def _still(project: Project, lane: Lane, whole: bool) -> Lane:
    own = project.track_of(lane.id).device(lane.device).position(lane.parameter)
    lane = replace(lane, reach=(0.0, 1.0)) if whole else lane
    value = float(lane.from_position(own))
    return replace(
        lane, curve=flat(value), cycle=None, switches=(), layers=(), bypassed=False, relative=False, fit=False
    )


def _lane(lane: Lane, listening: Listening) -> Lane:
    for held, value in listening.held:
        if lane.id == held:
            return replace(lane, curve=flat(value), cycle=None, switches=(), layers=(), bypassed=False)
    if listening.tried and lane.id == listening.tried[0]:
        lane = replace(lane, curve=listening.tried[1])
    silent = listening.bypass or (listening.alone is not None and lane.id != listening.alone)
    return replace(lane, bypassed=True) if silent and not lane.bypassed else lane
