# SPDX-License-Identifier: GPL-3.0-or-later
"""Takes of the focus lane: heard, chosen from, rated, named, copied, deleted."""

from __future__ import annotations

from zolvek.core.edits import replacement, takes
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Lane
from zolvek.core.model.take import BEST, Take
from zolvek.studio.commands.lanes import COLOURS, other_lane
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import unlocked, with_own
from zolvek.studio.session.session import Session


def picked(session: Session) -> tuple[Lane, Take]:
    """The focus lane, open to edits, and its picked take. Raises ZolvekError when there is none."""
    lane, take = unlocked(session), session.picked.take
    if take is None:
        raise ZolvekError("The lane has no take.", remedy="Arm it and record a pass.")
    return lane, take


def _put(session: Session, label: str, lane: Lane) -> None:
    session.document.edit(label, with_own(session, lane))


# --- heard ---


def audition(session: Session, keys: list[str]) -> None:
    """Hear these takes over the curve, or with none of them the lane itself."""
    lane = session.lane
    if lane is None or not keys:
        session.audition.play_takes(None, ())
    else:
        session.audition.play_takes((lane.id, takes.auditioned(lane, keys)), tuple(keys))


def hear(session: Session) -> None:
    """The picked take is heard, in the place of another one that was; again, the lane is."""
    take = session.picked.take
    if take is not None:
        audition(session, [] if session.audition.takes == (take.id,) else [take.id])


def solo(session: Session) -> None:
    """The picked take among those that are heard, or no longer."""
    take, lane = session.picked.take, session.lane
    if take is not None and lane is not None:
        heard = set(session.audition.takes) ^ {take.id}
        audition(session, [item.id for item in lane.takes if item.id in heard])


def hear_all(session: Session) -> None:
    """All takes that are not muted, the newest on top; again, the lane itself."""
    lane = session.lane
    if lane is not None:
        keys = [take.id for take in lane.takes if not take.muted]
        audition(session, [] if session.audition.takes == tuple(keys) else keys)


# --- chosen ---


def choose(session: Session, take: str, first: float, last: float) -> None:
    """A span of a take for the lane's curve, joined by the glide that is set."""
    lane, settings = unlocked(session), session.settings
    new_lane = takes.chosen(lane, take, first, last, settings.recording.return_beats, settings.recording.tolerance)
    _put(session, f"Use {takes.take_of(lane, take).name}", new_lane)


def choose_whole(session: Session) -> None:
    """Use the whole take for the lane."""
    _, take = picked(session)
    choose(session, take.id, take.first, take.last)


def choose_span(session: Session) -> None:
    """Use the selected span of the take."""
    _, take = picked(session)
    choose(session, take.id, *session.span.needed())


def release(session: Session) -> None:
    """The curve under the choices again, in the selected span or everywhere."""
    lane = unlocked(session)
    first, last = session.span.beats or (0.0, session.project.length)
    _put(session, "Clear choices", takes.unchosen(lane, first, last))


def crop(session: Session) -> None:
    """The picked take cut down to the selected span."""
    lane, take = picked(session)
    _put(session, f"Crop {take.name}", takes.cropped(lane, take.id, *session.span.needed()))


# --- as things ---


def change(session: Session, label: str, **changes: object) -> None:
    """Change the take by a function."""
    lane, take = picked(session)
    _put(session, f"{label} {take.name}", takes.changed(lane, take.id, **changes))


def mute(session: Session) -> None:
    """Mute the take, or not."""
    _, take = picked(session)
    change(session, "Hear" if take.muted else "Mute", muted=not take.muted)


def rename(studio: Studio) -> None:
    """Ask for the take's name."""
    _, take = picked(studio.session)

    def use(name: str) -> None:
        if name.strip():
            change(studio.session, "Name", name=name.strip())

    studio.ask.typed("Rename take", "Name:", take.name, use)


def rate(session: Session) -> None:
    """One star more, then none."""
    change(session, "Rate", rating=(picked(session)[1].rating + 1) % (BEST + 1))


def next_colour(session: Session) -> None:
    """Give the take the next colour."""
    change(session, "Colour", colour=(picked(session)[1].colour + 1) % COLOURS)


def work_on(session: Session) -> None:
    """The take whole and raw in the lane's place; recording keeps the take itself as it was."""
    lane, take = picked(session)
    session.edit_curve(f"Edit {take.name}", takes.auditioned(lane, [take.id]))
    session.span.choose((take.first, take.last))


def copy_to(studio: Studio) -> None:
    """Ask for another lane to keep the take next to."""
    _, take = picked(studio.session)
    other = other_lane(studio, "Copy take")
    if other:
        document = studio.session.document
        new_lane = takes.with_take(document.project.lane(other), take.curve, take.first, take.last)
        document.edit(f"Copy {take.name}", replacement.with_lane(document.project, new_lane))


def delete(session: Session) -> None:
    """Delete the take."""
    lane, take = picked(session)
    _put(session, f"Delete {take.name}", takes.without_take(lane, take.id))
