# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands on the song's sections and their versions."""

from __future__ import annotations

from functools import partial

from zolvek.core.edits import sections
from zolvek.core.edits.replacement import LANE_COLOURS
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.formats.audio.sound_lengths import lengths_of
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session


def section_of(session: Session) -> int:
    """The picked section, else the one at the playhead. Raises ZolvekError where there is none."""
    picked = session.arranging.section
    return sections.numbered(session.project, session.playhead.beat) if picked is None else picked


def section_name(session: Session) -> str:
    """The name of the selected section."""
    return session.project.section_spans()[section_of(session)][0].name


def _edit(session: Session, label: str, project: Project, gesture: object = None, *, section: int) -> None:
    """An edit, after which a section is selected."""
    session.document.edit(label, project, gesture, partial(session.arranging.place_section, section))


def begin_section(studio: Studio) -> None:
    """At the playhead."""
    begin_section_at(studio.session, studio.session.playhead.beat)


def begin_section_at(session: Session, beat: float) -> None:
    """Start a section at a beat."""
    new_project = sections.begun(session.project, beat)
    _edit(session, "Add section", new_project, section=sections.numbered(new_project, beat))


def rename_section(studio: Studio) -> None:
    """Rename the selected section."""
    session = studio.session
    number = section_of(session)
    old = session.project.section_spans()[number][0].name

    def use(typed: str) -> None:
        change_section(session, number, f"Rename {old}", name=" ".join(typed.split()))

    studio.ask.typed("Rename section", "Name:", old, use)


def change_section(session: Session, number: int, label: str, gesture: object = None, **changes: object) -> None:
    """Change fields of a section."""
    new_project = sections.changed(session.document.before(gesture), number, **changes)
    _edit(session, label, new_project, gesture, section=number)


def colour_section(session: Session) -> None:
    """Give the section the next colour."""
    number = section_of(session)
    span = session.project.section_spans()[number][0]
    change_section(session, number, f"Colour {span.name}", colour=(span.colour + 1) % (LANE_COLOURS + 1))


def join_section(session: Session) -> None:
    """Join the section with the next one."""
    number = section_of(session)
    label = f"Join {section_name(session)} and the next section"
    _edit(session, label, sections.joined(session.project, number), section=number)


def remove_section(session: Session) -> None:
    """Its name alone: what lies in it stays."""
    number = section_of(session)
    label = f"Remove section {section_name(session)}"
    session.document.edit(label, sections.removed(session.project, number))
    session.notices.say("Its contents stay. To remove its bars, select it and remove bars.")


def double_section(session: Session) -> None:
    """Duplicate the section with its contents."""
    number = section_of(session)
    label = f"Duplicate {section_name(session)}"
    new_project = sections.doubled(session.project, number, lengths_of(session.project))
    _edit(session, label, new_project, section=number + 1)


def move_section(session: Session, direction: int) -> None:
    """Before the section before it, or after the next one."""
    number = section_of(session)
    to = number - 1 if direction < 0 else number + 2
    if not 0 <= to <= len(session.project.section_spans()):
        raise ZolvekError(
            "The section can't move further.", section_name(session), "It is already the first or the last."
        )
    move_section_to(session, number, to)


def move_section_to(session: Session, number: int, before: int) -> None:
    """Move a section before another, with its contents."""
    name = session.project.section_spans()[number][0].name
    new_project = sections.moved(session.project, number, before, lengths_of(session.project))
    _edit(session, f"Move {name} with its contents", new_project, section=before if before < number else before - 1)


def select_section(session: Session) -> None:
    """Select the section as the span."""
    _, first, last = session.project.section_spans()[section_of(session)]
    session.span.choose((first, last))


def new_version(studio: Studio) -> None:
    """Start another version of the section."""
    session = studio.session
    number = section_of(session)
    before = session.project.section_spans()[number][0].chosen
    new_project = sections.versioned(session.project, number)
    span = new_project.section_spans()[number][0]
    _edit(session, f"New version {span.versions[-1].name} of {span.name}", new_project, section=number)
    session.audition.compare_later(number, before)
    session.notices.say("It starts as a copy. Edit it; X compares with the other version.")


def choose_version(session: Session, number: int, version: int) -> None:
    """Write a version of the section into the lanes."""
    session.audition.compare("")
    span = session.project.section_spans()[number][0]
    session.audition.compare_later(number, span.chosen)
    new_project = sections.chosen(session.project, number, version)
    _edit(session, f"{span.versions[version].name} in {span.name}", new_project, section=number)


def next_version(session: Session) -> None:
    """Go to the section's next version."""
    number = section_of(session)
    span = session.project.section_spans()[number][0]
    if len(span.versions) < 2:
        raise ZolvekError("The section has only one version.", span.name, "Make a new version first.")
    choose_version(session, number, (span.chosen + 1) % len(span.versions))


def remove_version(session: Session, number: int, version: int) -> None:
    """Remove a version of the section."""
    span = session.project.section_spans()[number][0]
    new_project = sections.version_removed(session.project, number, version)
    _edit(session, f"Remove {span.versions[version].name} of {span.name}", new_project, section=number)


def rename_version(session: Session, number: int, version: int, name: str) -> None:
    """Rename a version of the section."""
    new_project = sections.version_renamed(session.project, number, version, name)
    _edit(session, f"Rename version to {name.strip()}", new_project, section=number)


def hear_version(session: Session, number: int, version: int) -> None:
    """Another version of a section, heard in its place until it is chosen or left."""
    session.audition.hear_version(number, version)
