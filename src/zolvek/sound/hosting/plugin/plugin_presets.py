# SPDX-License-Identifier: GPL-3.0-or-later
"""A plugin's presets: the values of its ports, as texts of a preset of ours."""

from __future__ import annotations

import numpy as np

from zolvek.core.model.device_kind import DeviceKind, Preset
from zolvek.core.model.plugin import real
from zolvek.core.records import replace
from zolvek.sound.hosting.plugin.port_parameters import apart

MOST_PRESETS = 4_096  # of one plugin: more is a slip of its maker


def written(kind: DeviceKind, key: str, port: float, rate: float) -> str:
    """A port's value as text that the parameter reads back, to the last digit."""
    assert kind.plugin is not None
    parameter, binding = kind.parameter(key), kind.plugin.ports[key]
    value = real(parameter, binding, port, rate)
    if parameter.taper == "switch":
        return "On" if value >= 0.5 else "Off"
    if parameter.choices:
        return parameter.choices[int(value)]
    if parameter.taper == "decibel" and value < parameter.low:
        return "−∞ dB"
    value = min(max(value, parameter.low), parameter.high)
    return np.format_float_positional(value, trim="-")  # every digit: an end is not passed


def named_apart(presets: list[Preset]) -> tuple[Preset, ...]:
    """Presets of which no two have one name: the later ones get a number."""
    names = apart(tuple(preset.name for preset in presets))
    return tuple(replace(preset, name=name) for preset, name in zip(presets, names, strict=True))
