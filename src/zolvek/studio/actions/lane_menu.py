"""The Lane menu."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import controls, display, lanes

ACTIONS: tuple[Action, ...] = (
    Action("find-parameter", "Find a parameter", "Ctrl+F", "Type its name in the index; Enter takes the first that fits", lambda s: s.show.search()),
    Action("add-lane", "Add a lane for the touched control", "A", "Flat, at the control's present value",
           lambda s: controls.add_touched_lane(s.session), refused=availability.new_control),
    Action("bypass", "Bypass the lane", "Y", "Keep the curve but don't apply it", lambda s: lanes.toggle_bypass(s.session), refused=availability.open_lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.bypassed), apart=True),
    Action("hide-lane", "Hide the lane", "H", "Applied, but not shown", lambda s: lanes.hide(s.session), refused=availability.lane),
    Action("show-lanes", "Show all lanes", "Shift+H", "Bring hidden lanes back", lambda s: lanes.show_all(s.session)),
    Action("lock", "Lock the lane", "K", "Nothing changes it until it is unlocked",
           lambda s: lanes.toggle(s.session, "Lock or unlock the lane", "locked"), refused=availability.lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.locked)),
    Action("name-lane", "Name the lane…", "", "A name of your own, before the parameter's", lanes.name, refused=availability.lane, apart=True),
    Action("retarget", "Move the curve to the touched control", "", "This lane drives the control touched last", lambda s: lanes.retarget(s.session), refused=availability.lane_and_new_control),
    Action("tall", "Tall row", "", "Twice the height below the focus", lambda s: lanes.toggle(s.session, "Row height", "tall"), refused=availability.lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.tall)),
    Action("move-up", "Move the lane up", "Ctrl+Shift+Up", "Among its track's lanes", lambda s: lanes.move(s.session, -1), refused=availability.lane, apart=True),
    Action("move-down", "Move the lane down", "Ctrl+Shift+Down", "Among its track's lanes", lambda s: lanes.move(s.session, 1), refused=availability.lane),
    Action("colour", "Another colour", "", "The lane's ink", lambda s: lanes.next_colour(s.session), refused=availability.lane),
    Action("group", "Group lanes by device", "", "In the order of devices and their parameters", lambda s: lanes.group(s.session), refused=availability.lane),
    Action("ghost", "Show another lane behind", "", "A lane as a faint guide for timing", lanes.show_behind, refused=availability.lane,
           checked=lambda s: s.session.preview.behind is not None),
    Action("link", "Link another lane…", "", "What moves here moves there, by a factor", lanes.link, refused=availability.lane),
    Action("own-loop", "The lane's own loop", "O", "It plays on to the end of the selected span once, then repeats that; again ends it", lambda s: lanes.set_loop(s.session), refused=availability.open_lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.cycle), apart=True),
    Action("own-loop-ends", "Type the own loop's ends…", "", "Two positions: 17 to 21", lanes.type_loop, refused=availability.open_lane),
    Action("unroll", "Write loop and slots out", "", "As points of the lane's own curve", lambda s: lanes.unroll(s.session), refused=availability.open_lane),
    Action("relative", "Relative to the control", "V", "Drawn around where the control stands, −100 to 100 %: presets carry the movement along", lambda s: lanes.toggle_relative(s.session), refused=availability.open_lane,
           checked=lambda s: bool(s.session.lane and s.session.lane.relative)),
    Action("reach", "Reach…", "R", "The part of the control's travel that the curve covers", lanes.type_reach, refused=availability.open_lane),
    Action("reach-scope", "Reach from the selection", "Shift+R", "Just what the curve runs through; heard as before", lambda s: lanes.reach_from_scope(s.session), refused=availability.open_lane),
    Action("bypass-track", "Bypass the track's lanes", "Shift+Y", "All lanes of this track", lambda s: lanes.bypass_many(s.session, False), refused=availability.lane, apart=True),
    Action("bypass-all", "Bypass all lanes", "Ctrl+Shift+Y", "The whole project without automation, or with it again", lambda s: lanes.bypass_many(s.session, True), refused=availability.lane),
    Action("clear-lane", "Clear the lane", "", "Flat at the control's present value", lambda s: lanes.clear(s.session), refused=availability.open_lane, apart=True),
    Action("clear-track", "Remove all lanes of the track…", "", "The count is told first", lambda s: lanes.remove_many(s, False), refused=availability.lane),
    Action("clear-device", "Remove all lanes of the device…", "", "The count is told first", lambda s: lanes.remove_many(s, True), refused=availability.lane),
    Action("remove-lane", "Remove the lane", "", "Take the lane out; its control keeps its present value",
           lambda s: lanes.remove(s.session), refused=availability.open_lane),
    Action("lane-up", "Lane above", "Ctrl+Up", "Work on the lane above", lambda s: lanes.neighbour(s.session, -1), refused=availability.lane, apart=True),
    Action("lane-down", "Lane below", "Ctrl+Down", "Work on the lane below", lambda s: lanes.neighbour(s.session, 1), refused=availability.lane),
    Action("follow", "Follow touched controls", "F", "A touched dial brings its lane up", lambda s: display.toggle_follow(s.session), checked=lambda s: s.session.settings.follow, apart=True),
)  # fmt: skip
