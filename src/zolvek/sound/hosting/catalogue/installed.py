# SPDX-License-Identifier: GPL-3.0-or-later
"""The list of installed plugins, kept between starts, and the one map from a plugin's id to the bundle that it is
loaded from. Only bundles that have changed are read again."""

from __future__ import annotations

import contextlib
from pathlib import Path

import msgspec

from zolvek.core.errors import Failure, ZolvekError, one_line
from zolvek.core.model.project import Project
from zolvek.sound.hosting.catalogue.hosts import HOSTS, bundle_at, host
from zolvek.sound.hosting.catalogue.scan import Progress, ScanRecord, by_name, read, scanned
from zolvek.sound.hosting.plugin import plugin_folders
from zolvek.sound.hosting.plugin.plugin_entry import PluginEntry
from zolvek.sound.hosting.plugin.plugin_ids import format_of
from zolvek.storage import folders
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

VERSION = 5
HOW_TO_ADD = "Install it, or add its folder with Add plugin ▸ From a folder, or `zolvek plugins --add`."


class Cache(msgspec.Struct):
    version: int
    bundles: dict[str, ScanRecord]


def _file() -> Path:
    return folders.cache() / "plugins.json"


def _load() -> dict[str, ScanRecord]:
    try:
        cache = msgspec.json.decode(read_bytes(_file()), type=Cache)
    except (ZolvekError, msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        return {}
    return cache.bundles if cache.version == VERSION else {}


def look(progress: Progress | None = None, again: bool = False) -> tuple[dict[str, ScanRecord], list[Failure]]:
    """What is in each bundle that plugins may be loaded from; and what keeps a whole standard from being hosted
    here, such as lilv missing from the system. `again`: those that could not be read are tried once more."""
    kept = _load()
    known = {name: record for name, record in kept.items() if not (again and _has_fault(record))}
    now, faults = scanned(known, progress, plugin_folders.added())
    if now != kept:
        with contextlib.suppress(ZolvekError, OSError):  # it only costs the memory of it
            folders.made(_file().parent, "cache")
            write_bytes(_file(), msgspec.json.encode(Cache(VERSION, now)))
    return now, faults


def _has_fault(record: ScanRecord) -> bool:
    return any(plugin.fault for plugin in record.plugins)


def installed(progress: Progress | None = None, again: bool = False) -> tuple[list[PluginEntry], list[Failure]]:
    """All plugins, by name; those that can't be used with the reason."""
    now, faults = look(progress, again)
    return by_name(now), faults


def allowed(bundle: Path) -> bool:
    """Whether plugins may be loaded from a bundle: it lies in a folder of its standard, or was added by hand."""
    if bundle in plugin_folders.added():
        return True
    return any(
        host(plugin_format).is_bundle(bundle) and any(root in bundle.parents for root in host(plugin_format).roots())
        for plugin_format in HOSTS
    )


_bundles: dict[str, Path] = {}  # where plugins were found in this process


def bundle_of(uri: str, expected: str = "") -> Path:
    """The bundle that the plugin of an id is loaded from, by the list alone. Raises Failure where it is not
    installed here; `expected`: where a project had it, which is said and nothing else."""
    if uri not in _bundles:
        bundle = _listed(_load(), uri)
        if bundle is None:
            now, _ = look()
            bundle = _listed(now, uri)
        if bundle is None:
            where = f"{uri}, expected in {shortened(expected)}" if expected else uri
            raise Failure("The plugin is not installed here.", where, HOW_TO_ADD)
        _bundles[uri] = bundle
    return _bundles[uri]


def shortened(text: str, most: int = 160) -> str:
    """A text of others as a message can hold it: on one line, its middle left out where it is long."""
    line = one_line(text)
    return line if len(line) <= most else f"{line[: most // 2]}…{line[-most // 2 :]}"


def missing(project: Project) -> list[tuple[str, str]]:
    """The devices whose plugins are not installed here: their ids, and why."""
    result = []
    for track in project.tracks:
        for device in track.devices:
            plugin = device.row.plugin
            if plugin is not None:
                try:
                    bundle_of(plugin.uri, plugin.path)
                except ZolvekError as error:
                    result.append((device.id, str(error)))
    return result


def _listed(bundles: dict[str, ScanRecord], uri: str) -> Path | None:
    for name, this_bundle in bundles.items():
        if any(plugin.id == uri and not plugin.fault for plugin in this_bundle.plugins):
            bundle = Path(name)
            plugin_format = host(format_of(uri))
            if (
                plugin_format.is_bundle(bundle)
                and allowed(bundle)
                and plugin_format.stamp(bundle) == tuple(this_bundle.stamp)
            ):
                return bundle
    return None


def preset_bundles(uri: str) -> list[Path]:
    """The bundles that hold presets for a plugin, its own first."""
    own = bundle_of(uri)
    others = [Path(name) for name, kept in _load().items() if uri in kept.presets_for]
    return [own, *(bundle for bundle in others if bundle != own and allowed(bundle))]


def found(uri: str) -> PluginEntry:
    """The installed plugin of an id, or the one in a bundle of the list; of several there, the one that is named
    after a "#". Raises ZolvekError where there is none that can be used."""
    every, faults = installed()
    plugin = next((item for item in every if item.id == uri), None)
    path, _, name = uri.partition("#")
    if plugin is None and Path(path).exists():
        plugin = _in_bundle(every, Path(path), name)
    if plugin is None:
        raise (
            faults[0]
            if faults and not every
            else Failure("The plugin is not installed here.", uri, "`zolvek plugins` lists those that are.")
        )
    if plugin.fault:
        raise ZolvekError("The plugin can't be used.", plugin.name, plugin.fault)
    return plugin


def _in_bundle(every: list[PluginEntry], path: Path, name: str) -> PluginEntry:
    _, bundle = bundle_at(path)
    inside = [item for item in every if Path(item.path).resolve() == bundle.resolve()]
    if not inside:
        raise ZolvekError(
            "This bundle is not in your plugin folders.",
            str(path),
            f"If you trust it, add it first: `zolvek plugins --add {path}`.",
        )
    plugin = next((item for item in inside if item.name == name), None)
    if plugin is None and len(inside) > 1:
        names = ", ".join(item.name for item in inside)
        raise ZolvekError("It has several plugins.", str(path), f"Add one of them after a #: {names}.")
    return plugin or inside[0]


def add(progress: Progress, path: str) -> list[PluginEntry]:
    """Allow the bundle that a person picks, and list it; as a job of a process in the background. Raises
    ZolvekError for what is not one, or holds no plugin."""
    plugin_format, bundle = bundle_at(Path(path).absolute())
    [(_, contents)] = read([bundle.resolve()], plugin_format)
    if not contents.plugins:
        raise ZolvekError("It has no plugins.", path, "Choose another one.")
    plugin_folders.add(bundle)
    look(progress)
    return contents.plugins
