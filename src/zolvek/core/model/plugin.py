# SPDX-License-Identifier: GPL-3.0-or-later
"""A hosted plugin as a project holds it: what it is, and how its parameters reach its ports."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats, among
from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record, field, replace
from zolvek.core.value.parameter import Parameter

# Law -> a port's value for a parameter's real one, and back; `by` is the binding's number.
Law = tuple[Callable[[Floats, float], Floats], Callable[[Floats, float], Floats]]
MOST_STATE = 64 << 20  # characters of what a plugin holds beyond its parameters
DEEPEST_STATE = 64  # brackets in brackets there: readers of Turtle go down by calling themselves
MOST_TEXT = 4_096  # characters of an id or a path
USUAL_RATE = 48_000.0  # at which ports that count in parts of it are described and compared
QUOTED = re.compile(r'"(?:[^"\\]|\\.)*"')
SILENT_DB = -400.0  # below what any gain port can hold


def _gain(decibels: Floats, _: float) -> Floats:
    return np.power(10.0, np.asarray(decibels, float) / 20.0)


def _decibels(gain: Floats, _: float) -> Floats:
    with np.errstate(divide="ignore"):
        return 20.0 * np.log10(np.maximum(np.asarray(gain, float), 0.0))


LAWS: dict[str, Law] = {
    "times": (lambda v, by: np.asarray(v, float) * by, lambda p, by: np.asarray(p, float) / by),
    "round": (
        lambda v, by: np.round(np.asarray(v, float) * by),
        lambda p, by: np.asarray(p, float) / by,
    ),
    "gain": (_gain, _decibels),
}
# Laws that need more than a number: the parameter's own position; values and the places where they lie.
POSITION, TABLE = "position", "table"


def need_state(text: str, where: str) -> None:
    """Raises ZolvekError for a state that no reader should be given."""
    if len(text) > MOST_STATE:
        raise ZolvekError("The plugin's state is too long.", where, "Choose one of its presets again.")
    if "[" not in text and "(" not in text:
        return
    data = np.frombuffer(QUOTED.sub("", text).encode(errors="replace"), np.uint8)
    opened = among(data, np.frombuffer(b"[(", np.uint8)).astype(np.int64)
    depth = np.cumsum(opened - among(data, np.frombuffer(b"])", np.uint8)))
    if depth.size and depth.max() > DEEPEST_STATE:
        raise ZolvekError("The plugin's state is nested too deeply.", where, "Choose one of its presets again.")


class Binding(Record, frozen=True):
    """How a parameter reaches a port: by a law of the table and its number `by`; or, for steps and
    switches, by the port's `values` in order. `by_rate`: the port counts in parts of the sample rate.
    By POSITION the port is the parameter's position; by TABLE real `values`, rising, lie at `places`."""

    symbol: str
    index: int
    law: str = "times"
    by: float = 1.0
    values: tuple[float, ...] = ()
    by_rate: bool = False
    places: tuple[float, ...] = ()

    def __post_init__(self) -> None:
        known = (
            self.law in LAWS or self.law == POSITION or (self.law == TABLE and len(self.places) == len(self.values) > 1)
        )
        if not known or not np.isfinite(self.by) or self.by == 0.0:
            raise ZolvekError(f"The port {self.symbol} can't be reached.", "plugin", "Add the plugin again.")

    def port(self, value: Floats, rate: float) -> Floats:
        """The port's values for real values of the parameter; by POSITION, for positions."""
        if self.law == POSITION:
            return np.asarray(value, float)
        if self.law == TABLE:
            return np.interp(value, self.values, self.places)
        if self.values:
            steps = np.clip(np.round(np.asarray(value, float)), 0, len(self.values) - 1)
            return np.asarray(self.values)[steps.astype(np.intp)]
        result = LAWS[self.law][0](value, self.by)
        return result / rate if self.by_rate else result

    def value(self, port: float, rate: float) -> float:
        """The parameter's real value for a port's; by POSITION, its position."""
        if self.law == POSITION:
            return port
        if self.law == TABLE:
            rising = self.places[-1] > self.places[0]
            order = slice(None) if rising else slice(None, None, -1)
            return float(np.interp(port, self.places[order], self.values[order]))
        if self.values:
            return float(np.argmin(np.abs(np.asarray(self.values) - port)))
        real_value = port * rate if self.by_rate else port
        return float(LAWS[self.law][1](np.asarray(real_value), self.by))


class Plugin(Record, frozen=True):
    """`format` "lv2" or "vst3"; `uri` its id there, `path` the file or bundle it was found in; `ports`: a binding for
    each parameter of the device's kind, by
    the parameter's id. Audio ports by index: what it takes in and gives out, `side` those of a side-chain;
    `events` the port that takes notes, or −1; `midi_out` the one that gives MIDI; `latency` the port that says its
    latency, or −1. `files`: what it takes files for, by URI, and how that is called.
    `windowless`: why its own window can't be shown, "" where it can."""

    format: str
    uri: str
    maker: str = ""
    version: str = ""
    ports: dict[str, Binding] = field(default_factory=dict)
    inputs: tuple[int, ...] = ()
    outputs: tuple[int, ...] = ()
    side: tuple[int, ...] = ()
    events: int = -1
    latency: int = -1
    enabled: str = ""  # the parameter that is its own bypass, on where it works
    hidden: tuple[str, ...] = ()  # parameters that are marked as not for show
    path: str = ""
    midi_out: int = -1
    files: dict[str, str] = field(default_factory=dict)
    windowless: str = ""

    def __post_init__(self) -> None:
        if max(map(len, (self.uri, self.path, self.maker, self.version))) > MOST_TEXT:
            raise ZolvekError("A text of the plugin is too long.", f"plugin {self.uri[:80]}", "Add it again.")


def reached(parameter: Parameter, binding: Binding, value: Floats, rate: float) -> Floats:
    """The port's values for real values of the parameter."""
    port_value = parameter.position(value) if binding.law == POSITION else value
    return binding.port(port_value, rate)


def real(parameter: Parameter, binding: Binding, port: float, rate: float) -> float:
    """The parameter's real value for a port's."""
    real_value = binding.value(port, rate)
    return float(parameter.value(real_value)) if binding.law == POSITION else real_value


def fitted(plugin: Plugin, there: Plugin) -> Plugin:
    """The plugin that a project holds, reaching the ports of the one that is installed: by their symbols, as
    another version may count them in another order. What is no longer there is left out."""
    result = {binding.symbol: binding.index for binding in there.ports.values()}
    ports = {
        key: replace(binding, index=result[binding.symbol])
        for key, binding in plugin.ports.items()
        if binding.symbol in result
    }
    return replace(there, ports=ports, maker=plugin.maker, version=plugin.version)
