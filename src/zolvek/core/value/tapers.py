# SPDX-License-Identifier: GPL-3.0-or-later
"""Tapers: how a control's 0..1 position maps to its real value."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats

# Each takes (what to map, lowest, highest, number of choices) and returns an array.
Map = Callable[[Floats, float, float, int], Floats]


class Taper(NamedTuple):
    key: str
    to_value: Map
    to_position: Map


def _linear(n: Floats, lo: float, hi: float, k: int) -> Floats:
    return lo + (hi - lo) * n


def _linear_back(v: Floats, lo: float, hi: float, k: int) -> Floats:
    return (v - lo) / (hi - lo)


def _exponential(n: Floats, lo: float, hi: float, k: int) -> Floats:
    return lo * np.power(hi / lo, n)


def _exponential_back(v: Floats, lo: float, hi: float, k: int) -> Floats:
    return np.log(v / lo) / np.log(hi / lo)


def _decibel(n: Floats, lo: float, hi: float, k: int) -> Floats:
    return np.where(n <= 0.0, -np.inf, lo + (hi - lo) * n)


def _decibel_back(v: Floats, lo: float, hi: float, k: int) -> Floats:
    # The floor itself is not silence: it lies just above position 0.
    return np.where(v < lo, 0.0, np.maximum((np.maximum(v, lo) - lo) / (hi - lo), 1e-9))


def _stepped(n: Floats, lo: float, hi: float, k: int) -> Floats:
    return np.minimum(np.floor(n * k), k - 1.0)


def _stepped_back(v: Floats, lo: float, hi: float, k: int) -> Floats:
    # The middle of the step: the place furthest from being read as a neighbour.
    return (np.round(v) + 0.5) / k


def _switch(n: Floats, lo: float, hi: float, k: int) -> Floats:
    return np.where(n >= 0.5, 1.0, 0.0)


def _switch_back(v: Floats, lo: float, hi: float, k: int) -> Floats:
    return np.where(v >= 0.5, 1.0, 0.0)


DECADES = 1_000.0  # over which times from zero are spread


def _from_zero(n: Floats, lo: float, hi: float, k: int) -> Floats:
    return hi * (np.power(DECADES, n) - 1.0) / (DECADES - 1.0)


def _from_zero_back(v: Floats, lo: float, hi: float, k: int) -> Floats:
    return np.log1p(np.maximum(v, 0.0) / hi * (DECADES - 1.0)) / np.log(DECADES)


TAPERS: dict[str, Taper] = {
    taper.key: taper
    for taper in (
        Taper("linear", _linear, _linear_back),
        Taper("exponential", _exponential, _exponential_back),
        Taper("decibel", _decibel, _decibel_back),
        Taper("stepped", _stepped, _stepped_back),
        Taper("switch", _switch, _switch_back),
        Taper("from-zero", _from_zero, _from_zero_back),
    )
}
