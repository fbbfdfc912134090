# SPDX-License-Identifier: GPL-3.0-or-later
"""The list of plugins for a window: what is installed, and what a project's plugins have become."""

from __future__ import annotations

import time

import msgspec

from zolvek.core.edits.plugins import changes
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.sound.hosting.catalogue import installed
from zolvek.sound.hosting.catalogue.scan import Progress
from zolvek.sound.hosting.plugin.plugin_entry import PluginEntry
from zolvek.sound.jobs.plugin_description import describe_in_process

SOON_S = 0.3  # after which what was found is listed


class PluginListing(msgspec.Struct):
    """What is installed; and what plugins of a project that are, but not as it knows them, have changed:
    a name and the changes each. `faults`: what keeps a standard from being hosted."""

    found: list[PluginEntry]
    changed: list[tuple[str, list[str]]]
    faults: list[str] = []


def job(progress: Progress, hosted: tuple[DeviceKind, ...] = ()) -> PluginListing:
    """As a job of a process in the background; `hosted`: the plugins of its project, each described in a process
    of its own, so that one that breaks doesn't take the list away."""
    waiting: list[PluginEntry] = []
    said = time.monotonic()

    def list_soon(done: int, total: int, found: list[PluginEntry]) -> None:
        nonlocal said
        waiting.extend(found)
        if time.monotonic() > said + SOON_S or done == total:
            progress(done, total, waiting[:])
            waiting.clear()
            said = time.monotonic()

    every, faults = installed.installed(list_soon)
    there = {item.id for item in every if not item.fault}
    differing = []
    for kind in hosted:
        plugin = kind.plugin
        if plugin is None or plugin.uri not in there:
            continue
        try:
            different = changes(kind, describe_in_process(plugin.uri))
        except Failure as error:
            different = [error.what]
        except ZolvekError as error:
            different = [f"It can't be described: {error.what}"]
        if different:
            differing.append((kind.name, different))
    return PluginListing(every, differing, [f"{each.what} {each.remedy}" for each in faults])
