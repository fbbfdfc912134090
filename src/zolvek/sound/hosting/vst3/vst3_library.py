# SPDX-License-Identifier: GPL-3.0-or-later
"""VST3 plugins loaded by pedalboard: their descriptions, and their state as text.

A plugin's code runs when it is loaded: in processes in the background alone.
"""

from __future__ import annotations

import base64
import re
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind, DeviceRole, Preset
from zolvek.core.model.plugin import USUAL_RATE, Binding, Plugin
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter
from zolvek.sound.hosting.plugin import midi_parameters
from zolvek.sound.hosting.plugin.plugin_ids import VST3_ID
from zolvek.sound.hosting.plugin.plugin_presets import MOST_PRESETS, named_apart, written
from zolvek.sound.hosting.plugin.port_parameters import keys_of_names
from zolvek.sound.hosting.plugin.text_parameters import MOST_STEPS, PLACES, ControlTexts, parameter_of
from zolvek.sound.hosting.vst3 import vst3_paths
from zolvek.storage.opening import is_ordinary

ID_IN_PRESET = slice(8, 40)  # of a .vstpreset: the class id, after "VST3" and the version
MOST_READ = 3_000  # parameters
LARGEST_PRESET_BYTES = 64 << 20  # bytes
OWN_BYPASS = "plugin-bypass"  # the id that one of this name gets: every device has one of ours, without a click


def names_in(path: str) -> list[str]:
    """The plugins of a bundle by name. Raises ZolvekError where it can't be loaded."""
    import pedalboard

    try:
        return list(pedalboard.VST3Plugin.get_plugin_names_for_file(path))
    except (ImportError, OSError, ValueError, RuntimeError) as error:
        raise ZolvekError("It can't be loaded.", path, f"{error}") from error


def loaded(path: str, name: str) -> Any:
    """pedalboard's plugin, made. Raises ZolvekError where it can't be."""
    import pedalboard

    try:
        return pedalboard.VST3Plugin(path, plugin_name=name)
    except (ImportError, OSError, ValueError, RuntimeError) as error:
        raise ZolvekError("The plugin can't be started.", f"{name}, {path}", f"{error}") from error


def id_of(plugin: Any) -> str:
    """The class id, which is the same everywhere; else what it calls itself."""
    try:
        text = bytes(plugin.preset_data)[ID_IN_PRESET].decode("ascii")
        int(text, 16)
    except (RuntimeError, ValueError):
        return f"{VST3_ID}{plugin.manufacturer_name}/{plugin.name}"
    return VST3_ID + text


def state_of(plugin: Any) -> str:
    """All that it holds, as text."""
    return base64.b64encode(bytes(plugin.raw_state)).decode("ascii")


def with_state(plugin: Any, text: str) -> None:
    """Give it back what `state_of` took. Raises ZolvekError for what is no state."""
    try:
        plugin.raw_state = base64.b64decode(text, validate=True)
    except (ValueError, RuntimeError) as error:
        raise ZolvekError("The plugin's saved state can't be read.", plugin.name) from error


@lru_cache(maxsize=64)
def described(uri: str, bundle: Path) -> DeviceKind:
    """The kind of the plugin of an id in a bundle. Raises ZolvekError where it can't be used."""
    where = str(bundle)
    for name in names_in(where):
        plugin = loaded(where, name)
        if id_of(plugin) == uri:
            return describe(plugin, where)
    raise ZolvekError("The plugin is no longer in its file.", where, "Use another one.")


@lru_cache(maxsize=64)
def kind_of(uri: str, bundle: Path, others: tuple[Path, ...] = ()) -> DeviceKind:
    """The same with its presets: those that lie where presets of VST3 plugins do."""
    kind = described(uri, bundle)
    assert kind.plugin is not None
    plugin = loaded(kind.plugin.path, kind.name)
    presets = []
    for file in vst3_paths.presets_of(kind.plugin.maker, kind.name)[:MOST_PRESETS]:
        try:
            if not is_ordinary(file) or file.stat().st_size > LARGEST_PRESET_BYTES:
                continue
            plugin.load_preset(str(file))
            with_state(plugin, state_of(plugin))  # after which its parameters say what it holds
        except (OSError, ValueError, RuntimeError, ZolvekError):
            continue
        presets.append(Preset(file.stem, texts_of(kind, plugin), state_of(plugin)))
    return replace(kind, presets=named_apart(presets))


def texts_of(kind: DeviceKind, plugin: Any) -> dict[str, str]:
    """Where its controls stand, as texts of our parameters."""
    assert kind.plugin is not None
    every = plugin._parameters
    return {
        key: written(kind, key, float(every[binding.index].raw_value), USUAL_RATE)
        for key, binding in kind.plugin.ports.items()
    }


def describe(plugin: Any, path: str) -> DeviceKind:
    """A loaded plugin as a kind of device. Raises ZolvekError for one that can't be used."""
    uri, name = id_of(plugin), str(plugin.name)
    controls = [_control_texts(p) for p in plugin._parameters[:MOST_READ]]
    parameters: list[Parameter] = []
    ports: dict[str, Binding] = {}
    hidden = []
    for key, control in zip(keys_of_names([_word(t.name) for t in controls]), controls, strict=True):
        parameter, binding = parameter_of(control, key)
        parameters.append(replace(parameter, group="Plugin"))
        ports[key] = replace(binding, symbol=key)
        if control.hidden or (key == OWN_BYPASS and parameter.taper == "switch"):
            hidden.append(key)
    if not parameters:
        parameters = [Parameter("nothing", "Nothing to set", "Plugin", taper="switch")]
    sides = _sides(plugin, uri)
    inputs = () if plugin.is_instrument else tuple(range(sides))
    maker = str(plugin.manufacturer_name)
    this_plugin = Plugin(
        "vst3",
        uri,
        maker,
        str(plugin.version),
        ports,
        inputs,
        tuple(range(sides)),
        (),
        -1,
        0 if _may_be_late(plugin) else -1,
        "",
        tuple(hidden),
        path,
    )
    role = DeviceRole.INSTRUMENT if plugin.is_instrument else DeviceRole.EFFECT
    if role == DeviceRole.INSTRUMENT:
        parameters += midi_parameters.without([parameter.id for parameter in parameters])
    about = str(plugin.category) + (f" by {maker}" if maker else "")
    return DeviceKind(uri, name, role, tuple(parameters), (), about, this_plugin)


def _sides(plugin: Any, uri: str) -> int:
    """How many channels it takes: two, else one."""
    for sides in (2, 1):
        try:
            give(plugin, np.zeros((sides, 64), np.float32), [], USUAL_RATE)
        except (ValueError, RuntimeError):
            continue
        return sides
    raise ZolvekError("It supports neither stereo nor mono.", uri)


def give(plugin: Any, sound: np.ndarray, messages: list[tuple[int, bytes]], rate: float) -> Any:
    """The next frames of an effect, or of an instrument: float32 (channels, frames or fewer)."""
    sides, frames = sound.shape
    if not plugin.is_instrument:
        return plugin.process(sound, rate, frames, False)
    # Half a frame more keeps whole numbers of frames whole.
    timed = [(data, (frame + 0.5) / rate) for frame, data in messages]
    return plugin.process(timed, (frames + 0.5) / rate, rate, sides, frames, False)


def _may_be_late(plugin: Any) -> bool:
    return int(plugin.reported_latency_samples) > 0


def _word(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "parameter"


def _control_texts(parameter: Any) -> ControlTexts:
    steps = int(parameter.num_steps)
    few = 2 <= steps <= MOST_STEPS
    count = steps if few else PLACES
    texts = tuple(str(parameter.get_text_for_raw_value(float(position))) for position in np.linspace(0.0, 1.0, count))
    default = min(max(float(parameter.default_raw_value), 0.0), 1.0)
    return ControlTexts(
        str(parameter.name).strip() or f"Parameter {parameter.index + 1}",
        int(parameter.index),
        str(parameter.label),
        texts,
        default,
        steps if few else 0,
        not parameter.is_automatable,
    )
