# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands on whole lanes: slot changes, loop, reach, order, name, removal."""

from __future__ import annotations

from zolvek.core.edits import lanes, replacement
from zolvek.core.edits.edit_scope import bars_text, counted
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.evaluation.lane_evaluation import without_cycle
from zolvek.core.records import replace
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import base_only, scope, unlocked
from zolvek.studio.session.session import Session

COLOURS = replacement.LANE_COLOURS


def change(session: Session, label: str, **changes: object) -> None:
    """Fields of the focus lane, locked ones too."""
    if session.lane is not None:
        session.edit_lane(label, replace(session.lane, **changes))


def toggle(session: Session, label: str, switch: str) -> None:
    """Turn a switch of the focus lane over: "locked" or "tall"; locked ones too."""
    if session.lane is not None:
        change(session, label, **{switch: not getattr(session.lane, switch)})


def toggle_bypass(session: Session) -> None:
    """Bypass the lane, or apply it."""
    lane = unlocked(session)
    label = "Apply the lane" if lane.bypassed else "Bypass the lane"
    change(session, label, bypassed=not lane.bypassed)


def toggle_relative(session: Session) -> None:
    """Drawn around where the control stands, so that the movement goes along with it; or absolute again.
    Either way it is heard as before."""
    lane = unlocked(session)
    work, words = (lanes.made_absolute, "absolute") if lane.relative else (lanes.made_relative, "relative")
    session.document.edit(f"Make the lane {words}", work(session.project, lane.id))


def neighbour(session: Session, direction: int) -> None:
    """Work on the lane above or below, among those that are shown."""
    ids = [lane.id for lane in session.project.lanes() if not lane.hidden]
    if session.focus.id in ids:
        session.focus.on(ids[(ids.index(session.focus.id) + direction) % len(ids)])


def arm(session: Session) -> None:
    """The focus lane among those that a pass writes, or no longer. One that is hidden is shown, with its
    device's dials, so that it can be played."""
    lane = session.lane
    if lane is None:
        return
    if lane.id not in session.passes.armed:
        if lane.locked:
            raise ZolvekError("The lane is locked.", remedy="Unlock it first (K).")
        if lane.hidden:
            change(session, f"Show {session.project.label_of(lane.id)}", hidden=False)
        session.shown.show(lane.device)
    session.passes.arm(lane.id)


# --- own loop, slots and reach ---


def set_loop(session: Session) -> None:
    """The lane repeats the selected span from its end on: its own loop, whatever the track does. With
    another span selected the loop is that one; again, it ends."""
    lane, span = unlocked(session), session.span.beats
    here = lane.cycle
    if here is not None and span in (None, (here.beat, here.beat + here.length)):
        session.edit_lane("End lane loop", replace(lane, cycle=None))
        return
    if span is None:
        raise ZolvekError("No span is selected.", remedy="Select a span on the ruler first.")
    bars = bars_text(*span, session.project.meter)
    session.edit_lane(f"Lane loop: {bars}", lanes.with_loop(lane, *span))


def type_loop(studio: Studio) -> None:
    """Ask for both ends of the lane's own loop."""
    session = studio.session
    lane, text = unlocked(session), session.project.meter.text
    span = session.span.beats or (0.0, session.project.length)
    if lane.cycle is not None:
        span = lane.cycle.beat, lane.cycle.beat + lane.cycle.length

    def use(typed: str) -> None:
        ends = [session.position_of(part) for part in typed.split(" to ")]
        if len(ends) != 2 or ends[1] - ends[0] < lanes.LEAST_LOOP:
            raise ZolvekError(f"“{typed}” is not a range.", remedy="Type two positions, such as 17 to 21.")
        label = f"Lane loop: {bars_text(ends[0], ends[1], session.project.meter)}"
        session.edit_lane(label, lanes.with_loop(lane, ends[0], ends[1]))

    studio.ask.typed("Lane loop", "From … to …:", f"{text(span[0])} to {text(span[1])}", use)


def switch_at_playhead(studio: Studio) -> None:
    """Ask for a slot that plays from the playhead's bar on."""
    session = studio.session
    lane, meter = unlocked(session), session.project.meter
    names = ["The lane's curve", *(f"{n + 1}: {s.name}" for n, s in enumerate(lane.slots))]
    chosen = studio.ask.choose("Slot change", "Play:", names)
    if chosen is not None:
        bar = meter.bar_beat(meter.bar_at(session.playhead.beat))
        new_lane = lanes.with_switch(lane, bar, names.index(chosen) - 1)
        session.edit_lane(f"Play {chosen} from bar {meter.bar_at(bar)}", new_lane)


def unroll(session: Session) -> None:
    """Own loop and slots written out as points."""
    lane = unlocked(session)
    session.edit_lane("Flatten loop and slots", without_cycle(lane, session.project.length))


def next_slot(session: Session) -> None:
    """From the next bar after the playhead on, the lane's next slot plays, its own curve after
    the last one: what a hand does while it plays."""
    lane, meter = unlocked(session), session.project.meter
    if not lane.slots:
        raise ZolvekError("The lane has no slots.", remedy="Add patterns to it in the Patterns panel.")
    bar = meter.bar_beat(meter.bar_at(session.playhead.beat) + 1)
    now = next((s.slot for s in reversed(lane.switches) if s.beat <= bar), -1)
    slot = now + 1 if now + 1 < len(lane.slots) else -1
    name = lane.slots[slot].name if slot >= 0 else "the lane's curve"
    label = f"Play {name} from bar {meter.bar_at(bar)}"
    session.edit_lane(label, lanes.with_switch(lane, bar, slot))


def remove_switch(session: Session) -> None:
    """The last switch at or before the playhead goes; what played before it goes on."""
    lane, here = unlocked(session), session.playhead.beat
    before = [switch.beat for switch in lane.switches if switch.beat <= here + 1e-9]
    if before:
        where = session.project.meter.text(before[-1])
        session.edit_lane(f"Remove slot change at {where}", lanes.without_switch(lane, before[-1]))


def set_reach(session: Session, low: float, high: float, keep_sound: bool, gesture: object = None) -> None:
    """Give the lane another reach."""
    lane = base_only(session, "reach")
    text = session.project.parameter_of(lane.id).text
    changed = lanes.with_reach(lane, low, high, keep_sound)
    session.edit_lane(f"Reach from {text(low)} to {text(high)}", changed, gesture)


def reach_from_scope(session: Session) -> None:
    """The reach is what the curve runs through in the scope, and it is heard as before."""
    lane = base_only(session, "reach")
    first, last, _ = scope(session)
    set_reach(session, *lanes.reach_of(lane, first, last), True)


def type_reach(studio: Studio) -> None:
    """Ask for both ends of the reach in the parameter's unit, and what the curve keeps."""
    from zolvek.studio.toolkit.dialogs import ReachDialog

    session = studio.session
    lane = base_only(session, "reach")
    parameter = session.project.parameter_of(lane.id)
    dialog = studio.ask.filled(lambda over: ReachDialog(parameter, lane, over))
    if dialog is not None:
        set_reach(session, *dialog.ends(), dialog.keeps_sound)


# --- what is shown, in which order, under which name ---


def hide(session: Session) -> None:
    """Hide the focus lane: it is applied, but not shown; the one next to it comes into focus."""
    if session.lane is not None:
        change(session, f"Hide {session.project.label_of(session.lane.id)}", hidden=True)


def show_all(session: Session) -> None:
    """Show all hidden lanes."""
    project = session.project
    for lane in project.lanes():
        project = replacement.with_lane(project, replace(lane, hidden=False))
    session.document.edit("Show all lanes", project)
    if session.focus.id is None:
        session.focus.on(next((lane.id for lane in project.lanes()), None))


def next_colour(session: Session) -> None:
    """Give the lane the next colour."""
    if session.lane is not None:
        change(session, "Colour the lane", colour=(session.lane.colour + 1) % COLOURS)


def group(session: Session) -> None:
    """Sort lanes by device."""
    session.document.edit("Group lanes by device", lanes.grouped(session.project))


def move(session: Session, by: int) -> None:
    """Move the lane among its track's lanes."""
    if session.focus.id:
        session.document.edit("Move the lane", lanes.moved(session.project, session.focus.id, by))


def name(studio: Studio) -> None:
    """Ask for the lane's name."""
    lane = studio.session.lane
    if lane:
        typed = studio.ask.text("Rename lane", "Name:", lane.name)
        if typed is not None:
            change(studio.session, "Rename lane", name=typed.strip())


def retarget(session: Session) -> None:
    """The focus lane drives the control touched last."""
    if session.focus.id and session.shown.control:
        project = lanes.retarget(session.project, session.focus.id, *session.shown.control)
        session.document.edit("Move curve to another control", project)


# --- other lanes with it ---


def other_lane(studio: Studio, title: str) -> str | None:
    """Ask for another lane than the focus."""
    session = studio.session
    others = {
        session.project.label_of(lane.id): lane.id for lane in session.project.lanes() if lane.id != session.focus.id
    }
    if not others:
        raise ZolvekError("There is no other lane.", remedy="Add one first.")
    label = studio.ask.choose(title, "Lane:", list(others))
    return others[label] if label is not None else None


def show_behind(studio: Studio) -> None:
    """Show another lane behind the focus; again takes it away."""
    preview = studio.session.preview
    preview.show_behind(None if preview.behind else other_lane(studio, "Show lane behind"))


def link(studio: Studio) -> None:
    """Ask for another lane that should follow this one, and how far."""
    other = other_lane(studio, "Link lane")
    if other:
        typed = "Factor (negative: opposite direction; 0 removes the link):"
        factor = studio.ask.number("Link lane", typed, 1.0, -10, 10, 2)
        if factor is not None:
            link_to(studio.session, other, factor)


def link_to(session: Session, other: str, factor: float) -> None:
    """Link the lane to another by a factor; 0 removes the link."""
    lane = unlocked(session)
    label = session.project.label_of(other)
    project = lanes.linked(session.project, lane.id, other, factor)
    session.document.edit(f"Link {label}" if factor else f"Unlink {label}", project)


# --- bypassing and removing many ---


def bypass_many(session: Session, everywhere: bool) -> None:
    """Bypass a track's lanes, or all. When they all are, those are applied again that were before;
    all of them where that is not known. Locked lanes stay as they are."""
    if session.focus.id is None:
        return
    track = session.project.track_of(session.focus.id)
    which = list(session.project.lanes()) if everywhere else list(track.lanes)
    where = "all lanes" if everywhere else f"the lanes of {track.name}"
    known, scope = session.audition.bypassed_before, None if everywhere else track.id
    free = [lane for lane in which if not lane.locked]
    if not free:
        raise ZolvekError("All of these lanes are locked.", where, "Unlock at least one.")
    if all(lane.bypassed for lane in free):
        staying = known.pop(scope, frozenset())
        if all(lane.id in staying for lane in free):
            staying = frozenset()
        changed, label = {lane.id: lane.id in staying for lane in free}, f"Apply {where} again"
    else:
        known[scope] = frozenset(lane.id for lane in free if lane.bypassed)
        changed, label = {lane.id: True for lane in free}, f"Bypass {where}"
    left = len(which) - len(free)
    label += f"; {counted(left, 'locked lane')} unchanged" if left else ""
    session.document.edit(label, lanes.bypassed(session.project, changed))


def clear(session: Session) -> None:
    """Make the lane flat."""
    lane = unlocked(session)
    session.document.edit("Clear lane", lanes.cleared(session.project, lane.id))
    kept = lanes.beside_the_curve(session.project.lane(lane.id))
    stays = f" Kept: {', '.join(kept)}." if kept else ""
    session.notices.say(f"The lane is flat at the control's current value.{stays}")


def remove(session: Session) -> None:
    """Remove the lane."""
    lane = unlocked(session)
    label = session.project.label_of(lane.id)
    project = replacement.remove_lane(session.project, lane.id)
    session.document.edit(f"Remove lane of {label}", project)
    session.notices.say(f"{label} is back at the control's own value.")


def remove_many(studio: Studio, device_only: bool) -> None:
    """Remove a track's lanes, or a device's, once the person has seen how many; locked ones stay."""
    session, lane = studio.session, studio.session.lane
    if lane is None:
        return
    track = session.project.track_of(lane.id)
    all_ = [x for x in track.lanes if not device_only or x.device == lane.device]
    gone = [x for x in all_ if not x.locked]
    owner = track.device(lane.device).name if device_only else track.name
    if not gone:
        raise ZolvekError("All of these lanes are locked.", owner, "Unlock at least one.")
    names = ", ".join(session.project.parameter_of(x.id).name for x in gone)
    left = f" {counted(len(all_) - len(gone), 'locked lane')} remain." if len(gone) < len(all_) else ""
    title = f"Remove {counted(len(gone), 'lane')} of {owner}"
    if studio.ask.confirm(f"{title}?", f"{names}.{left} You can undo this."):
        project = session.project
        for item in gone:
            project = replacement.remove_lane(project, item.id)
        session.document.edit(title, project)
