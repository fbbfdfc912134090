# SPDX-License-Identifier: GPL-3.0-or-later
"""The Layers menu: movements on top of the lane's curve."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action, Test
from zolvek.studio.commands import layers
from zolvek.studio.services.context import Studio


def _drawn(aspect: str) -> Test:
    def checked(studio: Studio) -> bool:
        layer, focus = studio.session.picked.layer, studio.session.focus
        return layer is not None and (focus.layer, focus.aspect) == (layer.id, aspect)

    return checked


ACTIONS: tuple[Action, ...] = (
    Action("layer-on", "Layer on", "", "Applies the layer, or not", lambda s: layers.toggle(s.session),
        refused=availability.layer,
           checked=lambda s: bool(s.session.picked.layer and s.session.picked.layer.on)),
    Action("layer-solo", "Solo layer", "", "Applies only soloed layers", lambda s: layers.solo(s.session),
        refused=availability.layer,
           checked=lambda s: bool(s.session.picked.layer and s.session.picked.layer.solo)),
    Action("layer-draw", "Draw on layer", "", "Edits the layer's curve with all tools; again returns to the base",
        lambda s: layers.draw_on(s.session), refused=availability.drawn_layer,
           checked=_drawn("curve")),
    Action("layer-depth", "Draw layer depth", "",
        "Edits the depth as a curve, −100 to 100 %; again returns to the base", lambda s: layers.draw_depth(s.session),
            refused=availability.layer,
           checked=_drawn("depth")),
    Action("layer-rate", "Draw LFO rate", "", "Edits the rate as a curve over its span; again returns to the base",
        lambda s: layers.draw_rate(s.session), refused=availability.lfo_layer,
           checked=_drawn("rate")),
    Action("layer-steady", "Constant layer depth", "", "Replaces the depth curve by its value at the playhead",
        lambda s: layers.steady_depth(s.session), refused=availability.layer_with_depth),
    Action("layer-rename", "Rename layer…", "", "Gives it a name", layers.rename, refused=availability.layer,
        apart=True),
    Action("layer-earlier", "Move layer up", "", "Applies it before the previous layer",
        lambda s: layers.move(s.session, -1), refused=availability.layer),
    Action("layer-later", "Move layer down", "", "Applies it after the next layer", lambda s: layers.move(s.session, 1),
        refused=availability.layer),
    Action("layer-span", "Fit layer to span", "", "Limits the layer to the selected span",
        lambda s: layers.stretch_to_span(s.session), refused=availability.layer_and_span),
    Action("layer-share", "Share layer…", "", "Applies the same movement to another lane, with its own depth",
        layers.share, refused=availability.layer),
    Action("layer-bake", "Bake layer", "", "Writes the layer into the base as points, over the selected span or all",
        lambda s: layers.bake(s.session, False), refused=availability.layer, apart=True),
    Action("bake-all", "Bake all layers", "", "Writes all layers into the base, over the selected span or all",
        lambda s: layers.bake(s.session, True), refused=availability.layer),
    Action("layer-remove", "Remove layer", "", "Can be undone", lambda s: layers.remove(s.session),
        refused=availability.layer, apart=True),
)  # fmt: skip
