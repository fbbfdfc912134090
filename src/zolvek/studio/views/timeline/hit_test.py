# SPDX-License-Identifier: GPL-3.0-or-later
"""What the pointer is on: a point, a segment or empty space. Pure functions on arrays."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from zolvek.core.curve.curve import Curve
from zolvek.core.records import Record
from zolvek.studio.toolkit.outline import points_shown
from zolvek.studio.toolkit.viewport import Viewport

POINT_REACH, LINE_REACH = 9.0, 6.0  # pixels


class HitKind(StrEnum):
    """What a pointer can be on: a handle of the selection's frame, or nothing that takes a press, too."""

    POINT = "point"
    SEGMENT = "segment"
    EMPTY = "empty"
    HANDLE = "handle"
    NONE = "none"


class Hit(Record, frozen=True):
    """`index` is the point, or the segment's first."""

    kind: HitKind
    index: int = -1


def hit(curve: Curve, view: Viewport, x: float, y: float, top: float, height: float) -> Hit:
    """What is under pixel (x, y) of a lane whose value 1 is at `top`."""
    shown = points_shown(curve, view)
    if shown.size:
        dx = view.xs(curve.beat[shown]) - x
        dy = top + (1.0 - curve.value[shown]) * height - y
        distance = np.hypot(dx, dy)
        nearest = int(np.argmin(distance))
        if distance[nearest] <= POINT_REACH:
            return Hit(HitKind.POINT, int(shown[nearest]))
    segment = curve.segment_at(view.beat(x))
    if 0 <= segment < len(curve) - 1 and _on_line(curve, view, x, y, top, height):
        return Hit(HitKind.SEGMENT, segment)
    return Hit(HitKind.EMPTY)


def _on_line(curve: Curve, view: Viewport, x: float, y: float, top: float, height: float) -> bool:
    """Whether the line runs within reach of the pointer, measured up and down over its width."""
    low, high = curve.extent(view.beat(x - LINE_REACH / 2), view.beat(x + LINE_REACH / 2))
    value = 1.0 - (y - top) / height
    slack = LINE_REACH / height
    return low - slack <= value <= high + slack
