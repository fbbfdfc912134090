# SPDX-License-Identifier: GPL-3.0-or-later
"""Layers applied to a lane, and baked into it."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property

import numpy as np

from zolvek.core.arrays import Floats, Numbers, distinct, floats
from zolvek.core.curve.construction import flat, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import knots, leaps
from zolvek.core.curve.fitting import approximated
from zolvek.core.curve.spans import piece, splice
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_BEATS
from zolvek.core.model.layer import LAYER_KINDS, Layer, LayerKind
from zolvek.core.model.project import Lane
from zolvek.core.movement.generators.lfo_points import as_curve
from zolvek.core.movement.generators.randomness import random_curve
from zolvek.core.records import Record, replace
from zolvek.core.time.tempo import TempoMap, TempoPoint

TOLERANCE = 0.002  # of the height, that baking stays within when nothing is said
LFO_TOLERANCE = 2e-4
FLATTENED_WITHIN = 2e-4  # of the height
CLIPS = 1e-9  # of the height: less beyond 0..1 is nothing
MOVING = (LayerKind.LFO, LayerKind.RANDOM)  # kinds of layers that hold a movement, not a curve
SIDES = 5  # places between neighbouring knots where lowest and highest are looked for


class AppliedLayer(Record, frozen=True):
    """A layer ready to be applied: its curve over the whole project (½ where it rests)."""

    scales: bool
    amount: float
    curve: Curve
    way: Curve | None


def part_of(layer: Layer, tempo: TempoMap, length: float) -> AppliedLayer:
    """The layer as a curve, kept with it."""
    kept = layer.__dict__.get("_part")
    if kept is None or kept[:2] != (tempo, length):
        gain = LAYER_KINDS[layer.kind][1]
        applied_layer = AppliedLayer(
            layer.kind == LayerKind.SCALE,
            gain * layer.amount,
            _whole(layer, tempo, length),
            layer.amount_way,
        )
        kept = layer.__dict__["_part"] = (tempo, length, applied_layer)
    return kept[2]


def _whole(layer: Layer, tempo: TempoMap, length: float) -> Curve:
    """The layer's movement, at rest before, after and in its gaps."""
    first = layer.first
    last = max(length if layer.last is None else layer.last, first + 1e-6)
    if layer.kind in MOVING and (layer.lead or layer.rest):
        around, begin, end, total = _whole_movement(layer, first, last, tempo)
        movement = piece(_movement(layer, 0.0, total, around), begin, end).shifted(first)
    elif layer.kind in MOVING:
        movement = _movement(layer, first, last, tempo)
    else:
        assert layer.curve is not None
        if first == 0.0 and layer.last is None and not layer.gaps:
            return layer.curve
        movement = piece(layer.curve, first, last).shifted(first)
    rest = flat(0.5)
    put = movement.shifted(-float(movement.beat[0]))
    whole = splice(rest, first, put) if put.beat[-1] > 0.0 else rest
    for begin, end in layer.gaps:
        if end > begin:
            whole = splice(whole, begin, lines([0.0, end - begin], [0.5, 0.5]))
    return whole


def _movement(layer: Layer, first: float, last: float, tempo: TempoMap) -> Curve:
    if layer.lfo is not None:
        return as_curve(layer.lfo, first, last, tempo, LFO_TOLERANCE)
    assert layer.random is not None
    return random_curve(layer.random, first, last, tempo)


def _whole_movement(layer: Layer, first: float, last: float, tempo: TempoMap) -> tuple[TempoMap, float, float, float]:
    """For a movement of which a part is hidden: a tempo under which the whole of it goes from beat 0 on, as under the
    project's from `first` to `last` and steadily around that; where the part begins and ends, and how long the whole
    is, in beats."""
    ends = tempo.bpm([first, last])
    lead, rest = layer.lead, layer.rest
    if layer.timed:
        lead, rest = lead * float(ends[0]) / 60.0, rest * float(ends[1]) / 60.0
    points = [TempoPoint(0.0, float(ends[0]), lead == 0.0 and _ramps(tempo, first))]
    if lead > CLOSEST_BEATS:
        points.append(TempoPoint(lead, float(ends[0]), _ramps(tempo, first)))
    for point in tempo.points:
        beat = point.beat - first + lead
        if first < point.beat < last and beat - points[-1].beat >= CLOSEST_BEATS:
            points.append(TempoPoint(beat, point.bpm, point.ramp))
    end = lead + last - first
    if end - points[-1].beat >= CLOSEST_BEATS:
        points.append(TempoPoint(end, float(ends[1])))
    return TempoMap(tuple(points)), lead, end, end + rest


def _ramps(tempo: TempoMap, beat: float) -> bool:
    """Whether the tempo changes from there on."""
    at = max(i for i, point in enumerate(tempo.points) if point.beat <= beat)
    return tempo.points[at].ramp and at + 1 < len(tempo.points)


def applied(layers: Iterable[Layer]) -> list[Layer]:
    """The layers that are heard: those switched on, or of them those soloed if any is."""
    on = [layer for layer in layers if layer.on]
    return [layer for layer in on if layer.solo] or on


class LayeredCurve(Record, frozen=True, eq=False):
    """A base curve with parts applied in order. It is evaluated as a curve is, but is none: it
    has no points of its own. Kept to 0..1 by clipping, or with `fit` by pressing it together."""

    base: Curve
    parts: tuple[AppliedLayer, ...]
    fit: bool = False

    def raw(self, beats: Numbers, before: bool = False) -> Floats:
        """What the parts make of the base, before it is kept to 0..1; with `before`, the limit from
        the left."""

        def of(curve: Curve) -> Floats:
            return curve.before(at) if before else curve.at(at)

        at = floats(beats)
        total = of(self.base)
        for part in self.parts:
            if part.amount == 0.0:
                continue
            move = of(part.curve)
            move -= 0.5
            move *= part.amount
            if part.way is not None:
                move *= 2.0 * of(part.way) - 1.0
            if part.scales:
                move += 1.0
                total *= move
            else:
                total += move
        return total

    def at(self, beats: Numbers) -> Floats:
        """The value at each of `beats` (any shape, any order), 0..1."""
        return self.kept(self.raw(beats))

    def before(self, beats: Numbers) -> Floats:
        """The limit of that from the left."""
        return self.kept(self.raw(beats, before=True))

    def kept(self, total: Floats) -> Floats:
        """What the parts make of the base, brought into 0..1."""
        if self.fit:
            low, high = self.bounds
            total = (total - low) / (high - low)
        return np.clip(total, 0.0, 1.0)

    @cached_property
    def knots(self) -> Floats:
        """The beats of all points that take part, increasing."""
        curves = [self.base, *(p.curve for p in self.parts if p.amount)]
        curves += [p.way for p in self.parts if p.way is not None]
        return distinct(np.concatenate([knots(curve) for curve in curves]))

    @cached_property
    def bounds(self) -> tuple[float, float]:
        """The range it is pressed into 0..1 from: at least 0 to 1."""
        low, high = self.ranges(np.array([0.0, self.knots[-1] + 1.0]), raw=True)
        return min(float(low[0]), 0.0), max(float(high[0]), 1.0)

    def extents(self, edges: Floats) -> tuple[Floats, Floats]:
        """Lowest and highest value between each two neighbouring `edges`, by looking at the knots
        and closely between them."""
        return self.ranges(edges)

    def ranges(self, edges: Floats, raw: bool = False) -> tuple[Floats, Floats]:
        """As `extents`; `raw`, before it is kept to 0..1."""
        inside = self.knots[(self.knots > edges[0]) & (self.knots < edges[-1])]
        cuts = distinct(np.concatenate((edges, inside)))
        share = np.arange(SIDES) / (SIDES - 1.0)
        grid = cuts[:-1, None] + np.diff(cuts)[:, None] * share
        values = self.raw(grid.ravel()).reshape(grid.shape)
        values[:, -1] = self.raw(cuts[1:], before=True)
        values = values if raw else self.kept(values)
        groups = np.searchsorted(cuts[:-1], edges[:-1], side="left")
        return (
            np.minimum.reduceat(values.min(axis=1), groups),
            np.maximum.reduceat(values.max(axis=1), groups),
        )

    @cached_property
    def leaps(self) -> Floats:
        """The beats at which anything in it jumps."""
        curves = [self.base, *(part.curve for part in self.parts)]
        curves += [part.way for part in self.parts if part.way is not None]
        return distinct(np.concatenate([leaps(curve) for curve in curves]))


def layered(base: Curve, lane: Lane, tempo: TempoMap, length: float) -> LayeredCurve:
    """The lane's layers on a base curve."""
    parts = tuple(part_of(layer, tempo, length) for layer in applied(lane.layers))
    return LayeredCurve(base, parts, lane.fit)


def baked(
    lane: Lane,
    tempo: TempoMap,
    length: float,
    chosen: Iterable[str] | None = None,
    span: tuple[float, float] | None = None,
    tolerance: float = TOLERANCE,
) -> Lane:
    """The chosen layers (all by default) written into the base as points, over a span or all;
    they are gone afterwards, or rest in that span. What is heard changes by less than `tolerance`
    everywhere. Layers that are switched off are left.

    An offset under a scale is not the same as a scale under an offset: where that matters what
    lies below a chosen layer is baked with it. Raises ZolvekError where a part of the layers can't
    be taken out alone.
    """
    heard = applied(lane.layers)
    names = {layer.id for layer in heard} if chosen is None else set(chosen)
    taken = _with_below(heard, names)
    if not taken:
        raise ZolvekError("There is no active layer to bake.", remedy="Switch one on, or select it.")
    rest = [layer for layer in heard if layer not in taken]
    if lane.fit and (rest or span is not None):
        raise ZolvekError(
            "Fitted layers can only be baked together.",
            remedy="Bake all of them over the whole lane, or clip instead of fitting.",
        )
    whole = LayeredCurve(lane.curve, tuple(part_of(x, tempo, length) for x in taken), lane.fit)
    first, last = span or (0.0, max(length, float(lane.curve.beat[-1])))
    knots = whole.knots
    knots = np.concatenate(([first, last], knots[(knots > first) & (knots < last)]))
    if rest:
        low, high = whole.ranges(np.array([first, last]), raw=True)
        if float(low[0]) < -1e-9 or float(high[0]) > 1.0 + 1e-9:
            raise ZolvekError(
                "These layers alone would leave the lane's reach.",
                remedy="Bake all layers, or reduce their depth first.",
            )
    if lane.fit:
        new_curve = approximated(whole.at, knots, tolerance, whole.before)
    else:
        new_curve = approximated(whole.raw, knots, tolerance, lambda at: whole.raw(at, before=True))
    put = new_curve.shifted(-first)
    curve = splice(lane.curve, first, put, last) if span else new_curve
    gone = {layer.id for layer in taken}
    layers = []
    for layer in lane.layers:
        if layer.id not in gone:
            layers.append(layer)
        elif span is not None:
            layers.append(replace(layer, gaps=(*layer.gaps, span)))
    return replace(lane, curve=curve, layers=tuple(layers), fit=lane.fit and bool(layers))


def _with_below(heard: list[Layer], names: set[str]) -> list[Layer]:
    """The named layers, and those below that can't change places with them."""
    taken: list[Layer] = []
    for index in range(len(heard) - 1, -1, -1):
        layer = heard[index]
        mixes = any((layer.kind == LayerKind.SCALE) != (other.kind == LayerKind.SCALE) for other in taken)
        if layer.id in names or mixes:
            taken.insert(0, layer)
    return taken


# --- edits of a lane's layers ---


def rescaled(layers: tuple[Layer, ...], factor: float) -> tuple[Layer, ...]:
    """Layers of a lane whose curve's height now stands for 1/`factor` as much: heard as before."""
    return tuple(
        layer if layer.kind == LayerKind.SCALE else replace(layer, amount=layer.amount * factor) for layer in layers
    )


def free_of_reach(lane: Lane, tempo: TempoMap, length: float) -> Lane:
    """The lane with layers that sound the same over another reach (`rescaled`): where they scale the base, are clipped
    by this reach or fitted into it, they are written into the base, within FLATTENED_WITHIN of the height."""
    on = applied(lane.layers)
    if not on:
        return replace(lane, fit=False) if lane.fit else lane
    whole = LayeredCurve(lane.curve, tuple(part_of(x, tempo, length) for x in on))
    last = max(length, float(lane.curve.beat[-1]))
    low, high = whole.ranges(np.array([0.0, last]), raw=True)
    clipped = float(low.min()) < -CLIPS or float(high.max()) > 1.0 + CLIPS
    if clipped or lane.fit or any(layer.kind == LayerKind.SCALE for layer in on):
        return replace(baked(lane, tempo, length, tolerance=FLATTENED_WITHIN), fit=False)
    return lane
