# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of a lane's layers: put in, moved, shared, removed."""

from __future__ import annotations

from zolvek.core.curve.construction import flat
from zolvek.core.curve.curve import Curve
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Lane, Project
from zolvek.core.records import replace


def free_layer_id(lane: Lane) -> str:
    """An id that no layer of the lane has."""
    used, number = {layer.id for layer in lane.layers}, len(lane.layers) + 1
    while f"layer-{number}" in used:
        number += 1
    return f"layer-{number}"


def with_layer(project: Project, lane: str, layer: Layer) -> Project:
    """The layer put in, or in the place of the one with its id; layers of other lanes that share
    its movement get the same, and keep their own amounts."""
    this_lane = project.lane(lane)
    if any(item.id == layer.id for item in this_lane.layers):
        layers = tuple(layer if item.id == layer.id else item for item in this_lane.layers)
    else:
        layers = (*this_lane.layers, layer)
    project = with_lane(project, replace(this_lane, layers=layers))
    if not layer.shared:
        return project
    for other in list(project.lanes()):
        if other.id != lane and any(item.shared == layer.shared for item in other.layers):
            new = tuple(_like(item, layer) if item.shared == layer.shared else item for item in other.layers)
            project = with_lane(project, replace(other, layers=new))
    return project


def _like(layer: Layer, source: Layer) -> Layer:
    """A shared layer brought up to date: the movement, not the amount."""
    return replace(
        layer,
        kind=source.kind,
        lfo=source.lfo,
        random=source.random,
        curve=source.curve,
        first=source.first,
        last=source.last,
        gaps=source.gaps,
    )


def without_layer(lane: Lane, key: str) -> Lane:
    """The lane without the layer of this id."""
    return replace(lane, layers=tuple(layer for layer in lane.layers if layer.id != key))


def moved_layer(lane: Lane, key: str, by: int) -> Lane:
    """A layer applied earlier or later."""
    layers = list(lane.layers)
    at = next(i for i, layer in enumerate(layers) if layer.id == key)
    layers.insert(min(max(at + by, 0), len(layers) - 1), layers.pop(at))
    return replace(lane, layers=tuple(layers))


def shared_with(project: Project, lane: str, key: str, other: str, amount: float) -> Project:
    """The layer on another lane too, at an amount of its own (negative: the opposite way)."""
    layer = next(item for item in project.lane(lane).layers if item.id == key)
    mark = layer.shared or f"{lane}:{key}"
    project = with_layer(project, lane, replace(layer, shared=mark))
    target = project.lane(other)
    copy = replace(layer, id=free_layer_id(target), shared=mark, amount=amount, amount_way=None, solo=False)
    return with_lane(project, replace(target, layers=(*target.layers, copy)))


def rest_curve() -> Curve:
    """What a new offset or scale layer begins with: it changes nothing."""
    return flat(0.5)
