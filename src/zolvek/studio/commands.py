"""What actions and panels do to the project through the session: one function a command."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QApplication

from zolvek.core.curve import edits, shaping, spans
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.quantise import quantised
from zolvek.core.document import chain, lanes, takes
from zolvek.core.errors import ZolvekError
from zolvek.core.model import project as projects
from zolvek.core.model.catalogue import DeviceKind
from zolvek.core.model.project import Cycle, Device, Lane, Pattern, Project, Track
from zolvek.core.movement.playing import filled, without_cycle
from zolvek.core.value.changes import by_units, parse_change
from zolvek.formats import clipboard
from zolvek.studio.session import NONE_CHOSEN, Session

Shaper = Callable[[Curve], Curve]
COLOURS = 6


def focus(session: Session) -> Lane:
    """The focus lane, open to edits. Raises ZolvekError when there is none, or it is locked."""
    lane = session.lane
    if lane is None:
        raise ZolvekError("There is no lane to work on.", remedy="Touch a control and press A.")
    if lane.locked:
        raise ZolvekError(
            "The lane is locked.", session.project.label_of(lane.id), "Unlock it first."
        )
    return lane


def scope(session: Session) -> tuple[float, float, str]:
    """The span that a command works on, and its name: the selected span, else that of the
    selected points, else the whole lane."""
    lane = focus(session)
    if session.span:
        return (*session.span, "the selected span")
    if session.chosen.size > 1:
        beats = lane.curve.beat[session.chosen]
        if beats[-1] > beats[0]:
            return float(beats[0]), float(beats[-1]), "the selected points' span"
    return 0.0, max(float(lane.curve.beat[-1]), session.project.length), "the whole lane"


def shape_scope(
    session: Session,
    label: str,
    shaper: Shaper,
    ramp: float = 0.0,
    gesture: object = None,
    base: Curve | None = None,
) -> None:
    """`shaper` done to the scope of the focus lane, as one step."""
    curve = shaped(session, shaper, ramp, base)
    session.edit_curve(label, curve, NONE_CHOSEN, gesture)


def shaped(session: Session, shaper: Shaper, ramp: float = 0.0, base: Curve | None = None) -> Curve:
    """What `shape_scope` would make, for a preview."""
    lane = focus(session)
    first, last, _ = scope(session)
    return shaping.on_span(base or lane.curve, first, last, shaper, ramp)


def with_own(session: Session, lane: Lane) -> Project:
    """The project with the focus lane itself replaced, whatever of it is drawn on."""
    if lane.locked:
        raise ZolvekError("The lane is locked.", remedy="Unlock it first.")
    return projects.with_lane(session.project, lane)


# --- controls ---


def turn(
    session: Session,
    device: str,
    key: str,
    position: float,
    gesture: object = None,
    seconds: float | None = None,
) -> None:
    """A control turned, by a dial, the controller or a message from outside at a time of
    time.perf_counter. During a pass that takes it the move is recorded; else its present value
    changes, and the turns of one gesture are one step."""
    if session.recorder and session.recorder.move(device, key, position, seconds):
        return
    parameter = session.project.device_track(device).device(device).parameter(key)
    position = min(max(position, 0.0), 1.0)
    if parameter.steps:
        position = float(parameter.position(parameter.value(position)))
    project = projects.set_dial(session.project, device, key, position)
    session.edit(f"Set {parameter.name} to {parameter.text(position)}", project, gesture)


def touch(session: Session, device: str, key: str) -> None:
    """A control touched by hand: it comes up, and while favourites are learned becomes one."""
    if session.learning == "favourites":
        name = session.project.device_track(device).device(device).parameter(key).name
        session.edit(
            f"{name} among the favourites", chain.toggle_favourite(session.project, device, key)
        )
    session.touch(device, key)


# --- devices and tracks ---


def add_device(session: Session, track: str, kind: DeviceKind) -> None:
    project, device = chain.add_device(session.project, track, kind)
    session.edit(f"Add {kind.name}", project)
    session.choose_device(device)


def apply_preset(session: Session, device: str, preset: str) -> None:
    """The preset's values on the controls; lanes keep driving what they drive."""
    session.edit(f"Preset {preset}", chain.apply_preset(session.project, device, preset))
    driven = [x for x in chain.lanes_of(session.project, device) if not x.bypassed]
    if driven:
        noun = "control is" if len(driven) == 1 else "controls are"
        session.say(f"{preset}: {len(driven)} {noun} still driven by lanes.")


def chosen_device(session: Session) -> Device:
    """The device whose dials are shown. Raises ZolvekError when there is none."""
    if session.device is None:
        raise ZolvekError("There is no device.", remedy="Add one in the Devices panel.")
    return session.project.device_track(session.device).device(session.device)


def move_device(session: Session, by: int) -> None:
    device = chosen_device(session)
    session.edit(f"Move {device.name}", chain.move_device(session.project, device.id, by))


def bypass_device(session: Session) -> None:
    device = chosen_device(session)
    label = f"Apply {device.name}" if device.bypassed else f"Bypass {device.name}"
    changed = replace(device, bypassed=not device.bypassed)
    session.edit(label, chain.with_device(session.project, changed))


def add_track(session: Session, name: str, takes_sends: bool = False) -> None:
    project, track = chain.add_track(session.project, name, takes_sends)
    session.edit(f"Add the track {name}", project)
    added = next(each for each in session.project.tracks if each.id == track)
    session.choose_device(added.devices[0].id)


def shown_track(session: Session) -> Track:
    """The track of the device whose dials are shown. Raises ZolvekError when there is none."""
    if session.device is None:
        raise ZolvekError("There is no track.", remedy="Add one in the Devices panel.")
    return session.project.device_track(session.device)


def mute_track(session: Session, track: Track) -> None:
    label = f"Hear {track.name}" if track.muted else f"Mute {track.name}"
    session.edit(label, projects.with_track(session.project, replace(track, muted=not track.muted)))


def solo_track(session: Session, track: Track) -> None:
    """The track among those heard alone, or no longer."""
    session.listen(solo=session.listening.solo ^ {track.id})


# --- takes and pins ---


def choose_take(session: Session, take: str, first: float, last: float) -> None:
    """A span of a take for the lane's curve, joined by the glide that is set."""
    lane = session.own_lane
    if lane is None:
        return
    settings = session.settings
    made = takes.chosen(lane, take, first, last, settings.glide, settings.take_tolerance)
    session.edit(f"Choose {takes.take_of(lane, take).name}", with_own(session, made))


def pin_points(session: Session) -> None:
    """The selected points stay when the lane is thinned; again lets them go."""
    lane = focus(session)
    beats = {float(b) for b in lane.curve.beat[session.chosen]}
    pins = set(lane.pins)
    new = pins - beats if beats <= pins else pins | beats
    session.edit_lane("Pin or free points", replace(lane, pins=tuple(sorted(new))))


# --- points ---


def nudge_time(session: Session, way: int, fine: bool) -> None:
    """The selected points one grid step, or one tick, on; without any, the view scrolls."""
    lane = focus(session)
    if not session.chosen.size:
        return
    beat = float(lane.curve.beat[session.chosen[0]])
    step = 10 * edits.TICK if fine else session.grid.step_at(beat, session.project.meter)
    curve, where = edits.move(
        lane.curve, session.chosen, way * step, 0.0, session.settings.when_met
    )
    session.edit_curve(f"Nudge {session.scope_name}", curve, where)


def nudge_value(session: Session, count: float) -> None:
    """The selected points by units of the parameter: a semitone, 1 dB, 1 %."""
    lane = focus(session)
    if session.chosen.size:
        change = by_units(session.parameter, count)
        _change(session, lane, change, f"Nudge {session.scope_name}")


def change_values(session: Session, text: str) -> None:
    """The selected points, or all, changed by what is typed."""
    lane = focus(session)
    change = parse_change(session.parameter, text)
    _change(session, lane, change, f"Change {session.scope_name} by {text}")


def _change(session: Session, lane: Lane, change: Callable, label: str) -> None:
    which = session.scope
    position = change(lane.to_position(lane.curve.value[which]))
    curve = edits.set_value(lane.curve, which, lane.from_position(position))
    session.edit_curve(label, curve, session.chosen)


def toggle_jump(session: Session) -> None:
    lane = focus(session)
    if session.chosen.size:
        curve = edits.toggle_jump(lane.curve, int(session.chosen[-1]))
        session.edit_curve("Make or close a jump", curve, NONE_CHOSEN)


def take_from_dial(session: Session) -> None:
    """The selected points at the control's own present value."""
    lane = focus(session)
    if session.aside:
        raise ZolvekError(
            "What is drawn on has no dial of its own.", remedy="Draw on the base again."
        )
    position = session.project.device_of(lane.id).position(lane.parameter)
    curve = edits.set_value(lane.curve, session.scope, lane.from_position(position))
    session.edit_curve(f"Take the dial's value for {session.scope_name}", curve, session.chosen)


def send_to_dial(session: Session) -> None:
    """The control's present value is set to the first selected point's, or the playhead's."""
    lane = focus(session)
    at = lane.curve.beat[session.chosen[0]] if session.chosen.size else session.place
    position = float(lane.at(at))
    project = projects.set_dial(session.project, lane.device, lane.parameter, position)
    session.edit(f"Set {session.parameter.name} to {session.parameter.text(position)}", project)


def reset_points(session: Session) -> None:
    """The focus lane's curve as it was when the project was opened or last saved."""
    lane = focus(session)
    saved = session.saved.lanes() if session.saved is not None else ()
    before = next((each for each in saved if each.id == lane.id), None)
    if before is None:
        raise ZolvekError("The lane was not there then.", remedy="Undo goes back step by step.")
    session.edit_curve("Reset the lane to what was saved", before.curve, NONE_CHOSEN)


def quantise(session: Session, strength: float = 1.0) -> None:
    """Points pulled to the grid; what can't be placed is said."""
    lane = focus(session)
    grid = replace(session.grid, on=True)
    curve, left = quantised(lane.curve, grid, session.project.meter, strength, session.scope)
    session.edit_curve(f"Quantise {session.scope_name} to {grid.label}", curve, session.chosen)
    if left.size:
        noun = "point" if left.size == 1 else "points"
        session.say(f"{left.size} {noun} found no free line and stay where they are.")
        session.choose(left)


# --- copying ---


def copy(session: Session, all_lanes: bool = False) -> tuple[float, float]:
    """The scope on the clipboard; with `all_lanes` that of every shown lane, aligned."""
    lane = focus(session)
    first, last, _ = scope(session)
    shown = [x for x in session.project.lanes() if not x.hidden] if all_lanes else [lane]
    pieces = [(each.id, spans.piece(each.curve, first, last)) for each in shown]
    board = QApplication.clipboard()
    assert board is not None
    board.setText(clipboard.to_text(pieces))
    session.say("Copied" + (f" {len(pieces)} lanes" if all_lanes else ""))
    return first, last


def cut(session: Session) -> None:
    lane = focus(session)
    first, last = copy(session)
    session.edit_curve("Cut", spans.clear(lane.curve, first, last), NONE_CHOSEN)


def paste(session: Session, scaled: bool = False) -> None:
    """The clipboard at the playhead, or scaled in time to the selected span. Several lanes go
    back into their own; one piece goes into the focus lane, whatever lane it came from."""
    board = QApplication.clipboard()
    assert board is not None
    pieces = clipboard.from_text(board.text())
    first = session.span[0] if session.span and scaled else session.place
    project, known = session.project, {lane.id for lane in session.project.lanes()}
    for name, piece in pieces:
        target = focus(session).id if len(pieces) == 1 else name
        if target in known and project.lane(target).locked:
            raise ZolvekError("The lane is locked.", project.label_of(target), "Unlock it first.")
        if target not in known:
            raise ZolvekError(f"There is no lane “{target}” to paste into.", "the clipboard")
        put = edits.replace(piece, beat=piece.beat - piece.beat[0])
        if scaled and session.span and put.beat[-1] > 0.0:
            put = shaping.stretched(put, (session.span[1] - session.span[0]) / float(put.beat[-1]))
        if put.beat[-1] <= 0.0:
            raise ZolvekError("The piece has no length.", "the clipboard", "Copy a longer part.")
        drawn = focus(session) if target == session.focus else project.lane(target)
        curve = spans.splice(drawn.curve, first, put)
        project = session.with_curve(project, target, curve)
    session.edit("Paste", project)


def duplicate(session: Session) -> None:
    """The scope once more, right after itself; the span moves along."""
    lane = focus(session)
    first, last, _ = scope(session)
    piece = spans.piece(lane.curve, first, last)
    session.edit_curve("Duplicate", spans.splice(lane.curve, last, piece), NONE_CHOSEN)
    if session.span:
        session.choose_span((last, min(2 * last - first, session.project.length)))


def repeat_to(
    session: Session, end: float, scale: float = 1.0, tilt: float = 0.0, all_lanes: bool = False
) -> None:
    """The scope again and again up to beat `end`, growing by `scale` and `tilt`."""
    lane = focus(session)
    first, last, _ = scope(session)
    if end <= last + 1e-9:
        raise ZolvekError("There is no room to repeat in.", remedy="Select a shorter span first.")
    project = session.project
    for each in (
        [x for x in project.lanes() if not x.hidden and not x.locked] if all_lanes else [lane]
    ):
        pattern = Pattern("", last - first, spans.piece(each.curve, first, last))
        put = filled(pattern, end - first, scale, tilt)
        into = projects.with_curve if all_lanes else session.with_curve
        project = into(project, each.id, spans.splice(each.curve, first, put))
    session.edit("Repeat to fill", project)


def repeat_to_section_end(session: Session) -> None:
    first, _, _ = scope(session)
    repeat_to(session, session.project.section_at(first)[1])


# --- cycle and reach ---


def set_cycle(session: Session) -> None:
    """The lane repeats the selected span from its end on; again takes the cycle away."""
    lane = focus(session)
    if lane.cycle is not None:
        session.edit_lane("End the lane's cycle", replace(lane, cycle=None))
        return
    if session.span is None:
        raise ZolvekError(
            "Which stretch shall it repeat?", remedy="Select a span on the ruler first."
        )
    first, last = session.span
    session.edit_lane("Cycle the selected span", replace(lane, cycle=Cycle(first, last - first)))


def unroll(session: Session) -> None:
    """Cycle and slots written out as points."""
    lane = focus(session)
    session.edit_lane("Unroll the cycle to points", without_cycle(lane, session.project.length))


def toggle_lane(session: Session, label: str, switch: str) -> None:
    """Turn a switch of the focus lane over: "locked" or "tall"; locked ones too."""
    if session.lane is not None:
        change_lane(session, label, **{switch: not getattr(session.lane, switch)})


def arm(session: Session) -> None:
    """The focus lane among those that a pass writes, or no longer."""
    if session.focus is not None:
        session.arm(session.focus)


def set_reach(
    session: Session, low: float, high: float, keep_sound: bool, gesture: object = None
) -> None:
    lane = focus(session)
    text = session.parameter.text
    if session.aside:
        raise ZolvekError(
            "What is drawn on has no reach of its own.", remedy="Draw on the base again."
        )
    changed = lanes.with_reach(lane, low, high, keep_sound)
    session.edit_lane(f"Reach from {text(low)} to {text(high)}", changed, gesture)


def reach_from_scope(session: Session) -> None:
    """The reach is what the curve runs through in the scope, and it is heard as before."""
    lane = focus(session)
    first, last, _ = scope(session)
    set_reach(session, *lanes.reach_of(lane, first, last), True)


# --- lanes ---


def change_lane(session: Session, label: str, **changes: object) -> None:
    lane = session.lane
    if lane is not None:
        session.edit_lane(label, replace(lane, **changes))  # type: ignore[arg-type]


def hide(session: Session) -> None:
    """Hide the focus lane: it is applied, but not shown; the next one comes into focus."""
    lane = session.lane
    if lane is None:
        return
    session.edit_lane("Hide the lane", replace(lane, hidden=True))
    shown = [each.id for each in session.project.lanes() if not each.hidden]
    session.set_focus(shown[0] if shown else None)


def show_all(session: Session) -> None:
    project = session.project
    for lane in project.lanes():
        project = projects.with_lane(project, replace(lane, hidden=False))
    session.edit("Show all lanes", project)
    if session.focus is None:
        session.set_focus(next((lane.id for lane in project.lanes()), None))


def link_to(session: Session, other: str, factor: float) -> None:
    lane = focus(session)
    name = session.project.label_of(other)
    label = f"Link {name}" if factor else f"Unlink {name}"
    session.edit(label, lanes.linked(session.project, lane.id, other, factor))


def next_slot(session: Session) -> None:
    """From the next bar after the playhead on, the lane's next slot plays, its own curve after
    the last one: what a hand does while it plays."""
    lane, project = focus(session), session.project
    if not lane.slots:
        raise ZolvekError(
            "The lane has no slots.", remedy="Add patterns to it in the Patterns panel."
        )
    bar = project.meter.bar_beat(project.meter.bar_at(session.place) + 1)
    now = next((s.slot for s in reversed(lane.switches) if s.beat <= bar), -1)
    slot = now + 1 if now + 1 < len(lane.slots) else -1
    name = lane.slots[slot].name if slot >= 0 else "the lane's own curve"
    session.edit_lane(
        f"Play {name} from bar {project.meter.bar_at(bar)}", lanes.with_switch(lane, bar, slot)
    )


def next_colour(session: Session) -> None:
    lane = session.lane
    if lane is not None:
        change_lane(session, "Colour the lane", colour=(lane.colour + 1) % COLOURS)


def group_lanes(session: Session) -> None:
    session.edit("Group lanes by device", lanes.grouped(session.project))
