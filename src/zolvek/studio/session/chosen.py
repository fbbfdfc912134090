# SPDX-License-Identifier: GPL-3.0-or-later
"""The track and the device that are shown, on which commands work."""

from __future__ import annotations

from zolvek.core.edits import chains
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Device, Track
from zolvek.studio.session.session import Session


def chosen_device(session: Session) -> Device:
    """The device whose dials are shown. Raises ZolvekError when there is none."""
    key = session.shown.device
    if key is None:
        raise ZolvekError("There is no device.", remedy="Add one in the Devices panel.")
    return session.project.device_track(key).device(key)


def add_device(session: Session, track: str, kind: DeviceKind) -> None:
    """Add a device to a track, and show it."""
    project, device = chains.add_device(session.project, track, kind)
    session.document.edit(f"Add {kind.name}", project)
    session.shown.show(device)


def shown_track(session: Session) -> Track:
    """The track that is shown. Raises ZolvekError when there is none."""
    track = session.shown.track
    if track is None:
        raise ZolvekError("There is no track.", remedy="Add one in the Devices panel.")
    return track
