# SPDX-License-Identifier: GPL-3.0-or-later
"""The Device menu."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action, grouped
from zolvek.studio.commands import controls, devices, monitoring, names, plugins
from zolvek.studio.services.context import Studio
from zolvek.studio.session import chosen


def _hear_state(number: int) -> Callable[[Studio], None]:
    return lambda studio: devices.hear_state(studio.session, number)


_ROWS: tuple[Action, ...] = (
    Action("add-track", "Add track…", "", "Adds a track with a channel strip", lambda s: devices.add_track(s.session,
        s.ask, False)),
    Action("add-return", "Add send track…", "", "Adds a track that plays what other tracks send to it",
        lambda s: devices.add_track(s.session, s.ask, True)),
    Action("remove-track", "Remove track…", "", "Removes the track with its devices and lanes, after asking",
        lambda s: devices.remove_track(s.session, s.ask), refused=availability.track),
    Action("rename-track", "Rename track", "", "Edits the name in the index",
        lambda s: s.show.rename(chosen.shown_track(s.session).id, None), refused=availability.track, apart=True),
    Action("double-track", "Duplicate track", "", "Copies its devices, lanes, notes and clips",
        lambda s: names.duplicate_track(s.session), refused=availability.track),
    Action("track-up", "Move track up", "", "Moves the track in the list; or drag it in the index",
        lambda s: names.step_track(s.session, -1), refused=availability.track),
    Action("track-down", "Move track down", "", "Moves the track in the list; or drag it in the index",
        lambda s: names.step_track(s.session, 1), refused=availability.track),
    Action("track-colour", "Next track colour", "", "Gives the track row another colour",
        lambda s: names.colour_track(s.session), refused=availability.track),
    Action("copy-automation", "Copy automation to track…", "",
        "Copies the track's lanes to parameters of the same name", names.copy_automation, refused=availability.track),
    Action("add-plugin", "Add plugin…", "Ctrl+Shift+P", "Adds an installed LV2 or VST3 plugin, or one from a folder",
        plugins.add, refused=availability.track, apart=True),
    Action("plugin-window", "Plugin window", "Ctrl+E", "Opens or closes the plugin's own window", plugins.own_window,
        refused=availability.own_window,
           checked=lambda s: s.session.shown.device in s.plugin_windows.open),
    Action("side-chain", "Side-chain…", "", "Chooses the track that feeds the plugin's second input",
        plugins.side_chain, refused=availability.side_chain),
    Action("output-tracks", "Add output tracks", "", "Adds a track for each pair of the plugin's outputs beyond left "
                                                     "and right",
        plugins.output_tracks, refused=availability.further_outputs),
    Action("plugin-file", "Plugin file…", "", "Chooses the sound file that the plugin plays or filters by",
        plugins.plugin_file, refused=availability.plugin_file),
    Action("update-plugin", "Update description", "", "Takes the plugin's description as it is installed now",
        plugins.update, refused=availability.hosted),
    Action("plugin-again", "Restart device", "", "Runs it again after it crashed, or was muted as its level ran away",
        plugins.try_again, refused=availability.left_out),
    Action("describe-device", "Add device from description…", "", "Adds a device described in a file",
        lambda s: s.media.import_device(), refused=availability.track),
    Action("write-device", "Export device description…", "", "Writes the device's description as a starting point for "
                                                             "your own", lambda s: s.media.export_device(),
                                                                 refused=availability.device),
    Action("dial-type", "Set control value…", "", "Types the control's own value, in its unit",
        lambda s: controls.type_control(s.session, s.ask), refused=availability.control, apart=True),
    Action("dial-default", "Reset control to default", "", "Sets the touched control to its default",
        lambda s: controls.to_default(s.session), refused=availability.control),
    Action("device-up", "Move device up", "Alt+Up", "Moves the device in the chain",
        lambda s: devices.move_device(s.session, -1), refused=availability.device, apart=True),
    Action("device-down", "Move device down", "Alt+Down", "Moves the device in the chain",
        lambda s: devices.move_device(s.session, 1), refused=availability.device),
    Action("rename-device", "Rename device", "", "Edits the name in the index", lambda s: s.show.rename(None,
        chosen.chosen_device(s.session).id), refused=availability.device),
    Action("double-device", "Duplicate device", "", "Copies it with its lanes and states, right after itself",
        lambda s: names.double_device(s.session), refused=availability.device),
    Action("device-track", "Move device to track…", "", "Moves it with its lanes; or drag it in the index",
        names.device_to, refused=availability.device),
    Action("bypass-device", "Bypass device", "Shift+B", "Passes sound through unchanged",
        lambda s: devices.bypass_device(s.session), refused=availability.device,
           checked=lambda s: not availability.device(s) and chosen.chosen_device(s.session).bypassed),
    Action("remove-device", "Remove device…", "", "Removes the device with its lanes, after asking",
        lambda s: devices.remove_device(s.session, s.ask), refused=availability.device),
    Action("learn-favourites", "Learn favourites", "", "Adds the controls that you touch to the favourites",
        lambda s: monitoring.learn(s, "favourites"),
           checked=lambda s: s.session.passes.learning == "favourites", apart=True),
    Action("learn-controls", "Learn control", "Ctrl+L", "Move a control on the controller, then touch the dial it "
                                                        "should move", lambda s: monitoring.learn(s, "controls"),
           checked=lambda s: s.session.passes.learning == "controls"),
    *(
        Action(f"hear-state-{n}", f"Hear variation {n}", f"Ctrl+{n}", "The controls at one of the last three states "
                                                                      "kept",
               _hear_state(n - 1), refused=availability.device, apart=n == 1)
        for n in (1, 2, 3)
    ),
)  # fmt: skip
# Submenus, by id or by the beginning of one.
GROUPS = {
    "Track": (
        "add-track",
        "add-return",
        "remove-track",
        "rename-track",
        "double-track",
        "track-up",
        "track-down",
        "track-colour",
        "copy-automation",
    ),
    "Plugin": (
        "add-plugin",
        "plugin-window",
        "side-chain",
        "output-tracks",
        "plugin-file",
        "update-plugin",
        "plugin-again",
    ),
}
ACTIONS = grouped(_ROWS, GROUPS)
