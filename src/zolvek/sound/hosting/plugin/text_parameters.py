# SPDX-License-Identifier: GPL-3.0-or-later
"""Controls that are known by their texts alone, as parameters of ours with their bindings.

A VST3 plugin says of each control how many steps it has, and how it writes any place 0..1 of its travel. Unit
and taper are read out of what it writes at places all along.
"""

from __future__ import annotations

import re
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.model.plugin import POSITION, TABLE, Binding
from zolvek.core.records import Record
from zolvek.core.value.parameter import SWITCH_WORDS, Parameter
from zolvek.core.value.tapers import TAPERS
from zolvek.sound.hosting.plugin.port_parameters import WORDS, apart, in_name

PLACES = 65  # at which a sliding control is read
MOST_STEPS = 128
NUMBER = re.compile(r"\s*([+\-−]?)\s*(\d+(?:[.,]\d*)?|[.,]\d+)\s*(.*?)\s*")
SILENCE = re.compile(r"\s*[-−]\s*(inf|infinity|∞|oo)\b.*|\s*[-−]∞.*", re.IGNORECASE)
SURELY_NOT = 1e3  # times the rounding of a text: far beyond it


class ControlTexts(Record, frozen=True):
    """`texts`: what it writes at places evenly from 0 to 1, one for each step where it has `steps`, else
    PLACES of them. `default`: a place 0..1."""

    name: str
    index: int
    label: str
    texts: tuple[str, ...]
    default: float
    steps: int = 0
    hidden: bool = False


class _Read(NamedTuple):
    """Real values in `unit`, −inf for silence, and how far a text may be rounded from each."""

    values: Floats
    rounded: Floats
    unit: str


def parameter_of(control_texts: ControlTexts, key: str) -> tuple[Parameter, Binding]:
    """The parameter of id `key`, and how it reaches the control's 0..1."""
    if 2 <= control_texts.steps <= MOST_STEPS and len(control_texts.texts) == control_texts.steps:
        return _stepped(control_texts, key)
    read = _read(control_texts)
    if read is None:
        plain = Parameter(key, control_texts.name, "", "%", 0.0, 100.0, 100.0 * control_texts.default)
        return plain, Binding(control_texts.name, control_texts.index, POSITION)
    return _sliding(control_texts, key, read)


def _stepped(control_texts: ControlTexts, key: str) -> tuple[Parameter, Binding]:
    places = tuple(np.linspace(0.0, 1.0, control_texts.steps).tolist())
    at = float(np.argmin(np.abs(np.asarray(places) - control_texts.default)))
    binding = Binding(control_texts.name, control_texts.index, values=places)
    words = [SWITCH_WORDS.get(text.strip().lower()) for text in control_texts.texts]
    plain = control_texts.steps == 2 and (
        words == [0.0, 1.0] or control_texts.texts[0] == control_texts.texts[1] or _read(control_texts) is not None
    )
    if plain:
        return Parameter(key, control_texts.name, taper="switch", default=at), binding
    labels = apart(tuple(control_texts.texts))
    return Parameter(key, control_texts.name, "", "", 0.0, control_texts.steps - 1.0, at, "stepped", labels), binding


def _one(text: str, label: str) -> tuple[float, float, str] | None:
    """Value, rounding and unit of a text."""
    if SILENCE.fullmatch(text):
        return -np.inf, 0.0, "dB"
    match = NUMBER.fullmatch(text)
    if not match:
        return None
    sign, digits, word = match[1], match[2].replace(",", "."), match[3] or label
    row = WORDS.get(word.lower())
    if row is None and match[3]:
        return None  # what it means is not known: the number alone would mislead
    unit, worth = (row.unit, row.worth) if row else ("", 1.0)
    places = len(digits.partition(".")[2])
    value = float(digits) / worth * (-1.0 if sign in ("-", "−") else 1.0)
    return value, 0.5 * 10.0**-places / worth, unit


def _read(control_texts: ControlTexts) -> _Read | None:
    """The texts as numbers that rise or fall all along, or None."""
    label = control_texts.label.strip() or in_name(control_texts.name)
    rows = [_one(text, label) for text in control_texts.texts]
    if len(rows) < 2 or any(row is None for row in rows):
        return None
    values, rounded, units = (list(column) for column in zip(*(r for r in rows if r), strict=True))
    kinds = {unit for unit, value in zip(units, values, strict=True) if np.isfinite(value)}
    if len(kinds) != 1:
        return None
    steps = [b - a for a, b in pairwise(values) if np.isfinite(a)]
    rises, falls = all(s >= 0 for s in steps), all(s <= 0 for s in steps)
    if not (rises or falls) or values[0] == values[-1] or not np.isfinite(values[1:]).all():
        return None
    return _Read(np.array(values), np.array(rounded), kinds.pop())


def _sliding(control_texts: ControlTexts, key: str, read: _Read) -> tuple[Parameter, Binding]:
    values, places = read.values, np.linspace(0.0, 1.0, len(read.values))
    falls = values[-1] < values[0]
    if falls:
        values, places = values[::-1], places[::-1]
    silent = not np.isfinite(values[0])
    low, high = float(values[1] if silent else values[0]), float(values[-1])
    if not low < high:
        plain = Parameter(key, control_texts.name, "", "%", 0.0, 100.0, 100.0 * control_texts.default)
        return plain, Binding(control_texts.name, control_texts.index, POSITION)
    unit = "±%" if read.unit == "%" and low < 0.0 else read.unit
    off = {taper: _off(taper, read, low, high) for taper in _possible(low, silent)}
    taper = min(off, key=lambda each: off[each])
    if off[taper] <= 1.0 and not falls:
        parameter = Parameter(key, control_texts.name, "", unit, low, high, low, taper)
        at = float(parameter.value(control_texts.default))
        if not np.isfinite(at):
            at = -1e12
        return _with_default(parameter, at), Binding(control_texts.name, control_texts.index, POSITION)
    parameter = Parameter(key, control_texts.name, "", unit, low, high, low, taper)
    return _by_table(control_texts, parameter, values, places)


def _by_table(
    control_texts: ControlTexts, made: Parameter, values: Floats, places: Floats
) -> tuple[Parameter, Binding]:
    """Of a law that is none of ours: its own values, and where they lie, with the default's among them."""
    kept = np.isfinite(values)
    values, places = values[kept], places[kept]
    rising = places[-1] > places[0]
    at = float(np.interp(control_texts.default, places if rising else places[::-1], values if rising else values[::-1]))
    strict = np.concatenate(([True], np.diff(values) > 0.0))
    values, places = values[strict], places[strict]
    where = int(np.searchsorted(values, at))
    if where < len(values) and values[where] == at:
        places = places.copy()
        places[where] = control_texts.default
    else:
        values, places = np.insert(values, where, at), np.insert(places, where, control_texts.default)
    binding = Binding(
        control_texts.name, control_texts.index, TABLE, values=tuple(values.tolist()), places=tuple(places.tolist())
    )
    return _with_default(made, at), binding


def _with_default(made: Parameter, at: float) -> Parameter:
    return Parameter(made.id, made.name, made.group, made.unit, made.low, made.high, at, made.taper)


def _possible(low: float, silent: bool) -> tuple[str, ...]:
    if silent:
        return ("decibel",)
    return (
        "linear",
        *(("exponential",) if low > 0.0 else ()),
        *(("from-zero",) if low == 0.0 else ()),
    )


def _off(taper: str, read: _Read, low: float, high: float) -> float:
    """How far the taper is from what was read, 1 where it is just within what texts are rounded by; beyond
    that it is counted in parts of the travel, so that tapers can be compared."""
    values = read.values if read.values[-1] > read.values[0] else read.values[::-1]
    n = np.linspace(0.0, 1.0, len(values))
    ours = TAPERS[taper].to_value(n, low, high, 0)
    same = np.isneginf(ours) & np.isneginf(values)
    with np.errstate(invalid="ignore"):
        away = np.where(same, 0.0, np.abs(ours - values))
    # The ends are rounded themselves, and may carry the middle along with them.
    room = 2.0 * np.maximum(read.rounded, 1e-12) + 1e-9 * abs(high)
    worst = float((away / room).max())
    if worst <= 1.0:
        return worst
    there = TAPERS[taper].to_position(values[np.isfinite(values)], low, high, 0)
    return SURELY_NOT + float(np.abs(there - n[np.isfinite(values)]).max())
