# SPDX-License-Identifier: GPL-3.0-or-later
"""The presets of LV2 plugins, read by lilv."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.model.device_kind import DeviceKind, Preset
from zolvek.core.records import replace
from zolvek.sound.hosting.lv2.lilv import urids
from zolvek.sound.hosting.lv2.lv2_description import describe
from zolvek.sound.hosting.lv2.lv2_world import ATOM, PRESETS, World
from zolvek.sound.hosting.plugin.plugin_presets import MOST_PRESETS, named_apart, written


def presets_of(world: World, plugin: Any, kind: DeviceKind, rate: float = 48_000.0) -> tuple[Preset, ...]:
    """A plugin's presets, each with the values it names, as they are written; those that it does not name
    are left out."""
    lib, ffi = world.lib, world.ffi
    assert kind.plugin is not None
    by_symbol = {binding.symbol: key for key, binding in kind.plugin.ports.items()}
    types = {urids().of(f"{ATOM}{name}"): name for name in ("Float", "Double", "Int", "Long", "Bool")}
    presets: list[Preset] = []
    values: dict[str, float] = {}

    @ffi.callback("void(const char*, void*, const void*, uint32_t, uint32_t)")
    def text_of(symbol: Any, _: Any, value: Any, size: int, kind_: int) -> None:
        c_types = {"Float": "float*", "Double": "double*", "Int": "int32_t*", "Long": "int64_t*", "Bool": "int32_t*"}
        name = types.get(kind_)
        if name is not None:
            values[ffi.string(symbol).decode(errors="replace")] = float(ffi.cast(c_types[name], value)[0])

    related = world.nodes(lib.lilv_plugin_get_related(plugin, world.uri(f"{PRESETS}Preset")))
    for uri in sorted(related)[:MOST_PRESETS]:
        lib.lilv_world_load_resource(world.made, world.uri(uri))
        state = lib.lilv_state_new_from_world(world.made, urids().map, world.uri(uri))
        if state == ffi.NULL:
            continue
        values.clear()
        lib.lilv_state_emit_port_values(state, text_of, ffi.NULL)
        beyond = world.state_text(state)
        lib.lilv_state_free(state)
        named = {}
        for symbol, port in values.items():
            key = by_symbol.get(symbol)
            if key is not None and np.isfinite(port):
                named[key] = written(kind, key, port, rate)
        if named or beyond:
            presets.append(Preset(world.label(uri) or uri.rpartition("#")[2], named, beyond))
    return named_apart(sorted(presets, key=lambda preset: preset.name.casefold()))


@lru_cache(maxsize=64)
def kind_of(uri: str, bundle: Path, others: tuple[Path, ...] = ()) -> DeviceKind:
    """The same with its presets, those that lie in other bundles too."""
    world = World([bundle, *others])
    plugin = world.plugin(uri)
    kind = describe(world, plugin)
    return replace(kind, presets=presets_of(world, plugin, kind))
