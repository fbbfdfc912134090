# SPDX-License-Identifier: GPL-3.0-or-later
"""The pad: states placed on a square, and the path of the puck over it."""

from __future__ import annotations

import numpy as np

from zolvek.core.curve.construction import flat
from zolvek.core.curve.curve import Curve
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Beat, Share
from zolvek.core.records import Record, field

FEWEST, MOST = 2, 8
CLOSEST = 1e-6  # apart that two states have to lie
WEIGHTS = {"distance": "By distance", "corners": "Between four corners"}


class PadCorner(Record, frozen=True):
    """A state's place on the pad, 0..1 each way."""

    state: str
    x: Share
    y: Share


class Pad(Record, frozen=True):
    """The states of one device on a square, and the way the puck takes: its `x` and `y` as curves
    over the project's beats, from `first` to `last`."""

    device: str
    corners: tuple[PadCorner, ...] = ()
    x: Curve = field(default_factory=lambda: flat(0.5))
    y: Curve = field(default_factory=lambda: flat(0.5))
    first: Beat = 0.0
    last: Beat = 4.0
    weighing: str = "distance"

    def __post_init__(self) -> None:
        places = [(corner.x, corner.y) for corner in self.corners]
        for index, (x, y) in enumerate(places):
            if any(np.hypot(x - a, y - b) < CLOSEST for a, b in places[:index]):
                raise ZolvekError("Two states are at the same position.", "pad", "Move one of them away.")
        if len(self.corners) > MOST or self.weighing not in WEIGHTS or not self.last > self.first:
            raise ZolvekError(
                "The pad can't be used.",
                "pad",
                f"It needs a span and at most {MOST} states.",
            )
