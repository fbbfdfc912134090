"""Every action of the window, declared once: menus, tool strips, context menus, the command
finder and docs/shortcuts.md are all made from this table."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from itertools import groupby
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from zolvek.core.curve.shapes import SHAPES
from zolvek.core.time.grid import BARS, DIVISIONS, KINDS
from zolvek.studio import commands
from zolvek.studio.lanes.gestures import TOOLS

if TYPE_CHECKING:
    from zolvek.studio.window import Window

Test = Callable[["Window"], bool]


def always(window: Window) -> bool:
    return True


def has_lane(window: Window) -> bool:
    return window.session.lane is not None


def has_points(window: Window) -> bool:
    return has_lane(window) and window.session.chosen.size > 0


def has_span(window: Window) -> bool:
    return has_lane(window) and window.session.span is not None


class Action(NamedTuple):
    """`menu` is where it stands; `icon` names a symbol; `checked` makes it a switch."""

    id: str
    menu: str
    text: str
    keys: str
    tip: str
    run: Callable[[Window], object]
    icon: str = ""
    enabled: Test = always
    checked: Test | None = None
    label: Callable[[Window], str] | None = None  # a text that changes
    on_lane: bool = False  # its keys count on the focus lane only, for fields want them too


def has_device(window: Window) -> bool:
    return window.session.device is not None


MENUS = ("File", "Edit", "Lane", "Device", "Play", "View", "Help")


def _undo_label(window: Window) -> str:
    label = window.session.history.undo_label
    return f"Undo: {label}" if label else "Undo"


def _redo_label(window: Window) -> str:
    label = window.session.history.redo_label
    return f"Redo: {label}" if label else "Redo"


def _select_all(window: Window) -> None:
    lane = window.session.lane
    if lane:
        window.session.choose(np.arange(len(lane.curve)))


def _grid_step(way: int) -> Callable[[Window], None]:
    """The next finer or coarser grid of the same kind."""

    def run(window: Window) -> None:
        grid = window.session.grid
        values = BARS[::-1] if grid.kind == "bars" else DIVISIONS
        place = values.index(grid.division) + way
        if 0 <= place < len(values):
            window.session.set_grid(division=values[place])

    return run


def _next_kind(window: Window) -> None:
    """The next kind of grid, its value kept where that kind has it."""
    kinds = list(KINDS)
    kind = kinds[(kinds.index(window.session.grid.kind) + 1) % len(kinds)]
    division = window.session.grid.division
    if (kind == "bars") != (window.session.grid.kind == "bars"):
        division = 1 if kind == "bars" else 16
    window.session.set_grid(kind=kind, division=division)


def _toggle_bypass(window: Window) -> None:
    lane = window.session.lane
    if lane:
        label = "Apply the lane" if lane.bypassed else "Bypass the lane"
        window.session.edit_lane(label, replace(lane, bypassed=not lane.bypassed))


def _neighbour(way: int) -> Callable[[Window], None]:
    def run(window: Window) -> None:
        ids = [lane.id for lane in window.session.project.lanes() if not lane.hidden]
        if window.session.focus in ids:
            window.session.set_focus(ids[(ids.index(window.session.focus) + way) % len(ids)])

    return run


def _shape(key: str) -> Callable[[Window], None]:
    return lambda window: window.session.set_shape(key)


def _tool(key: str) -> Callable[[Window], None]:
    return lambda window: window.session.set_tool(key)


def _has_tool(key: str) -> Test:
    return lambda window: window.session.tool == key


def _hear_state(number: int) -> Callable[[Window], None]:
    return lambda window: window.hear_state(number)


def _scroll(part: float) -> Callable[[Window], None]:
    return lambda window: window.view.scroll(part)


def _zoom(factor: float) -> Callable[[Window], None]:
    return lambda window: window.view.zoom(factor)


ACTIONS: tuple[Action, ...] = (
    Action("open", "File", "Open…", "Ctrl+O", "Open a project", lambda w: w.files.open()),
    Action("demo", "File", "Open the demo piece", "", "Open Night Regatta", lambda w: w.files.open_demo()),
    Action("save", "File", "Save", "Ctrl+S", "Save the project", lambda w: w.files.save(), "save"),
    Action("save-as", "File", "Save as…", "Ctrl+Shift+S", "Save under another name", lambda w: w.files.save_as()),
    Action("export-midi", "File", "Write MIDI…", "Ctrl+M", "All lanes as messages, tempo, meter and sections", lambda w: w.deliveries.midi()),
    Action("export-sound", "File", "Write sound…", "Ctrl+Shift+M", "The mix or the tracks, as the Export panel says", lambda w: w.deliveries.sound()),
    Action("export-control", "File", "Write the lane as a control signal…", "", "A WAV file that is the curve, sample by sample", lambda w: w.deliveries.control(), enabled=has_lane),
    Action("export-table", "File", "Write a table…", "", "Lanes side by side on a common clock, as CSV", lambda w: w.deliveries.table(), enabled=has_lane),
    Action("export-csv", "File", "Write the lane's points…", "", "The focus lane's points as CSV", lambda w: w.deliveries.points(), enabled=has_lane),
    Action("export-picture", "File", "Write a picture…", "", "Lanes as SVG or PNG, for documents", lambda w: w.deliveries.picture(), enabled=has_lane),
    Action("import-midi", "File", "Read MIDI…", "Ctrl+Shift+O", "Controllers as lanes and notes, on new tracks", lambda w: w.deliveries.import_midi()),
    Action("import-curve", "File", "Read sound into the lane…", "", "A control signal, or the level of a sound, as the curve", lambda w: w.deliveries.import_curve(), enabled=has_lane),
    Action("import-csv", "File", "Read points into the lane…", "", "Replace the focus lane's points by those of a CSV file", lambda w: w.deliveries.import_points(), enabled=has_lane),
    Action("sound-file", "File", "Sound file as the source…", "", "A WAV, FLAC, OGG or MP3 file as what the track plays", lambda w: w.files.import_sound(), enabled=has_device),
    Action("find-sounds", "File", "Find missing sound files…", "", "Say where sound files are that have gone", lambda w: w.files.find_sounds(), enabled=lambda w: bool(w.files.missing_sounds())),
    Action("quit", "File", "Quit", "Ctrl+Q", "Close the window", lambda w: w.close()),
    Action("undo", "Edit", "Undo", "Ctrl+Z", "Take back the last step", lambda w: w.session.undo(), "undo",
           lambda w: bool(w.session.history.undo_label), label=_undo_label),
    Action("redo", "Edit", "Redo", "Ctrl+Shift+Z", "Do the step again", lambda w: w.session.redo(), "redo",
           lambda w: bool(w.session.history.redo_label), label=_redo_label),
    Action("select-all", "Edit", "Select all points", "Ctrl+A", "All points of the focus lane", _select_all, enabled=has_lane),
    Action("deselect", "Edit", "Select nothing", "Esc", "Let the selection go, or give up a drag", lambda w: w.focus_lane.give_up(), on_lane=True),
    Action("delete", "Edit", "Delete points", "Del", "Delete the selected points", lambda w: w.session.delete_chosen(), enabled=has_points, on_lane=True),
    Action("type-value", "Edit", "Type a value", "Return", "Type an exact value for the selected points", lambda w: w.type_value(), enabled=has_points, on_lane=True),
    *(
        Action(f"shape-{shape.key}", "Edit", f"Shape: {shape.label}", str(place + 1),
               f"Give the selected segments the shape {shape.label}",
               _shape(shape.key), enabled=has_lane)
        for place, shape in enumerate(SHAPES)
    ),
    *(
        Action(f"tool-{key}", "Edit", f"Tool: {text}", f"Shift+{place + 1}", tip,
               _tool(key), checked=_has_tool(key))
        for place, (key, text, tip) in enumerate(TOOLS)
    ),
    Action("cut", "Edit", "Cut", "Ctrl+X", "The span on the clipboard, a straight way left behind", lambda w: commands.cut(w.session), enabled=has_lane, on_lane=True),
    Action("copy", "Edit", "Copy", "Ctrl+C", "The span on the clipboard, as a table of points", lambda w: commands.copy(w.session), enabled=has_lane, on_lane=True),
    Action("copy-all", "Edit", "Copy all shown lanes", "Ctrl+Shift+C", "The span of every shown lane, aligned", lambda w: commands.copy(w.session, True), enabled=has_lane),
    Action("paste", "Edit", "Paste at the playhead", "Ctrl+V", "Into this lane, in its own reach", lambda w: commands.paste(w.session), enabled=has_lane, on_lane=True),
    Action("paste-scaled", "Edit", "Paste into the span", "Ctrl+Shift+V", "Scaled in time to the selected span", lambda w: commands.paste(w.session, True), enabled=has_span),
    Action("duplicate", "Edit", "Duplicate", "Ctrl+D", "Once more right after itself", lambda w: commands.duplicate(w.session), enabled=has_lane),
    Action("repeat", "Edit", "Repeat to the section's end", "Ctrl+R", "Again and again up to the next section", lambda w: commands.repeat_to_section_end(w.session), enabled=has_lane),
    Action("repeat-growing", "Edit", "Repeat with a change…", "", "Up to a bar, each repeat scaled and tilted", lambda w: w.repeat_growing(), enabled=has_lane),
    Action("quantise", "Edit", "Quantise", "Q", "Pull points to the grid", lambda w: commands.quantise(w.session), enabled=has_lane),
    Action("quantise-half", "Edit", "Quantise half way", "Shift+Q", "Pull points half way to the grid", lambda w: commands.quantise(w.session, 0.5), enabled=has_lane),
    Action("jump", "Edit", "Make or close a jump", "J", "Two values on one beat, at the last selected point", lambda w: commands.toggle_jump(w.session), enabled=has_points),
    Action("pin", "Edit", "Pin points", "P", "They stay when the lane is thinned; again frees them", lambda w: commands.pin_points(w.session), enabled=has_points),
    Action("nudge-left", "Edit", "Nudge earlier", "Left", "By a grid step", lambda w: commands.nudge_time(w.session, -1, False), enabled=has_points, on_lane=True),
    Action("nudge-right", "Edit", "Nudge later", "Right", "By a grid step", lambda w: commands.nudge_time(w.session, 1, False), enabled=has_points, on_lane=True),
    Action("nudge-left-fine", "Edit", "Nudge a little earlier", "Shift+Left", "By ten ticks", lambda w: commands.nudge_time(w.session, -1, True), enabled=has_points, on_lane=True),
    Action("nudge-right-fine", "Edit", "Nudge a little later", "Shift+Right", "By ten ticks", lambda w: commands.nudge_time(w.session, 1, True), enabled=has_points, on_lane=True),
    Action("nudge-up", "Edit", "Nudge up", "Up", "By a semitone, 1 dB or 1 %", lambda w: commands.nudge_value(w.session, 1.0), enabled=has_points, on_lane=True),
    Action("nudge-down", "Edit", "Nudge down", "Down", "By a semitone, 1 dB or 1 %", lambda w: commands.nudge_value(w.session, -1.0), enabled=has_points, on_lane=True),
    Action("nudge-up-fine", "Edit", "Nudge up a little", "Shift+Up", "By a tenth of that", lambda w: commands.nudge_value(w.session, 0.1), enabled=has_points, on_lane=True),
    Action("nudge-down-fine", "Edit", "Nudge down a little", "Shift+Down", "By a tenth of that", lambda w: commands.nudge_value(w.session, -0.1), enabled=has_points, on_lane=True),
    Action("from-dial", "Edit", "Take the value from the dial", "D", "For the selected points, or all", lambda w: commands.take_from_dial(w.session), enabled=has_lane),
    Action("to-dial", "Edit", "Send the value to the dial", "Shift+D", "Of the selected point, or at the playhead", lambda w: commands.send_to_dial(w.session), enabled=has_lane),
    Action("reset", "Edit", "Reset to the saved curve", "", "The lane as it was when opened or last saved", lambda w: commands.reset_points(w.session), enabled=has_lane),
    Action("snap", "Edit", "Snap to the grid", "G", "Let moves land on the grid", lambda w: w.session.set_grid(on=not w.session.grid.on),
           checked=lambda w: w.session.grid.on),
    Action("kind", "Edit", "Next kind of grid", "Shift+G", "Straight, dotted, triplet, whole bars", _next_kind),
    Action("finer", "Edit", "Finer grid", ".", "Halve the grid", _grid_step(1)),
    Action("coarser", "Edit", "Coarser grid", ",", "Double the grid", _grid_step(-1)),
    Action("find-parameter", "Lane", "Find a parameter", "Ctrl+F", "Type its name in the index; Enter takes the first that fits", lambda w: w.index.begin_search()),
    Action("add-lane", "Lane", "Add a lane for the touched control", "A", "Flat, at the control's present value",
           lambda w: w.session.add_touched_lane(), enabled=lambda w: w.session.can_add_lane),
    Action("bypass", "Lane", "Bypass the lane", "Y", "Keep the curve but don't apply it", _toggle_bypass, enabled=has_lane,
           checked=lambda w: bool(w.session.lane and w.session.lane.bypassed)),
    Action("hide-lane", "Lane", "Hide the lane", "H", "Applied, but not shown", lambda w: commands.hide(w.session), enabled=has_lane),
    Action("show-lanes", "Lane", "Show all lanes", "Shift+H", "Bring hidden lanes back", lambda w: commands.show_all(w.session)),
    Action("lock", "Lane", "Lock the lane", "K", "Nothing changes it until it is unlocked",
           lambda w: commands.toggle_lane(w.session, "Lock or unlock the lane", "locked"), enabled=has_lane,
           checked=lambda w: bool(w.session.lane and w.session.lane.locked)),
    Action("name-lane", "Lane", "Name the lane…", "", "A name of your own, before the parameter's", lambda w: w.name_lane(), enabled=has_lane),
    Action("retarget", "Lane", "Move the curve to the touched control", "", "This lane drives the control touched last", lambda w: w.retarget(), enabled=lambda w: has_lane(w) and w.session.can_add_lane),
    Action("tall", "Lane", "Tall row", "", "Twice the height below the focus", lambda w: commands.toggle_lane(w.session, "Row height", "tall"), enabled=has_lane,
           checked=lambda w: bool(w.session.lane and w.session.lane.tall)),
    Action("move-up", "Lane", "Move the lane up", "Ctrl+Shift+Up", "Among its track's lanes", lambda w: w.move_lane(-1), enabled=has_lane),
    Action("move-down", "Lane", "Move the lane down", "Ctrl+Shift+Down", "Among its track's lanes", lambda w: w.move_lane(1), enabled=has_lane),
    Action("colour", "Lane", "Another colour", "", "The lane's ink", lambda w: commands.next_colour(w.session), enabled=has_lane),
    Action("group", "Lane", "Group lanes by device", "", "In the order of devices and their parameters", lambda w: commands.group_lanes(w.session), enabled=has_lane),
    Action("next-slot", "Lane", "Next slot from the next bar", "N", "The lane's next pattern, while it plays", lambda w: commands.next_slot(w.session), enabled=lambda w: bool(w.session.lane and w.session.lane.slots)),
    Action("ghost", "Lane", "Show another lane behind", "", "A lane as a faint guide for timing", lambda w: w.choose_behind(), enabled=has_lane,
           checked=lambda w: w.session.behind is not None),
    Action("link", "Lane", "Link another lane…", "", "What moves here moves there, by a factor", lambda w: w.link_lane(), enabled=has_lane),
    Action("cycle", "Lane", "Cycle the selected span", "C", "Play on to its end once, then repeat it", lambda w: commands.set_cycle(w.session), enabled=has_lane,
           checked=lambda w: bool(w.session.lane and w.session.lane.cycle)),
    Action("unroll", "Lane", "Unroll to points", "", "Cycle and slots written out", lambda w: commands.unroll(w.session), enabled=has_lane),
    Action("reach", "Lane", "Reach…", "R", "The part of the control's travel that the curve covers", lambda w: w.type_reach(), enabled=has_lane),
    Action("reach-scope", "Lane", "Reach from the selection", "Shift+R", "Just what the curve runs through; heard as before", lambda w: commands.reach_from_scope(w.session), enabled=has_lane),
    Action("bypass-track", "Lane", "Bypass the track's lanes", "Shift+Y", "All lanes of this track", lambda w: w.bypass_lanes(False), enabled=has_lane),
    Action("bypass-all", "Lane", "Bypass all lanes", "Ctrl+Shift+Y", "The whole project without automation, or with it again", lambda w: w.bypass_lanes(True), enabled=has_lane),
    Action("clear-lane", "Lane", "Clear the lane", "", "Flat at the control's present value", lambda w: w.clear_lane(), enabled=has_lane),
    Action("clear-track", "Lane", "Remove all lanes of the track…", "", "The count is told first", lambda w: w.remove_lanes(False), enabled=has_lane),
    Action("clear-device", "Lane", "Remove all lanes of the device…", "", "The count is told first", lambda w: w.remove_lanes(True), enabled=has_lane),
    Action("remove-lane", "Lane", "Remove the lane", "", "Take the lane out; its control keeps its present value",
           lambda w: w.remove_lane(), enabled=has_lane),
    Action("lane-up", "Lane", "Lane above", "Ctrl+Up", "Work on the lane above", _neighbour(-1), enabled=has_lane),
    Action("lane-down", "Lane", "Lane below", "Ctrl+Down", "Work on the lane below", _neighbour(1), enabled=has_lane),
    Action("follow", "Lane", "Follow touched controls", "F", "A touched dial brings its lane up", lambda w: w.toggle_follow(), checked=lambda w: w.session.settings.follow),
    Action("add-track", "Device", "Add a track…", "", "A track with a channel strip", lambda w: w.add_track(False)),
    Action("add-return", "Device", "Add a send track…", "", "A track that plays what the sends of others carry", lambda w: w.add_track(True)),
    Action("remove-track", "Device", "Remove the track…", "", "With its devices and lanes; the count is told first", lambda w: w.remove_track(), enabled=has_device),
    Action("describe-device", "Device", "Add a device from a description…", "", "A plugin you own, described in a file", lambda w: w.files.import_device(), enabled=has_device),
    Action("write-device", "Device", "Write the device's description…", "", "As a start for a description of your own", lambda w: w.files.export_device(), enabled=has_device),
    Action("device-up", "Device", "Earlier in the chain", "Alt+Up", "The device whose dials are shown", lambda w: commands.move_device(w.session, -1), enabled=has_device),
    Action("device-down", "Device", "Later in the chain", "Alt+Down", "The device whose dials are shown", lambda w: commands.move_device(w.session, 1), enabled=has_device),
    Action("bypass-device", "Device", "Bypass the device", "Alt+Y", "Sound goes past it", lambda w: commands.bypass_device(w.session), enabled=has_device,
           checked=lambda w: has_device(w) and commands.chosen_device(w.session).bypassed),
    Action("remove-device", "Device", "Remove the device…", "", "Its lanes go with it; which, is told first", lambda w: w.remove_device(), enabled=has_device),
    Action("learn-favourites", "Device", "Learn favourites", "", "Touched controls are shown first from now on", lambda w: w.learn("favourites"),
           checked=lambda w: w.session.learning == "favourites"),
    Action("learn-controls", "Device", "Learn a control", "Ctrl+L", "Move a control of the controller and touch the dial that it shall move", lambda w: w.learn("controls"),
           checked=lambda w: w.session.learning == "controls"),
    *(
        Action(f"hear-state-{n}", "Device", f"Hear variation {n}", f"Ctrl+{n}", "The controls at one of the last three states kept",
               _hear_state(n - 1), enabled=has_device)
        for n in (1, 2, 3)
    ),
    Action("play", "Play", "Play", "Space", "Play from the playhead, or stop", lambda w: w.player.toggle(), "play",
           checked=lambda w: w.player.playing),
    Action("stop", "Play", "Stop", "", "Stop where it is", lambda w: w.player.stop(), "stop", lambda w: w.player.playing),
    Action("return", "Play", "Return", "Home", "Back to where it last began, then to the start", lambda w: w.player.go_back(), "return"),
    Action("loop", "Play", "Loop", "L", "Repeat the selected span, or all when none is selected",
           lambda w: w.player.set_looping(not w.player.looping), "loop", checked=lambda w: w.player.looping),
    Action("record", "Play", "Record a pass", "Ctrl+Space", "Over the armed lanes, in the chosen mode; again ends it", lambda w: w.recorder.begin(), "record",
           checked=lambda w: w.recorder.recording),
    Action("arm", "Play", "Arm the lane", "E", "A pass writes it; arms no other", lambda w: commands.arm(w.session), enabled=has_lane,
           checked=lambda w: w.session.focus in w.session.armed),
    Action("disarm-all", "Play", "Disarm all lanes", "Shift+E", "No pass writes anything", lambda w: w.session.disarm_all(), enabled=lambda w: bool(w.session.armed)),
    Action("play-selection", "Play", "Play the selection", "Shift+Space", "In a loop, from the chosen lead before it", lambda w: w.player.play_selection(), enabled=lambda w: w.session.span is not None),
    Action("metronome", "Play", "Metronome", "Shift+M", "A click on every beat", lambda w: w.session.listen(metronome=not w.session.listening.metronome),
           checked=lambda w: w.session.listening.metronome),
    Action("mute", "Play", "Mute the track", "M", "The track whose dials are shown", lambda w: commands.mute_track(w.session, commands.shown_track(w.session)), enabled=has_device,
           checked=lambda w: has_device(w) and commands.shown_track(w.session).muted),
    Action("solo", "Play", "Solo the track", "S", "The track whose dials are shown, and others soloed", lambda w: commands.solo_track(w.session, commands.shown_track(w.session)), enabled=has_device,
           checked=lambda w: has_device(w) and commands.shown_track(w.session).id in w.session.listening.solo),
    Action("hear-alone", "Play", "Only this lane moves", "W", "All other controls stay at their present values", lambda w: w.hear_alone(), enabled=has_lane,
           checked=lambda w: w.session.listening.alone is not None),
    Action("keep-version", "Play", "Keep this version", "Ctrl+Shift+K", "To compare later ones with", lambda w: w.keep_version()),
    Action("compare", "Play", "Compare", "X", "Hear the kept version, or without automation when none is kept, and back", lambda w: w.switch_compare(),
           checked=lambda w: bool(w.session.comparing)),
    Action("compare-bypass", "Play", "Without automation", "Shift+X", "Hear the project without automation, and back", lambda w: w.session.compare("" if w.session.comparing == "bypass" else "bypass"),
           checked=lambda w: w.session.comparing == "bypass"),
    Action("zoom-in", "View", "Zoom in", "Ctrl++", "Show less time", _zoom(0.7)),
    Action("zoom-out", "View", "Zoom out", "Ctrl+-", "Show more time", _zoom(1.4)),
    Action("zoom-all", "View", "Show all", "Ctrl+0", "Show the whole project", lambda w: w.view.show(0.0, w.view.length)),
    Action("zoom-span", "View", "Show the selected span", "Ctrl+9", "Zoom to the span on the ruler", lambda w: w.zoom_to_span(),
           enabled=lambda w: w.session.span is not None),
    Action("scroll-left", "View", "Earlier", "PgUp", "Scroll to earlier bars", _scroll(-0.5)),
    Action("scroll-right", "View", "Later", "PgDown", "Scroll to later bars", _scroll(0.5)),
    Action("step-devices", "View", "Devices", "Shift+F2", "Tracks, sources and chains of devices", lambda w: w.rail.show_step("step-devices"), "devices"),
    Action("step-draw", "View", "Draw", "F2", "Points, shapes and the grid", lambda w: w.rail.show_step("step-draw"), "draw"),
    Action("step-shape", "View", "Shape", "F3", "Scale, tilt, mirror, stamp forms", lambda w: w.rail.show_step("step-shape"), "shape"),
    Action("step-patterns", "View", "Patterns", "F4", "A library of pieces of curve", lambda w: w.rail.show_step("step-patterns"), "patterns"),
    Action("step-movement", "View", "Movement", "F5", "LFOs, randomness and layers", lambda w: w.rail.show_step("step-movement"), "movement"),
    Action("step-perform", "View", "Perform", "F6", "Move controls by hand", lambda w: w.rail.show_step("step-perform"), "perform"),
    Action("step-thin", "View", "Thin", "F7", "Fewer points within a tolerance", lambda w: w.rail.show_step("step-thin"), "thin"),
    Action("step-morph", "View", "Morph", "F8", "States, morphs and the pad", lambda w: w.rail.show_step("step-morph"), "morph"),
    Action("step-listen", "View", "Listen", "F9", "Compare, and find the useful reach", lambda w: w.rail.show_step("step-listen"), "listen"),
    Action("monitor", "View", "Messages…", "Ctrl+I", "The MIDI messages that lanes send", lambda w: w.show_monitor()),
    Action("step-export", "View", "Export", "F12", "Deliver the lanes as files", lambda w: w.rail.show_step("step-export"), "export"),
    Action("theme", "View", "Lamp theme", "F11", "Dark sheets for late hours", lambda w: w.switch_theme(),
           checked=lambda w: w.session.settings.theme == "lamp"),
    Action("find-action", "Help", "Find a command…", "Ctrl+K", "Search all commands by name", lambda w: w.find_action()),
    Action("guide", "Help", "User guide", "Shift+F1", "How to do what, from the first curve to the delivered file", lambda w: w.show_guide()),
    Action("shortcuts", "Help", "Keyboard shortcuts", "F1", "All keys at a glance", lambda w: w.show_shortcuts()),
)  # fmt: skip

# Separators stand before these in their menus.
BREAKS = {"export-midi", "import-midi", "quit", "select-all", "shape-hold", "tool-points", "cut", "quantise", "nudge-left", "snap", "bypass",
          "name-lane", "move-up", "cycle", "bypass-track", "clear-lane", "lane-up", "zoom-all",
          "scroll-left", "step-devices", "theme", "sound-file", "follow", "describe-device", "device-up",
          "learn-favourites", "hear-state-1", "record", "play-selection", "keep-version", "monitor"}  # fmt: skip
# Keys that the focus lane reads itself while they are held.
HELD = (
    ("B held", "Drag on a segment bends it"),
    ("Ctrl held", "A drag is free of the grid"),
    ("Shift held", "A drag keeps to one axis; from empty space it selects a box"),
    ("Ctrl and Shift held", "A drag inside the frame copies its span"),
    ("Wheel", "Scroll in time; with Ctrl, zoom at the pointer"),
)
KEY_NAMES = {"Del": "Delete", "Return": "Enter"}

_twice = [key for key, n in Counter(a.keys for a in ACTIONS if a.keys).items() if n > 1]
_twice += [key for key, n in Counter(a.id for a in ACTIONS).items() if n > 1]
if _twice:
    raise ValueError(f"declared twice: {', '.join(_twice)}")


def shortcut_rows() -> list[tuple[str, str, str]]:
    """Menu, keys and text of every action that has keys, then the held keys."""
    rows = [(a.menu, KEY_NAMES.get(a.keys, a.keys), a.text.rstrip("…")) for a in ACTIONS if a.keys]
    return rows + [("On the focus lane", keys, text) for keys, text in HELD]


def shortcuts_page() -> str:
    """docs/shortcuts.md."""
    parts = ["# Keyboard shortcuts\n\nMade from the action table by `./zolvek shots`.\n"]
    for menu, rows in groupby(shortcut_rows(), key=lambda row: row[0]):
        lines = [f"| {keys} | {text} |" for _, keys, text in rows]
        parts.append(
            "\n".join([f"## {menu}\n", "| Keys | What they do |", "| --- | --- |", *lines, ""])
        )
    return "\n".join(parts)
