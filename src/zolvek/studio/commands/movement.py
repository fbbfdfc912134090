"""Takes and layers of the focus lane, where another lane is asked for or spans are chosen."""

from __future__ import annotations

from zolvek.core.document import comping, parts
from zolvek.core.model.take import Take
from zolvek.core.movement.layering import shared_with
from zolvek.studio.commands.lanes import other_lane
from zolvek.studio.commands.scope import with_own
from zolvek.studio.context import Studio
from zolvek.studio.session import Session


def choose_take(session: Session, take: str, first: float, last: float) -> None:
    """A span of a take for the lane's curve, joined by the glide that is set."""
    lane = session.lane
    if lane is None:
        return
    settings = session.settings
    made = comping.chosen(lane, take, first, last, settings.glide, settings.take_tolerance)
    session.document.edit(f"Choose {comping.take_of(lane, take).name}", with_own(session, made))


def copy_take(studio: Studio, take: Take) -> None:
    """Ask for another lane to keep the take beside."""
    other = other_lane(studio, "Copy the take")
    if other:
        document = studio.session.document
        made = comping.with_take(document.project.lane(other), take.curve, take.first, take.last)
        document.edit("Copy the take", parts.with_lane(document.project, made))


def share_layer(studio: Studio, layer: str) -> None:
    """Ask for another lane to put a layer's movement on, and its amount there."""
    session = studio.session
    other = other_lane(studio, "Share the layer")
    if other is None or session.focus.id is None:
        return
    told = "Amount there in % (negative: the opposite way):"
    amount = studio.ask.number("Share the layer", told, 50.0, -200, 200, 1)
    if amount is not None:
        project = shared_with(session.project, session.focus.id, layer, other, amount / 100.0)
        session.document.edit("Share the layer", project)
