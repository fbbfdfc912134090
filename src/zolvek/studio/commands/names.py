# SPDX-License-Identifier: GPL-3.0-or-later
"""Names, order and copies of tracks and devices."""

from __future__ import annotations

from zolvek.core.edits import chains, names, replacement
from zolvek.core.errors import ZolvekError
from zolvek.core.records import replace
from zolvek.studio.services.context import Studio
from zolvek.studio.session.chosen import chosen_device, shown_track
from zolvek.studio.session.session import Session

COLOURS = replacement.LANE_COLOURS + 1  # those of lanes, and none


def name_of(session: Session, track: str | None, device: str | None) -> str:
    """The name of a track or device."""
    project = session.project
    if track:
        return next(item.name for item in project.tracks if item.id == track)
    return project.device_track(str(device)).device(str(device)).name


def rename(session: Session, track: str | None, device: str | None, name: str) -> None:
    """Rename a track or device."""
    old = name_of(session, track, device)
    project = session.project
    new_project = (
        names.track_renamed(project, track, name) if track else names.device_renamed(project, str(device), name)
    )
    session.document.edit(f"Rename {old} to {name.strip()}", new_project)


def move_track(session: Session, track: str, to: int) -> None:
    """Move a track to a position."""
    new_project = names.track_moved(session.project, track, to)
    session.document.edit(f"Move the track {name_of(session, track, None)}", new_project)


def step_track(session: Session, direction: int) -> None:
    """Move the shown track by one."""
    track = shown_track(session)
    index = session.project.tracks.index(track)
    move_track(session, track.id, min(max(index + direction, 0), len(session.project.tracks) - 1))


def move_device(session: Session, device: str, track: str, to: int) -> None:
    """Move a device to a position of its chain."""
    name = name_of(session, None, device)
    new_project = names.device_moved(session.project, device, track, to)
    session.document.edit(f"Move {name}", new_project)
    session.shown.show(device)


def device_to(studio: Studio) -> None:
    """Ask for a track, and move the shown device there."""
    session = studio.session
    device, track = chosen_device(session), shown_track(session)
    others = {t.name: t for t in session.project.tracks if t.id != track.id}
    if not others:
        raise ZolvekError("There is no other track.", remedy="Add one first.")
    answer = studio.ask.choose("Move device", f"{device.name} to:", list(others))
    if answer is not None:
        to = chains.place_for(others[answer].devices, device.role)
        move_device(session, device.id, others[answer].id, to)


def double_device(session: Session) -> None:
    """Duplicate the shown device."""
    device = chosen_device(session)
    result, key = names.device_doubled(session.project, device.id)
    session.document.edit(f"Duplicate {device.name}", result)
    session.shown.show(key)


def duplicate_track(session: Session) -> None:
    """Duplicate the shown track."""
    this_track = shown_track(session)
    result, key = names.track_doubled(session.project, this_track.id)
    session.document.edit(f"Duplicate track {this_track.name}", result)
    twin = next(track for track in result.tracks if track.id == key)
    if twin.devices:
        session.shown.show(twin.devices[0].id)


def colour_track(session: Session) -> None:
    """Give the shown track the next colour."""
    track = shown_track(session)
    changed = replace(track, colour=(track.colour + 1) % COLOURS)
    session.document.edit(f"Colour {track.name}", replacement.with_track(session.project, changed))


def copy_automation(studio: Studio) -> None:
    """Ask for the other track, and say what had no counterpart there."""
    session = studio.session
    track = shown_track(session)
    others = {t.name: t.id for t in session.project.tracks if t.id != track.id}
    if not others:
        raise ZolvekError("There is no other track.", remedy="Add one first.")
    answer = studio.ask.choose("Copy automation", f"{track.name}'s lanes to:", list(others))
    if answer is None:
        return
    done = names.automation_copied(session.project, track.id, others[answer])
    if done.lanes:
        session.document.edit(f"Copy {track.name}'s automation to {answer}", done.project)
    if done.without:
        session.notices.report(
            ZolvekError(
                f"{done.lanes} of {done.lanes + len(done.without)} lanes were copied.",
                "Without a match, or locked there: " + ", ".join(done.without),
                "Copy these lanes one by one.",
            )
        )
