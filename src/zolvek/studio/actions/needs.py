"""When actions can be done: quick questions, asked after every change."""

from __future__ import annotations

from zolvek.core.document.chain import own_sound_files
from zolvek.studio.commands import controls
from zolvek.studio.context import Studio


def lane(studio: Studio) -> bool:
    return studio.session.focus.id is not None


def points(studio: Studio) -> bool:
    return lane(studio) and studio.session.points.chosen.size > 0


def span(studio: Studio) -> bool:
    return lane(studio) and any_span(studio)


def any_span(studio: Studio) -> bool:
    return studio.session.span.beats is not None


def device(studio: Studio) -> bool:
    return studio.session.shown.device is not None


def new_control(studio: Studio) -> bool:
    """A control without a lane has been touched."""
    return controls.can_add_lane(studio.session)


def lane_and_new_control(studio: Studio) -> bool:
    return lane(studio) and new_control(studio)


def sound_files(studio: Studio) -> bool:
    """The project plays files of its own; whether they are there is asked when it matters."""
    return bool(own_sound_files(studio.session.project))


def undo(studio: Studio) -> bool:
    return bool(studio.session.document.history.undo_label)


def redo(studio: Studio) -> bool:
    return bool(studio.session.document.history.redo_label)
