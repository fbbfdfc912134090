# SPDX-License-Identifier: GPL-3.0-or-later
"""Hosted plugins: added, shown by their own windows, listening to other tracks, run again after they brought the
sound process down."""

from __future__ import annotations

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


def own_window(studio: Studio) -> None:
    """Show the shown device's own window, or close it."""
    studio.plugin_windows.toggle(chosen_device(studio.session))


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
