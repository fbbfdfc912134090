"""The list of installed plugins, kept between starts: only bundles that have changed are read again."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

import msgspec

from zolvek.core.document.hosted import changes
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DeviceKind
from zolvek.formats import folders
from zolvek.formats.atomic import read_bytes, write_bytes
from zolvek.sound.lv2.scan import Found, Kept, by_name, scanned
from zolvek.sound.lv2.world import described

VERSION = 1
Progress = Callable[[int, int], object]


class Cache(msgspec.Struct):
    version: int
    bundles: dict[str, Kept]


def _file() -> Path:
    return folders.cache() / "plugins.json"


def _load() -> dict[str, Kept]:
    try:
        cache = msgspec.json.decode(read_bytes(_file()), type=Cache)
    except (ZolvekError, msgspec.DecodeError, UnicodeDecodeError):
        return {}
    return cache.bundles if cache.version == VERSION else {}


def installed(progress: Progress | None = None) -> list[Found]:
    """All plugins, by name; those that can't be used with the reason. Raises Failure where the system has
    no lilv."""
    kept = _load()
    now = scanned(kept, progress)
    if now != kept:
        with contextlib.suppress(ZolvekError, OSError):  # it only costs the memory of it
            _file().parent.mkdir(parents=True, exist_ok=True)
            write_bytes(_file(), msgspec.json.encode(Cache(VERSION, now)))
    return by_name(now)


class Listed(msgspec.Struct):
    """What is installed; and what plugins of a project that are, but not as it knows them, have changed:
    a name and the changes each."""

    found: list[Found]
    changed: list[tuple[str, list[str]]]


def job(progress: Progress, hosted: tuple[DeviceKind, ...] = ()) -> Listed:
    """As a job of a process beside the window; `hosted`: the plugins of its project."""
    found = installed(progress)
    usable = {each.id for each in found if not each.fault}
    told = []
    for kind in hosted:
        if kind.plugin is not None and kind.plugin.uri in usable:
            different = changes(kind, described(kind.plugin.uri))
            if different:
                told.append((kind.name, different))
    return Listed(found, told)
