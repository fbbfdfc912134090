# SPDX-License-Identifier: GPL-3.0-or-later
"""What a pass begins with and what it comes to, computed from the session: pure of the pass itself."""

from __future__ import annotations

from zolvek.core.edits.targets import layer_depth
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.recording.passes import MODES, Pass, PassMode, written
from zolvek.studio.session.session import Session


def mode_of(session: Session) -> str:
    """The mode of a pass that may begin. Raises ZolvekError where it can't."""
    armed, project = session.passes.armed, session.project
    if not armed:
        raise ZolvekError("No lane is armed.", remedy="Press E on the lane to record.")
    locked = [x for x in project.lanes() if x.id in armed and x.locked]
    if locked:
        raise ZolvekError("An armed lane is locked.", project.label_of(locked[0].id), "Unlock it.")
    settings = session.settings.recording
    for mode in (settings.mode, settings.last_mode):  # after a pass it is read: the next one is as the last was
        if mode in MODES and mode != PassMode.READ:
            return mode
    return str(PassMode.TOUCH)


def stretch_of(session: Session, looping: bool) -> tuple[float, float]:
    """Where the pass begins to write, and where it stops."""
    selected = session.span.beats
    punched = selected if session.settings.recording.only_in_span else None
    begin = punched[0] if punched else session.playhead.beat
    if looping and selected and not selected[0] <= begin < selected[1]:
        begin = selected[0]
    bound = selected if looping and selected else punched
    return begin, bound[1] if bound else session.project.length


def depths_of(session: Session) -> dict[str, str]:
    """The lane whose control writes the depth of a layer, because that is drawn on: to the layer."""
    focus = session.focus
    drawn = focus.drawn_layer if focus.aspect == "depth" else None
    armed = focus.id is not None and focus.id in session.passes.armed
    return {focus.id: drawn.id} if drawn is not None and armed and focus.id is not None else {}


def value_at_start(session: Session, key: str, depths: dict[str, str], beat: float) -> float:
    """What the write mode writes until the user moves: where the control stands, or the depth is."""
    project = session.project
    if key in depths:
        return float(layer_depth(project, key, depths[key]).curve.at(beat))
    lane = project.lane(key)
    present = project.device_of(key).position(lane.parameter)
    return 0.5 if lane.relative else float(lane.from_position(present))


def depth_written(
    session: Session,
    project: Project,
    lane: Lane,
    layer: str,
    passed: Pass,
    mode: str,
    start: float,
    end: float,
) -> Lane | None:
    """The lane with the depth of its layer as the pass leaves it; the last round counts."""
    moves = next((item for item in reversed(passed.rounds) if item), None)
    if moves is None or lane.layer(layer) is None:
        return None
    settings, bps = session.settings, float(project.tempo.bpm(start)) / 60.0
    target = layer_depth(project, lane.id, layer)
    recorded = written(
        target.curve, moves, mode, start, end, settings.recording.return_beats, bps, False, settings.recording.tolerance
    )
    if recorded is None:
        return None
    return target.put(project, lambda _: recorded.curve).lane(lane.id)
