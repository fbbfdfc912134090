# SPDX-License-Identifier: GPL-3.0-or-later
"""Where tempos lie in the tempo row, and the line of the tempo over time."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF

from zolvek.core.limits import LIMITS
from zolvek.core.time.tempo import TempoMap

LEAST = 24.0  # BPM that the row's height stands for at least


class TempoScale(NamedTuple):
    low: float
    high: float
    top: float
    bottom: float

    @classmethod
    def of(cls, tempo: TempoMap, top: float, bottom: float) -> TempoScale:
        """From a little below the lowest tempo to a little above the highest."""
        bpm = [point.bpm for point in tempo.points]
        middle, half = (min(bpm) + max(bpm)) / 2.0, max((max(bpm) - min(bpm)) * 0.62, LEAST / 2.0)
        return cls(middle - half, middle + half, top, bottom)

    def y(self, bpm: float) -> float:
        """The pixel of a tempo."""
        part = (bpm - self.low) / (self.high - self.low)
        return self.bottom - part * (self.bottom - self.top)

    def bpm(self, y: float) -> float:
        """The tempo of a pixel."""
        part = (self.bottom - y) / (self.bottom - self.top)
        return LIMITS["bpm"].kept(self.low + part * (self.high - self.low))

    def rounded(self, bpm: float) -> float:
        """As fine as a pixel can say."""
        return LIMITS["bpm"].kept(round(bpm * 2.0) / 2.0)


def way_of(tempo: TempoMap, scale: TempoScale, x: Callable[[float], float], last: float) -> QPolygonF:
    """The path of the tempo over a span."""
    corners = []
    points = tempo.points
    for index, point in enumerate(points):
        corners.append(QPointF(x(point.beat), scale.y(point.bpm)))
        if index + 1 < len(points) and not point.ramp:
            corners.append(QPointF(x(points[index + 1].beat), scale.y(point.bpm)))
    end = max(last, points[-1].beat)
    corners.append(QPointF(x(end), scale.y(points[-1].bpm)))
    return QPolygonF(corners)
