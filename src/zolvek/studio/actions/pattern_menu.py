# SPDX-License-Identifier: GPL-3.0-or-later
"""The Patterns menu: the library, and the slots of the lane."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import lanes, patterns
from zolvek.studio.services.context import Studio


def _undo_label(studio: Studio) -> str:
    label = studio.session.shelf.undo_label
    return f"Undo library change: {label}" if label else "Undo library change"


ACTIONS: tuple[Action, ...] = (
    Action("pattern-save", "Save as pattern…", "", "Saves the selection to the library", patterns.save,
        refused=availability.lane),
    Action("pattern-place", "Place pattern", "", "Places it in the selected span, or once at the playhead",
        lambda s: patterns.place(s.session), refused=availability.pattern_and_lane),
    Action("pattern-rename", "Rename pattern…", "", "Renames it in the library", patterns.rename,
        refused=availability.pattern),
    Action("pattern-delete", "Delete pattern", "", "Deletes it from the library; the library's undo restores it",
        lambda s: patterns.delete(s.session), refused=availability.pattern),
    Action("pattern-undo", "Undo library change", "", "Undoes the library's last change",
        lambda s: patterns.undo(s.session), refused=availability.shelf_step, label=_undo_label),
    Action("slot-add", "Add pattern to slots", "", "Adds it to the slots of the focus lane",
        lambda s: patterns.add_slot(s.session), refused=availability.pattern_and_lane, apart=True),
    Action("slot-here", "Play slot from this bar…", "", "Starts at the playhead's bar; drag its mark on the ruler",
        lanes.switch_at_playhead, refused=availability.slots),
    Action("switch-remove", "Remove slot change", "", "Removes the last one before the playhead",
        lambda s: lanes.remove_switch(s.session), refused=availability.switch),
    Action("next-slot", "Next slot at next bar", "N", "Changes to the lane's next pattern while it plays",
        lambda s: lanes.next_slot(s.session), refused=availability.slots),
)  # fmt: skip
