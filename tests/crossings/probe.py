# SPDX-License-Identifier: GPL-3.0-or-later
"""Devices for the crossings alone: one that gives its parameter as sound, and one that is late."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from unittest.mock import patch

import numpy as np

from zolvek.core.model import catalogue
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.core.value.parameter import Parameter
from zolvek.sound.engine import device_registry
from zolvek.sound.signal.device_unit import Incoming, UnitOutput

LATE = 413  # frames
PROBE = DeviceKind("probe", "Probe", "effect", (Parameter("value", "Value"), Parameter("other", "Other")))
DELAY = DeviceKind("late", "Late", "effect", (Parameter("none", "None"),))
LISTENER = DeviceKind("listener", "Listener", "effect", (Parameter("share", "Share"),))


class Probe:
    """What its parameter comes to at each frame is what is heard, whatever came in."""

    spacing, latency = 64, 0

    def play(self, block: Incoming) -> UnitOutput:
        values = np.broadcast_to(block.controls.each_frame("value"), block.sound.shape[1:])
        return UnitOutput(np.stack((values, values)))

    def release_all(self, now: float) -> None:
        pass

    def release(self, pitch: int, now: float) -> None:
        pass


class Late(Probe):
    """What comes in goes on LATE frames later, which it says."""

    latency = LATE

    def __init__(self) -> None:
        self.kept = np.zeros((2, LATE))

    def play(self, block: Incoming) -> UnitOutput:
        whole = np.concatenate((self.kept, block.sound), axis=1)
        frames = block.sound.shape[1]
        self.kept = whole[:, frames:]
        return UnitOutput(whole[:, :frames])


class Listener(Probe):
    """The sound of another track goes on with what comes in."""

    def play(self, block: Incoming) -> UnitOutput:
        return UnitOutput(block.sound if block.side is None else block.sound + 0.25 * block.side)


def as_described(project: Project) -> Project:
    """The project with these devices described in it, as plugins are that nobody has here: it opens anywhere."""
    kinds = {kind.key: kind for kind in (PROBE, DELAY, LISTENER)}
    tracks = []
    for track in project.tracks:
        own = [replace(device, described=kinds.get(device.kind)) for device in track.devices]
        tracks.append(replace(track, devices=tuple(own)))
    return replace(project, tracks=tuple(tracks))


@contextmanager
def probes() -> Iterator[None]:
    """While it lasts there are devices of these kinds."""
    kinds = {kind.key: kind for kind in (PROBE, DELAY, LISTENER)}
    makers = {
        "probe": lambda device, rate: Probe(),
        "late": lambda device, rate: Late(),
        "listener": lambda device, rate: Listener(),
    }
    rows = patch.dict(catalogue.ROWS, {key: {} for key in kinds})
    with (
        rows,
        patch.dict(catalogue.DEVICE_KINDS.made, kinds),
        patch.dict(device_registry.MAKERS, makers),
    ):
        yield
