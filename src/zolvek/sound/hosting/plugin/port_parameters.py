# SPDX-License-Identifier: GPL-3.0-or-later
"""Control ports of a plugin's description, as parameters of ours with their bindings.

Of 27,628 control inputs of the LV2 plugins in Debian, minimum, maximum and default are given by all, a unit by
about half: so what the name says in brackets is read too.
"""

from __future__ import annotations

import re

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.model.plugin import USUAL_RATE, Binding
from zolvek.core.records import Record, replace
from zolvek.core.value.parameter import Parameter

BYPASS_ID = "bypass"
MOST_CHOICES = 128  # integers that are given one by one
LOWEST_DB = -90.0  # at which a gain from 0 has its floor, unless it is loud all over
LOWEST_RATIO = 1e-9


class Port(Record, frozen=True):
    """A control port: its numbers are the port's own. `points`: values that have a label. `unit`: the
    last word of a unit's URI, or what its symbol is."""

    symbol: str
    index: int
    name: str
    low: float
    high: float
    default: float
    unit: str = ""
    group: str = ""
    toggled: bool = False
    integer: bool = False
    enumeration: bool = False
    logarithmic: bool = False
    by_rate: bool = False
    hidden: bool = False
    points: tuple[tuple[float, str], ...] = ()


class _Unit(Record, frozen=True):
    """A unit of ours, and how many of the port's are one of it."""

    unit: str
    worth: float = 1.0
    law: str = "times"


# What the LV2 units extension calls a unit, and what people write in brackets -> ours.
WORDS: dict[str, _Unit] = {
    **dict.fromkeys(("s", "sec", "secs", "second", "seconds"), _Unit("s")),
    **dict.fromkeys(("ms", "msec", "millisecond", "milliseconds"), _Unit("s", 1_000.0)),
    **dict.fromkeys(("hz",), _Unit("Hz")),
    **dict.fromkeys(("khz",), _Unit("Hz", 0.001)),
    **dict.fromkeys(("mhz",), _Unit("Hz", 1e-6)),
    **dict.fromkeys(("db", "dbfs"), _Unit("dB")),
    **dict.fromkeys(("pc", "%", "percent"), _Unit("%")),
    **dict.fromkeys(("semitone12tet", "semitones", "semitone", "st"), _Unit("st")),
    **dict.fromkeys(("cent", "cents"), _Unit("st", 100.0)),
    **dict.fromkeys(("oct", "octaves", "octave"), _Unit("st", 1.0 / 12.0)),
    **dict.fromkeys(("degree", "degrees", "deg", "°"), _Unit("°")),
    **dict.fromkeys(("bpm",), _Unit("BPM")),
    **dict.fromkeys(("m", "meters", "metres"), _Unit("m")),
    **dict.fromkeys(("cm",), _Unit("m", 100.0)),
    **dict.fromkeys(("mm",), _Unit("m", 1_000.0)),
    **dict.fromkeys(("frame", "frames", "samples", "samp"), _Unit("samples")),
    **dict.fromkeys(("midinote", "midi note", "note"), _Unit("note")),
    **dict.fromkeys(("beat", "beats"), _Unit("beats")),
    **dict.fromkeys(("bar", "bars"), _Unit("bars")),
    **dict.fromkeys(("np",), _Unit("dB", np.log(10.0) / 20.0)),  # neper
    **dict.fromkeys(("°c",), _Unit("°C")),
    **dict.fromkeys(("ratio", ": 1", ":1"), _Unit("ratio")),
    **dict.fromkeys(("coef", ""), _Unit("")),
}
# Units of plugins' own that mean a linear gain: by symbol, or by what they are called.
GAIN_UNITS = ("g", "gain", "gain units", "gain (coef)")
FREQUENCIES = re.compile(r"\b(freq|frequency|cut-?off)\b", re.IGNORECASE)
WIDE = 100.0  # times its lowest: a frequency that goes so far is heard in octaves
IN_NAME = re.compile(r"[(\[]\s*([^()\[\]]{1,12}?)\s*[)\]]\s*$")
GAINS = re.compile(r"\b(gain|level|volume|output|makeup)\b", re.IGNORECASE)


def parameter_of(port: Port, key: str) -> tuple[Parameter, Binding]:
    """The parameter of id `key` that a port is, and how it reaches it. Raises ZolvekError for one that says
    nothing that can be used."""
    low, high, default = _checked(port)
    if _is_switch(port, low, high):
        on = max(high, low + 1.0) if high > low else 1.0
        parameter = Parameter(key, port.name, port.group, taper="switch", default=float(default > (low + on) / 2.0))
        return parameter, Binding(port.symbol, port.index, values=(low, on))
    values, labels = _choices(port, low, high)
    if len(values) > 1:
        at = float(np.argmin(np.abs(np.asarray(values) - default)))
        parameter = Parameter(key, port.name, port.group, "", 0.0, len(values) - 1.0, at, "stepped", labels)
        return parameter, Binding(port.symbol, port.index, values=values)
    return _sliding(port, key, low, high, default)


def _checked(port: Port) -> tuple[float, float, float]:
    """Lowest, highest and default, put right where the description contradicts itself."""
    low, high, default = port.low, port.high, port.default
    low = low if np.isfinite(low) else 0.0
    high = high if np.isfinite(high) else max(low + 1.0, 1.0)
    if not np.isfinite(default):
        default = low
    if port.by_rate and default > max(low, high):  # some give it in Hz already
        default /= USUAL_RATE
    if low > high:
        low, high = high, low
    if not port.toggled and default < low:
        low = default
    if not port.toggled and default > high:
        high = default
    if not low < high and not port.toggled:
        high = low + 1.0
    if max(abs(low), abs(high)) > 1e12:
        raise ZolvekError("Its range is invalid.", f"port {port.symbol}")
    return float(low), float(high), float(default)


def _is_switch(port: Port, low: float, high: float) -> bool:
    return port.toggled or (port.integer and (low, high) == (0.0, 1.0) and len(port.points) < 3)


def _choices(port: Port, low: float, high: float) -> tuple[tuple[float, ...], tuple[str, ...]]:
    """The values a port takes, and their labels, where they are few."""
    points = sorted((v, label) for v, label in port.points if low - 1e-6 <= v <= high + 1e-6)
    if port.enumeration and len(points) > 1:
        values = tuple(v for v, _ in points)
        return values, apart(tuple(label for _, label in points))
    if port.integer and high - low < MOST_CHOICES and port.unit == "" and points:
        named = dict(points)
        values = tuple(float(v) for v in range(int(np.ceil(low)), int(np.floor(high)) + 1))
        return values, apart(tuple(named.get(v, f"{v:g}") for v in values))
    if port.integer and 1.0 < high - low < 32.0 and not _unit_of(port).unit:
        values = tuple(float(v) for v in range(int(np.ceil(low)), int(np.floor(high)) + 1))
        return values, tuple(f"{v:g}".replace("-", "−") for v in values)
    return (), ()


def apart(labels: tuple[str, ...]) -> tuple[str, ...]:
    """Labels of which no two are alike, and none is empty."""
    names: dict[str, None] = {}
    numbers: dict[str, int] = {}
    for label in labels:
        base = name = label.strip() or "…"
        while name in names:
            numbers[base] = numbers.get(base, 1) + 1
            name = f"{base} {numbers[base]}"
        names[name] = None
    return tuple(names)


def _unit_of(port: Port) -> _Unit:
    word = port.unit.strip().lower()
    if word and word in WORDS:
        return WORDS[word]
    return WORDS[in_name(port.name)]


def in_name(name: str) -> str:
    """A unit that a name has in brackets, as WORDS has it; "" for none."""
    named = IN_NAME.search(name)
    return named[1].lower() if named and named[1].lower() in WORDS else ""


def _sliding(port: Port, key: str, low: float, high: float, default: float) -> tuple[Parameter, Binding]:
    unit = _unit_of(port)
    if port.by_rate:
        unit = _Unit("Hz")
        low, high, default = (item * USUAL_RATE for item in (low, high, default))
    worth = unit.worth
    lo, hi, at = low / worth, high / worth, default / worth
    name = unit.unit
    if name == "%" and lo < 0.0:
        name = "±%"
    law = "round" if port.integer else "times"
    binding = Binding(port.symbol, port.index, law, worth, (), port.by_rate)
    if _is_gain(port, unit, low, high, default):
        parameter, gain = _as_decibels(port, key, low, high, default)
        return _labelled(parameter, gain, port), gain
    if not unit.unit and not port.integer and FREQUENCIES.search(port.name) and high > WIDE and hi > WIDE * lo:
        name = "Hz"
    taper = "linear"
    if port.logarithmic and lo > 0.0 and hi / lo > 1.0 + LOWEST_RATIO:
        taper = "exponential"
    elif port.logarithmic and lo == 0.0:
        taper = "from-zero"
    elif name == "Hz" and not port.integer and lo > 0.0 and hi / lo > (WIDE if port.unit else 50.0):
        taper = "exponential"
    elif name == "Hz" and not port.integer and lo == 0.0 and hi > WIDE:
        taper = "from-zero"
    return _labelled(Parameter(key, port.name, port.group, name, lo, hi, at, taper), binding, port), binding


def _labelled(parameter: Parameter, binding: Binding, port: Port) -> Parameter:
    """With what single values of a port are called, in the parameter's own numbers."""
    labels = []
    for value, label in port.points[:MOST_CHOICES]:
        at = binding.value(value, USUAL_RATE)
        if label.strip() and np.isfinite(at) and parameter.low <= at <= parameter.high:
            labels.append((at, label.strip()))
    unlike = len({label.casefold() for _, label in labels}) == len(labels)
    return replace(parameter, labels=tuple(labels)) if labels and unlike else parameter


def _is_gain(port: Port, unit: _Unit, low: float, high: float, default: float) -> bool:
    """Whether a port is a factor of the sound's level: by a unit of its own, or by its name."""
    if port.integer or low < 0.0 or high <= 0.0:
        return False
    if port.unit.strip().lower() in GAIN_UNITS:
        return True
    named = not unit.unit and high <= 100.0 and GAINS.search(port.name) is not None
    return named and (port.logarithmic or (default > 0.0 and high >= 1.0))


def _as_decibels(port: Port, key: str, low: float, high: float, default: float) -> tuple[Parameter, Binding]:
    """A linear gain, written in dB: with silence at the bottom where it goes down to 0."""
    top = float(20.0 * np.log10(high))
    at = float(20.0 * np.log10(default)) if default > 0.0 else -np.inf
    binding = Binding(port.symbol, port.index, "gain")
    if low <= 0.0:
        floor = min(LOWEST_DB, top - 12.0, at if np.isfinite(at) else LOWEST_DB)
        shown = at if np.isfinite(at) else -1e12
        return Parameter(key, port.name, port.group, "dB", floor, top, shown, "decibel"), binding
    floor = float(20.0 * np.log10(low))
    return Parameter(key, port.name, port.group, "dB", floor, top, at), binding


def keys_of(ports: tuple[Port, ...]) -> list[str]:
    """An id for each port's parameter: its symbol."""
    return keys_of_names([port.symbol or f"port-{port.index}" for port in ports])


def keys_of_names(names: list[str]) -> list[str]:
    """Ids, made different where two are alike, and unlike that of the bypass that every device has."""
    keys: list[str] = []
    for name in names:
        base = "plugin-bypass" if name == BYPASS_ID else name
        key, number = base, 2
        while key in keys:
            key, number = f"{base}-{number}", number + 1
        keys.append(key)
    return keys
