# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of sections: named stretches of the project, and what the lanes do in them."""

from __future__ import annotations

import itertools
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.spans import piece, splice
from zolvek.core.edits.rearrangement import Lengths, rearranged
from zolvek.core.edits.replacement import with_track
from zolvek.core.edits.stretches import END, Stretch
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project, Section, Version
from zolvek.core.records import replace

SHORTEST = 1.0 / 16.0  # beats
ALIKE = 1e-9  # of the height, within which two ways are one
PLACES = 512  # at which ways through a section are compared, next to their points


def spans(project: Project) -> list[tuple[Section, float, float]]:
    """Every section with the beats at which it begins and ends."""
    return project.section_spans()


def numbered(project: Project, beat: float) -> int:
    """The number, in order of time, of the section that a beat lies in. Raises ZolvekError where there is
    none."""
    result = [i for i, (_, first, _) in enumerate(spans(project)) if first <= beat]
    if not result:
        raise ZolvekError("There is no section here.", remedy="Add one first.")
    return result[-1]


def _with(project: Project, sections: list[Section]) -> Project:
    rows = sorted(sections, key=lambda section: section.beat)
    for one, other in itertools.pairwise(rows):
        if other.beat - one.beat < SHORTEST:
            raise ZolvekError(
                "Two sections would start on the same beat.",
                f"{one.name}, {other.name}",
                "Move one of them.",
            )
    return replace(project, sections=tuple(rows))


def begun(project: Project, beat: float, name: str = "") -> Project:
    """A section that begins at a beat: what held there is split."""
    if not 0.0 <= beat < project.length:
        raise ZolvekError("This is beyond the end of the song.", remedy="Choose an earlier position.")
    names = [section.name for section in project.sections]
    name = name.strip() or next(f"Part {n}" for n in range(1, len(names) + 2) if f"Part {n}" not in names)
    return _with(project, [*project.sections, Section(float(beat), name)])


def changed(project: Project, number: int, **changes: object) -> Project:
    """A section's name, colour or start changed. It starts between its neighbours."""
    rows = [section for section, _, _ in spans(project)]
    own = replace(rows[number], **changes)
    if not own.name.strip():
        raise ZolvekError("A section needs a name.", remedy="Type one.")
    low = rows[number - 1].beat + SHORTEST if number else 0.0
    high = (rows[number + 1].beat if number + 1 < len(rows) else project.length) - SHORTEST
    if not low <= own.beat <= high:
        raise ZolvekError("A section must stay between its neighbours.", own.name, "Move those first.")
    late = [item for item in project.sections if item not in rows]
    return _with(project, [*rows[:number], own, *rows[number + 1 :], *late])


def joined(project: Project, number: int) -> Project:
    """A section and the next one as one, of the first one's name."""
    rows = [section for section, _, _ in spans(project)]
    if number + 1 >= len(rows):
        raise ZolvekError("It is the last section.", rows[number].name, "Join the previous one instead.")
    return replace(project, sections=tuple(s for s in project.sections if s is not rows[number + 1]))


def removed(project: Project, number: int) -> Project:
    """The section's mark gone; what lies in it stays, and belongs to the section before."""
    span = spans(project)[number][0]
    return replace(project, sections=tuple(s for s in project.sections if s is not span))


def doubled(project: Project, number: int, lengths: Lengths) -> Project:
    """The section once more right after itself, with everything in it; what follows moves on."""
    own, first, last = spans(project)[number]
    end = END if last >= project.length else last
    after = (Stretch(last, END),) if end < END else ()
    parts = (Stretch(0.0, last), Stretch(first, last), *after)
    result = rearranged(project, parts, lengths)
    names = {section.name for section in project.sections}
    stem = own.name.rstrip("0123456789 ") or own.name
    name = next(f"{stem} {n}" for n in range(2, len(names) + 3) if f"{stem} {n}" not in names)
    rows = [replace(s, name=name) if s.beat == last else s for s in result.sections]
    return replace(result, sections=tuple(rows))


def moved(project: Project, number: int, before: int, lengths: Lengths) -> Project:
    """The section with everything in it before another one; `before` the number of all: at the end."""
    rows = spans(project)
    _, first, last = rows[number]
    to = rows[before][1] if before < len(rows) else project.length
    if before in (number, number + 1):
        return project
    parts: tuple[Stretch, ...]
    if to < first:
        parts = (Stretch(0.0, to), Stretch(first, last), Stretch(to, first), Stretch(last, END))
    else:
        parts = (Stretch(0.0, first), Stretch(last, to), Stretch(first, last), Stretch(to, END))
    if last >= project.length or to >= project.length:  # nothing follows
        parts = parts[:-1]
    return rearranged(project, parts, lengths)


# --- versions of what the lanes do in a section ---


def versioned(project: Project, number: int, name: str = "") -> Project:
    """Another version of a section, alike the one that stands, and chosen: the one that stood is kept."""
    section, first, last = spans(project)[number]
    kept = section.versions or (Version("First"),)
    names = {version.name for version in kept}
    name = name.strip() or next(f"Version {n}" for n in range(2, len(names) + 3) if f"Version {n}" not in names)
    if name in names:
        raise ZolvekError(f"There is already a version “{name}”.", section.name, "Choose another name.")
    put = replace(kept[section.chosen], pieces=_pieces(project, first, last))
    kept = (*kept[: section.chosen], put, *kept[section.chosen + 1 :], Version(name))
    return _put(project, section, replace(section, versions=kept, chosen=len(kept) - 1))


def chosen(project: Project, number: int, version: int) -> Project:
    """Another version of a section in the lanes; the one that stood there is kept as it is now. Locked
    lanes stay. A version that is shorter than the section now is leaves the rest, a longer one is cut."""
    section, first, last = spans(project)[number]
    if not 0 <= version < len(section.versions):
        raise ZolvekError("This version does not exist.", section.name, "Make one first.")
    if version == section.chosen:
        return project
    put = replace(section.versions[section.chosen], pieces=_pieces(project, first, last))
    wanted = section.versions[version]
    rows = list(section.versions)
    rows[section.chosen], rows[version] = put, replace(wanted, pieces=())
    project = _put(project, section, replace(section, versions=tuple(rows), chosen=version))
    put_in = dict(wanted.pieces)
    for track in project.tracks:
        lanes = tuple(
            replace(lane, curve=_spliced(lane.curve, put_in[lane.id], first, last))
            if lane.id in put_in and not lane.locked
            else lane
            for lane in track.lanes
        )
        if lanes != track.lanes:
            project = with_track(project, replace(track, lanes=lanes))
    return project


def version_removed(project: Project, number: int, version: int) -> Project:
    """A version gone; the one that stands in the lanes can't go."""
    span = spans(project)[number][0]
    if version == span.chosen:
        raise ZolvekError("This version is in use.", span.name, "Use another one first.")
    rows = span.versions[:version] + span.versions[version + 1 :]
    chosen_now = span.chosen - (version < span.chosen)
    if len(rows) == 1:
        rows, chosen_now = (), 0
    return _put(project, span, replace(span, versions=rows, chosen=chosen_now))


def version_renamed(project: Project, number: int, version: int, name: str) -> Project:
    """The project with another name for a section's version. Raises ZolvekError for one in use."""
    span = spans(project)[number][0]
    name = name.strip()
    if not name or any(v.name == name for i, v in enumerate(span.versions) if i != version):
        raise ZolvekError("A version needs a unique name.", span.name, "Type another one.")
    rows = list(span.versions)
    rows[version] = replace(rows[version], name=name)
    return _put(project, span, replace(span, versions=tuple(rows)))


class Difference(NamedTuple):
    """By how much of the height a lane differs at most in two versions, and at which beat."""

    lane: str
    most: float
    beat: float


def differences(project: Project, number: int, version: int) -> list[Difference]:
    """The lanes in which a version differs from the one that stands, the most first."""
    section, first, last = spans(project)[number]
    result = []
    for key, other in section.versions[version].pieces:
        if not project.has_lane(key):
            continue
        here = piece(project.lane(key).curve, first, last)
        length = min(last - first, float(other.beat[-1]))
        at = _places(here, other, length)
        apart = np.abs(here.at(at) - other.at(at))
        worst = int(np.argmax(apart))
        if apart[worst] > ALIKE:
            result.append(Difference(key, float(apart[worst]), first + float(at[worst])))
    return sorted(result, key=lambda each: -each.most)


def _places(one: Curve, other: Curve, length: float) -> Floats:
    at = np.union1d(np.union1d(one.beat, other.beat), np.linspace(0.0, length, PLACES))
    at = np.union1d(at, np.nextafter(at, -np.inf))  # what they come to before a jump
    return at[(at >= 0.0) & (at < length)]


def _pieces(project: Project, first: float, last: float) -> tuple[tuple[str, Curve], ...]:
    return tuple((lane.id, piece(lane.curve, first, last)) for lane in project.lanes())


def _spliced(curve: Curve, put: Curve, first: float, last: float) -> Curve:
    length = float(put.beat[-1])
    if length > last - first:
        put = piece(put, 0.0, last - first)
    return splice(curve, first, put, min(last, first + length))


def _put(project: Project, old: Section, new: Section) -> Project:
    return replace(project, sections=tuple(new if s is old else s for s in project.sections))
