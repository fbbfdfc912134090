# SPDX-License-Identifier: GPL-3.0-or-later
"""The Play menu."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import devices, display, lanes, monitoring
from zolvek.studio.session import chosen

ACTIONS: tuple[Action, ...] = (
    Action("play", "Play", "Space", "Plays from the playhead, or stops", lambda s: s.player.toggle(), "play",
           checked=lambda s: s.player.playing),
    Action("stop", "Stop", "", "Stops at the current position", lambda s: s.player.stop(), "stop",
        availability.playing),
    Action("return", "Return", "Home", "Returns to the last start, then to the beginning", lambda s: s.player.go_back(),
        "return"),
    Action("playhead-on", "Playhead to next grid line", "Ctrl+Right", "Moves to the next grid line",
        lambda s: display.step_playhead(s, 1), apart=True),
    Action("playhead-back", "Playhead to previous grid line", "Ctrl+Left", "Moves to the previous grid line",
        lambda s: display.step_playhead(s, -1)),
    Action("playhead-bar-on", "Playhead to next bar", "Ctrl+Shift+Right", "Moves to the next bar line",
        lambda s: display.step_playhead(s, 1, True)),
    Action("playhead-bar-back", "Playhead to previous bar", "Ctrl+Shift+Left", "Moves to the previous bar line",
        lambda s: display.step_playhead(s, -1, True)),
    Action("loop", "Loop", "L", "Repeats the selected span, or the whole song",
           lambda s: s.player.set_looping(not s.player.looping), "loop", checked=lambda s: s.player.looping),
    Action("record", "Record pass", "Ctrl+Space", "Records the armed lanes in the chosen mode; again stops",
        lambda s: s.recorder.begin(), "record",
           checked=lambda s: s.recorder.recording, apart=True),
    Action("arm", "Arm lane", "E", "Arms this lane for recording", lambda s: lanes.arm(s.session),
        refused=availability.lane,
           checked=lambda s: s.session.focus.id in s.session.passes.armed),
    Action("disarm-all", "Disarm all lanes", "Shift+E", "No lane is recorded", lambda s: s.session.passes.disarm_all(),
        refused=availability.armed),
    Action("play-selection", "Play selection", "Shift+Space", "Loops the selection, after the pre-roll",
        lambda s: s.player.play_selection(), refused=availability.any_span, apart=True),
    Action("metronome", "Metronome", "Shift+M", "Clicks on every beat",
        lambda s: monitoring.toggle_metronome(s.session),
           checked=lambda s: s.session.audition.listening.metronome),
    Action("mute", "Mute track", "M", "Mutes or unmutes the track whose dials are shown",
        lambda s: devices.mute_track(s.session, chosen.shown_track(s.session)), refused=availability.track,
           checked=lambda s: not availability.device(s) and chosen.shown_track(s.session).muted),
    Action("solo", "Solo track", "S", "Soloes the track whose dials are shown", lambda s: devices.solo_track(s.session,
        chosen.shown_track(s.session)), refused=availability.track,
           checked=lambda s: not availability.track(s)
           and chosen.shown_track(s.session).id in s.session.audition.listening.solo),
    Action("solo-safe", "Solo safe", "", "Keeps the track audible when others are soloed",
        lambda s: devices.safe_track(s.session, chosen.shown_track(s.session)), refused=availability.track,
           checked=lambda s: not availability.device(s) and chosen.shown_track(s.session).solo_safe),
    Action("hear-alone", "Solo lane", "W", "Holds all other controls at their current values",
        lambda s: monitoring.hear_alone(s.session), refused=availability.lane,
           checked=lambda s: s.session.audition.listening.alone is not None),
    Action("beside", "Use JACK / PipeWire", "", "Plays in sync with other programs through JACK or PipeWire",
        lambda s: s.sync_link.switch(not s.sync_link.on),
           checked=lambda s: s.sync_link.on, apart=True),
    Action("all-off", "All notes off", "Ctrl+.", "Silences every port and channel, and the audio",
        lambda s: s.sync_link.panic()),
    Action("keep-version", "Store version", "Ctrl+Shift+K", "Stores the project to compare later edits with",
        monitoring.keep_version, apart=True),
    Action("bring-back", "Restore version", "", "Replaces the project with the stored version, as one step",
        lambda s: monitoring.bring_back(s.session), refused=availability.kept),
    Action("compare", "Compare", "X", "Switches between the project and the stored version, or the sound without "
                                      "automation", lambda s: monitoring.switch_compare(s.session),
           checked=lambda s: bool(s.session.audition.comparing)),
    Action("compare-bypass", "Without automation", "Shift+X", "Switches the automation off and on",
        lambda s: monitoring.switch_bypass(s.session),
           checked=lambda s: s.session.audition.comparing == "bypass"),
)  # fmt: skip
