"""The Layers menu: movements on top of the lane's curve."""

from __future__ import annotations

from zolvek.studio.actions import needs
from zolvek.studio.actions.action import Action, Test
from zolvek.studio.commands import layers
from zolvek.studio.context import Studio


def _drawn(aspect: str) -> Test:
    def checked(studio: Studio) -> bool:
        own, focus = studio.session.picked.layer, studio.session.focus
        return own is not None and (focus.layer, focus.aspect) == (own.id, aspect)

    return checked


ACTIONS: tuple[Action, ...] = (
    Action("layer-on", "Layer on", "", "Whether it is applied", lambda s: layers.toggle(s.session), refused=needs.layer,
           checked=lambda s: bool(s.session.picked.layer and s.session.picked.layer.on)),
    Action("layer-solo", "Solo the layer", "", "Only soloed layers are applied", lambda s: layers.solo(s.session), refused=needs.layer,
           checked=lambda s: bool(s.session.picked.layer and s.session.picked.layer.solo)),
    Action("layer-draw", "Draw on the layer", "", "All the tools of Draw and Shape, on its curve; again, on the base", lambda s: layers.draw_on(s.session), refused=needs.drawn_layer,
           checked=_drawn("curve")),
    Action("layer-depth", "Draw the layer's depth", "", "−100 to 100 % as a curve, with all the tools; again, the base", lambda s: layers.draw_depth(s.session), refused=needs.layer,
           checked=_drawn("depth")),
    Action("layer-rate", "Draw the LFO's rate", "", "As a curve over its span, with all the tools; again, the base", lambda s: layers.draw_rate(s.session), refused=needs.lfo_layer,
           checked=_drawn("rate")),
    Action("layer-steady", "One depth for the layer", "", "A number again: the curve's at the playhead", lambda s: layers.steady_depth(s.session), refused=needs.layer_with_depth),
    Action("layer-rename", "Rename the layer…", "", "A name of your own", layers.rename, refused=needs.layer, apart=True),
    Action("layer-earlier", "Apply the layer earlier", "", "Before the one before it", lambda s: layers.move(s.session, -1), refused=needs.layer),
    Action("layer-later", "Apply the layer later", "", "After the one after it", lambda s: layers.move(s.session, 1), refused=needs.layer),
    Action("layer-span", "Stretch the layer to the span", "", "It works in the selected span", lambda s: layers.stretch_to_span(s.session), refused=needs.layer_and_span),
    Action("layer-share", "Share the layer…", "", "The same movement on another lane, with an amount of its own", layers.share, refused=needs.layer),
    Action("layer-bake", "Bake the layer", "", "Written into the base as points, over the selected span or all", lambda s: layers.bake(s.session, False), refused=needs.layer, apart=True),
    Action("bake-all", "Bake all layers", "", "Over the selected span or all", lambda s: layers.bake(s.session, True), refused=needs.layer),
    Action("layer-remove", "Remove the layer", "", "Undo brings it back", lambda s: layers.remove(s.session), refused=needs.layer, apart=True),
)  # fmt: skip
