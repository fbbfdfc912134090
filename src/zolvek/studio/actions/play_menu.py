"""The Play menu."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import devices, display, lanes, monitoring
from zolvek.studio.session import chosen

ACTIONS: tuple[Action, ...] = (
    Action("play", "Play", "Space", "Play from the playhead, or stop", lambda s: s.player.toggle(), "play",
           checked=lambda s: s.player.playing),
    Action("stop", "Stop", "", "Stop where it is", lambda s: s.player.stop(), "stop", availability.playing),
    Action("return", "Return", "Home", "Back to where it last began, then to the start", lambda s: s.player.go_back(), "return"),
    Action("playhead-on", "Playhead one grid line on", "Ctrl+Right", "To the next line of the grid", lambda s: display.step_playhead(s, 1), apart=True),
    Action("playhead-back", "Playhead one grid line back", "Ctrl+Left", "To the line of the grid before", lambda s: display.step_playhead(s, -1)),
    Action("playhead-bar-on", "Playhead one bar on", "Ctrl+Shift+Right", "To the next bar line", lambda s: display.step_playhead(s, 1, True)),
    Action("playhead-bar-back", "Playhead one bar back", "Ctrl+Shift+Left", "To the bar line before", lambda s: display.step_playhead(s, -1, True)),
    Action("loop", "Loop", "L", "Repeat the selected span, or all when none is selected",
           lambda s: s.player.set_looping(not s.player.looping), "loop", checked=lambda s: s.player.looping),
    Action("record", "Record a pass", "Ctrl+Space", "Over the armed lanes, in the chosen mode; again ends it", lambda s: s.recorder.begin(), "record",
           checked=lambda s: s.recorder.recording, apart=True),
    Action("arm", "Arm the lane", "E", "A pass writes it; arms no other", lambda s: lanes.arm(s.session), refused=availability.lane,
           checked=lambda s: s.session.focus.id in s.session.passes.armed),
    Action("disarm-all", "Disarm all lanes", "Shift+E", "No pass writes anything", lambda s: s.session.passes.disarm_all(), refused=availability.armed),
    Action("play-selection", "Play the selection", "Shift+Space", "In a loop, from the chosen lead before it", lambda s: s.player.play_selection(), refused=availability.any_span, apart=True),
    Action("metronome", "Metronome", "Shift+M", "A click on every beat", lambda s: monitoring.toggle_metronome(s.session),
           checked=lambda s: s.session.hearing.listening.metronome),
    Action("mute", "Mute the track", "M", "The track whose dials are shown", lambda s: devices.mute_track(s.session, chosen.shown_track(s.session)), refused=availability.device,
           checked=lambda s: not availability.device(s) and chosen.shown_track(s.session).muted),
    Action("solo", "Solo the track", "S", "The track whose dials are shown, and others soloed", lambda s: devices.solo_track(s.session, chosen.shown_track(s.session)), refused=availability.device,
           checked=lambda s: not availability.device(s) and chosen.shown_track(s.session).id in s.session.hearing.listening.solo),
    Action("solo-safe", "Safe from solo", "", "The track is heard whatever else is soloed", lambda s: devices.safe_track(s.session, chosen.shown_track(s.session)), refused=availability.device,
           checked=lambda s: not availability.device(s) and chosen.shown_track(s.session).solo_safe),
    Action("hear-alone", "Only this lane moves", "W", "All other controls stay at their present values", lambda s: monitoring.hear_alone(s.session), refused=availability.lane,
           checked=lambda s: s.session.hearing.listening.alone is not None),
    Action("beside", "Take part beside others", "", "Through JACK or PipeWire: in time with them, sound and messages at their frame", lambda s: s.beside.switch(not s.beside.on),
           checked=lambda s: s.beside.on, apart=True),
    Action("all-off", "All notes off", "Ctrl+.", "On every port and channel, and all sound", lambda s: s.beside.panic()),
    Action("keep-version", "Keep this version", "Ctrl+Shift+K", "To compare later ones with", monitoring.keep_version, apart=True),
    Action("bring-back", "Bring the kept version back", "", "In the project's place, as one step", lambda s: monitoring.bring_back(s.session), refused=availability.kept),
    Action("compare", "Compare", "X", "Hear the kept version, or without automation when none is kept, and back", lambda s: monitoring.switch_compare(s.session),
           checked=lambda s: bool(s.session.hearing.comparing)),
    Action("compare-bypass", "Without automation", "Shift+X", "Hear the project without automation, and back", lambda s: monitoring.switch_bypass(s.session),
           checked=lambda s: s.session.hearing.comparing == "bypass"),
)  # fmt: skip
