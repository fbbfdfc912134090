"""Hosted plugins: added, and run again after they brought the sound process down."""

from __future__ import annotations

from zolvek.studio.commands.devices import chosen_device
from zolvek.studio.context import Studio


def add(studio: Studio) -> None:
    """Ask which of the installed ones, and put it on the shown track."""
    from zolvek.studio.plugin_dialog import PluginDialog

    dialog = studio.ask.filled(lambda over: PluginDialog(studio.plugins, over))
    if dialog is not None and dialog.chosen is not None:
        studio.plugins.add(*dialog.chosen)


def try_again(studio: Studio) -> None:
    device = chosen_device(studio.session)
    studio.player.ready().try_again(device.id)
    studio.session.notices.say(f"{device.name} is run again.")
