# SPDX-License-Identifier: GPL-3.0-or-later
"""What a kind of device is: its role, its parameters, its presets."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from functools import cached_property

from zolvek.core.errors import ZolvekError
from zolvek.core.model.plugin import Plugin, need_state
from zolvek.core.records import Record
from zolvek.core.value.parameter import Parameter

MOST_PARAMETERS = 4_096
NEAR = 1e-9  # positions that are the same


class DeviceRole(StrEnum):
    """What a device does: changes the track's notes; plays them; processes sound; makes none, its lanes are sent as
    messages."""

    MIDI = "midi"
    INSTRUMENT = "instrument"
    EFFECT = "effect"
    OUTSIDE = "outside"


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
            (self.role not in tuple(DeviceRole), f"There is no role “{self.role}”."),
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
        has_bypass = any(parameter.id == BYPASS.id for parameter in self.parameters)
        return self.parameters if has_bypass or self.role == DeviceRole.OUTSIDE else (*self.parameters, BYPASS)

    @cached_property
    def by_id(self) -> dict[str, Parameter]:
        """The parameters by their ids."""
        return {parameter.id: parameter for parameter in self.controls}

    def parameter(self, key: str) -> Parameter:
        """Raises ZolvekError when there is none of this id."""
        result = self.by_id.get(key)
        if result is None:
            raise ZolvekError(f"A device of type “{self.key}” has no parameter “{key}”.")
        return result

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
