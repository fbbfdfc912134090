# SPDX-License-Identifier: GPL-3.0-or-later
"""The Edit menu: points, shapes and spans of what is drawn on, and the grid."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.core.curve.shapes import SHAPES
from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action, Test, grouped
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


_ROWS: tuple[Action, ...] = (
    Action("undo", "Undo", "Ctrl+Z", "Undoes the last step", lambda s: s.session.undo(), "undo",
           availability.undo, label=_undo_label),
    Action("redo", "Redo", "Ctrl+Shift+Z", "Redoes the last undone step", lambda s: s.session.redo(), "redo",
           availability.redo, label=_redo_label),
    Action("history", "Undo history…", "", "Goes back or forward to any step", display.choose_step,
        refused=availability.history),
    Action("select-all", "Select all points", "Ctrl+A", "Selects all points of the focus lane",
        lambda s: points.select_all(s.session), refused=availability.lane, apart=True),
    Action("deselect", "Deselect all", "Esc", "Clears the selection, or cancels a drag", lambda s: s.show.escape(),
        on_lane=True),
    Action("next-point", "Next point", "Alt+Right", "Selects the point after the selection or the playhead",
        lambda s: points.step(s.session, 1), refused=availability.lane),
    Action("previous-point", "Previous point", "Alt+Left", "Selects the point before the selection or the playhead",
        lambda s: points.step(s.session, -1), refused=availability.lane),
    Action("extend-right", "Extend to next point", "Alt+Shift+Right", "Adds it to the selection",
        lambda s: points.step(s.session, 1, True), refused=availability.lane),
    Action("extend-left", "Extend to previous point", "Alt+Shift+Left", "Adds it to the selection",
        lambda s: points.step(s.session, -1, True), refused=availability.lane),
    Action("select-nth", "Select every nth point…", "", "Selects every nth of the points in scope", points.select_nth,
        refused=availability.lane),
    Action("select-band", "Select points by value…", "", "Selects points between two values, in the selected span",
        points.select_band, refused=availability.lane),
    Action("span-here", "Mark span at playhead", "U", "Sets the start of a span, then its end",
        lambda s: display.span_here(s.session)),
    Action("span-away", "Clear span", "Shift+U", "Clears the span on the ruler", lambda s: s.session.span.choose(None),
        refused=availability.any_span),
    Action("add-point", "Add point at playhead", "Ins", "Adds a point without changing the curve",
        lambda s: points.add_at_playhead(s.session), refused=availability.open_lane, on_lane=True, apart=True),
    Action("add-point-here", "Add point here", "", "Adds a point where the menu was opened", _add_here,
        refused=availability.open_lane),
    Action("delete", "Delete points", "Del", "Deletes the selected points", lambda s: points.delete(s.session),
        refused=availability.points, on_lane=True),
    Action("points-table", "Table of points", "Ctrl+J", "Edits exact values of points in a table",
        lambda s: s.show.page("step-draw", "Table"), refused=availability.lane),
    Action("type-value", "Type value", "Return", "Sets an exact value for the selected points", _type_value,
        refused=availability.points, on_lane=True),
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
    Action("cut", "Cut", "Ctrl+X", "Moves the span to the clipboard and leaves a straight line",
        lambda s: copying.cut(s.session), refused=availability.open_lane, on_lane=True, apart=True),
    Action("copy", "Copy", "Ctrl+C", "Copies the span to the clipboard, as a table of points",
        lambda s: copying.copy(s.session), refused=availability.lane, on_lane=True),
    Action("copy-all", "Copy all shown lanes", "Ctrl+Shift+C", "Copies the span of every shown lane, aligned",
        lambda s: copying.copy(s.session, True), refused=availability.lane),
    Action("paste", "Paste at playhead", "Ctrl+V", "Pastes into this lane, in its own reach",
        lambda s: copying.paste(s.session), refused=availability.open_lane, on_lane=True),
    Action("paste-scaled", "Paste into span", "Ctrl+Shift+V", "Pastes, scaled in time to the selected span",
        lambda s: copying.paste(s.session, True), refused=availability.span),
    Action("duplicate", "Duplicate", "Ctrl+D", "Repeats the span once, right after itself",
        lambda s: copying.duplicate(s.session), refused=availability.open_lane),
    Action("repeat", "Repeat to section end", "Ctrl+R", "Repeats the span up to the next section",
        lambda s: copying.repeat_to_section_end(s.session), refused=availability.open_lane),
    Action("repeat-times", "Repeat several times…", "Ctrl+Shift+R", "Repeats the span until there are so many in all",
        copying.repeat_times, refused=availability.open_lane),
    Action("twice-as-fast", "Twice as fast", "T", "Plays the span's movement twice, in half the time",
        lambda s: copying.at_speed(s.session, 2.0), refused=availability.open_lane),
    Action("half-as-fast", "Half as fast", "Shift+T", "Stretches the first half of the span over all of it",
        lambda s: copying.at_speed(s.session, 0.5), refused=availability.open_lane),
    Action("repeat-growing", "Repeat with change…", "", "Repeats up to a bar, each time scaled and raised",
        copying.repeat_growing, refused=availability.open_lane),
    Action("quantise", "Quantise", "Q", "Moves points onto the grid", lambda s: points.quantise(s.session),
        refused=availability.open_lane, apart=True),
    Action("quantise-half", "Quantise by half", "Shift+Q", "Moves points half way to the grid",
        lambda s: points.quantise(s.session, 0.5), refused=availability.open_lane),
    Action("jump", "Make or close jump", "J", "Makes two values on one beat, at the last selected point",
        lambda s: points.toggle_jump(s.session), refused=availability.points),
    Action("pin", "Pin points", "P", "Protects points from thinning, or frees them", lambda s: points.pin(s.session),
        refused=availability.points),
    Action("nudge-left", "Nudge earlier", "Left", "Moves by one grid step", lambda s: points.nudge_time(s.session, -1,
        False), refused=availability.points, on_lane=True, apart=True),
    Action("nudge-right", "Nudge later", "Right", "Moves by one grid step", lambda s: points.nudge_time(s.session, 1,
        False), refused=availability.points, on_lane=True),
    Action("nudge-left-fine", "Nudge slightly earlier", "Shift+Left", "Moves by ten ticks",
        lambda s: points.nudge_time(s.session, -1, True), refused=availability.points, on_lane=True),
    Action("nudge-right-fine", "Nudge slightly later", "Shift+Right", "Moves by ten ticks",
        lambda s: points.nudge_time(s.session, 1, True), refused=availability.points, on_lane=True),
    Action("nudge-up", "Nudge up", "Up", "Changes by a semitone, 1 dB or 1 %", lambda s: points.nudge_value(s.session,
        1.0), refused=availability.points, on_lane=True),
    Action("nudge-down", "Nudge down", "Down", "Changes by a semitone, 1 dB or 1 %",
        lambda s: points.nudge_value(s.session, -1.0), refused=availability.points, on_lane=True),
    Action("nudge-up-fine", "Nudge slightly up", "Shift+Up", "Changes by a tenth of a semitone, 0.1 dB or 0.1 %",
        lambda s: points.nudge_value(s.session, 0.1), refused=availability.points, on_lane=True),
    Action("nudge-down-fine", "Nudge slightly down", "Shift+Down", "Changes by a tenth of a semitone, 0.1 dB or 0.1 %",
        lambda s: points.nudge_value(s.session, -0.1), refused=availability.points, on_lane=True),
    Action("thin-points", "Thin points", "", "Thins the points in scope, within the tolerance of passes",
        lambda s: points.thin(s.session), refused=availability.open_lane),
    Action("average-points", "Average points", "", "Sets the points in scope to the mean of their values",
        lambda s: points.average(s.session), refused=availability.open_lane),
    Action("from-dial", "Take value from dial", "D", "Sets the selected points, or all, to the dial's value",
        lambda s: points.take_from_dial(s.session), refused=availability.open_lane),
    Action("to-dial", "Send value to dial", "Shift+D", "Sets the dial to the value of the selected point, or at the "
                                                       "playhead", lambda s: points.send_to_dial(s.session),
                                                           refused=availability.lane),
    Action("reset", "Revert to saved curve", "", "Restores the lane as it was when opened or last saved",
        lambda s: points.reset(s.session), refused=availability.open_lane),
    Action("snap", "Snap to grid", "G", "Moves land on the grid", lambda s: display.toggle_snap(s.session),
           checked=lambda s: s.session.tools.grid.on, apart=True),
    Action("keep-distance", "Relative snap", "Ctrl+Shift+G", "Moves by whole grid steps; what is off the grid stays "
                                                             "off it", lambda s: display.toggle_distance(s.session),
           checked=lambda s: s.session.settings.editing.relative_snap),
    Action("kind", "Next grid type", "Shift+G", "Straight, dotted, triplet, whole bars",
        lambda s: display.next_grid_kind(s.session)),
    Action("finer", "Finer grid", ".", "Halves the grid", lambda s: display.grid_step(s.session, 1)),
    Action("coarser", "Coarser grid", ",", "Doubles the grid", lambda s: display.grid_step(s.session, -1)),
)  # fmt: skip
# Submenus, by id or by the beginning of one.
GROUPS = {
    "Select": (
        "select-all",
        "deselect",
        "next-point",
        "previous-point",
        "extend-",
        "select-",
        "span-here",
        "span-away",
    ),
    "Shape": ("shape-",),
    "Tool": ("tool-",),
    "Clipboard": ("cut", "copy", "copy-all", "paste", "paste-scaled"),
    "Repeat": ("duplicate", "repeat", "repeat-times", "repeat-growing", "twice-as-fast", "half-as-fast"),
    "Nudge": ("nudge-",),
    "Points": (
        "jump",
        "pin",
        "quantise",
        "quantise-half",
        "thin-points",
        "average-points",
        "from-dial",
        "to-dial",
        "reset",
    ),
    "Grid": ("snap", "keep-distance", "kind", "finer", "coarser"),
}  # fmt: skip
ACTIONS = grouped(_ROWS, GROUPS)
