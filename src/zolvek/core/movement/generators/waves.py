# SPDX-License-Identifier: GPL-3.0-or-later
"""The waves of LFOs, each given by the points of one cycle."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from zolvek.core.curve.shapes import COSINE, HOLD, LINE


class WaveCorner(NamedTuple):
    """A point of a wave's cycle: where (0..1 of the cycle), level −1..1, and the shape from it."""

    u: float
    level: float
    shape: int


Corners = Callable[[float], list[WaveCorner]]  # of a pulse's width


def _sine(width: float) -> list[WaveCorner]:
    # At the centre and rising at phase 0: the lowest point lies a quarter before it.
    return [WaveCorner(0.25, 1.0, COSINE), WaveCorner(0.75, -1.0, COSINE)]


def _triangle(width: float) -> list[WaveCorner]:
    return [WaveCorner(0.0, -1.0, LINE), WaveCorner(0.5, 1.0, LINE)]


def _saw_up(width: float) -> list[WaveCorner]:
    return [WaveCorner(0.0, -1.0, LINE), WaveCorner(1.0, 1.0, LINE)]


def _saw_down(width: float) -> list[WaveCorner]:
    return [WaveCorner(0.0, 1.0, LINE), WaveCorner(1.0, -1.0, LINE)]


def _pulse(width: float) -> list[WaveCorner]:
    return [WaveCorner(0.0, 1.0, HOLD), WaveCorner(width, -1.0, HOLD)]


class Wave(NamedTuple):
    """One row: `corners` of a cycle; a random wave has one new level a cycle instead, and goes to
    the next by `shape`. `skews`: its middle can be moved, with `unskewed` saying what there is instead."""

    key: str
    label: str
    corners: Corners | None
    shape: int = HOLD
    unskewed: str = ""

    @property
    def random(self) -> bool:
        """Whether the wave draws random numbers."""
        return self.corners is None and self.key != "pattern"

    @property
    def skews(self) -> bool:
        """Whether the wave has a middle that can be skewed."""
        return not self.unskewed


WAVES: dict[str, Wave] = {
    wave.key: wave
    for wave in (
        Wave("sine", "Sine", _sine),
        Wave("triangle", "Triangle", _triangle),
        Wave("saw-up", "Rising saw", _saw_up),
        Wave("saw-down", "Falling saw", _saw_down),
        Wave("pulse", "Pulse", _pulse, HOLD, "A pulse uses its width instead."),
        Wave("sample-hold", "Sample and hold", None, HOLD, "A random wave has no middle."),
        Wave("smooth-random", "Smooth random", None, COSINE, "A random wave has no middle."),
        Wave("pattern", "Pattern", None, LINE),
    )
}
