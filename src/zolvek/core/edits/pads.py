# SPDX-License-Identifier: GPL-3.0-or-later
"""The pad of a device: the one it has, and a changed one put back."""

from __future__ import annotations

from zolvek.core.model.pad import Pad
from zolvek.core.model.project import Project
from zolvek.core.records import replace


def with_pad(project: Project, pad: Pad) -> Project:
    """The pad in the place of the one of its device."""
    others = tuple(item for item in project.pads if item.device != pad.device)
    return replace(project, pads=(*others, pad))


def pad_of(project: Project, device: str) -> Pad:
    """The device's pad; an empty one where there is none."""
    return next((pad for pad in project.pads if pad.device == device), Pad(device))
