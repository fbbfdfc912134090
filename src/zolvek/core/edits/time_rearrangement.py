# SPDX-License-Identifier: GPL-3.0-or-later
"""The tempo map and the meter in another order of time."""

from __future__ import annotations

from zolvek.core.edits.stretches import END, Order
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_BEATS
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint

CUT_OFF = 2.0 * CLOSEST_BEATS  # before an edge, where what a ramp comes to there is held


def rearranged_tempo(tempo: TempoMap, order: Order) -> TempoMap:
    """The tempo goes along, and holds through empty time. What a ramp comes to where it is cut off is
    reached two millionths of a beat before."""
    tempo_points: list[TempoPoint] = []
    points = tempo.points
    for index, (item, begin) in enumerate(zip(order.stretches, order.begins, strict=True)):
        if item.empty:
            if not tempo_points:  # new time before all there was
                _put(tempo_points, TempoPoint(begin, points[0].bpm))
            continue
        shift = begin - item.first
        at = max(i for i, point in enumerate(points) if point.beat <= item.first)
        ramps = points[at].ramp and at + 1 < len(points)
        _put(tempo_points, TempoPoint(begin, float(tempo.bpm(item.first)), ramps))
        inside = [p for p in points if item.first < p.beat < item.last]
        for point in inside:
            ramps = point.ramp and point is not points[-1]
            _put(tempo_points, TempoPoint(point.beat + shift, point.bpm, ramps))
        after = order.after(index)
        if ramps and item.last < END:
            edge = item.last if after is None or after.empty else item.last - CUT_OFF
            if edge > item.first + CUT_OFF:
                bpm = _limit(tempo, item.last) if edge == item.last else float(tempo.bpm(edge))
                _put(tempo_points, TempoPoint(edge + shift, bpm))
    return TempoMap(tuple(tempo_points))


def _put(made: list[TempoPoint], point: TempoPoint) -> None:
    """Add a point; those that are too close before it go. A ramp to one of them still comes to where it came."""
    while made and point.beat - made[-1].beat < CLOSEST_BEATS:
        close = made.pop()
        if made and made[-1].ramp:
            start, end = made[-1], point.beat - CUT_OFF
            if end - start.beat < CLOSEST_BEATS:
                continue
            bpm = start.bpm + (close.bpm - start.bpm) * (end - start.beat) / (close.beat - start.beat)
            made.append(TempoPoint(end, bpm))
            break
    if made and not made[-1].ramp and not point.ramp and made[-1].bpm == point.bpm:
        return
    made.append(point)


def _limit(tempo: TempoMap, beat: float) -> float:
    """The tempo that a ramp comes to at a beat."""
    points = [point for point in tempo.points if point.beat < beat]
    following = [point for point in tempo.points if point.beat >= beat]
    if following and following[0].beat == beat and points[-1].ramp:
        return following[0].bpm
    return float(tempo.bpm(beat))


def rearranged_meter(meter: MeterMap, order: Order) -> MeterMap:
    """The meter goes along in whole bars; empty time has that of the bar before it."""
    if len(meter.points) == 1:
        return meter
    meter_points: list[MeterPoint] = []
    bar = 1

    def put(count: int, unit: int) -> None:
        if not meter_points or (meter_points[-1].count, meter_points[-1].unit) != (count, unit):
            meter_points.append(MeterPoint(bar, count, unit))

    for stretch in order.stretches:
        if stretch.empty:
            # Empty time at the start takes the first meter.
            here = meter_points[-1] if meter_points else meter.points[0]
            put(here.count, here.unit)
            bar += _whole(stretch.length * here.unit / (4.0 * here.count))
            continue
        first = meter.bar_at(stretch.first)
        if abs(meter.bar_beat(first) - stretch.first) > 1e-6:
            raise ZolvekError(
                f"{meter.text(stretch.first)} is inside a bar, and the meter changes in this song.",
                remedy="Start on a bar line.",
            )
        here = meter.meter_at(stretch.first)
        put(here.count, here.unit)
        start, bar = bar, bar
        for point in meter.points:
            beat = meter.bar_beat(point.bar)
            if stretch.first < beat < stretch.last:
                bar = start + point.bar - first
                put(point.count, point.unit)
        if stretch.last < END:
            bar = start + meter.bar_at(stretch.last) - first
    return MeterMap(tuple(meter_points))


def _whole(bars: float) -> int:
    if abs(bars - round(bars)) > 1e-6:
        raise ZolvekError("This is not a whole number of bars.", remedy="Use whole bars.")
    return round(bars)
