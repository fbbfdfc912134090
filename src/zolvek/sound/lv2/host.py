"""LV2 as one of the hosted standards."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DeviceKind
from zolvek.core.model.plugin import fitted
from zolvek.core.model.project import Device
from zolvek.sound.hosting.driving import defaults
from zolvek.sound.hosting.found import Found
from zolvek.sound.hosting.unit import HostedUnit
from zolvek.sound.lv2.world import World, bundles, describe, described, kind_of
from zolvek.sound.unit import Unit

__all__ = [
    "bare",
    "bundles",
    "described",
    "is_bundle",
    "kind_of",
    "restored",
    "stamp",
    "unit",
    "within",
]


def is_bundle(path: Path) -> bool:
    return (path / "manifest.ttl").is_file()


def stamp(bundle: Path) -> tuple[int, int]:
    """The newest change of its descriptions, and their size."""
    newest = size = 0
    for path in bundle.glob("*.ttl"):
        with contextlib.suppress(OSError):
            about = path.stat()
            newest, size = max(newest, about.st_mtime_ns), size + about.st_size
    return newest, size


def within(bundle: Path) -> list[Found]:
    """No code of the plugins is run."""
    world = World([bundle])
    found = []
    for plugin in world.plugins():
        uri = world.uri_of(plugin)
        name = world.text(world.lib.lilv_plugin_get_name(plugin), free=True) or uri
        try:
            kind = describe(world, plugin)
        except ZolvekError as error:
            found.append(Found(uri, name, fault=error.what, path=str(bundle)))
            continue
        assert kind.plugin is not None
        own, count = kind.plugin, len(kind.plugin.ports)
        found.append(Found(uri, name, own.maker, kind.role, kind.about, count, "", str(bundle)))
    world.lib.lilv_world_free(world.made)
    return found


def unit(device: Device, rate: int) -> Unit:
    from zolvek.sound.lv2.instance import Instance

    own = device.row.plugin
    assert own is not None
    there = described(own.uri, own.path)
    assert there.plugin is not None
    plugin = fitted(own, there.plugin)

    def make() -> Instance:
        made = Instance(plugin, rate, device.id, device.state)
        made.set(defaults(there, rate))
        return made

    return HostedUnit(device, there, plugin, rate, make)


def restored(kind: DeviceKind, rate: int) -> tuple[str, str]:
    from zolvek.sound.lv2.instance import Instance

    assert kind.plugin is not None
    first = Instance(kind.plugin, rate)
    second = Instance(kind.plugin, rate, "", first.state)
    return first.state, second.state


def bare(kind: DeviceKind, rate: int) -> Callable[[], object]:
    from zolvek.sound.lv2.instance import BLOCK, Instance

    assert kind.plugin is not None
    instance = Instance(kind.plugin, rate)
    return lambda: instance.run_(instance.handle, BLOCK)
