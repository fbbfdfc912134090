# SPDX-License-Identifier: GPL-3.0-or-later
"""VST3 as one of the hosted standards."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.plugin import fitted
from zolvek.core.model.project import Device
from zolvek.sound.hosting.plugin.control_events import BLOCK_FRAMES, defaults
from zolvek.sound.hosting.plugin.plugin_entry import Contents, PluginEntry
from zolvek.sound.hosting.plugin.plugin_unit import HostedUnit
from zolvek.sound.hosting.vst3.vst3_instance import Instance
from zolvek.sound.hosting.vst3.vst3_library import (
    describe,
    described,
    give,
    kind_of,
    loaded,
    names_in,
    state_of,
    with_state,
)
from zolvek.sound.hosting.vst3.vst3_paths import SUFFIX, bundles, roots
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

LEFT_OUT = ("song position", "side-chain")  # the library that hosts them gives plugins neither


def is_bundle(path: Path) -> bool:
    """Whether a file or folder is a VST3 plugin."""
    return path.suffix.lower() == SUFFIX and path.exists()


def stamp(bundle: Path) -> tuple[int, int]:
    """The newest change of its binaries, and their size."""
    newest = size = 0
    for path in [bundle, *bundle.glob("Contents/*/*")]:
        try:
            about = path.stat()
        except OSError:
            continue
        newest, size = max(newest, about.st_mtime_ns), size + about.st_size
    return newest, size


def within(bundle: Path) -> Contents:
    """Loading runs the plugins' code, which may end this process."""
    from zolvek.core.errors import ZolvekError

    path, plugins = str(bundle), []
    try:
        names = names_in(path)
    except ZolvekError as error:
        return Contents([PluginEntry(f"vst3:{bundle}", bundle.stem, fault=error.what, path=path)])
    for name in names:
        try:
            kind = describe(loaded(path, name), path)
        except ZolvekError as error:
            plugins.append(PluginEntry(f"vst3:{bundle}/{name}", name, fault=error.what, path=path))
            continue
        assert kind.plugin is not None
        plugin = kind.plugin
        count = len(plugin.ports)
        entry = PluginEntry(plugin.uri, name, plugin.maker, kind.role, kind.about, count, "", path, LEFT_OUT)
        plugins.append(entry)
    return Contents(plugins)


def unit(device: Device, rate: int, bundle: Path) -> Unit:
    """A plugin at work. Raises ZolvekError if it can't be used."""
    this_plugin = device.row.plugin
    assert this_plugin is not None
    there = described(this_plugin.uri, bundle)
    assert there.plugin is not None
    plugin = fitted(this_plugin, there.plugin)

    def make() -> Instance:
        instance = Instance(plugin, there.name, rate, device.id, device.state)
        instance.set(defaults(there, rate))
        return instance

    return HostedUnit(device, there, plugin, rate, make)


def restored(kind: DeviceKind, rate: int) -> tuple[str, str]:
    """The state of one instance, and of another that was given it."""
    assert kind.plugin is not None
    first, second = (loaded(kind.plugin.path, kind.name) for _ in range(2))
    for parameter in first._parameters:
        parameter.raw_value = 0.25
    give(first, np.zeros((len(kind.plugin.outputs), BLOCK_FRAMES), np.float32), [], rate)
    text = state_of(first)
    with_state(second, text)
    return text, state_of(second)


def bare(kind: DeviceKind, rate: int) -> Callable[[], object]:
    """A run of BLOCK_FRAMES frames without anything of ours."""
    assert kind.plugin is not None
    plugin = loaded(kind.plugin.path, kind.name)
    silence = np.zeros((len(kind.plugin.outputs), BLOCK_FRAMES), np.float32)
    return lambda: give(plugin, silence, [], rate)
