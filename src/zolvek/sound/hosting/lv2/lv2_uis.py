# SPDX-License-Identifier: GPL-3.0-or-later
"""Plugins' own windows as LV2 describes them (ui extension 2.22): which of them can be shown here, and why others
can't."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import unquote, urlparse

from zolvek.sound.hosting.lv2.host_features import LOG
from zolvek.sound.hosting.lv2.lv2_world import CORE, LV2, World

UI = f"{LV2}extensions/ui#"
X11, REQUIRED = f"{UI}X11UI", f"{CORE}requiredFeature"
INSTANCE = (f"{LV2}ext/instance-access", f"{LV2}ext/data-access")
# Classes of windows of other toolkits, and how those are called.
TOOLKITS = {f"{UI}GtkUI": "GTK 2", f"{UI}Gtk3UI": "GTK 3", f"{UI}Qt4UI": "Qt 4", f"{UI}Qt5UI": "Qt 5"}
OFFERED = {
    f"{LV2}ext/urid#map", f"{LV2}ext/urid#unmap", f"{LV2}ext/options#options", LOG, f"{UI}parent", f"{UI}resize",
    f"{UI}portMap", f"{UI}touch", f"{UI}idleInterface", f"{UI}noUserResize", f"{UI}fixedSize", f"{UI}makeResident",
    f"{UI}makeSONameResident",
}  # fmt: skip


class Interface(NamedTuple):
    """A window that can be shown: its URI, the library that has it, and its bundle."""

    uri: str
    library: str
    bundle: str


def interface_of(world: World, plugin: Any) -> tuple[Interface | None, str]:
    """The plugin's window; or none, and why ("" where it has none at all)."""
    reasons = []
    for ui in _each(world, plugin):
        uri = world.text(world.lib.lilv_ui_get_uri(ui))
        if not world.lib.lilv_ui_is_a(ui, world.uri(X11)):
            reasons.append(_toolkit(world, ui))
            continue
        missing = set(world.nodes(world.lib.lilv_world_find_nodes(
            world.made, world.uri(uri), world.uri(REQUIRED), world.ffi.NULL
        ))) - OFFERED  # fmt: skip
        if missing & set(INSTANCE):
            reasons.append("needs the plugin in the same process")
        elif missing:
            reasons.append(f"needs {min(missing).rpartition('#')[2].rpartition('/')[2]}")
        else:
            return Interface(uri, *_paths(world, ui)), ""
    return None, ", ".join(dict.fromkeys(reasons))


def _toolkit(world: World, ui: Any) -> str:
    for kind, name in TOOLKITS.items():
        if world.lib.lilv_ui_is_a(ui, world.uri(kind)):
            return name
    return "another toolkit"


def _paths(world: World, ui: Any) -> tuple[str, str]:
    nodes = world.lib.lilv_ui_get_binary_uri(ui), world.lib.lilv_ui_get_bundle_uri(ui)
    library, bundle = (unquote(urlparse(world.text(node)).path) for node in nodes)
    return library, str(Path(bundle))


def _each(world: World, plugin: Any) -> Iterator[Any]:
    uis = world.lib.lilv_plugin_get_uis(plugin)
    if uis == world.ffi.NULL:
        return
    at = world.lib.lilv_uis_begin(uis)
    while not world.lib.lilv_uis_is_end(uis, at):
        yield world.lib.lilv_uis_get(uis, at)
        at = world.lib.lilv_uis_next(uis, at)
