# SPDX-License-Identifier: GPL-3.0-or-later
"""Descriptions of LV2 plugins, read by lilv from their bundles: no code of theirs is run here."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlparse

from zolvek.core.errors import Failure
from zolvek.sound.hosting.lv2.host_features import URIS as SERVICES
from zolvek.sound.hosting.lv2.lilv import loaded, urids
from zolvek.sound.hosting.plugin.port_parameters import WORDS

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
MOST_FILES = 64  # that a plugin takes
HEARD = 2  # channels that go through a device
PATCH_WRITABLE = f"{LV2}ext/patch#writable"
RANGE = "http://www.w3.org/2000/01/rdf-schema#range"
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


@lru_cache(maxsize=64)
def world_of(bundle: Path) -> World:
    """A bundle read alone, once in a process: reading all that is installed takes long."""
    return World([bundle])
