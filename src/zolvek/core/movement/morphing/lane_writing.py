# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes made ready for what is written into them as positions of their controls: what is written is what is heard, and
outside of it all is heard as before."""

from __future__ import annotations

from zolvek.core.edits.lanes import with_reach
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.evaluation.lane_evaluation import without_cycle
from zolvek.core.movement.evaluation.layering import free_of_reach, rescaled
from zolvek.core.records import replace


def ready(project: Project, lane: Lane, lowest: float, highest: float, first: float, last: float) -> Lane:
    """The lane, with a reach that holds positions from `lowest` to `highest`, its loop and slots written out, and its
    layers at rest from beat `first` to `last`. Layers that a wider reach would change elsewhere are flattened. Raises
    ZolvekError for a lane that is locked, or bypassed: nothing of it would be heard."""
    if lane.locked:
        raise ZolvekError("A lane is locked.", project.label_of(lane.id), "Unlock it first.")
    if lane.bypassed:
        raise ZolvekError(
            "A lane is bypassed, so changes are not heard.",
            project.label_of(lane.id),
            "Apply it first, or leave out its control.",
        )
    if lane.cycle is not None or lane.switches:
        lane = without_cycle(lane, project.length)
    low, high = sorted(lane.reach)
    wider = min(low, lowest), max(high, highest)
    is_wider = wider != (low, high)
    if lane.fit or is_wider:
        lane = free_of_reach(lane, project.tempo, project.length)
    if is_wider:
        lane = _widened(lane, wider)
    return replace(lane, layers=tuple(_at_rest(layer, first, last) for layer in lane.layers))


def _widened(lane: Lane, wider: tuple[float, float]) -> Lane:
    turned = lane.reach[0] > lane.reach[1]
    factor = abs(lane.reach[1] - lane.reach[0]) / (wider[1] - wider[0])
    new_lane = with_reach(lane, *(wider[::-1] if turned else wider), keep_sound=True)
    return replace(new_lane, layers=rescaled(lane.layers, factor))


def _at_rest(layer: Layer, first: float, last: float) -> Layer:
    """The layer with a gap there, where it is at work."""
    if (layer.last is not None and layer.last <= first) or layer.first >= last:
        return layer
    low = max(first, layer.first)
    high = last if layer.last is None else min(last, layer.last)
    return replace(layer, gaps=(*layer.gaps, (low, high)))
