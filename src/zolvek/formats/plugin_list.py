"""The list of installed plugins, kept between starts: only bundles that have changed are read again."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

import msgspec

from zolvek.core.document.hosted import changes
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.catalogue import DeviceKind
from zolvek.formats import folders
from zolvek.formats.atomic import read_bytes, write_bytes
from zolvek.sound.hosting.found import Found
from zolvek.sound.hosting.hosts import bundle_at, described, host
from zolvek.sound.hosting.scan import Kept, by_name, scanned

VERSION = 2
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


def installed(
    progress: Progress | None = None, beside: tuple[str, ...] = ()
) -> tuple[list[Found], list[Failure]]:
    """All plugins, by name, those in the bundles `beside` the search path too; those that can't be used with
    the reason. And what keeps a whole standard from
    being hosted here, such as lilv missing from the system."""
    kept = _load()
    now, faults = scanned(kept, progress, beside)
    if now != kept:
        with contextlib.suppress(ZolvekError, OSError):  # it only costs the memory of it
            _file().parent.mkdir(parents=True, exist_ok=True)
            write_bytes(_file(), msgspec.json.encode(Cache(VERSION, now)))
    return by_name(now), faults


def found(uri: str) -> Found:
    """The installed plugin of an id, or the one in a file or folder; of several there, the one that is named
    after a "#". Raises ZolvekError where there is none that can be used."""
    path, _, name = uri.partition("#")
    if Path(path).exists():
        inside = in_file(lambda done, total: None, path)
        own = next((each for each in inside if each.name == name), None)
        if own is None and len(inside) > 1:
            names = ", ".join(each.name for each in inside)
            raise ZolvekError("Several plugins are in it.", path, f"Write one of them after a #: {names}.")  # fmt: skip
        own = own or inside[0]
        return _usable(own)
    every, faults = installed()
    own = next((each for each in every if each.id == uri), None)
    if own is None:
        raise faults[0] if faults and not every else ZolvekError(
            "The plugin is not installed.", uri, "`zolvek plugins` lists those that are."
        )  # fmt: skip
    return _usable(own)


def _usable(own: Found) -> Found:
    if own.fault:
        raise ZolvekError("The plugin can't be used.", own.name, own.fault)
    return own


def in_file(progress: Progress, path: str) -> list[Found]:
    """The plugins of a file or folder that a person picks, as a job of a process beside the window. Raises
    ZolvekError for what is none."""
    form, bundle = bundle_at(Path(path))
    every = host(form).within(bundle)  # all are in one bundle, whose path they bear
    if not every:
        raise ZolvekError("There is no plugin in it.", path, "Choose another one.")
    return every


class Listed(msgspec.Struct):
    """What is installed; and what plugins of a project that are, but not as it knows them, have changed:
    a name and the changes each. `faults`: what keeps a standard from being hosted."""

    found: list[Found]
    changed: list[tuple[str, list[str]]]
    faults: list[str] = []


def job(
    progress: Progress, hosted: tuple[DeviceKind, ...] = (), beside: tuple[str, ...] = ()
) -> Listed:
    """As a job of a process beside the window; `hosted`: the plugins of its project; `beside`: bundles that
    lie elsewhere."""
    every, faults = installed(progress, beside)
    there = {each.id: each.path for each in every if not each.fault}
    told = []
    for kind in hosted:
        own = kind.plugin
        if own is not None and own.uri in there:
            different = changes(kind, described(own.uri, there[own.uri]))
            if different:
                told.append((kind.name, different))
    return Listed(every, told, [f"{each.what} {each.remedy}" for each in faults])
