# SPDX-License-Identifier: GPL-3.0-or-later
"""Patterns: kept in the library, placed, and played as slots of a lane."""

from __future__ import annotations

from zolvek.core.curve import spans
from zolvek.core.curve.pattern import Pattern
from zolvek.core.edits import lanes
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.evaluation.lane_evaluation import filled
from zolvek.core.records import replace
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import scope, target, unlocked
from zolvek.studio.session.session import NONE_CHOSEN, Session


def picked(session: Session) -> Pattern:
    """The pattern picked in the library. Raises ZolvekError when there is none."""
    pattern = session.shelf.named(session.picked.pattern)
    if pattern is None:
        raise ZolvekError("No pattern is selected.", remedy="Select one in the Patterns panel.")
    return pattern


# --- the library ---


def save(studio: Studio) -> None:
    """The scope of what is drawn on, under a name that is asked for."""

    def use(name: str) -> None:
        save_as(studio, name)

    studio.ask.typed("Save as a pattern", "Name:", "", use)


def save_as(studio: Studio, name: str) -> None:
    """Ask for a name, and save the selection as a pattern."""
    session, shelf, name = studio.session, studio.session.shelf, name.strip()
    curve = target(session).curve
    first, last, _ = scope(session)
    pattern = Pattern(name, last - first, spans.piece(curve, first, last))
    there = shelf.named(name) is not None
    if there and not studio.ask.confirm(f"Replace the pattern “{name}”?", "The library has a pattern of that name."):
        return
    shelf.save(pattern)
    session.picked.pick_pattern(name)
    session.notices.did(f"Save the pattern {name}")


def rename(studio: Studio) -> None:
    """Ask for another name of the pattern."""
    session, pattern = studio.session, picked(studio.session)

    def use(typed_name: str) -> None:
        rename_to(session, typed_name)

    studio.ask.typed("Rename the pattern", "Name:", pattern.name, use)


def rename_to(session: Session, name: str) -> None:
    """Rename the pattern."""
    pattern, name = picked(session), " ".join(name.split())
    if name != pattern.name:
        session.shelf.rename(pattern.name, name)
        session.picked.pick_pattern(name)
        session.notices.did(f"Rename the pattern {pattern.name} to {name}")


def delete(session: Session) -> None:
    """Delete the pattern from the library."""
    pattern = picked(session)
    session.shelf.delete(pattern)
    session.notices.did(f"Delete the pattern {pattern.name}. The library's undo restores it")


def undo(session: Session) -> None:
    """The library's last change is taken back; the project's undo is another."""
    if session.shelf.steps:
        session.notices.did(f"Undone in the library: {session.shelf.undo()}")


def place(session: Session) -> None:
    """The pattern in the selected span, or once at the playhead."""
    pattern, curve = picked(session), target(session).curve
    here = session.playhead.beat
    first, last = session.span.beats or (here, here + pattern.length)
    put = filled(pattern, last - first)
    session.edit_curve(f"Place {pattern.name}", spans.splice(curve, first, put), NONE_CHOSEN)


# --- slots of the focus lane ---


def add_slot(session: Session) -> None:
    """Add the pattern to the lane's slots."""
    pattern, lane = picked(session), unlocked(session)
    label = f"Add {pattern.name} to the slots"
    session.edit_lane(label, replace(lane, slots=(*lane.slots, pattern)))


def change_slot(session: Session, slot: int, direction: int) -> None:
    """A slot further up (−1) or down (1), or (0) gone."""
    lane = unlocked(session)
    name = lane.slots[slot].name
    if direction:
        session.edit_lane(f"Move the slot {name}", lanes.moved_slot(lane, slot, direction))
    else:
        session.edit_lane(f"Remove the slot {name}", lanes.without_slot(lane, slot))


def play_slot_here(session: Session, slot: int) -> None:
    """The slot (−1: the lane's own curve) plays in the section at the playhead."""
    lane, project = unlocked(session), session.project
    first, last = project.section_at(session.playhead.beat)
    before = next((s.slot for s in reversed(lane.switches) if s.beat <= last), -1)
    changed = lanes.with_switch(lane, first, slot)
    if last < project.length and all(s.beat != last for s in changed.switches):
        changed = lanes.with_switch(changed, last, before)
    session.edit_lane("Change slot for this section", changed)
