# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands on controls: turned, touched, and learned."""

from __future__ import annotations

from zolvek.core.edits import chains, replacement
from zolvek.core.edits.edit_scope import counted
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device, Project
from zolvek.core.value.parameter import Parameter
from zolvek.studio.session import favourite_controls
from zolvek.studio.session.asking import Ask
from zolvek.studio.session.control_moves import turn
from zolvek.studio.session.session import Session


def driven(session: Session) -> str:
    """The name of the control touched last, where the focus lane drives it; "" where it does not."""
    if session.shown.control is None:
        return ""
    device, key = session.shown.control
    track = session.project.device_track(device)
    lane = track.lane_on(device, key)
    applied = lane is not None and not lane.bypassed and lane.id == session.focus.id
    return track.device(device).parameter(key).name if applied else ""


def touched(session: Session) -> tuple[Device, Parameter]:
    """The control touched last. Raises ZolvekError when there is none."""
    control = session.shown.control
    if control is None:
        raise ZolvekError("No control is selected.", remedy="Click a dial first.")
    device = session.project.device_track(control[0]).device(control[0])
    return device, device.parameter(control[1])


def type_control(session: Session, ask: Ask) -> None:
    """Ask for the touched control's present value, in its unit."""
    device, parameter = touched(session)

    def use(text: str) -> None:
        bpm = float(session.project.tempo.bpm(session.playhead.beat))
        turn(session, device.id, parameter.id, parameter.parse(text, bpm))

    ask.typed(parameter.name, f"{parameter.name}:", parameter.text(device.position(parameter.id)), use)


def to_default(session: Session) -> None:
    """The touched control at its usual value."""
    device, parameter = touched(session)
    turn(session, device.id, parameter.id, parameter.default_position)


def touch(session: Session, device: str, key: str) -> None:
    """A control touched by hand: it comes up, and while favourites are learned becomes one."""
    if session.passes.learning == "favourites":
        name = session.project.device_track(device).device(device).parameter(key).name
        project = chains.toggle_favourite(session.project, device, key)
        session.document.edit(f"Favourite {name}", project)
        favourite_controls.keep(session.settings.plugins, project.device_track(device).device(device))
    session.touch(device, key)


def edit_with_lanes(session: Session, label: str, project: Project) -> None:
    """An edit that may bring lanes with it: they are counted, and one comes up."""
    before = {lane.id for lane in session.project.lanes()}
    new = [lane.id for lane in project.lanes() if lane.id not in before]
    title = f"{label}: {counted(len(new), 'new lane')}" if new else label
    session.document.edit(title, project)
    if new:
        session.focus.on(new[0])


def can_add_lane(session: Session) -> bool:
    """Whether the control touched last has no lane yet."""
    if session.shown.control is None:
        return False
    device, key = session.shown.control
    return session.project.device_track(device).lane_on(device, key) is None


def add_touched_lane(session: Session) -> None:
    """A lane for the control touched last, flat at its present value."""
    if session.shown.control is None:
        return
    device, key = session.shown.control
    project, lane = replacement.add_lane(session.project, device, key)
    name = session.project.device_track(device).device(device).parameter(key).name
    session.document.edit(f"Add a lane for {name}", project)
    session.focus.on(lane)
