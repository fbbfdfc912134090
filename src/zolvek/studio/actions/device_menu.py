"""The Device menu."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import controls, devices, monitoring, names, plugins
from zolvek.studio.services.context import Studio
from zolvek.studio.session import chosen


def _hear_state(number: int) -> Callable[[Studio], None]:
    return lambda studio: devices.hear_state(studio.session, number)


ACTIONS: tuple[Action, ...] = (
    Action("add-track", "Add a track…", "", "A track with a channel strip", lambda s: devices.add_track(s.session, s.ask, False)),
    Action("add-return", "Add a send track…", "", "A track that plays what the sends of others carry", lambda s: devices.add_track(s.session, s.ask, True)),
    Action("remove-track", "Remove the track…", "", "With its devices and lanes; the count is told first", lambda s: devices.remove_track(s.session, s.ask), refused=availability.device),
    Action("rename-track", "Rename the track", "", "Where its name stands in the index", lambda s: s.show.rename(chosen.shown_track(s.session).id, None), refused=availability.device, apart=True),
    Action("double-track", "Duplicate the track", "", "With its devices, lanes, notes and sound", lambda s: names.double_track(s.session), refused=availability.device),
    Action("track-up", "Track up", "", "Among all tracks; or drag it in the index", lambda s: names.step_track(s.session, -1), refused=availability.device),
    Action("track-down", "Track down", "", "Among all tracks; or drag it in the index", lambda s: names.step_track(s.session, 1), refused=availability.device),
    Action("track-colour", "Another colour for the track", "", "On its strip", lambda s: names.colour_track(s.session), refused=availability.device),
    Action("copy-automation", "Copy the track's automation…", "", "To the like-named parameters of another track", names.copy_automation, refused=availability.device),
    Action("add-plugin", "Add a plugin…", "Ctrl+Shift+P", "One of the LV2 and VST3 plugins that are installed, or of a folder", plugins.add, refused=availability.device, apart=True),
    Action("plugin-window", "The plugin's own window", "Alt+W", "What is moved there comes up as touched; again closes it", plugins.own_window, refused=availability.own_window,
           checked=lambda s: s.session.shown.device in s.plugin_windows.open),
    Action("side-chain", "Side-chain…", "", "The track that the plugin's second input listens to", plugins.side_chain, refused=availability.side_chain),
    Action("plugin-again", "Try the plugin again", "", "It brought the sound process down, and sound goes past it", plugins.try_again, refused=availability.left_out),
    Action("describe-device", "Add a device from a description…", "", "A plugin you own, described in a file", lambda s: s.media.import_device(), refused=availability.device),
    Action("write-device", "Write the device's description…", "", "As a start for a description of your own", lambda s: s.media.export_device(), refused=availability.device),
    Action("dial-type", "Type the control's value…", "", "The value it has by itself, in its unit", lambda s: controls.type_control(s.session, s.ask), refused=availability.control, apart=True),
    Action("dial-default", "The control's usual value", "", "As it comes", lambda s: controls.to_default(s.session), refused=availability.control),
    Action("device-up", "Earlier in the chain", "Alt+Up", "The device whose dials are shown", lambda s: devices.move_device(s.session, -1), refused=availability.device, apart=True),
    Action("device-down", "Later in the chain", "Alt+Down", "The device whose dials are shown", lambda s: devices.move_device(s.session, 1), refused=availability.device),
    Action("rename-device", "Rename the device", "", "Where its name stands in the index", lambda s: s.show.rename(None, chosen.chosen_device(s.session).id), refused=availability.device),
    Action("double-device", "Duplicate the device", "", "With its lanes and states, right after itself", lambda s: names.double_device(s.session), refused=availability.device),
    Action("device-track", "Move the device to another track…", "", "With its lanes; or drag it in the index", names.device_to, refused=availability.device),
    Action("bypass-device", "Bypass the device", "Alt+Y", "Sound goes past it", lambda s: devices.bypass_device(s.session), refused=availability.device,
           checked=lambda s: not availability.device(s) and chosen.chosen_device(s.session).bypassed),
    Action("remove-device", "Remove the device…", "", "Its lanes go with it; which, is told first", lambda s: devices.remove_device(s.session, s.ask), refused=availability.device),
    Action("learn-favourites", "Learn favourites", "", "Touched controls are shown first from now on", lambda s: monitoring.learn(s, "favourites"),
           checked=lambda s: s.session.passes.learning == "favourites", apart=True),
    Action("learn-controls", "Learn a control", "Ctrl+L", "Move a control of the controller and touch the dial that it shall move", lambda s: monitoring.learn(s, "controls"),
           checked=lambda s: s.session.passes.learning == "controls"),
    *(
        Action(f"hear-state-{n}", f"Hear variation {n}", f"Ctrl+{n}", "The controls at one of the last three states kept",
               _hear_state(n - 1), refused=availability.device, apart=n == 1)
        for n in (1, 2, 3)
    ),
)  # fmt: skip
