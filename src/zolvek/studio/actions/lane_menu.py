# SPDX-License-Identifier: GPL-3.0-or-later
"""The Lane menu."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import controls, display, lanes

ACTIONS: tuple[Action, ...] = (
    Action("find-parameter", "Find a parameter", "Ctrl+F", "Searches the index; Enter takes the first match", lambda s: s.show.search()),
    Action("add-lane", "Add lane for touched control", "A", "Adds a flat lane at the control's current value",
           lambda s: controls.add_touched_lane(s.session), refused=availability.new_control),
    Action("bypass", "Bypass lane", "Y", "Keeps the curve but does not apply it", lambda s: lanes.toggle_bypass(s.session), refused=availability.open_lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.bypassed), apart=True),
    Action("hide-lane", "Hide lane", "H", "Applied, but not shown", lambda s: lanes.hide(s.session), refused=availability.lane),
    Action("show-lanes", "Show all lanes", "Shift+H", "Shows hidden lanes again", lambda s: lanes.show_all(s.session)),
    Action("lock", "Lock lane", "K", "Protects the lane from changes",
           lambda s: lanes.toggle(s.session, "Lock or unlock lane", "locked"), refused=availability.lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.locked)),
    Action("name-lane", "Rename lane…", "", "Gives the lane a name, shown before the parameter's", lanes.name, refused=availability.lane, apart=True),
    Action("retarget", "Move curve to touched control", "", "Makes this lane drive the control touched last", lambda s: lanes.retarget(s.session), refused=availability.lane_and_new_control),
    Action("tall", "Tall row", "", "Doubles the row's height below the focus", lambda s: lanes.toggle(s.session, "Row height", "tall"), refused=availability.lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.tall)),
    Action("move-up", "Move lane up", "Ctrl+Shift+Up", "Moves the lane among its track's lanes", lambda s: lanes.move(s.session, -1), refused=availability.lane, apart=True),
    Action("move-down", "Move lane down", "Ctrl+Shift+Down", "Moves the lane among its track's lanes", lambda s: lanes.move(s.session, 1), refused=availability.lane),
    Action("colour", "Next colour", "", "Gives the lane another colour", lambda s: lanes.next_colour(s.session), refused=availability.lane),
    Action("group", "Group lanes by device", "", "Sorts lanes by device and parameter", lambda s: lanes.group(s.session), refused=availability.lane),
    Action("ghost", "Show lane behind", "", "Shows a lane as a faint guide for timing", lanes.show_behind, refused=availability.lane,
           checked=lambda s: s.session.preview.behind is not None),
    Action("link", "Link lane…", "", "Moves another lane along, by a factor", lanes.link, refused=availability.lane),
    Action("own-loop", "Lane loop", "O", "Plays to the end of the selected span, then repeats the span; again ends it", lambda s: lanes.set_loop(s.session), refused=availability.open_lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.cycle), apart=True),
    Action("own-loop-ends", "Set lane loop…", "", "Types two positions: 17 to 21", lanes.type_loop, refused=availability.open_lane),
    Action("unroll", "Flatten loop and slots", "", "Writes them as points of the lane's curve", lambda s: lanes.unroll(s.session), refused=availability.open_lane),
    Action("relative", "Relative to control", "V", "Draws around the control's value, −100 to 100 %, so that presets carry the movement along", lambda s: lanes.toggle_relative(s.session), refused=availability.open_lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.relative)),
    Action("reach", "Reach…", "R", "Sets the part of the control's travel that the curve covers", lanes.type_reach, refused=availability.open_lane),
    Action("reach-scope", "Reach from the selection", "Shift+R", "Fits the reach to the curve; the sound stays the same", lambda s: lanes.reach_from_scope(s.session), refused=availability.open_lane),
    Action("bypass-track", "Bypass lanes of track", "Shift+Y", "Bypasses all lanes of this track, or applies them again", lambda s: lanes.bypass_many(s.session, False), refused=availability.lane, apart=True),
    Action("bypass-all", "Bypass all lanes", "Ctrl+Shift+Y", "Bypasses all automation, or applies it again", lambda s: lanes.bypass_many(s.session, True), refused=availability.lane),
    Action("clear-lane", "Clear lane", "", "Makes the lane flat at the control's current value", lambda s: lanes.clear(s.session), refused=availability.open_lane, apart=True),
    Action("clear-track", "Remove lanes of track…", "", "Removes the lanes, after asking", lambda s: lanes.remove_many(s, False), refused=availability.lane),
    Action("clear-device", "Remove lanes of device…", "", "Removes the lanes, after asking", lambda s: lanes.remove_many(s, True), refused=availability.lane),
    Action("remove-lane", "Remove lane", "", "Removes the lane; its control keeps its current value",
           lambda s: lanes.remove(s.session), refused=availability.open_lane),
    Action("lane-up", "Lane above", "Ctrl+Up", "Moves the focus to the lane above", lambda s: lanes.neighbour(s.session, -1), refused=availability.lane, apart=True),
    Action("lane-down", "Lane below", "Ctrl+Down", "Moves the focus to the lane below", lambda s: lanes.neighbour(s.session, 1), refused=availability.lane),
    Action("follow", "Follow touched controls", "F", "Brings up the lane of a touched dial", lambda s: display.toggle_follow(s.session), checked=lambda s: s.session.settings.follow, apart=True),
)  # fmt: skip
