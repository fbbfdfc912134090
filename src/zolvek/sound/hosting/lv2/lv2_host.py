# SPDX-License-Identifier: GPL-3.0-or-later
"""LV2 as one of the hosted standards."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.plugin import fitted
from zolvek.core.model.project import Device
from zolvek.formats.audio.streams import opened, path_of
from zolvek.sound.hosting.lv2.lv2_description import describe, described
from zolvek.sound.hosting.lv2.lv2_folders import bundles, is_bundle, roots
from zolvek.sound.hosting.lv2.lv2_limits import left_out
from zolvek.sound.hosting.lv2.lv2_presets import kind_of
from zolvek.sound.hosting.lv2.lv2_world import World
from zolvek.sound.hosting.plugin.control_events import BLOCK_FRAMES, defaults
from zolvek.sound.hosting.plugin.plugin_entry import Contents, PluginEntry
from zolvek.sound.hosting.plugin.plugin_unit import HostedUnit
from zolvek.sound.signal.device_unit import Unit

__all__ = [
    "bare",
    "bundles",
    "described",
    "is_bundle",
    "kind_of",
    "restored",
    "roots",
    "stamp",
    "unit",
    "within",
]


def stamp(bundle: Path) -> tuple[int, int]:
    """The newest change of its descriptions, and their size."""
    newest = size = 0
    for path in bundle.glob("*.ttl"):
        with contextlib.suppress(OSError):
            about = path.stat()
            newest, size = max(newest, about.st_mtime_ns), size + about.st_size
    return newest, size


def within(bundle: Path) -> Contents:
    """No code of the plugins is run."""
    world = World([bundle])
    plugin_entries = []
    for plugin in world.plugins():
        uri = world.uri_of(plugin)
        name = world.text(world.lib.lilv_plugin_get_name(plugin), free=True) or uri
        try:
            kind = describe(world, plugin)
        except ZolvekError as error:
            plugin_entries.append(PluginEntry(uri, name, fault=error.what, path=str(bundle)))
            continue
        assert kind.plugin is not None
        this_plugin, count = kind.plugin, len(kind.plugin.ports)
        missed = left_out(world, plugin, this_plugin)
        entry = PluginEntry(uri, name, this_plugin.maker, kind.role, kind.about, count, "", str(bundle), missed)
        plugin_entries.append(entry)
    presets_for = world.presets_for()
    world.lib.lilv_world_free(world.made)
    return Contents(plugin_entries, presets_for)


def unit(device: Device, rate: int, bundle: Path) -> Unit:
    """A plugin at work. Raises ZolvekError if it can't be used."""
    from zolvek.sound.hosting.lv2.lv2_instance import Instance

    this_plugin = device.row.plugin
    assert this_plugin is not None
    there = described(this_plugin.uri, bundle)
    assert there.plugin is not None
    plugin = fitted(this_plugin, there.plugin)

    taken = there.plugin.files
    files = {key: str(path_of(path)) for key, path in device.files.items() if key in taken and _is_sound(path)}

    def make() -> Instance:
        instance = Instance(plugin, bundle, rate, device.id, device.state, files)
        instance.set(defaults(there, rate))
        return instance

    return HostedUnit(device, there, plugin, rate, make)


def _is_sound(path: str) -> bool:
    """Whether a file is one that can be read as sound: no other is shown to a plugin."""
    try:
        opened(path).close()
    except ZolvekError:
        return False
    return True


def restored(kind: DeviceKind, rate: int) -> tuple[str, str]:
    """The state of one instance, and of another that was given it."""
    from zolvek.sound.hosting.lv2.lv2_instance import Instance

    assert kind.plugin is not None
    bundle = Path(kind.plugin.path)
    values = defaults(kind, rate)
    first = Instance(kind.plugin, bundle, rate)
    first.begin(values)
    second = Instance(kind.plugin, bundle, rate, "", first.state)
    second.begin(values)
    return first.state, second.state


def bare(kind: DeviceKind, rate: int) -> Callable[[], object]:
    """A run of BLOCK_FRAMES frames without anything of ours."""
    from zolvek.sound.hosting.lv2.lv2_instance import Instance

    assert kind.plugin is not None
    instance = Instance(kind.plugin, Path(kind.plugin.path), rate)
    instance.begin(defaults(kind, rate))
    return lambda: instance.run_(instance.handle, BLOCK_FRAMES)
