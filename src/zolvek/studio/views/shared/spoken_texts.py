# SPDX-License-Identifier: GPL-3.0-or-later
"""What a screen reader says of what is painted: of lanes, takes, the ruler, the overview and the track row."""

from __future__ import annotations

from zolvek.core.edits.edit_scope import counted
from zolvek.core.model.project import Lane, Track
from zolvek.core.model.take import Take
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.viewport import Viewport

MOST = 12  # lanes or takes that are read out


def described(session: Session) -> str:
    """The focus lane in a sentence."""
    lane, target, project = session.lane, session.target, session.project
    if lane is None or target is None:
        return "No lane. Touch a dial or a parameter in the index, then press A."
    here = project.meter.text(session.playhead.beat)
    selected = int(session.points.chosen.size)
    points = counted(len(target.curve), "point") + (f", {selected} selected" if selected else "")
    low, high = (target.parameter.text(end) for end in target.reach)
    return f"{project.label_of(lane.id)}: {points}, {low} to {high}, {_value(session, lane)} at {here}"


def described_rows(session: Session, lanes: list[Lane]) -> str:
    """Lanes in a sentence each, the first MOST of them."""
    if not lanes:
        return "None is shown."
    project = session.project
    here = project.meter.text(session.playhead.beat)
    texts = [f"{project.label_of(lane.id)}: {_row(session, lane)}" for lane in lanes[:MOST]]
    more = [f"and {len(lanes) - MOST} more"] if len(lanes) > MOST else []
    return f"{counted(len(lanes), 'lane')} at {here}. {'; '.join([*texts, *more])}."


def _row(session: Session, lane: Lane) -> str:
    parameter = session.project.parameter_of(lane.id)
    low, high = (parameter.text(end) for end in lane.reach)
    bypassed = ", bypassed" if lane.bypassed else ""
    return f"{counted(len(lane.curve), 'point')}, {low} to {high}, {_value(session, lane)}{bypassed}"


def _value(session: Session, lane: Lane) -> str:
    """What it has at the playhead."""
    project = session.project
    return project.parameter_of(lane.id).text(float(played(lane, project).at(session.playhead.beat)))


def described_takes(session: Session, takes: list[Take]) -> str:
    """The takes of the lane, the newest first."""
    meter = session.project.meter
    rows = [f"{take.name}, {meter.text(take.first)} to {meter.text(take.last)}" for take in takes[:MOST]]
    return f"{counted(len(takes), 'take')}. {'; '.join(rows)}." if takes else "No takes."


def described_time(session: Session) -> str:
    """Where the playhead is, in which section, and what is selected."""
    project, beat, span = session.project, session.playhead.beat, session.span.beats
    section = next((s.name for s in reversed(project.sections) if s.beat <= beat), "")
    texts = [
        f"Playhead at {project.meter.text(beat)}",
        f"in {section}" if section else "",
        f"{float(project.tempo.bpm(beat)):.4g} BPM",
        f"{project.meter.meter_at(beat).count}/{project.meter.meter_at(beat).unit}",
        f"selected {project.meter.text(span[0])} to {project.meter.text(span[1])}" if span else "nothing selected",
    ]
    return ", ".join(text for text in texts if text)


def described_view(session: Session, view: Viewport) -> str:
    """What of the project is shown."""
    project = session.project
    first, last = (project.meter.text(max(beat, 0.0)) for beat in (view.first, view.last))
    sections = ", ".join(f"{section.name} from {project.meter.text(section.beat)}" for section in project.sections)
    return f"Shown: {first} to {last}. Sections: {sections or 'none'}."


def described_track(session: Session, track: Track | None) -> str:
    """What a track plays."""
    if track is None:
        return "No track."
    what = [counted(len(track.clips), "clip") if track.clips else "", counted(len(track.notes), "note")]
    return f"{track.name}: {', '.join(text for text in what if text)}"
