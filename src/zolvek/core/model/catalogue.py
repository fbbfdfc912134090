# SPDX-License-Identifier: GPL-3.0-or-later
"""The stand-in devices that ship: the rows of `shipped_devices`, of the form that docs/device-file.md explains."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from zolvek.core.model.device_kind import DeviceKind, Preset
from zolvek.core.model.shipped_devices import DEVICES
from zolvek.core.value.parameter import Parameter


def _shipped(device: dict[str, Any]) -> DeviceKind:
    """A description that ships: tests have tried its every row, so that a start need not."""
    parameters = []
    for row in device["parameters"]:
        choices = tuple(row.get("choices", ()))
        stepped = {"high": max(len(choices) - 1.0, 1.0)} if choices else {}
        parameters.append(Parameter(**(stepped | row | {"choices": choices})))
    presets = tuple(Preset(**row) for row in device["presets"])
    return DeviceKind(device["key"], device["name"], device["role"], tuple(parameters), presets, device["about"])


ROWS = {device["key"]: device for device in DEVICES}  # in the order in which they are offered


class ShippedKinds(Mapping[str, DeviceKind]):
    """The kinds that ship by key, each made when it is first asked for."""

    def __init__(self) -> None:
        self.made: dict[str, DeviceKind] = {}

    def __getitem__(self, key: str) -> DeviceKind:
        device_kind = self.made.get(key)
        if device_kind is None:
            device_kind = self.made[key] = _shipped(ROWS[key])
        return device_kind

    def __contains__(self, key: object) -> bool:
        return key in ROWS

    def __iter__(self) -> Iterator[str]:
        return iter(ROWS)

    def __len__(self) -> int:
        return len(ROWS)


DEVICE_KINDS = ShippedKinds()
