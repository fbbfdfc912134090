"""The Device menu."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.studio.actions import needs
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import controls, devices, listening, naming, plugins
from zolvek.studio.context import Studio


def _hear_state(number: int) -> Callable[[Studio], None]:
    return lambda studio: devices.hear_state(studio.session, number)


ACTIONS: tuple[Action, ...] = (
    Action("add-track", "Add a track…", "", "A track with a channel strip", lambda s: devices.add_track(s.session, s.ask, False)),
    Action("add-return", "Add a send track…", "", "A track that plays what the sends of others carry", lambda s: devices.add_track(s.session, s.ask, True)),
    Action("remove-track", "Remove the track…", "", "With its devices and lanes; the count is told first", lambda s: devices.remove_track(s.session, s.ask), refused=needs.device),
    Action("rename-track", "Rename the track", "", "Where its name stands in the index", lambda s: s.show.rename(devices.shown_track(s.session).id, None), refused=needs.device, apart=True),
    Action("double-track", "Duplicate the track", "", "With its devices, lanes, notes and sound", lambda s: naming.double_track(s.session), refused=needs.device),
    Action("track-up", "Track up", "", "Among all tracks; or drag it in the index", lambda s: naming.step_track(s.session, -1), refused=needs.device),
    Action("track-down", "Track down", "", "Among all tracks; or drag it in the index", lambda s: naming.step_track(s.session, 1), refused=needs.device),
    Action("track-colour", "Another colour for the track", "", "On its strip", lambda s: naming.colour_track(s.session), refused=needs.device),
    Action("copy-automation", "Copy the track's automation…", "", "To the like-named parameters of another track", naming.copy_automation, refused=needs.device),
    Action("add-plugin", "Add a plugin…", "Ctrl+Shift+P", "One of the LV2 and VST3 plugins that are installed, or of a folder", plugins.add, refused=needs.device, apart=True),
    Action("plugin-window", "The plugin's own window", "Alt+W", "What is moved there comes up as touched; again closes it", plugins.own_window, refused=needs.own_window,
           checked=lambda s: s.session.shown.device in s.plugin_windows.open),
    Action("side-chain", "Side-chain…", "", "The track that the plugin's second input listens to", plugins.side_chain, refused=needs.side_chain),
    Action("plugin-again", "Try the plugin again", "", "It brought the sound process down, and sound goes past it", plugins.try_again, refused=needs.left_out),
    Action("describe-device", "Add a device from a description…", "", "A plugin you own, described in a file", lambda s: s.media.import_device(), refused=needs.device),
    Action("write-device", "Write the device's description…", "", "As a start for a description of your own", lambda s: s.media.export_device(), refused=needs.device),
    Action("dial-type", "Type the control's value…", "", "The value it has by itself, in its unit", lambda s: controls.type_control(s.session, s.ask), refused=needs.control, apart=True),
    Action("dial-default", "The control's usual value", "", "As it comes", lambda s: controls.to_default(s.session), refused=needs.control),
    Action("device-up", "Earlier in the chain", "Alt+Up", "The device whose dials are shown", lambda s: devices.move_device(s.session, -1), refused=needs.device, apart=True),
    Action("device-down", "Later in the chain", "Alt+Down", "The device whose dials are shown", lambda s: devices.move_device(s.session, 1), refused=needs.device),
    Action("rename-device", "Rename the device", "", "Where its name stands in the index", lambda s: s.show.rename(None, devices.chosen_device(s.session).id), refused=needs.device),
    Action("double-device", "Duplicate the device", "", "With its lanes and states, right after itself", lambda s: naming.double_device(s.session), refused=needs.device),
    Action("device-track", "Move the device to another track…", "", "With its lanes; or drag it in the index", naming.device_to, refused=needs.device),
    Action("bypass-device", "Bypass the device", "Alt+Y", "Sound goes past it", lambda s: devices.bypass_device(s.session), refused=needs.device,
           checked=lambda s: not needs.device(s) and devices.chosen_device(s.session).bypassed),
    Action("remove-device", "Remove the device…", "", "Its lanes go with it; which, is told first", lambda s: devices.remove_device(s.session, s.ask), refused=needs.device),
    Action("learn-favourites", "Learn favourites", "", "Touched controls are shown first from now on", lambda s: listening.learn(s, "favourites"),
           checked=lambda s: s.session.passes.learning == "favourites", apart=True),
    Action("learn-controls", "Learn a control", "Ctrl+L", "Move a control of the controller and touch the dial that it shall move", lambda s: listening.learn(s, "controls"),
           checked=lambda s: s.session.passes.learning == "controls"),
    *(
        Action(f"hear-state-{n}", f"Hear variation {n}", f"Ctrl+{n}", "The controls at one of the last three states kept",
               _hear_state(n - 1), refused=needs.device, apart=n == 1)
        for n in (1, 2, 3)
    ),
)  # fmt: skip
