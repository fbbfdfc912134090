# SPDX-License-Identifier: GPL-3.0-or-later
"""A plugin's favourite controls, kept for every project: a new device of it begins with them."""

from __future__ import annotations

from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Device
from zolvek.studio.session.settings import MOST_LISTED, PluginSettings


def keep(settings: PluginSettings, device: Device) -> None:
    """Remember the favourites of a hosted plugin in place of those it had."""
    plugin = device.row.plugin
    if plugin is not None:
        own = [f"{plugin.uri}\t{plugin.ports[key].symbol}" for key in device.favourites if key in plugin.ports]
        others = [item for item in settings.favourite_controls if item.partition("\t")[0] != plugin.uri]
        settings.favourite_controls = [*own, *others][:MOST_LISTED]


def kept(settings: PluginSettings, kind: DeviceKind) -> tuple[str, ...]:
    """The parameters of a kind that are favourites of its plugin, in their order."""
    plugin = kind.plugin
    if plugin is None:
        return ()
    keys = {f"{plugin.uri}\t{binding.symbol}": key for key, binding in plugin.ports.items()}
    return tuple(dict.fromkeys(keys[item] for item in settings.favourite_controls if item in keys))
