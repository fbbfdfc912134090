# SPDX-License-Identifier: GPL-3.0-or-later
"""A plugin's ports driven by the device's controls."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.plugin import Binding, Plugin, reached
from zolvek.core.model.project import Device
from zolvek.sound.signal.automation import Controls

BLOCK_FRAMES = 64  # frames at most that a plugin runs at a time, with its parameters standing still


class Driver:
    """Knows what ports stand at, so that only what changes is set."""

    def __init__(self, plugin: Plugin, rate: int, there: DeviceKind | None = None) -> None:
        """`there`: the plugin as it is installed; its ports get no value beyond its own ranges."""
        self.plugin, self.rate = plugin, rate
        self.limits = _limits(there, rate) if there is not None else {}
        self.set: dict[str, float] = {}  # what still parameters were set to, real values

    def forget(self) -> None:
        """Forget what was sent, so that everything is sent again."""
        self.set.clear()

    def present(self, device: Device) -> list[tuple[int, float]]:
        """Each port, and where the device's controls have it."""
        result = []
        for key, binding in self.plugin.ports.items():
            parameter = device.parameter(key)
            value = parameter.value(device.position(key))
            port = reached(parameter, binding, value, self.rate)
            result.append((binding.index, float(self._kept(binding, port))))
        return result

    def _kept(self, binding: Binding, port: Floats) -> Floats:
        """Within what the port takes."""
        limits = self.limits.get(binding.symbol)
        return port if limits is None else np.clip(port, *limits)

    def still(self, controls: Controls) -> tuple[list[tuple[int, float]], Ints, Floats]:
        """Ports to be set for the whole stretch; the ports of moving parameters, and their values, a row
        for each cut."""
        device, to_set, ports, moving = controls.device, [], [], []
        for key, binding in self.plugin.ports.items():
            values = controls.values(key)
            parameter = device.parameter(key)
            if len(values) > 1:
                ports.append(binding.index)
                port = reached(parameter, binding, values, self.rate)
                moving.append(self._kept(binding, port))
                self.set.pop(key, None)
                continue
            value = float(values[0])
            if self.set.get(key) != value:
                self.set[key] = value
                port = reached(parameter, binding, np.array([value]), self.rate)
                to_set.append((binding.index, float(self._kept(binding, port)[0])))
        if not ports:
            return to_set, np.empty(0, np.intp), np.empty((0, 0))
        return to_set, np.array(ports, np.intp), np.stack(moving, axis=1)


def defaults(there: DeviceKind, rate: int) -> list[tuple[int, float]]:
    """Each port of a plugin as it is installed, and its default."""
    assert there.plugin is not None
    result = []
    for key, binding in there.plugin.ports.items():
        parameter = there.parameter(key)
        value = reached(parameter, binding, np.asarray(parameter.default), rate)
        result.append((binding.index, float(value)))
    return result


def _limits(there: DeviceKind, rate: int) -> dict[str, tuple[float, float]]:
    """By symbol the lowest and highest that a port takes, for what slides."""
    result = {}
    assert there.plugin is not None
    for key, binding in there.plugin.ports.items():
        parameter = there.parameter(key)
        if not parameter.steps:
            ends = reached(parameter, binding, parameter.value(np.array([0.0, 1.0])), rate)
            result[binding.symbol] = float(ends.min()), float(ends.max())
    return result
