"""What each parameter does during a stretch of sound: the automation, applied.

Values are computed on a control grid, every few frames and at every jump, and held in between.
"""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Ints, frozen
from zolvek.core.model.project import Device, Project
from zolvek.core.movement.playing import Heard, played
from zolvek.core.records import Record

FINE = 16  # frames between control points of what is computed here
COARSE = 64  # of what a library effect does: setting it costs more


class Block(Record, frozen=True):
    """A stretch of sound: the project's beat at each of its frames, and the sample rate."""

    beats: Floats
    rate: int

    @property
    def frames(self) -> int:
        return len(self.beats)


class Controls:
    """The values of one device's parameters over a stretch, lanes applied.

    `cuts`: the frames at which they are taken, every `spacing` and the first frame at or after
    each jump of the device's lanes; `counts`: for how many frames each holds. The stretch begins at
    `frame` of what is counted in: the cuts lie on multiples of `spacing` there.
    """

    def __init__(
        self, device: Device, lanes: dict[str, Heard], stretch: Block, spacing: int, frame: int = 0
    ) -> None:
        self.device, self.lanes, self.stretch = device, lanes, stretch
        self.cuts = self._cuts(spacing, frame)
        self.counts = np.diff(self.cuts, append=stretch.frames)

    def _cuts(self, spacing: int, frame: int) -> Ints:
        beats = self.stretch.beats
        jumps = [lane.leaps for lane in self.lanes.values()]
        inside = [at[(at > beats[0]) & (at <= beats[-1])] for at in jumps]
        exact = [np.searchsorted(beats, at, side="left") for at in inside if at.size]
        every = np.arange(-frame % spacing, len(beats), spacing)
        if frame % spacing:
            every = np.append(0, every)
        return np.unique(np.concatenate([every, *exact])) if exact else every

    def values(self, key: str) -> Floats:
        """The real value at each cut, or an array of one where nothing moves."""
        return self._at(key, self.stretch.beats[self.cuts])

    def each_frame(self, key: str) -> Floats:
        """The real value at each frame, or an array of one where nothing moves."""
        return self._at(key, self.stretch.beats)

    def _at(self, key: str, beats: Floats) -> Floats:
        lane = self.lanes.get(key)
        if lane is None:
            return still(self.device, key)
        positions = lane.at(beats)
        moves = positions.max() > positions.min()
        return self.device.parameter(key).value(positions if moves else positions[:1])

    def spread(self, values: Floats) -> Floats:
        """Values at the cuts as values at every frame; an array of one stays one."""
        return values if values.shape[-1] == 1 else np.repeat(values, self.counts, axis=-1)


def still(device: Device, key: str) -> Floats:
    """The real value that the device itself has, an array of one; kept with the device."""
    kept = device.__dict__.setdefault("_still", {})
    if key not in kept:
        kept[key] = frozen(device.parameter(key).value(np.array([device.position(key)])), float)
    return kept[key]


def applied_lanes(project: Project, bypass: bool) -> dict[str, dict[str, Heard]]:
    """Device id -> parameter id -> the lane that is heard there."""
    found: dict[str, dict[str, Heard]] = {}
    for track in project.tracks:
        for lane in track.lanes:
            if not (lane.bypassed or bypass):
                found.setdefault(lane.device, {})[lane.parameter] = played(lane, project)
    return found
