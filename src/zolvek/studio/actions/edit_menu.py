"""The Edit menu: points, shapes and spans of what is drawn on, and the grid."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.core.curve.shapes import SHAPES
from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action, Test
from zolvek.studio.commands import copying, display, points
from zolvek.studio.services.context import Studio
from zolvek.studio.session.tools import TOOLS


def _undo_label(studio: Studio) -> str:
    label = studio.session.document.history.undo_label
    return f"Undo: {label}" if label else "Undo"


def _redo_label(studio: Studio) -> str:
    label = studio.session.document.history.redo_label
    return f"Redo: {label}" if label else "Redo"


def _type_value(studio: Studio) -> None:
    studio.show.panel("step-draw")
    studio.show.field("Value")


def _add_here(studio: Studio) -> None:
    spot = studio.show.spot()
    if spot is not None:
        points.add_at(studio.session, *spot)


def _shape(key: str) -> Callable[[Studio], None]:
    return lambda studio: points.set_shape(studio.session, key)


def _tool(key: str) -> Callable[[Studio], None]:
    return lambda studio: studio.session.tools.choose(key)


def _has_tool(key: str) -> Test:
    return lambda studio: studio.session.tools.tool == key


ACTIONS: tuple[Action, ...] = (
    Action("undo", "Undo", "Ctrl+Z", "Take back the last step", lambda s: s.session.undo(), "undo",
           availability.undo, label=_undo_label),
    Action("redo", "Redo", "Ctrl+Shift+Z", "Do the step again", lambda s: s.session.redo(), "redo",
           availability.redo, label=_redo_label),
    Action("select-all", "Select all points", "Ctrl+A", "All points of the focus lane", lambda s: points.select_all(s.session), refused=availability.lane, apart=True),
    Action("deselect", "Select nothing", "Esc", "Let the selection go, or give up a drag", lambda s: s.show.give_up(), on_lane=True),
    Action("next-point", "Next point", "Alt+Right", "Select the point after the selection, or the playhead", lambda s: points.step(s.session, 1), refused=availability.lane, on_lane=True),
    Action("previous-point", "Previous point", "Alt+Left", "Select the point before the selection, or the playhead", lambda s: points.step(s.session, -1), refused=availability.lane, on_lane=True),
    Action("extend-right", "Next point too", "Alt+Shift+Right", "It joins the selection", lambda s: points.step(s.session, 1, True), refused=availability.lane, on_lane=True),
    Action("extend-left", "Previous point too", "Alt+Shift+Left", "It joins the selection", lambda s: points.step(s.session, -1, True), refused=availability.lane, on_lane=True),
    Action("select-nth", "Select every nth point…", "", "Of the points worked on", points.select_nth, refused=availability.lane),
    Action("select-band", "Select points by value…", "", "Those between two values, in the selected span", points.select_band, refused=availability.lane),
    Action("span-here", "Begin or end a span at the playhead", "U", "The first time it begins there, the second time it is selected", lambda s: display.span_here(s.session)),
    Action("span-away", "Select no span", "Shift+U", "Let the span on the ruler go", lambda s: s.session.span.choose(None), refused=availability.any_span),
    Action("add-point", "Add a point at the playhead", "Ins", "On the curve, which stays as it is", lambda s: points.add_at_playhead(s.session), refused=availability.open_lane, on_lane=True, apart=True),
    Action("add-point-here", "Add a point here", "", "Where the menu was opened", _add_here, refused=availability.open_lane),
    Action("delete", "Delete points", "Del", "Delete the selected points", lambda s: points.delete(s.session), refused=availability.points, on_lane=True),
    Action("type-value", "Type a value", "Return", "Type an exact value for the selected points", _type_value, refused=availability.points, on_lane=True),
    *(
        Action(f"shape-{shape.key}", f"Shape: {shape.label}", str(place + 1),
               f"Give the selected segments the shape {shape.label}",
               _shape(shape.key), refused=availability.open_lane, apart=place == 0)
        for place, shape in enumerate(SHAPES)
    ),
    *(
        Action(f"tool-{key}", f"Tool: {text}", f"Shift+{place + 1}", tip,
               _tool(key), checked=_has_tool(key), apart=place == 0)
        for place, (key, text, tip) in enumerate(TOOLS)
    ),
    Action("cut", "Cut", "Ctrl+X", "The span on the clipboard, a straight way left behind", lambda s: copying.cut(s.session), refused=availability.open_lane, on_lane=True, apart=True),
    Action("copy", "Copy", "Ctrl+C", "The span on the clipboard, as a table of points", lambda s: copying.copy(s.session), refused=availability.lane, on_lane=True),
    Action("copy-all", "Copy all shown lanes", "Ctrl+Shift+C", "The span of every shown lane, aligned", lambda s: copying.copy(s.session, True), refused=availability.lane),
    Action("paste", "Paste at the playhead", "Ctrl+V", "Into this lane, in its own reach", lambda s: copying.paste(s.session), refused=availability.open_lane, on_lane=True),
    Action("paste-scaled", "Paste into the span", "Ctrl+Shift+V", "Scaled in time to the selected span", lambda s: copying.paste(s.session, True), refused=availability.span),
    Action("duplicate", "Duplicate", "Ctrl+D", "Once more right after itself", lambda s: copying.duplicate(s.session), refused=availability.open_lane),
    Action("repeat", "Repeat to the section's end", "Ctrl+R", "Again and again up to the next section", lambda s: copying.repeat_to_section_end(s.session), refused=availability.open_lane),
    Action("twice-as-fast", "Twice as fast", "T", "The span's movement in half the time, twice", lambda s: copying.at_speed(s.session, 2.0), refused=availability.open_lane),
    Action("half-as-fast", "Half as fast", "Shift+T", "The first half of the span's movement over all of it", lambda s: copying.at_speed(s.session, 0.5), refused=availability.open_lane),
    Action("repeat-growing", "Repeat with a change…", "", "Up to a bar, each repeat scaled and tilted", copying.repeat_growing, refused=availability.open_lane),
    Action("quantise", "Quantise", "Q", "Pull points to the grid", lambda s: points.quantise(s.session), refused=availability.open_lane, apart=True),
    Action("quantise-half", "Quantise half way", "Shift+Q", "Pull points half way to the grid", lambda s: points.quantise(s.session, 0.5), refused=availability.open_lane),
    Action("jump", "Make or close a jump", "J", "Two values on one beat, at the last selected point", lambda s: points.toggle_jump(s.session), refused=availability.points),
    Action("pin", "Pin points", "P", "They stay when the lane is thinned; again frees them", lambda s: points.pin(s.session), refused=availability.points),
    Action("nudge-left", "Nudge earlier", "Left", "By a grid step", lambda s: points.nudge_time(s.session, -1, False), refused=availability.points, on_lane=True, apart=True),
    Action("nudge-right", "Nudge later", "Right", "By a grid step", lambda s: points.nudge_time(s.session, 1, False), refused=availability.points, on_lane=True),
    Action("nudge-left-fine", "Nudge a little earlier", "Shift+Left", "By ten ticks", lambda s: points.nudge_time(s.session, -1, True), refused=availability.points, on_lane=True),
    Action("nudge-right-fine", "Nudge a little later", "Shift+Right", "By ten ticks", lambda s: points.nudge_time(s.session, 1, True), refused=availability.points, on_lane=True),
    Action("nudge-up", "Nudge up", "Up", "By a semitone, 1 dB or 1 %", lambda s: points.nudge_value(s.session, 1.0), refused=availability.points, on_lane=True),
    Action("nudge-down", "Nudge down", "Down", "By a semitone, 1 dB or 1 %", lambda s: points.nudge_value(s.session, -1.0), refused=availability.points, on_lane=True),
    Action("nudge-up-fine", "Nudge up a little", "Shift+Up", "By a tenth of that", lambda s: points.nudge_value(s.session, 0.1), refused=availability.points, on_lane=True),
    Action("nudge-down-fine", "Nudge down a little", "Shift+Down", "By a tenth of that", lambda s: points.nudge_value(s.session, -0.1), refused=availability.points, on_lane=True),
    Action("thin-points", "Thin points", "", "Fewer of the points worked on, within the tolerance of passes", lambda s: points.thin(s.session), refused=availability.open_lane),
    Action("average-points", "Average points", "", "The points worked on at the mean of their values", lambda s: points.average(s.session), refused=availability.open_lane),
    Action("from-dial", "Take the value from the dial", "D", "For the selected points, or all", lambda s: points.take_from_dial(s.session), refused=availability.open_lane),
    Action("to-dial", "Send the value to the dial", "Shift+D", "Of the selected point, or at the playhead", lambda s: points.send_to_dial(s.session), refused=availability.lane),
    Action("reset", "Reset to the saved curve", "", "The lane as it was when opened or last saved", lambda s: points.reset(s.session), refused=availability.open_lane),
    Action("snap", "Snap to the grid", "G", "Let moves land on the grid", lambda s: display.toggle_snap(s.session),
           checked=lambda s: s.session.tools.grid.on, apart=True),
    Action("keep-distance", "Moves keep their distance from the grid", "Ctrl+Shift+G", "By whole steps of the grid: what lies off it stays off it", lambda s: display.toggle_distance(s.session),
           checked=lambda s: s.session.settings.keep_distance),
    Action("kind", "Next kind of grid", "Shift+G", "Straight, dotted, triplet, whole bars", lambda s: display.next_grid_kind(s.session)),
    Action("finer", "Finer grid", ".", "Halve the grid", lambda s: display.grid_step(s.session, 1)),
    Action("coarser", "Coarser grid", ",", "Double the grid", lambda s: display.grid_step(s.session, -1)),
)  # fmt: skip
