"""Which plugins are installed, and which of them can be used: looked for bundle by bundle, and kept until a
bundle changes."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

import msgspec

from zolvek.core.errors import ZolvekError
from zolvek.sound.lv2.world import World, bundles, describe

Progress = Callable[[int, int], object]


class Found(msgspec.Struct, frozen=True):
    """A plugin: `fault` says why it can't be used, "" where it can."""

    id: str
    name: str
    maker: str = ""
    role: str = ""
    about: str = ""
    parameters: int = 0
    fault: str = ""


class Kept(msgspec.Struct):
    """What was found in a bundle when its manifest was of this age and size."""

    stamp: tuple[int, int]
    plugins: list[Found]


def _stamp(bundle: Path) -> tuple[int, int]:
    """The newest change of its descriptions, and their size."""
    newest = size = 0
    for path in bundle.glob("*.ttl"):
        with contextlib.suppress(OSError):
            about = path.stat()
            newest, size = max(newest, about.st_mtime_ns), size + about.st_size
    return newest, size


def scanned(kept: dict[str, Kept], progress: Progress | None = None) -> dict[str, Kept]:
    """What is in each bundle there is; those that have not changed since are as they were `kept`. Raises
    Failure where the system has no lilv."""
    now = {}
    every = bundles()
    for place, bundle in enumerate(every):
        stamp = _stamp(bundle)
        old = kept.get(str(bundle))
        same = old is not None and tuple(old.stamp) == stamp
        now[str(bundle)] = old if same and old else Kept(stamp, _in_bundle(bundle))
        if progress is not None:
            progress(place + 1, len(every))
    return now


def by_name(now: dict[str, Kept]) -> list[Found]:
    """All plugins, each once, by name."""
    found = {each.id: each for own in now.values() for each in own.plugins}
    return sorted(found.values(), key=lambda each: each.name.casefold())


def _in_bundle(bundle: Path) -> list[Found]:
    world = World([bundle])
    found = []
    for plugin in world.plugins():
        uri = world.uri_of(plugin)
        name = world.text(world.lib.lilv_plugin_get_name(plugin), free=True) or uri
        try:
            kind = describe(world, plugin)
        except ZolvekError as error:
            found.append(Found(uri, name, fault=error.what))
            continue
        assert kind.plugin is not None
        found.append(
            Found(uri, name, kind.plugin.maker, kind.role, kind.about, len(kind.plugin.ports))
        )
    world.lib.lilv_world_free(world.made)
    return found
