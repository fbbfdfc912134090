# SPDX-License-Identifier: GPL-3.0-or-later
"""Stamps: ready curves to put into a span. A new one is a row in the table.

A stamp makes points from u = 0 to 1 at heights 0 to 1, where 0 is the level at the start of the
span and 1 the level it goes to; the sliders are what a person can set.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import CODES
from zolvek.core.errors import ZolvekError

Point = tuple[float, float, str, float]  # u, height, shape, amount


class Slider(NamedTuple):
    key: str
    label: str
    low: float
    high: float
    default: float
    whole: bool = False


class Stamp(NamedTuple):
    """`make` takes the sliders' values in order and returns points; `returns` says that it
    ends at the level it began with."""

    key: str
    label: str
    sliders: tuple[Slider, ...]
    make: Callable[..., list[Point]]
    returns: bool = False


BEND = Slider("bend", "Bend", -0.95, 0.95, 0.0)
COUNT = Slider("count", "Times", 1, 64, 8, True)


def _ramp(bend: float) -> list[Point]:
    return [(0, 0, "bend", bend), (1, 1, "line", 0)]


def _swell(peak: float, bend: float) -> list[Point]:
    return [(0, 0, "s-curve", bend), (peak, 1, "s-curve", bend), (1, 0, "line", 0)]


def _dip(width: float, bend: float) -> list[Point]:
    edge = (1 - width) / 2
    return [
        (0, 0, "bend", bend),
        (edge, 1, "hold", 0),
        (1 - edge, 1, "bend", -bend),
        (1, 0, "line", 0),
    ]


def _duck(hold: float, bend: float) -> list[Point]:
    """There at once, and back."""
    return [(0, 1, "hold", 0), (hold, 1, "bend", bend), (1, 0, "line", 0)]


def _gate(count: float, open_part: float) -> list[Point]:
    points: list[Point] = []
    for i in range(int(count)):
        points += [(i / count, 1, "hold", 0), ((i + open_part) / count, 0, "hold", 0)]
    return [*points, (1, 0, "line", 0)]


def _staircase(count: float) -> list[Point]:
    return [(0, 0, "stairs", count), (1, 1, "line", 0)]


def _build(count: float, bend: float) -> list[Point]:
    """Rises that fall back, each higher than the one before."""
    points: list[Point] = []
    for i in range(int(count)):
        points += [(i / count, 0, "bend", bend), ((i + 1) / count, (i + 1) / count, "line", 0)]
    return points


def _drop(hold: float, bend: float) -> list[Point]:
    return [(0, 0, "hold", 0), (hold, 0, "bend", bend), (1, 1, "line", 0)]


def _tremble(count: float, fade: float) -> list[Point]:
    """Quick turns that die away, or with a negative fade grow."""
    turns = int(count) * 2
    u = np.arange(turns + 1) / turns
    depth = (1 - np.clip(fade, 0, 1) * u) * (1 - np.clip(-fade, 0, 1) * (1 - u))
    height = (np.arange(turns + 1) % 2) * depth
    return [(float(a), float(h), "cosine", 0.0) for a, h in zip(u, height, strict=True)]


STAMPS: tuple[Stamp, ...] = (
    Stamp("ramp", "Ramp", (BEND,), _ramp),
    Stamp("swell", "Swell", (Slider("peak", "Peak at", 0.05, 0.95, 0.5), BEND), _swell, True),
    Stamp("dip", "Dip", (Slider("width", "Width", 0.0, 0.95, 0.3), BEND), _dip, True),
    Stamp("duck", "Duck", (Slider("hold", "Hold", 0.0, 0.95, 0.2), BEND), _duck, True),
    Stamp("gate", "Gate", (COUNT, Slider("open", "Open for", 0.05, 0.95, 0.5)), _gate, True),
    Stamp("staircase", "Staircase", (Slider("count", "Steps", 1, 32, 4, True),), _staircase),
    Stamp("build", "Build with reset", (Slider("count", "Times", 1, 32, 4, True), BEND), _build),
    Stamp("drop", "Drop", (Slider("hold", "Wait", 0.0, 0.95, 0.75), BEND), _drop),
    Stamp("tremble", "Tremble", (COUNT, Slider("fade", "Decay", -1.0, 1.0, 0.5)), _tremble, True),
)
BY_KEY = {stamp.key: stamp for stamp in STAMPS}


def stamped(key: str, length: float, start: float, end: float, **sliders: float) -> Curve:
    """A piece of `length` beats from level `start` to level `end` (a stamp that returns goes
    there and back). Raises ZolvekError for a stamp or slider there is none of."""
    stamp = BY_KEY.get(key)
    if stamp is None:
        raise ZolvekError(f"There is no stamp “{key}”.", remedy=f"Choose one of {', '.join(BY_KEY)}.")
    known = {slider.key: slider for slider in stamp.sliders}
    for name, value in sliders.items():
        if name not in known or not known[name].low <= value <= known[name].high:
            wanted = ", ".join(f"{s.key} {s.low:g} to {s.high:g}" for s in stamp.sliders)
            raise ZolvekError(f"{name} = {value:g} can't be used.", f"stamp {key}", f"Use {wanted}.")
    if length <= 0.0:
        raise ZolvekError("The span is empty.", remedy="Select a span that ends after it begins.")
    values = [sliders.get(s.key, s.default) for s in stamp.sliders]
    points = stamp.make(*(int(v) if s.whole else v for s, v in zip(stamp.sliders, values, strict=True)))
    u, height, shape, amount = zip(*points, strict=True)
    beat = np.array(u, float) * length
    beat[-1] = length
    codes = np.array([CODES[s] for s in shape], np.uint8)
    keep = np.ones(len(beat), bool)
    keep[2:] = beat[2:] != beat[:-2]
    level = start + (end - start) * np.array(height, float)
    level = np.clip(level, 0.0, 1.0)
    return Curve(beat[keep], level[keep], codes[keep], np.array(amount, float)[keep])
