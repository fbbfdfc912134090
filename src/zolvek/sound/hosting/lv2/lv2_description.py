# SPDX-License-Identifier: GPL-3.0-or-later
"""LV2 plugins as kinds of devices: their ports as parameters, what goes in and what comes out."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind, DeviceRole
from zolvek.core.model.plugin import Binding, Plugin
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter
from zolvek.sound.hosting.lv2.lv2_uis import interface_of
from zolvek.sound.hosting.lv2.lv2_world import (
    ATOM,
    CORE,
    GROUPS,
    HEARD,
    MIDI_EVENT,
    MOST_FILES,
    OFFERED,
    PATCH_WRITABLE,
    PREFIX,
    PROPS,
    RANGE,
    SET_BY_HOST,
    World,
    world_of,
)
from zolvek.sound.hosting.plugin import midi_parameters
from zolvek.sound.hosting.plugin.name_groups import groups_of
from zolvek.sound.hosting.plugin.port_parameters import Port, keys_of, parameter_of

NO_WINDOW = "it has none"


def describe(world: World, plugin: Any) -> DeviceKind:
    """A plugin's own description as a kind of device. Raises ZolvekError for one that can't be used,
    with the reason."""
    lib = world.lib
    uri, count = world.uri_of(plugin), lib.lilv_plugin_get_num_ports(plugin)
    missing = set(world.nodes(lib.lilv_plugin_get_required_features(plugin))) - OFFERED
    if missing:
        raise ZolvekError(f"It needs {min(missing)}, which is not supported.", uri)
    ports, audio = [], {"in": [], "out": [], "side": []}  # type: ignore[var-annotated]  # indices
    events = latency = midi_out = -1
    ranges = [np.zeros(count, np.float32) for _ in range(3)]
    lib.lilv_plugin_get_port_ranges_float(plugin, *(world.ffi.cast("float*", item.ctypes.data) for item in ranges))
    for index in range(count):
        comes_in = world.is_a(plugin, index, f"{CORE}InputPort")
        if world.is_a(plugin, index, f"{CORE}AudioPort"):
            audio[_side(world, plugin, index) if comes_in else "out"].append(index)
        elif world.is_a(plugin, index, f"{CORE}ControlPort"):
            if comes_in and world.text_of(plugin, index, f"{CORE}designation").startswith(SET_BY_HOST):
                continue  # where the song is, which is not a person's to set
            if comes_in:
                ports.append(_port(world, plugin, index, *(float(item[index]) for item in ranges)))
            elif (
                world.has(plugin, index, f"{CORE}reportsLatency")
                or world.text_of(plugin, index, f"{CORE}designation") == f"{CORE}latency"
            ):
                latency = index
        elif world.is_a(plugin, index, f"{ATOM}AtomPort"):
            port = world.port(plugin, index)
            if lib.lilv_port_supports_event(plugin, port, world.uri(MIDI_EVENT)):
                if comes_in:
                    events = index if events < 0 else events
                else:
                    midi_out = index if midi_out < 0 else midi_out
        elif not world.has(plugin, index, f"{CORE}connectionOptional") and not world.is_a(
            plugin, index, f"{CORE}CVPort"
        ):
            raise ZolvekError("It has a port type that is not supported.", uri)
    if not audio["out"] and midi_out < 0:
        raise ZolvekError("It has no audio output and no MIDI output.", uri)
    if not audio["side"] and len(audio["in"]) > HEARD:  # what comes beyond left and right is another sound
        audio["in"], audio["side"] = audio["in"][:HEARD], audio["in"][HEARD:]
    return _kind(world, plugin, uri, tuple(ports), audio, events, midi_out, latency)


def file_properties(world: World, plugin: Any) -> dict[str, str]:
    """What a plugin takes files for (patch:writable of the range atom:Path): URI -> how it is called."""
    lib, result = world.lib, {}
    for key in world.nodes(lib.lilv_plugin_get_value(plugin, world.uri(PATCH_WRITABLE)))[:MOST_FILES]:
        kinds = lib.lilv_world_find_nodes(world.made, world.uri(key), world.uri(RANGE), world.ffi.NULL)
        if f"{ATOM}Path" in world.nodes(kinds):
            result[key] = world.label(key) or key.rpartition("#")[2] or key
    return result


def _side(world: World, plugin: Any, index: int) -> str:
    """Whether an audio input is a side-chain's: by what it says, or by its name."""
    name = world.text(lib_name(world, plugin, index), free=True).lower()
    named = any(word in name for word in ("sidechain", "side-chain", "side chain"))
    return "side" if named or world.has(plugin, index, f"{CORE}isSideChain") else "in"


def lib_name(world: World, plugin: Any, index: int) -> Any:
    """The name of a port."""
    return world.lib.lilv_port_get_name(plugin, world.port(plugin, index))


def _port(world: World, plugin: Any, index: int, low: float, high: float, default: float) -> Port:
    symbol = world.text(world.lib.lilv_port_get_symbol(plugin, world.port(plugin, index)))
    group = world.text_of(plugin, index, f"{GROUPS}group")
    unit = world.unit_of(plugin, index)
    return Port(
        symbol,
        index,
        world.text(lib_name(world, plugin, index), free=True) or symbol,
        low,
        high,
        default,
        unit,
        (world.label(group) if group else "") or "",
        points=_points(world, plugin, index),
        toggled=world.has(plugin, index, f"{CORE}toggled") or world.has(plugin, index, f"{PROPS}trigger"),
        integer=world.has(plugin, index, f"{CORE}integer"),
        enumeration=world.has(plugin, index, f"{CORE}enumeration"),
        logarithmic=world.has(plugin, index, f"{PROPS}logarithmic"),
        by_rate=world.has(plugin, index, f"{CORE}sampleRate"),
        hidden=world.has(plugin, index, f"{PROPS}notOnGUI"),
    )


def _points(world: World, plugin: Any, index: int) -> tuple[tuple[float, str], ...]:
    lib = world.lib
    points = lib.lilv_port_get_scale_points(plugin, world.port(plugin, index))
    if points == world.ffi.NULL:
        return ()
    result, at = [], lib.lilv_scale_points_begin(points)
    while not lib.lilv_scale_points_is_end(points, at):
        one = lib.lilv_scale_points_get(points, at)
        value = float(lib.lilv_node_as_float(lib.lilv_scale_point_get_value(one)))
        result.append((value, world.text(lib.lilv_scale_point_get_label(one))))
        at = lib.lilv_scale_points_next(points, at)
    lib.lilv_scale_points_free(points)
    return tuple(sorted(result))


def _parameters(
    world: World, plugin: Any, ports: tuple[Port, ...]
) -> tuple[list[Parameter], dict[str, Binding], list[str], str]:
    """Ports as parameters with their bindings; those that are not for show; and the one that says whether it works."""
    parameters: list[Parameter] = []
    bindings: dict[str, Binding] = {}
    hidden: list[str] = []
    enabled = ""
    groups = groups_of([port.name for port in ports])
    for key, port, group in zip(keys_of(ports), ports, groups, strict=True):
        parameter, binding = parameter_of(port, key)
        if not parameter.group:
            parameter = replace(parameter, group=group)
        parameters.append(parameter)
        bindings[key] = binding
        if port.hidden:
            hidden.append(key)
        if world.text_of(plugin, port.index, f"{CORE}designation") == f"{CORE}enabled":
            enabled = key
    return parameters, bindings, hidden, enabled


def _kind(
    world: World,
    plugin: Any,
    uri: str,
    ports: tuple[Port, ...],
    audio: dict[str, list[int]],
    events: int,
    midi_out: int,
    latency: int,
) -> DeviceKind:
    lib = world.lib
    parameters, bindings, hidden, enabled = _parameters(world, plugin, ports)
    sort = world.text(lib.lilv_plugin_class_get_uri(lib.lilv_plugin_get_class(plugin)))
    plays = events >= 0 and bool(audio["out"]) and (sort.endswith("#InstrumentPlugin") or not audio["in"])
    if events >= 0:
        parameters += midi_parameters.without([parameter.id for parameter in parameters])
    versions = [
        "".join(world.nodes(lib.lilv_plugin_get_value(plugin, world.uri(f"{CORE}{part}")))[:1]) or "0"
        for part in ("minorVersion", "microVersion")
    ]
    interface, reason = interface_of(world, plugin)
    windowless = "" if interface is not None else reason or NO_WINDOW
    this_plugin = Plugin(
        "lv2",
        uri,
        world.text(lib.lilv_plugin_get_author_name(plugin), free=True),
        ".".join(versions),
        bindings,
        tuple(audio["in"]),
        tuple(audio["out"]),
        tuple(audio["side"]),
        events,
        latency,
        enabled,
        tuple(hidden),
        str(world.bundle_of(plugin)),
        midi_out,
        file_properties(world, plugin),
        windowless,
    )
    name = world.text(lib.lilv_plugin_get_name(plugin), free=True) or uri
    if not parameters:
        parameters = [Parameter("nothing", "Nothing to set", "Plugin", taper="switch")]
    about = f"{sort.rpartition('#')[2].removesuffix('Plugin') or 'Plugin'}" + (
        f" by {this_plugin.maker}" if this_plugin.maker else ""
    )
    kind = DeviceKind(
        PREFIX + uri,
        name,
        DeviceRole.INSTRUMENT if plays else DeviceRole.EFFECT if audio["out"] else DeviceRole.MIDI,
        tuple(parameters),
        (),
        about,
        this_plugin,
    )
    return kind


@lru_cache(maxsize=64)
def described(uri: str, bundle: Path) -> DeviceKind:
    """The kind of the plugin of a URI in a bundle. Raises ZolvekError where it can't be used."""
    world = world_of(bundle)
    return describe(world, world.plugin(uri))
