# SPDX-License-Identifier: GPL-3.0-or-later
"""What an LV2 plugin offers and is not used here, in a word each: said before it is added."""

from __future__ import annotations

from typing import Any

from zolvek.core.model.plugin import Plugin
from zolvek.sound.hosting.lv2.lv2_world import ATOM, CORE, MIDI_EVENT, World

PATCH_WRITABLE = "http://lv2plug.in/ns/ext/patch#writable"
RANGE = "http://www.w3.org/2000/01/rdf-schema#range"
INTERFACE = "http://lv2plug.in/ns/extensions/ui#ui"
HEARD = 2  # channels in and out


def left_out(world: World, plugin: Any, described: Plugin) -> tuple[str, ...]:
    """The words for what of a plugin is not used."""
    lib, result = world.lib, []
    writable = world.nodes(lib.lilv_plugin_get_value(plugin, world.uri(PATCH_WRITABLE)))
    kinds = [
        kind
        for key in writable
        for kind in world.nodes(lib.lilv_world_find_nodes(world.made, world.uri(key), world.uri(RANGE), world.ffi.NULL))
    ]
    if f"{ATOM}Path" in kinds:
        result.append("files")
    for ports, what in ((described.inputs, "inputs"), (described.outputs, "outputs")):
        if len(ports) > HEARD:
            result.append(
                f"{what} {HEARD + 1} to {len(ports)}" if len(ports) > HEARD + 1 else f"{what[:-1]} {HEARD + 1}"
            )
    if any(_sends_midi(world, plugin, index) for index in range(lib.lilv_plugin_get_num_ports(plugin))):
        result.append("MIDI output")
    if world.nodes(lib.lilv_plugin_get_value(plugin, world.uri(INTERFACE))):
        result.append("own window")
    return tuple(result)


def _sends_midi(world: World, plugin: Any, index: int) -> bool:
    return (
        world.is_a(plugin, index, f"{ATOM}AtomPort")
        and world.is_a(plugin, index, f"{CORE}OutputPort")
        and bool(world.lib.lilv_port_supports_event(plugin, world.port(plugin, index), world.uri(MIDI_EVENT)))
    )
