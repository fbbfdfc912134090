# SPDX-License-Identifier: GPL-3.0-or-later
"""What an edit works on: the selected points, else what lies in the selected span, else all."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Ints
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.point_edits import points_in, segments_of
from zolvek.core.records import Record
from zolvek.core.time.meter import MeterMap

Beats = tuple[float, float]


class EditScope(Record, frozen=True, eq=False):
    """`points` and `segments`: increasing indices; `where`: " in bars 2–4" for those of a span, else "";
    `whole`: all of the curve, as nothing is selected."""

    points: Ints
    segments: Ints
    where: str = ""
    whole: bool = False

    @property
    def name(self) -> str:
        """What the points are called in a label: "3 points", "4 points in bars 2–4"."""
        return "all points" if self.whole else counted(len(self.points), "point") + self.where

    @property
    def segments_name(self) -> str:
        return counted(len(self.segments), "segment") + self.where


def edit_scope_of(curve: Curve, chosen: Ints, span: Beats | None, meter: MeterMap) -> EditScope:
    """What an edit of a curve works on, with these points and this span selected."""
    if chosen.size:
        return EditScope(chosen, segments_of(curve, chosen))
    if span is not None:
        inside = np.flatnonzero((curve.beat[1:] > span[0]) & (curve.beat[:-1] < span[1]))
        return EditScope(points_in(curve, *span), inside, f" in {bars_text(*span, meter)}")
    return EditScope(np.arange(len(curve)), np.arange(len(curve) - 1), whole=True)


def counted(count: int, noun: str) -> str:
    """A count with its noun: "1 point", "2 points"."""
    return f"1 {noun}" if count == 1 else f"{count:,} {noun}s"


def bars_text(first: float, last: float, meter: MeterMap) -> str:
    """The bars that a span touches: "bar 2", "bars 2–4"."""
    a = meter.bar_at(first)
    b = max(meter.bar_at(np.nextafter(last, -np.inf)), a)
    return f"bar {a}" if a == b else f"bars {a}–{b}"
