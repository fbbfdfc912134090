"""The Layers menu: movements on top of the lane's curve."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action, Test
from zolvek.studio.commands import layers
from zolvek.studio.services.context import Studio


def _drawn(aspect: str) -> Test:
    def checked(studio: Studio) -> bool:
        own, focus = studio.session.picked.layer, studio.session.focus
        return own is not None and (focus.layer, focus.aspect) == (own.id, aspect)

    return checked


ACTIONS: tuple[Action, ...] = (
    Action("layer-on", "Layer on", "", "Whether it is applied", lambda s: layers.toggle(s.session), refused=availability.layer,
           checked=lambda s: bool(s.session.picked.layer and s.session.picked.layer.on)),
    Action("layer-solo", "Solo the layer", "", "Only soloed layers are applied", lambda s: layers.solo(s.session), refused=availability.layer,
           checked=lambda s: bool(s.session.picked.layer and s.session.picked.layer.solo)),
    Action("layer-draw", "Draw on the layer", "", "All the tools of Draw and Shape, on its curve; again, on the base", lambda s: layers.draw_on(s.session), refused=availability.drawn_layer,
           checked=_drawn("curve")),
    Action("layer-depth", "Draw the layer's depth", "", "−100 to 100 % as a curve, with all the tools; again, the base", lambda s: layers.draw_depth(s.session), refused=availability.layer,
           checked=_drawn("depth")),
    Action("layer-rate", "Draw the LFO's rate", "", "As a curve over its span, with all the tools; again, the base", lambda s: layers.draw_rate(s.session), refused=availability.lfo_layer,
           checked=_drawn("rate")),
    Action("layer-steady", "One depth for the layer", "", "A number again: the curve's at the playhead", lambda s: layers.steady_depth(s.session), refused=availability.layer_with_depth),
    Action("layer-rename", "Rename the layer…", "", "A name of your own", layers.rename, refused=availability.layer, apart=True),
    Action("layer-earlier", "Apply the layer earlier", "", "Before the one before it", lambda s: layers.move(s.session, -1), refused=availability.layer),
    Action("layer-later", "Apply the layer later", "", "After the one after it", lambda s: layers.move(s.session, 1), refused=availability.layer),
    Action("layer-span", "Stretch the layer to the span", "", "It works in the selected span", lambda s: layers.stretch_to_span(s.session), refused=availability.layer_and_span),
    Action("layer-share", "Share the layer…", "", "The same movement on another lane, with an amount of its own", layers.share, refused=availability.layer),
    Action("layer-bake", "Bake the layer", "", "Written into the base as points, over the selected span or all", lambda s: layers.bake(s.session, False), refused=availability.layer, apart=True),
    Action("bake-all", "Bake all layers", "", "Over the selected span or all", lambda s: layers.bake(s.session, True), refused=availability.layer),
    Action("layer-remove", "Remove the layer", "", "Undo brings it back", lambda s: layers.remove(s.session), refused=availability.layer, apart=True),
)  # fmt: skip
