# SPDX-License-Identifier: GPL-3.0-or-later
"""Why actions can't be done now, in a few words; "" when they can. Quick questions, asked after every
change."""

from __future__ import annotations

from zolvek.core.edits import plugins
from zolvek.core.edits.chains import own_sound_files
from zolvek.studio.commands import controls
from zolvek.studio.services.context import Studio
from zolvek.studio.session import command_scope
from zolvek.studio.session.chosen import chosen_device

NO_LANE = "There is no lane. Touch a control and press A."
NO_POINTS = "Select points, or a span that holds some, first."
NO_SPAN = "Select a span on the ruler first."


def lane(studio: Studio) -> str:
    """There is a lane that is not locked."""
    return "" if studio.session.focus.id is not None else NO_LANE


def open_lane(studio: Studio) -> str:
    """A lane that is not locked."""
    this_lane = studio.session.lane
    if this_lane is None:
        return NO_LANE
    return "The lane is locked. Press K to unlock it." if this_lane.locked else ""


def points(studio: Studio) -> str:
    """Points of the selection, or in the selected span."""
    return open_lane(studio) or ("" if command_scope.chosen_points(studio.session) else NO_POINTS)


def span(studio: Studio) -> str:
    """A span is selected and there is a lane."""
    return open_lane(studio) or any_span(studio)


def any_span(studio: Studio) -> str:
    """A span is selected."""
    return "" if studio.session.span.beats is not None else NO_SPAN


def track(studio: Studio) -> str:
    """There is a track."""
    return "" if studio.session.shown.track is not None else "There is no track. Add one first."


def device(studio: Studio) -> str:
    """There is a device."""
    return "" if studio.session.shown.device is not None else "There is no device. Add one first."


def new_control(studio: Studio) -> str:
    """A control without a lane has been touched."""
    return "" if controls.can_add_lane(studio.session) else "Touch a control without a lane first."


def lane_and_new_control(studio: Studio) -> str:
    """There is a lane, and a touched control without one."""
    return open_lane(studio) or new_control(studio)


def sound_files(studio: Studio) -> str:
    """The project plays files of its own; whether they are there is asked when it matters."""
    has = bool(own_sound_files(studio.session.project))
    return "" if has else "The project has no audio files."


def slots(studio: Studio) -> str:
    """The lane has slots."""
    this_lane = studio.session.lane
    return open_lane(studio) or (
        "" if this_lane and this_lane.slots else "The lane has no slots. Add some in the Patterns panel."
    )


def armed(studio: Studio) -> str:
    """A lane is armed."""
    return "" if studio.session.passes.armed else "No lane is armed."


def playing(studio: Studio) -> str:
    """The song plays."""
    return "" if studio.player.playing else "Playback is stopped."


def undo(studio: Studio) -> str:
    """There is a step to undo."""
    return "" if studio.session.document.history.undo_label else "There is nothing to undo."


def redo(studio: Studio) -> str:
    """There is a step to redo."""
    return "" if studio.session.document.history.redo_label else "There is nothing to redo."


def history(studio: Studio) -> str:
    """There is a step to undo or to redo."""
    return "" if not undo(studio) else redo(studio)


def take(studio: Studio) -> str:
    """The lane has a take."""
    has = studio.session.picked.take is not None
    return lane(studio) or ("" if has else "The lane has no take. Arm it and record a pass.")


def open_take(studio: Studio) -> str:
    """The lane has a take and is not locked."""
    return open_lane(studio) or take(studio)


def take_and_span(studio: Studio) -> str:
    """The lane has a take, and a span is selected."""
    return open_take(studio) or any_span(studio)


def layer(studio: Studio) -> str:
    """The lane has a layer."""
    has = studio.session.picked.layer is not None
    return open_lane(studio) or ("" if has else "The lane has no layer.")


def drawn_layer(studio: Studio) -> str:
    """The layer is a curve."""
    this_layer = studio.session.picked.layer
    return layer(studio) or ("" if this_layer and this_layer.curve is not None else "This layer is not a curve.")


def layer_with_depth(studio: Studio) -> str:
    """The layer's depth is a curve."""
    this_layer = studio.session.picked.layer
    drawn = this_layer is not None and this_layer.amount_way is not None
    return layer(studio) or ("" if drawn else "Its depth is already a number.")


def lfo_layer(studio: Studio) -> str:
    """The layer is an LFO."""
    this_layer = studio.session.picked.layer
    return layer(studio) or ("" if this_layer and this_layer.lfo is not None else "This layer is not an LFO.")


def layer_and_span(studio: Studio) -> str:
    """There is a layer, and a span is selected."""
    return layer(studio) or any_span(studio)


def pattern(studio: Studio) -> str:
    """A pattern is selected."""
    session = studio.session
    result = session.shelf.named(session.picked.pattern)
    return "" if result is not None else "Select a pattern in the Patterns panel first."


def pattern_and_lane(studio: Studio) -> str:
    """A pattern is selected and there is a lane."""
    return open_lane(studio) or pattern(studio)


def shelf_step(studio: Studio) -> str:
    """The library has a change to undo."""
    return "" if studio.session.shelf.steps else "Nothing in the library has changed."


def control(studio: Studio) -> str:
    """A control is touched."""
    return "" if studio.session.shown.control is not None else "Click a dial first."


def kept(studio: Studio) -> str:
    """A version is stored."""
    return "" if studio.session.audition.kept is not None else "No version is stored."


def switch(studio: Studio) -> str:
    """There is a slot change before the playhead."""
    this_lane, here = studio.session.lane, studio.session.playhead.beat
    there = this_lane is not None and any(item.beat <= here + 1e-9 for item in this_lane.switches)
    return open_lane(studio) or ("" if there else "There is no slot change before the playhead.")


def section(studio: Studio) -> str:
    """There is a section at the playhead."""
    session = studio.session
    first = min((x.beat for x in session.project.sections), default=None)
    there = first is not None and first <= session.playhead.beat
    there = there or session.arranging.section is not None
    return "" if there else "There is no section here. Add one first."


def later_tempo(studio: Studio) -> str:
    """The tempo point before the playhead is not the first."""
    points, here = studio.session.project.tempo.points, studio.session.playhead.beat
    later = any(0.0 < point.beat <= here + 1e-9 for point in points)
    return "" if later else "The first tempo can't be removed. Type another value."


def later_meter(studio: Studio) -> str:
    """The meter before the playhead is not the first."""
    meter, here = studio.session.project.meter, studio.session.playhead.beat
    return "" if meter.meter_at(here + 1e-9).bar > 1 else "The first meter can't be removed. Type another one."


def sound_track(studio: Studio) -> str:
    """The track has clips."""
    shown = studio.session.shown.device
    if shown is None:
        return "There is no track."
    plays = studio.session.project.device_track(shown).clips
    return "" if plays else "The track has no audio."


def a_mark(studio: Studio) -> str:
    """A bar line is marked."""
    return "" if studio.session.arranging.marks else "No bar lines are marked."


def two_marks(studio: Studio) -> str:
    """Two bar lines are marked."""
    return "" if len(studio.session.arranging.marks) > 1 else "Mark at least two bar lines first."


def block(studio: Studio) -> str:
    """A clip is selected."""
    has = studio.session.arranging.block is not None
    return "" if has else "Click a clip on the track row first."


def notes(studio: Studio) -> str:
    """Notes are selected."""
    has = bool(studio.session.arranging.notes)
    return "" if has else "Select notes on the track row first."


def notes_or_block(studio: Studio) -> str:
    """Notes or a clip are selected."""
    return "" if not block(studio) else notes(studio)


def hits(studio: Studio) -> str:
    """The hits of the track are known."""
    return (
        ""
        if studio.hits.beats.size
        else "No hits are known. The track has no notes, or its audio is still being analysed."
    )


def hits_and_lane(studio: Studio) -> str:
    """Hits are known and there is a lane."""
    return open_lane(studio) or hits(studio)


def hits_and_points(studio: Studio) -> str:
    """Hits are known and points are selected."""
    return points(studio) or hits(studio)


def left_out(studio: Studio) -> str:
    """The device's plugin is bypassed after a crash."""
    playback, shown = studio.player.playback, studio.session.shown.device
    gone = playback is not None and shown in playback.left_out
    return "" if gone else "The device's plugin is running."


def own_window(studio: Studio) -> str:
    """The device's plugin has a window."""
    from zolvek.sound.hosting.windows.own_window import OWN_WINDOWS

    plugin = None if device(studio) else chosen_device(studio.session).row.plugin
    if plugin is None:
        return "The device is not a plugin. Its dials are on the bench."
    if plugin.format in OWN_WINDOWS and not plugin.windowless:
        return ""
    return f"Its own window can't be shown: {plugin.windowless}. Its dials are on the bench."


def side_chain(studio: Studio) -> str:
    """The device has a side-chain input."""
    plugin = None if device(studio) else chosen_device(studio.session).row.plugin
    return "" if plugin is not None and plugin.side else "The device has no side-chain input."


def further_outputs(studio: Studio) -> str:
    """The device has outputs that no track takes yet."""
    shown = None if device(studio) else chosen_device(studio.session)
    has = shown is not None and bool(plugins.further_pairs(studio.session.project, shown.id))
    return "" if has else "The device has no further outputs."


def plugin_file(studio: Studio) -> str:
    """The device takes files."""
    plugin = None if device(studio) else chosen_device(studio.session).row.plugin
    return "" if plugin is not None and plugin.files else "The device takes no files."


def hosted(studio: Studio) -> str:
    """The device is a plugin."""
    plugin = None if device(studio) else chosen_device(studio.session).row.plugin
    return "" if plugin is not None else "The device is not a plugin."
