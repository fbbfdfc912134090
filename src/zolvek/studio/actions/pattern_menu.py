"""The Patterns menu: the library, and the slots of the lane."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import lanes, patterns
from zolvek.studio.services.context import Studio


def _undo_label(studio: Studio) -> str:
    label = studio.session.shelf.undo_label
    return f"Undo in the library: {label}" if label else "Undo in the library"


ACTIONS: tuple[Action, ...] = (
    Action("pattern-save", "Save as a pattern…", "", "What is selected of the lane, kept in the library", patterns.save, refused=availability.lane),
    Action("pattern-place", "Place the pattern", "", "In the selected span, or once at the playhead", lambda s: patterns.place(s.session), refused=availability.pattern_and_lane),
    Action("pattern-rename", "Rename the pattern…", "", "In the library", patterns.rename, refused=availability.pattern),
    Action("pattern-delete", "Delete the pattern", "", "From the library, whose undo brings it back", lambda s: patterns.delete(s.session), refused=availability.pattern),
    Action("pattern-undo", "Undo in the library", "", "Take back the library's last change", lambda s: patterns.undo(s.session), refused=availability.shelf_step, label=_undo_label),
    Action("slot-add", "Add the pattern to the slots", "", "Of the focus lane", lambda s: patterns.add_slot(s.session), refused=availability.pattern_and_lane, apart=True),
    Action("slot-here", "Play a slot from this bar on…", "", "From the playhead's bar; its mark on the ruler is dragged", lanes.switch_at_playhead, refused=availability.slots),
    Action("switch-remove", "Remove the switch here", "", "The last one before the playhead; what played before goes on", lambda s: lanes.remove_switch(s.session), refused=availability.switch),
    Action("next-slot", "Next slot from the next bar", "N", "The lane's next pattern, while it plays", lambda s: lanes.next_slot(s.session), refused=availability.slots),
)  # fmt: skip
