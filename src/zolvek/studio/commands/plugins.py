# SPDX-License-Identifier: GPL-3.0-or-later
"""Hosted plugins: added, shown by their own windows, listening to other tracks, run again after they brought the
sound process down."""

from __future__ import annotations

from pathlib import Path

from zolvek.core.edits import plugins
from zolvek.studio.services.context import Studio
from zolvek.studio.session.chosen import chosen_device


def add(studio: Studio) -> None:
    """Ask which of the installed ones, and put it on the shown track."""
    from zolvek.studio.toolkit.plugin_dialog import PluginDialog

    settings, ask = studio.session.settings.plugins, studio.ask
    dialog = ask.filled(lambda over: PluginDialog(studio.plugins, settings, ask.folder, over))
    if dialog is not None and dialog.chosen is not None:
        studio.plugins.add(*dialog.chosen)


def try_again(studio: Studio) -> None:
    """Run the shown device's plugin again."""
    device = chosen_device(studio.session)
    studio.player.ready().try_again(device.id)
    studio.session.notices.say(f"{device.name} runs again.")


def update(studio: Studio) -> None:
    """The shown device gets the description of its plugin as it is installed now."""
    studio.plugins.update(chosen_device(studio.session))


def own_window(studio: Studio) -> None:
    """Show the shown device's own window, or close it."""
    studio.plugin_windows.toggle(chosen_device(studio.session))


def output_tracks(studio: Studio) -> None:
    """A track for each further pair of the shown device's outputs."""
    session, device = studio.session, chosen_device(studio.session)
    project = plugins.with_output_tracks(session.project, device.id)
    count = len(project.tracks) - len(session.project.tracks)
    session.document.edit(f"{count} output track{'s' if count > 1 else ''} of {device.name}", project)
    session.notices.say(f"{count} track{'s' if count > 1 else ''} added for the further outputs of {device.name}.")


NO_FILE = "No file"


def plugin_file(studio: Studio) -> None:
    """Ask for the sound file that the shown device plays or filters by; of several, for which."""
    session, device = studio.session, chosen_device(studio.session)
    plugin = device.row.plugin
    assert plugin is not None
    names = {name[:1].upper() + name[1:]: key for key, name in plugin.files.items()}
    wanted = next(iter(names)) if len(names) == 1 else studio.ask.choose("Plugin file", f"{device.name}:", list(names))
    if wanted is None:
        return
    key, present = names[wanted], device.files.get(names[wanted])
    if present is not None:
        offered = [f"Replace {Path(present).name}…", NO_FILE]
        answer = studio.ask.choose("Plugin file", f"{wanted} of {device.name}:", offered)
        if answer is None:
            return
        if answer == NO_FILE:
            label = f"{device.name}: no {wanted.lower()}"
            session.document.edit(label, plugins.with_plugin_file(session.project, device.id, key, ""))
            return
    studio.media.plugin_file(device, key, f"{wanted} of {device.name}")


SILENCE = "Silence"


def side_chain(studio: Studio) -> None:
    """Ask which track the shown device's side-chain listens to."""
    session, device = studio.session, chosen_device(studio.session)
    track_id = session.project.device_track(device.id).id
    names = {track.name: track.id for track in session.project.tracks if track.id != track_id}
    taken = studio.ask.choose("Side-chain", f"{device.name} listens to", [SILENCE, *names])
    if taken is not None:
        project = plugins.listening(session.project, device.id, names.get(taken, ""))
        session.document.edit(f"{device.name} listens to {taken.lower() if taken == SILENCE else taken}", project)
