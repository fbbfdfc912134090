"""Controls turned and touched by hand, and what is learned from them."""

from __future__ import annotations

from zolvek.core.edits import chains, replacement
from zolvek.core.edits.edit_scope import counted
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device, Project
from zolvek.core.value.parameter import Parameter
from zolvek.studio.asking import Ask
from zolvek.studio.session import Session


def turn(
    session: Session, device: str, key: str, position: float, gesture: object = None, seconds: float | None = None
) -> None:  # fmt: skip
    """A control turned, by a dial, the controller or a message from outside at a time of
    time.perf_counter. During a pass that takes it the move is recorded; else its present value
    changes, and the turns of one gesture are one step."""
    turn_all(session, {(device, key): position}, gesture, seconds)


def turn_all(
    session: Session, moves: dict[tuple[str, str], float], gesture: object = None, seconds: float | None = None
) -> None:  # fmt: skip
    """Several controls turned at once, by device and parameter: one edit."""
    hands, project = session.passes.hands, session.project
    labels: list[str] = []
    for (device, key), position in moves.items():
        if hands and hands.move(device, key, position, seconds):
            continue
        track = project.device_track(device)
        parameter, lane = track.device(device).parameter(key), track.lane_on(device, key)
        is_driven = lane is not None and not lane.bypassed
        if hands and hands.recording and lane is not None and is_driven:
            hands.missed(lane.id)
            session.notices.say(
                f"{parameter.name} is not armed: this is not written. E arms its lane."
            )
            continue
        position = min(max(position, 0.0), 1.0)
        if parameter.steps:
            position = float(parameter.position(parameter.value(position)))
        project = replacement.set_dial(project, device, key, position)
        labels.append(f"Set {parameter.name} to {parameter.text(position)}")
        if is_driven:
            session.notices.say(
                f"{parameter.name} is driven by its lane: this value is heard when the lane is bypassed (Y)."
            )
    if labels:
        label = labels[0] if len(labels) == 1 else f"Set {len(labels)} controls"
        session.document.edit(label, project, gesture)


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
        raise ZolvekError("No control is touched.", remedy="Press a dial first.")
    device = session.project.device_track(control[0]).device(control[0])
    return device, device.parameter(control[1])


def type_control(session: Session, ask: Ask) -> None:
    """Ask for the touched control's present value, in its unit."""
    device, parameter = touched(session)
    text = ask.text(
        parameter.name, f"{parameter.name}:", parameter.text(device.position(parameter.id))
    )
    if text is not None:
        bpm = float(session.project.tempo.bpm(session.playhead.beat))
        turn(session, device.id, parameter.id, parameter.parse(text, bpm))


def to_default(session: Session) -> None:
    """The touched control at its usual value."""
    device, parameter = touched(session)
    turn(session, device.id, parameter.id, parameter.default_position)


def touch(session: Session, device: str, key: str) -> None:
    """A control touched by hand: it comes up, and while favourites are learned becomes one."""
    if session.passes.learning == "favourites":
        name = session.project.device_track(device).device(device).parameter(key).name
        project = chains.toggle_favourite(session.project, device, key)
        session.document.edit(f"{name} among the favourites", project)
    session.touch(device, key)


def edit_with_lanes(session: Session, label: str, project: Project) -> None:
    """An edit that may bring lanes with it: they are counted, and one comes up."""
    before = {lane.id for lane in session.project.lanes()}
    new = [lane.id for lane in project.lanes() if lane.id not in before]
    told = f"{label}: {counted(len(new), 'new lane')}" if new else label
    session.document.edit(told, project)
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
