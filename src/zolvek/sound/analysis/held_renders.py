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
from zolvek.core.model.project import Device, Lane, Note, Project, Track
from zolvek.core.records import replace
from zolvek.sound.engine.renderer import Renderer

MEASURE_RATE = 32_000  # a good deal quicker than the full rate, and bright enough to say
STRETCH_FRAMES = 32_768  # frames rendered at a time: they fit the processor's cache


class HeldRenders:
    """Of one device in one span (beats). `tail_s`: seconds more, in which what was played has ended and rings on.
    Raises ZolvekError for an empty span."""

    def __init__(
        self,
        project: Project,
        device: str,
        span: tuple[float, float],
        rate: int = MEASURE_RATE,
        tail_s: float = 0.0,
    ) -> None:
        if not span[1] > span[0]:
            raise ZolvekError("The span is empty.", remedy="Select a span first.")
        track = project.device_track(device)
        self.project = replace(project, tracks=(), links=(), mappings=())
        self.track = replace(track, muted=False, takes_sends=False, output=None, notes=_ending(track.notes, span))
        self.device, self.span, self.rate = device, span, rate
        first, last = (float(project.tempo.seconds(beat)) * rate for beat in span)
        self.passage_frames = max(round(last) - round(first), 1)
        self.frames = self.passage_frames + round(tail_s * rate)
        self.tail: tuple[Track, Floats | None] | None = None  # the chain from the device on, and what goes into it
        self.renderer: Renderer | None = None

    def at(self, positions: Mapping[str, float]) -> Floats:
        """The passage, float64 (2, frames), with some of the device's controls held at positions 0..1."""
        track, source = self._tail()
        devices = tuple(_held(item, positions) if item.id == self.device else item for item in track.devices)
        lanes = tuple(lane for lane in track.lanes if lane.device != self.device or lane.parameter not in positions)
        return self._render(replace(track, devices=devices, lanes=lanes), source)

    def _tail(self) -> tuple[Track, Floats | None]:
        """The track from the device on, and the sound before it; all of it where notes go in there."""
        if self.tail is None:
            index = [item.id for item in self.track.devices].index(self.device)
            head, rest = self.track.devices[:index], self.track.devices[index:]
            clips = self._clips()
            if any(item.role in (DeviceRole.INSTRUMENT, DeviceRole.MIDI) for item in rest):
                self.tail = replace(self.track, clips=()), clips
            else:
                before = replace(self.track, devices=head, lanes=_lanes_of(self.track, head), clips=())
                after = replace(self.track, devices=rest, lanes=_lanes_of(self.track, rest), notes=(), clips=())
                self.tail = after, self._render(before, clips)
            self.renderer = None
        return self.tail

    def _clips(self) -> Floats | None:
        """What the track's clips play up to the passage's end."""
        if not self.track.clips:
            return None
        sound = self._render(replace(self.track, devices=(), lanes=(), notes=()), None)
        sound[:, self.passage_frames :] = 0.0
        return sound

    def _render(self, track: Track, source: Floats | None) -> Floats:
        renderer = Renderer(replace(self.project, tracks=(track,)), self.rate, before=self.renderer)
        if source is not None:
            renderer.given[track.id] = source
        renderer.seek(self.span[0])
        skip = renderer.prepare()
        parts, done = [], 0
        while done < self.frames + skip:
            parts.append(renderer.render(min(STRETCH_FRAMES, self.frames + skip - done)))
            done += parts[-1].shape[1]
        self.renderer = renderer
        return np.concatenate(parts, axis=1)[:, skip:]


def _held(device: Device, positions: Mapping[str, float]) -> Device:
    return device.at({key: float(position) for key, position in positions.items()})


def _lanes_of(track: Track, devices: tuple[Device, ...]) -> tuple[Lane, ...]:
    ids = {device.id for device in devices}
    return tuple(lane for lane in track.lanes if lane.device in ids)


def _ending(notes: tuple[Note, ...], span: tuple[float, float]) -> tuple[Note, ...]:
    """The notes that sound in a span, up to its end."""
    inside = (note for note in notes if note.beat < span[1] and note.beat + note.length > span[0])
    return tuple(replace(note, length=min(note.length, span[1] - note.beat)) for note in inside)
