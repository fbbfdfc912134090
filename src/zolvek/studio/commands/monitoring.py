# SPDX-License-Identifier: GPL-3.0-or-later
"""What is heard in the project's place."""

from __future__ import annotations

from zolvek.core.errors import ZolvekError
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session

HEARD = {
    "": "You hear the project.",
    "kept": "You hear the stored version.",
    "bypass": "You hear the project without automation.",
    "version": "You hear another version of the section.",
}


def hear_alone(session: Session) -> None:
    """The focus lane is the only one that moves; again, all do."""
    audition = session.audition
    audition.listen(alone=None if audition.listening.alone else session.focus.id)


def toggle_metronome(session: Session) -> None:
    """Switch the metronome on or off."""
    session.audition.listen(metronome=not session.audition.listening.metronome)


def keep_version(studio: Studio) -> None:
    """The present state to compare with; one that is kept is replaced when the person says so."""
    session = studio.session
    kept = session.audition.kept
    if kept is session.project:
        session.notices.say("This version is already stored.")
    elif kept is None or studio.ask.confirm(
        "Replace the stored version?",
        "Restore it first if you still need it.",
    ):
        session.audition.keep_version()
        session.notices.say("Stored. Press X to switch between both.")


def bring_back(session: Session) -> None:
    """The kept version in the project's place, as one step."""
    kept = session.audition.kept
    if kept is None:
        raise ZolvekError("No version is kept.", remedy="Store one first.")
    session.audition.compare("")
    session.document.edit("Restore the stored version", kept)


def switch_compare(session: Session) -> None:
    """Over to the version of a section that was heard last, else the kept version, else no automation, and
    back."""
    audition = session.audition
    other = "version" if audition.has_version() else "kept" if audition.kept is not None else "bypass"
    audition.compare("" if audition.comparing else other)
    session.notices.say(HEARD[audition.comparing])


def switch_bypass(session: Session) -> None:
    """Hear the project without automation, or with it."""
    audition = session.audition
    audition.compare("" if audition.comparing == "bypass" else "bypass")


def learn(studio: Studio, what: str) -> None:
    """Begin to learn "favourites" or "controls", or end it."""
    session = studio.session
    studio.midi_io.forget_control()
    wanted = "" if session.passes.learning == what else what
    if wanted:
        session.shown.release()
    if wanted == "controls":
        studio.show.panel("step-perform")
    session.passes.learn(wanted)
