# SPDX-License-Identifier: GPL-3.0-or-later
"""Plugins by their id: described, and made to sound. Where one is loaded from, the list of installed ones says,
never what a project or a preset names."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.core.edits.plugins import MOST_STATES
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Device
from zolvek.sound.hosting.catalogue import installed
from zolvek.sound.hosting.catalogue.hosts import host
from zolvek.sound.hosting.plugin import work_mark
from zolvek.sound.hosting.plugin.plugin_ids import format_of
from zolvek.sound.signal.device_unit import Unit

Positions = dict[str, dict[str, float]]  # of parameters, by preset


def described(uri: str) -> DeviceKind:
    """The kind of an installed plugin. Raises ZolvekError where it can't be used."""
    return host(format_of(uri)).described(uri, installed.bundle_of(uri))


def kind_of(uri: str) -> DeviceKind:
    """The same with its presets."""
    bundle, *others = installed.preset_bundles(uri)
    return host(format_of(uri)).kind_of(uri, bundle, tuple(others))


def unit(device: Device, rate: int) -> Unit:
    """The plugin at work. Raises ZolvekError where it can't be started."""
    plugin = device.row.plugin
    assert plugin is not None
    plugin_format = host(plugin.format)
    if format_of(plugin.uri) != plugin.format:
        raise ZolvekError("The plugin's id does not fit its format.", plugin.uri, "Add it again.")
    bundle = installed.bundle_of(plugin.uri, plugin.path)
    with work_mark.phase(device.id, work_mark.STARTING):
        return plugin_format.unit(device, rate, bundle)


def job(progress: Callable[[int, int], object], uri: str) -> tuple[DeviceKind, Positions]:
    """`kind_of`, as a job of a process in the background; and where the presets that become states have its
    parameters, which takes long where both are many."""
    kind = kind_of(uri)
    return kind, {preset.name: kind.named(preset.name) for preset in kind.presets[:MOST_STATES]}
