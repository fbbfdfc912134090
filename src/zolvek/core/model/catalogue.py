# SPDX-License-Identifier: GPL-3.0-or-later
"""Kinds of devices: what they are called, which parameters they have, and their presets.

The stand-ins that ship are the rows of `shipped_devices`, of the form that docs/device-file.md explains;
a person can describe a device of their own in the same form.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from functools import cached_property
from typing import Any

from zolvek.core.errors import ZolvekError
from zolvek.core.model.messages import parse_target
from zolvek.core.model.plugin import Plugin, need_state
from zolvek.core.model.shipped_devices import DEVICES
from zolvek.core.records import Record, names_of, replace
from zolvek.core.value.parameter import Parameter

FORMAT, VERSION = "zolvek-device", 1
# Role -> what a device of it does with sound.
ROLES = {
    "instrument": "plays the track's notes",
    "effect": "processes sound",
    "outside": "makes no sound; its lanes are sent as messages",
}
MOST_PARAMETERS = 4_096
NEAR = 1e-9  # positions that are the same


# What every device has next to its own parameters: sound bypasses it.
BYPASS = Parameter("bypass", "Bypass", "Device", taper="switch")


class Preset(Record, frozen=True):
    """A named setting: parameter id to its value as a person would write it. What is not named
    is at its default. `state`: what a plugin is given beyond its parameters, as text."""

    name: str
    values: dict[str, str]
    state: str = ""

    def __post_init__(self) -> None:
        if self.state:
            need_state(self.state, f"preset {self.name[:80]}")


class DeviceKind(Record, frozen=True):
    """One description. Raises ZolvekError when it contradicts itself."""

    key: str
    name: str
    role: str
    parameters: tuple[Parameter, ...]
    presets: tuple[Preset, ...] = ()
    about: str = ""
    plugin: Plugin | None = None

    def __post_init__(self) -> None:
        ids = [parameter.id for parameter in self.parameters]
        faults = (
            (not self.key or not self.name, "A device needs a key and a name."),
            (self.role not in ROLES, f"There is no role “{self.role}”."),
            (not ids, "A device needs at least one parameter."),
            (len(ids) > MOST_PARAMETERS, f"It has more than {MOST_PARAMETERS} parameters."),
            (len(set(ids)) < len(ids), "Two parameters have the same id."),
        )
        for wrong, what in faults:
            if wrong:
                raise ZolvekError(what, f"device {self.key}", "Correct the description.")

    @cached_property
    def controls(self) -> tuple[Parameter, ...]:
        """Its parameters, and the bypass that every device has whose sound passes here."""
        own = any(parameter.id == BYPASS.id for parameter in self.parameters)
        return self.parameters if own or self.role == "outside" else (*self.parameters, BYPASS)

    @cached_property
    def by_id(self) -> dict[str, Parameter]:
        """The parameters by their ids."""
        return {parameter.id: parameter for parameter in self.controls}

    def parameter(self, key: str) -> Parameter:
        """Raises ZolvekError when there is none of this id."""
        found = self.by_id.get(key)
        if found is None:
            raise ZolvekError(f"A device of type “{self.key}” has no parameter “{key}”.")
        return found

    def preset(self, name: str) -> dict[str, float]:
        """Positions of the parameters in a preset: of all of them, or, of a plugin, of those that it names.
        Raises ZolvekError as `named`."""
        named = self.named(name)
        if self.plugin is not None:
            return named
        return {p.id: p.default_position for p in self.parameters} | named

    def state(self, name: str) -> str:
        """What a preset says a plugin beyond its parameters; "" for nothing."""
        return next((preset.state for preset in self.presets if preset.name == name), "")

    def named(self, name: str) -> dict[str, float]:
        """Positions of the parameters that a preset names; worked out once. Raises ZolvekError when there is
        none of the name, or when it says what can't be read."""
        kept: dict[str, dict[str, float]] = self.__dict__.setdefault("_named", {})
        if name not in kept:
            kept[name] = self._read(name)
        return dict(kept[name])

    def known(self, named: dict[str, dict[str, float]]) -> DeviceKind:
        """The same, given what its presets' positions are: elsewhere worked out by `named`."""
        self.__dict__["_named"] = dict(named)
        return self

    def stands_at(self, preset: Preset, positions: Callable[[str], float]) -> bool:
        """Whether controls stand where a preset has them. Ends at the first that does not."""
        return all(
            key in self.by_id and abs(positions(key) - self.parameter(key).parse(text)) < NEAR
            for key, text in preset.values.items()
        )

    def _read(self, name: str) -> dict[str, float]:
        for preset in self.presets:
            if preset.name == name:
                unknown = set(preset.values) - set(self.by_id)
                if unknown:
                    raise ZolvekError(f"There is no parameter “{min(unknown)}”.", f"preset {name}")
                return {k: self.parameter(k).parse(v) for k, v in preset.values.items()}
        raise ZolvekError(f"There is no preset “{name}”.", f"device {self.key}")


def kind_from_plain(plain: Any, where: str = "the description") -> DeviceKind:
    """The kind that a description (as parsed from JSON) gives, every row of it tried.

    Raises ZolvekError naming `where`, the place in it and the remedy.
    """
    if not isinstance(plain, dict) or plain.get("format") != FORMAT:
        raise ZolvekError("This is not a device description.", where, f'It begins {{"format": "{FORMAT}"}}.')
    version = plain.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= VERSION:
        raise ZolvekError(
            f"Its version is {version!r}; this program knows up to {VERSION}.",
            where,
            "Use a newer Zolvek, or correct the number.",
        )
    device = plain.get("device")
    if not isinstance(device, dict):
        raise ZolvekError("It has no “device”.", where, "See docs/device-file.md.")
    try:
        kind = DeviceKind(
            _text(device, "key"),
            _text(device, "name"),
            _text(device, "role"),
            tuple(_parameter(row, i) for i, row in enumerate(_rows(device, "parameters"))),
            tuple(_preset(row, i) for i, row in enumerate(_rows(device, "presets", []))),
            _text(device, "about", ""),
        )
        for preset in kind.presets:
            try:
                kind.preset(preset.name)
            except ZolvekError as error:
                raise error.at(f"preset {preset.name}") from error
    except ZolvekError as error:
        raise ZolvekError(
            error.what, error.at(where).where, error.remedy or "Correct the description there."
        ) from error
    return kind


PARAMETER_FIELDS = set(names_of(Parameter))
PARAMETER_TEXTS = ("id", "name", "group", "unit", "taper", "sends")


def _rows(device: dict[str, Any], key: str, default: Any = None) -> list[Any]:
    rows = device.get(key, default)
    if not isinstance(rows, list):
        raise ZolvekError(f"“{key}” is not a list.")
    return rows


def _text(row: dict[str, Any], key: str, default: str | None = None) -> str:
    text = row.get(key, default)
    if not isinstance(text, str):
        raise ZolvekError(f"“{key}” is not a text.")
    return text


def _parameter(row: Any, place: int) -> Parameter:
    where = f"parameter {place + 1}"
    if not isinstance(row, dict):
        raise ZolvekError("It is not an object.", where)
    unknown = set(row) - PARAMETER_FIELDS
    if unknown:
        raise ZolvekError(f"“{min(unknown)}” is not a key of this format.", where, "Remove it.")
    made: dict[str, Any] = {}
    for key, value in row.items():
        if key == "choices":
            if not isinstance(value, list) or not all(isinstance(c, str) and c for c in value):
                raise ZolvekError("“choices” is not a list of texts.", where)
            made[key] = tuple(value)
        elif key in PARAMETER_TEXTS:
            if not isinstance(value, str):
                raise ZolvekError(f"“{key}” is not a text.", where)
            made[key] = value
        elif isinstance(value, bool) or not isinstance(value, (int, float)):
            raise ZolvekError(f"“{key}” is not a number.", where)
        elif abs(value) > 1e12 or value != value:
            raise ZolvekError(f"“{key}” is out of range.", where)
        else:
            made[key] = float(value)
    if not made.get("id") or not made.get("name"):
        raise ZolvekError("It needs an id and a name.", where)
    if made.get("taper") == "stepped":
        made = {"low": 0.0, "high": max(len(made.get("choices", ())) - 1.0, 1.0)} | made
    parse_target(made.get("sends", ""))
    return _in_its_range(Parameter(**made), "default" in made, where)


def _in_its_range(parameter: Parameter, is_given: bool, where: str) -> Parameter:
    """The parameter, its default within its range: one that is not given is as near to 0 as that goes. In
    decibels what is below is silence."""
    low = -math.inf if parameter.taper == "decibel" else parameter.low
    inside = min(max(parameter.default, low), parameter.high)
    if is_given and inside != parameter.default:
        raise ZolvekError(
            f"Its default, {parameter.default:g}, is outside {parameter.low:g} to {parameter.high:g}.",
            where,
            "Correct the number.",
        )
    return replace(parameter, default=inside)


def _preset(row: Any, place: int) -> Preset:
    where = f"preset {place + 1}"
    if not isinstance(row, dict) or not isinstance(row.get("values"), dict):
        raise ZolvekError("It needs a name and values.", where)
    if not all(isinstance(value, str) for value in row["values"].values()):
        raise ZolvekError("A value is not a text.", where, 'Write values such as "1.2 kHz".')
    return Preset(_text(row, "name"), dict(row["values"]))


def plain(kind: DeviceKind) -> dict[str, Any]:
    """The description that `kind_from_plain` reads."""
    usual = Parameter("id", "name")
    rows = []
    for parameter in kind.parameters:
        row = {
            name: getattr(parameter, name)
            for name in names_of(Parameter)
            if getattr(parameter, name) != getattr(usual, name)
        }
        rows.append(row | ({"choices": list(parameter.choices)} if parameter.choices else {}))
    return {
        "format": FORMAT,
        "version": VERSION,
        "device": {
            "key": kind.key,
            "name": kind.name,
            "role": kind.role,
            "about": kind.about,
            "parameters": rows,
            "presets": [{"name": p.name, "values": p.values} for p in kind.presets],
        },
    }


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
        found = self.made.get(key)
        if found is None:
            found = self.made[key] = _shipped(ROWS[key])
        return found

    def __contains__(self, key: object) -> bool:
        return key in ROWS

    def __iter__(self) -> Iterator[str]:
        return iter(ROWS)

    def __len__(self) -> int:
        return len(ROWS)


DEVICE_KINDS = ShippedKinds()
