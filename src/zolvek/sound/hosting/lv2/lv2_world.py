# SPDX-License-Identifier: GPL-3.0-or-later
"""Descriptions of LV2 plugins, read by lilv from their bundles: no code of theirs is run here."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlparse

import numpy as np

from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.device_kind import DeviceKind, DeviceRole
from zolvek.core.model.plugin import Plugin
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter
from zolvek.sound.hosting.lv2.host_features import URIS as SERVICES
from zolvek.sound.hosting.lv2.lilv import loaded, urids
from zolvek.sound.hosting.plugin.name_groups import groups_of
from zolvek.sound.hosting.plugin.port_parameters import WORDS, Port, keys_of, parameter_of

LV2 = "http://lv2plug.in/ns/"
CORE, ATOM = f"{LV2}lv2core#", f"{LV2}ext/atom#"
PROPS, UNITS = f"{LV2}ext/port-props#", f"{LV2}extensions/units#"
GROUPS, PRESETS = f"{LV2}ext/port-groups#", f"{LV2}ext/presets#"
MIDI_EVENT = f"{LV2}ext/midi#MidiEvent"
RDF_TYPE = "http://www.w3.org/1999/02/22-rdf-syntax-ns#type"
DYNAMIC_MANIFESTS = b"http://drobilla.net/ns/lilv#dyn-manifest"  # LILV_OPTION_DYN_MANIFEST
LABEL = "http://www.w3.org/2000/01/rdf-schema#label"
# What this host offers; a plugin that requires anything else can't be used.
OFFERED = {
    f"{LV2}ext/urid#map", f"{LV2}ext/urid#unmap", f"{LV2}ext/options#options", f"{LV2}ext/worker#schedule",
    f"{LV2}ext/buf-size#boundedBlockLength", f"{LV2}ext/state#loadDefaultState",
    *SERVICES, f"{CORE}isLive", f"{CORE}inPlaceBroken", f"{CORE}hardRTCapable",
}  # fmt: skip
# Beginnings of what control inputs are designated for that the host sets itself.
SET_BY_HOST = (f"{LV2}ext/time#", f"{CORE}freeWheeling")
STATE_URI = b"urn:zolvek:state"
PREFIX = "lv2:"  # before a plugin's URI, in the key of its kind


class World:
    """The plugins of some bundles. No code of a plugin is run to know them: dynamic manifests, which are code that
    lists plugins, are left out."""

    def __init__(self, only: Sequence[Path]) -> None:
        self.ffi, self.lib = loaded()
        self.made = self.lib.lilv_world_new()
        off = self.lib.lilv_new_bool(self.made, False)
        self.lib.lilv_world_set_option(self.made, DYNAMIC_MANIFESTS, off)
        self.lib.lilv_node_free(off)
        self.uris: dict[str, Any] = {}
        for bundle in only:
            self._take(bundle)

    def _take(self, bundle: Path) -> None:
        if bundle.is_dir():
            path = f"{bundle}/".encode(errors="surrogateescape")
            node = self.lib.lilv_new_file_uri(self.made, self.ffi.NULL, path)
            self.lib.lilv_world_load_bundle(self.made, node)
            self.lib.lilv_node_free(node)

    def presets_for(self) -> list[str]:
        """The plugins that the bundles say they have presets for."""
        kind, applies, any_ = self.uri(RDF_TYPE), self.uri(f"{CORE}appliesTo"), self.ffi.NULL
        result = set()
        for preset in self.nodes(self.lib.lilv_world_find_nodes(self.made, any_, kind, self.uri(f"{PRESETS}Preset"))):
            result |= set(self.nodes(self.lib.lilv_world_find_nodes(self.made, self.uri(preset), applies, any_)))
        return sorted(result)

    def uri(self, text: str) -> Any:
        """A node for a URI."""
        if text not in self.uris:
            self.uris[text] = self.lib.lilv_new_uri(self.made, text.encode())
        return self.uris[text]

    def text(self, node: Any, free: bool = False) -> str:
        """The text of a node."""
        if node == self.ffi.NULL:
            return ""
        text_of = self.ffi.string(self.lib.lilv_node_as_string(node)).decode(errors="replace")
        if free:
            self.lib.lilv_node_free(node)
        return text_of

    def nodes(self, nodes: Any) -> list[str]:
        """The texts of a collection of nodes."""
        texts = []
        if nodes != self.ffi.NULL:
            at = self.lib.lilv_nodes_begin(nodes)
            while not self.lib.lilv_nodes_is_end(nodes, at):
                texts.append(self.text(self.lib.lilv_nodes_get(nodes, at)))
                at = self.lib.lilv_nodes_next(nodes, at)
            self.lib.lilv_nodes_free(nodes)
        return texts

    def plugins(self) -> Iterator[Any]:
        """All plugins of the world."""
        every = self.lib.lilv_world_get_all_plugins(self.made)
        at = self.lib.lilv_plugins_begin(every)
        while not self.lib.lilv_plugins_is_end(every, at):
            yield self.lib.lilv_plugins_get(every, at)
            at = self.lib.lilv_plugins_next(every, at)

    def plugin(self, uri: str) -> Any:
        """Raises Failure where there is none of this URI."""
        every = self.lib.lilv_world_get_all_plugins(self.made)
        result = self.lib.lilv_plugins_get_by_uri(every, self.uri(uri))
        if result == self.ffi.NULL:
            raise Failure(
                "The plugin is no longer in its bundle.",
                uri,
                "Install it again, or use another one.",
            )
        return result

    # --- what a plugin is given beyond its ports ---

    def state_text(self, state: Any) -> str:
        """As Turtle; "" where it holds values of ports alone."""
        if not self.lib.lilv_state_get_num_properties(state):
            return ""
        numbers = urids()
        text_of = self.lib.lilv_state_to_string(self.made, numbers.map, numbers.unmap, state, STATE_URI, self.ffi.NULL)
        if text_of == self.ffi.NULL:
            return ""
        text = self.ffi.string(text_of).decode(errors="replace")
        self.lib.lilv_free(text_of)
        return text

    def kept(self, instance: Any, uri: str, features: Any) -> str:
        """What an instance holds beyond its ports now, as `restore` takes it; "" for nothing."""
        lib, ffi = self.lib, self.ffi
        nobody, none = ffi.cast("LilvGetPortValueFunc", ffi.NULL), ffi.NULL
        state = lib.lilv_state_new_from_instance(
            self.plugin(uri), instance, urids().map, none, none, none, none, nobody, none, 0, features
        )
        if state == ffi.NULL:
            return ""
        text = self.state_text(state)
        lib.lilv_state_free(state)
        return text

    def restore(self, instance: Any, uri: str, text: str, features: Any) -> None:
        """Give an instance the state of a text; without one, the plugin's own, where it has one."""
        lib, ffi = self.lib, self.ffi
        if text:
            state = lib.lilv_state_new_from_string(self.made, urids().map, text.encode())
        else:
            state = lib.lilv_state_new_from_world(self.made, urids().map, self.uri(uri))
        if state == ffi.NULL:
            return
        if lib.lilv_state_get_num_properties(state):
            nobody = ffi.cast("LilvSetPortValueFunc", ffi.NULL)
            lib.lilv_state_restore(state, instance, nobody, ffi.NULL, 0, features)
        lib.lilv_state_free(state)

    # --- what a plugin says ---

    def uri_of(self, plugin: Any) -> str:
        """A plugin's URI."""
        return self.text(self.lib.lilv_plugin_get_uri(plugin))

    def bundle_of(self, plugin: Any) -> Path:
        """A plugin's bundle."""
        return Path(unquote(urlparse(self.text(self.lib.lilv_plugin_get_bundle_uri(plugin))).path))

    def port(self, plugin: Any, index: int) -> Any:
        """A port by its index."""
        return self.lib.lilv_plugin_get_port_by_index(plugin, index)

    def is_a(self, plugin: Any, index: int, kind: str) -> bool:
        """Whether a port is of a class."""
        return bool(self.lib.lilv_port_is_a(plugin, self.port(plugin, index), self.uri(kind)))

    def has(self, plugin: Any, index: int, property_: str) -> bool:
        """Whether a port has a property."""
        return bool(self.lib.lilv_port_has_property(plugin, self.port(plugin, index), self.uri(property_)))

    def text_of(self, plugin: Any, index: int, predicate: str) -> str:
        """The text of a port's predicate, "" for none."""
        node = self.lib.lilv_port_get(plugin, self.port(plugin, index), self.uri(predicate))
        return self.text(node, free=True)

    def unit_of(self, plugin: Any, index: int) -> str:
        """The last word of a port's unit; of a unit that the plugin describes itself its symbol, else its label."""
        lib = self.lib
        node = lib.lilv_port_get(plugin, self.port(plugin, index), self.uri(f"{UNITS}unit"))
        if node == self.ffi.NULL:
            return ""
        word = self.text(node).rpartition("#")[2] if lib.lilv_node_is_uri(node) else ""
        for predicate in () if word and word.lower() in WORDS else (f"{UNITS}symbol", LABEL):
            own = self.text(lib.lilv_world_get(self.made, node, self.uri(predicate), self.ffi.NULL), free=True)
            word = own or word
            if own:
                break
        lib.lilv_node_free(node)
        return word

    def label(self, subject: str) -> str:
        """The label of a subject, "" for none."""
        node = self.lib.lilv_world_get(self.made, self.uri(subject), self.uri(LABEL), self.ffi.NULL)
        return self.text(node, free=True)


def describe(world: World, plugin: Any) -> DeviceKind:
    """A plugin's own description as a kind of device. Raises ZolvekError for one that can't be used,
    with the reason."""
    lib = world.lib
    uri, count = world.uri_of(plugin), lib.lilv_plugin_get_num_ports(plugin)
    missing = set(world.nodes(lib.lilv_plugin_get_required_features(plugin))) - OFFERED
    if missing:
        raise ZolvekError(f"It needs {min(missing)}, which is not supported.", uri)
    ports, audio = [], {"in": [], "out": [], "side": []}  # type: ignore[var-annotated]  # indices
    events = latency = -1
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
            if comes_in and lib.lilv_port_supports_event(plugin, port, world.uri(MIDI_EVENT)):
                events = index if events < 0 else events
        elif not world.has(plugin, index, f"{CORE}connectionOptional") and not world.is_a(
            plugin, index, f"{CORE}CVPort"
        ):
            raise ZolvekError("It has a port type that is not supported.", uri)
    if not audio["out"]:
        raise ZolvekError("It has no audio output.", uri)
    return _kind(world, plugin, uri, tuple(ports), audio, events, latency)


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


def _kind(
    world: World,
    plugin: Any,
    uri: str,
    ports: tuple[Port, ...],
    audio: dict[str, list[int]],
    events: int,
    latency: int,
) -> DeviceKind:
    lib = world.lib
    parameters, bindings, hidden = [], {}, []
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
    sort = world.text(lib.lilv_plugin_class_get_uri(lib.lilv_plugin_get_class(plugin)))
    plays = events >= 0 and (sort.endswith("#InstrumentPlugin") or not audio["in"])
    versions = [
        "".join(world.nodes(lib.lilv_plugin_get_value(plugin, world.uri(f"{CORE}{part}")))[:1]) or "0"
        for part in ("minorVersion", "microVersion")
    ]
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
        DeviceRole.INSTRUMENT if plays else DeviceRole.EFFECT,
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


@lru_cache(maxsize=64)
def world_of(bundle: Path) -> World:
    """A bundle read alone, once in a process: reading all that is installed takes long."""
    return World([bundle])
