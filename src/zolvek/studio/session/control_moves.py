# SPDX-License-Identifier: GPL-3.0-or-later
"""Controls turned: present values changed, or moves recorded."""

from __future__ import annotations

from zolvek.core.edits import replacement
from zolvek.studio.session.session import Session


def turn(
    session: Session, device: str, key: str, position: float, gesture: object = None, seconds: float | None = None
) -> None:
    """A control turned, by a dial, the controller or a message from outside at a time of
    time.perf_counter. During a pass that takes it the move is recorded; else its present value
    changes, and the turns of one gesture are one step."""
    turn_all(session, {(device, key): position}, gesture, seconds)


def turn_all(
    session: Session, moves: dict[tuple[str, str], float], gesture: object = None, seconds: float | None = None
) -> None:
    """Several controls turned at once, by device and parameter: one edit."""
    hands, project = session.passes.hands, session.project
    labels: list[str] = []
    driven: list[str] = []  # by their lanes
    positions: dict[str, dict[str, float]] = {}
    for (device, key), position in moves.items():
        if hands and hands.move(device, key, position, seconds):
            continue
        track = project.device_track(device)
        parameter, lane = track.device(device).parameter(key), track.lane_on(device, key)
        is_driven = lane is not None and not lane.bypassed
        if hands and hands.recording and lane is not None and is_driven:
            hands.missed(lane.id)
            session.notices.say(f"{parameter.name} is not armed, so this is not recorded. Press E to arm its lane.")
            continue
        position = min(max(position, 0.0), 1.0)
        if parameter.steps:
            position = float(parameter.position(parameter.value(position)))
        positions.setdefault(device, {})[key] = position
        labels.append(f"Set {parameter.name} to {parameter.text(position)}")
        if is_driven:
            driven.append(parameter.name)
    for device, of_device in positions.items():
        project = replacement.set_dials(project, device, of_device)
    if len(driven) == 1:
        session.notices.say(f"{driven[0]} is driven by its lane. You hear this value when the lane is bypassed (Y).")
    elif driven:
        session.notices.say(
            f"{len(driven)} controls are driven by their lanes. You hear these values when those are bypassed."
        )
    if labels:
        label = labels[0] if len(labels) == 1 else f"Set {len(labels)} controls"
        session.document.edit(label, project, gesture)
