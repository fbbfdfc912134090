# SPDX-License-Identifier: GPL-3.0-or-later
"""What the program and the process of a plugin's own window send each other: one struct a kind, tagged by its class."""

from __future__ import annotations

import msgspec

from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device


class Command(msgspec.Struct, frozen=True, tag=True):
    """What the window's process is asked to do."""


class Open(Command, frozen=True):
    """Open the window of a device: the first command."""

    device: Device


class SetDevice(Command, frozen=True):
    """The device's controls have moved in the program."""

    device: Device


class SetPositions(Command, frozen=True):
    """Where lanes have controls now, while they play: parameter id -> position 0..1."""

    positions: dict[str, float]


class Leave(Command, frozen=True):
    """Close the window and report its state."""


class Report(msgspec.Struct, frozen=True, tag=True):
    """What the window's process says."""


class Shown(Report, frozen=True):
    """The window is about to be seen: said by those that can know it."""


class Moved(Report, frozen=True):
    """Controls that were moved in the window: parameter id -> position 0..1."""

    positions: dict[str, float]


class LastState(Report, frozen=True):
    """The state that the plugin was left in, as text."""

    state: str


class WindowFailure(Report, frozen=True):
    """There is no window, or none any more."""

    error: ZolvekError


class Closed(Report, frozen=True):
    """The process has ended: the last report, from the program's side."""
