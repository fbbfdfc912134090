# SPDX-License-Identifier: GPL-3.0-or-later
"""Renders of one passage with a control held at one position after another: what questions about a control's effect are
answered from.

Only the control's own track sounds. What comes before its device in the chain is the same each time, so it is rendered
once; plugins are made once, and begin again.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceRole
from zolvek.core.model.project import Device, Project, Track
from zolvek.core.records import replace
from zolvek.sound.engine.renderer import Renderer

MEASURE_RATE = 32_000  # a good deal quicker than the full rate, and bright enough to say
STRETCH_FRAMES = 32_768  # frames rendered at a time: they fit the processor's cache


class HeldRenders:
    """Of one device in one span (beats). Raises ZolvekError for an empty span."""

    def __init__(self, project: Project, device: str, span: tuple[float, float], rate: int = MEASURE_RATE) -> None:
        if not span[1] > span[0]:
            raise ZolvekError("The span is empty.", remedy="Select a span first.")
        track = project.device_track(device)
        self.project = replace(project, tracks=(), links=(), mappings=())
        self.track = replace(track, muted=False, takes_sends=False, output=None)
        self.device, self.span, self.rate = device, span, rate
        self.tail: tuple[Track, Floats] | None = None  # the chain from the device on, and what goes into it
        self.renderer: Renderer | None = None

    def at(self, positions: Mapping[str, float], lanes: bool = True) -> Floats:
        """The passage, float64 (2, frames), with some of the device's controls held at positions 0..1 of their travel.
        `lanes`: the others move as they do; else all of the device stand."""
        track, source = self._tail()
        devices = tuple(_held(item, positions) if item.id == self.device else item for item in track.devices)
        moving = tuple(
            lane for lane in track.lanes if lane.device != self.device or (lanes and lane.parameter not in positions)
        )
        return self._render(replace(track, devices=devices, lanes=moving), source)

    def _tail(self) -> tuple[Track, Floats | None]:
        """The track from the device on, and the sound before it; the whole of it where notes go in there."""
        if self.tail is not None:
            return self.tail
        index = [item.id for item in self.track.devices].index(self.device)
        head, rest = self.track.devices[:index], self.track.devices[index:]
        plays = any(item.role in (DeviceRole.INSTRUMENT, DeviceRole.MIDI) for item in rest)
        if plays or not self.track.devices:
            return self.track, None
        before = replace(self.track, devices=head, lanes=_lanes_of(self.track, head))
        after = replace(self.track, devices=rest, lanes=_lanes_of(self.track, rest), notes=(), clips=())
        self.tail = after, self._render(before, None)
        self.renderer = None
        return self.tail

    def _render(self, track: Track, source: Floats | None) -> Floats:
        held = replace(self.project, tracks=(track,))
        renderer = Renderer(held, self.rate, before=self.renderer)
        if source is not None:
            renderer.given[track.id] = source
        renderer.seek(self.span[0])
        skip = renderer.prepare()
        end = max(renderer.frame_of(self.span[1]), renderer.frame + 1) + skip
        parts = []
        while renderer.frame < end:
            parts.append(renderer.render(min(STRETCH_FRAMES, end - renderer.frame)))
        self.renderer = renderer
        return np.concatenate(parts, axis=1)[:, skip:]


def _held(device: Device, positions: Mapping[str, float]) -> Device:
    return device.at({key: float(position) for key, position in positions.items()})


def _lanes_of(track: Track, devices: tuple[Device, ...]) -> tuple[object, ...]:
    ids = {device.id for device in devices}
    return tuple(lane for lane in track.lanes if lane.device in ids)
