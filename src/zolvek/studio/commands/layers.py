# SPDX-License-Identifier: GPL-3.0-or-later
"""Layers of the focus lane: switched, moved, named, drawn on, shared, baked, removed."""

from __future__ import annotations

from zolvek.core.curve.curve import Curve
from zolvek.core.curve.spans import piece
from zolvek.core.edits import layers
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Lane
from zolvek.core.movement.evaluation import layering
from zolvek.core.records import replace
from zolvek.studio.commands.lanes import other_lane
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import unlocked, with_own
from zolvek.studio.session.session import Session


def picked(session: Session) -> tuple[Lane, Layer]:
    """The focus lane, open to edits, and its picked layer. Raises ZolvekError when there is none."""
    lane, layer = unlocked(session), session.picked.layer
    if layer is None:
        raise ZolvekError("The lane has no layer.", remedy="Add a movement as a layer.")
    return lane, layer


def change(session: Session, label: str, **changes: object) -> None:
    """Change the layer by a function."""
    lane, layer = picked(session)
    project = layers.with_layer(session.project, lane.id, replace(layer, **changes))
    session.document.edit(label, project)


def toggle(session: Session) -> None:
    """Switch the layer on or off."""
    _, layer = picked(session)
    change(session, f"{layer.label} {'off' if layer.on else 'on'}", on=not layer.on)


def solo(session: Session) -> None:
    """Solo the layer, or not."""
    _, layer = picked(session)
    change(session, f"Solo {layer.label}", solo=not layer.solo)


def rename(studio: Studio) -> None:
    """Ask for the layer's name."""
    _, layer = picked(studio.session)

    def use(name: str) -> None:
        if name.strip():
            change(studio.session, f"Rename the layer to {name.strip()}", name=name.strip())

    studio.ask.typed("Rename layer", "Name:", layer.name or layer.label, use)


def move(session: Session, by: int) -> None:
    """Applied earlier or later among the layers."""
    lane, layer = picked(session)
    new_lane = layers.moved_layer(lane, layer.id, by)
    session.document.edit(f"Move {layer.label}", with_own(session, new_lane))


def stretch_to_span(session: Session) -> None:
    """The layer works in the selected span: what is drawn of it, and of its depth, is stretched to it."""
    _, layer = picked(session)
    first, last = session.span.needed()
    end = session.project.length if layer.last is None else layer.last

    def stretched(curve: Curve | None) -> Curve | None:
        if curve is None or end <= layer.first:
            return curve
        part = piece(curve, layer.first, end)
        return part.having(beat=first + part.beat * ((last - first) / (end - layer.first)))

    change(
        session,
        f"Fit {layer.label} to the span",
        first=first,
        last=last,
        curve=stretched(layer.curve),
        amount_way=stretched(layer.amount_way),
        gaps=(),
    )


def remove(session: Session) -> None:
    """Remove the layer."""
    lane, layer = picked(session)
    new_lane = layers.without_layer(lane, layer.id)
    session.document.edit(f"Remove layer {layer.label}", with_own(session, new_lane))


def draw_on(session: Session) -> None:
    """All the tools of Draw and Shape on the layer's own curve; again, on the base."""
    _, layer = picked(session)
    if layer.curve is None:
        raise ZolvekError("This layer is not drawn.", layer.label, "Change its settings on its page.")
    _draw(session, layer, "curve")


def draw_depth(session: Session) -> None:
    """How deep the layer goes, drawn as a curve, from −100 to 100 %; again, the base."""
    _draw(session, picked(session)[1], "depth")


def draw_rate(session: Session) -> None:
    """An LFO's rate, drawn as a curve over its span; again, the base."""
    _, layer = picked(session)
    if layer.lfo is None:
        raise ZolvekError("This layer is no LFO.", layer.label, "Choose an LFO.")
    _draw(session, layer, "rate")


def _draw(session: Session, layer: Layer, aspect: str) -> None:
    focus = session.focus
    drawn = (focus.layer, focus.aspect) == (layer.id, aspect)
    focus.draw_on_layer(None if drawn else layer.id, aspect)


def steady_depth(session: Session) -> None:
    """The layer's depth a number again, the curve's at the playhead."""
    _, layer = picked(session)
    if layer.amount_way is not None:
        here = float(layer.amount_way.at(session.playhead.beat))
        amount = layer.amount * (2.0 * here - 1.0)
        session.focus.draw_on_layer(None)
        change(session, f"Constant depth for {layer.label}", amount=amount, amount_way=None)


def share(studio: Studio) -> None:
    """Ask for another lane to put the layer's movement on, and its amount there."""
    session = studio.session
    lane, layer = picked(session)
    other = other_lane(studio, "Share layer")
    if other is None:
        return
    question = "Depth there in % (negative: opposite direction):"
    amount = studio.ask.number("Share layer", question, 50.0, -200, 200, 1)
    if amount is not None:
        project = layers.shared_with(session.project, lane.id, layer.id, other, amount / 100.0)
        session.document.edit(f"Share {layer.label}", project)


def bake(session: Session, everything: bool) -> None:
    """The picked layer, or all, written into the base as points, within the tolerance that is set."""
    lane, layer = picked(session)
    project = session.project
    chosen = None if everything else [layer.id]
    within = session.settings.editing.bake_tolerance
    done = layering.baked(lane, project.tempo, project.length, chosen, session.span.beats, min(max(within, 1e-5), 0.5))
    session.focus.draw_on_layer(None)
    label = "Bake all layers" if everything else f"Bake {layer.label}"
    session.document.edit(label, with_own(session, done))
    session.notices.say(f"Baked into {len(done.curve):,} points.")
