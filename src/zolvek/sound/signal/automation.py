# SPDX-License-Identifier: GPL-3.0-or-later
"""What each parameter does during a stretch of sound: the automation, applied.

Values are computed on a control grid, every few frames and at every jump, and held in between.
"""

from __future__ import annotations

from functools import cached_property
from itertools import pairwise

import numpy as np

from zolvek.core.arrays import Floats, Ints, distinct, frozen
from zolvek.core.model.project import Device, Project
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane, played
from zolvek.core.records import Record, field
from zolvek.core.time.meter import MeterMap
from zolvek.core.time.tempo import TempoMap
from zolvek.sound.signal.song_position import SongPosition, position_at

FINE_FRAMES = 16  # frames between control points of what is computed here
COARSE = 64  # of what a library effect does: setting it costs more


POSITION_EVERY = 4_800  # frames of the song between positions, a whole number of COARSE
LEAD_FRAMES = 64  # frames before a stretch that are known of it: its controls are held from there
NONE = np.empty(0)


class Block(Record, frozen=True, eq=False):
    """A stretch of sound: the project's beat at each of its frames, and the sample rate. `frame`: the song's frame
    that it begins with; `song`: the song's frame at each of its frames, where it jumps on the way (None: it doesn't);
    `before`: the beats of the LEAD_FRAMES frames before it, or fewer where they are not known; `tempo`
    and `meter`: the song's."""

    beats: Floats
    rate: int
    frame: int = 0
    before: Floats = field(default_factory=lambda: NONE)
    song: Ints | None = None
    tempo: TempoMap = field(default_factory=TempoMap)
    meter: MeterMap = field(default_factory=MeterMap)

    @property
    def frames(self) -> int:
        """How many frames the block has."""
        return len(self.beats)

    @property
    def positions(self) -> list[SongPosition]:
        """Where the song is at the beginning, wherever it goes on elsewhere, where tempo or meter change, and now and
        then between."""
        result = []
        changes = np.concatenate(([point.beat for point in self.tempo.points], self.meter.starts))
        for first, last in self.runs:
            frame = self.frame + first if self.song is None else int(self.song[first])
            every = range(first + POSITION_EVERY - frame % POSITION_EVERY, last, POSITION_EVERY)
            inside = self.beats[first:last]
            new = changes[(changes > inside[0]) & (changes <= inside[-1])]
            changed = (first + np.searchsorted(inside, new)).tolist()
            for at in sorted({first, *every, *changed}):
                result.append(position_at(at, frame + at - first, float(self.beats[at]), self.tempo, self.meter))
        return result

    @property
    def runs(self) -> list[tuple[int, int]]:
        """First and last frame (excluded) of the parts in which the song goes on."""
        if self.song is None:
            return [(0, self.frames)]
        breaks = (np.flatnonzero(np.diff(self.song) != 1) + 1).tolist()
        return list(pairwise([0, *breaks, self.frames]))


class Controls:
    """The values of one device's parameters over a stretch, lanes applied.

    `cuts`: the frames at which they are taken, every `spacing` frames of the song and the first frame at or after
    each jump of the device's lanes; `counts`: for how many frames each holds. What holds at the stretch's first
    frame was taken where the song's last cut before it lies: a stretch begun elsewhere hears the same.
    """

    def __init__(self, device: Device, lanes: dict[str, EvaluatedLane], stretch: Block, spacing: int) -> None:
        self.device, self.lanes, self.stretch = device, lanes, stretch
        self.cuts, self.taken = self._cuts(spacing)

    @cached_property
    def counts(self) -> Ints:
        """For how many frames the values of each cut hold."""
        return np.concatenate((self.cuts[1:], [self.stretch.frames])) - self.cuts

    def _cuts(self, spacing: int) -> tuple[Ints, Floats]:
        """The cuts, and the beats at which values are taken for them."""
        stretch = self.stretch
        lead = min(stretch.frame % spacing, len(stretch.before)) if stretch.song is None else 0
        beats = stretch.beats
        if lead:
            beats = np.concatenate((stretch.before[-lead:], beats))
        if stretch.song is None:
            every = np.arange((lead - stretch.frame) % spacing, len(beats), spacing)
        else:
            every = np.flatnonzero(stretch.song % spacing == 0)
        parts = [every]
        for first, last in stretch.runs:
            inner = beats[first : last + lead]
            jumps = [lane.leaps for lane in self.lanes.values()]
            inside = [at[(at > inner[0]) & (at <= inner[-1])] for at in jumps]
            parts += [first + np.searchsorted(inner, at, side="left") for at in inside if at.size]
            if first:
                parts.append(np.array([first]))
        if every.size and every[0] == 0 and len(parts) == 1:
            cuts = every
        else:
            cuts = distinct(np.concatenate([[0], *parts])).astype(np.intp)
        if not lead:
            return cuts, beats[cuts]
        # What is held at the first frame is the last that was taken up to there.
        first = int(np.searchsorted(cuts, lead, side="right")) - 1
        cuts = cuts[max(first, 0) :]
        return np.maximum(cuts - lead, 0), beats[cuts]

    def values(self, key: str) -> Floats:
        """The real value at each cut, or an array of one where nothing moves."""
        return self._at(key, self.taken)

    def each_frame(self, key: str) -> Floats:
        """The real value at each frame, or an array of one where nothing moves."""
        return self._at(key, self.stretch.beats)

    def _at(self, key: str, beats: Floats) -> Floats:
        lane = self.lanes.get(key)
        if lane is None:
            return still(self.device, key)
        positions = lane.at(beats)
        highest = positions.max()
        if highest != highest:  # not a number: the control stays where it stands
            positions = np.where(np.isfinite(positions), positions, self.device.position(key))
            highest = positions.max()
        moves = highest > positions.min()
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


def applied_lanes(project: Project, bypass: bool) -> dict[str, dict[str, EvaluatedLane]]:
    """Device id -> parameter id -> the lane that is heard there."""
    result: dict[str, dict[str, EvaluatedLane]] = {}
    for track in project.tracks:
        for lane in track.lanes:
            if not (lane.bypassed or bypass):
                result.setdefault(lane.device, {})[lane.parameter] = played(lane, project)
    return result
