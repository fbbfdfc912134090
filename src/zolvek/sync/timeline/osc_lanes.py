# SPDX-License-Identifier: GPL-3.0-or-later
"""What lanes send as OSC while they play, as arrays from the curves to the bytes: a thousand lanes cost little more
than a few."""

from __future__ import annotations

import struct
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.edits.monitoring import lanes_outside
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane, played
from zolvek.core.value.parameter import Parameter
from zolvek.sync.timeline.osc_messages import BUNDLE, MOST_BYTES, NTP_EPOCH_S, addresses

SPAN_S = 8.0  # seconds of the song over which a lane is evaluated at once
PHASES = 8  # groups of lanes whose spans begin one after another: what is due meanwhile would wait
MOST_SPANS = 4  # of a lane, that are kept
EDGE_S = 1e-6  # what lies this near to the edge of a span may be counted on its other side
HEAD_BYTES = 16  # of a bundle: its name and its time tag
LARGEST = 1e30  # silence is −∞ dB, which not all receivers read
WORD = 4  # bytes: all in a message is a multiple of them
TYPES, ARGUMENTS = b",ff\0", 2 * WORD  # position and real value, 32-bit floats


class Values(NamedTuple):
    """Values that are sent: `seconds` of the song in order, lanes by number, positions 0..1 and real values."""

    seconds: Floats
    lane: Ints
    position: Floats
    value: Floats


class Span(NamedTuple):
    """What a lane sends in a stretch of the song."""

    seconds: Floats
    position: Floats
    value: Floats


NOTHING = Span(np.zeros(0), np.zeros(0), np.zeros(0))


class Grid(NamedTuple):
    """The ticks of a span, in seconds and beats; the beats of its edges, and of the tick before it."""

    seconds: Floats
    beats: Floats
    first: float
    last: float
    before: float


def _begin(span_number: int, phase: int) -> float:
    """Where a span begins, in seconds."""
    return span_number * SPAN_S - phase * SPAN_S / PHASES


def _span_at(seconds: float, phase: int) -> int:
    """The number of the span at a second."""
    return int(np.floor(seconds / SPAN_S + phase / PHASES))


class OscLanes:
    """The lanes of a project as they are sent, `rate` times a second of the song where they move and at every jump.
    What `before` has evaluated of lanes that are still the same is kept."""

    def __init__(self, project: Project, rate: float, before: OscLanes | None = None) -> None:
        self.project, self.rate = project, rate
        # Addresses follow from names alone, and there are many of them.
        self.named = [
            (track.id, track.name, [(device.id, device.name, device.parameters) for device in track.devices])
            for track in project.tracks
        ]
        self.by_target: dict[tuple[str, str], str] = {}
        if before is not None and before.named == self.named:
            self.by_target = before.by_target
        else:
            self.by_target = {target: address for address, target in addresses(project).items()}
        lanes = lanes_outside(project, whole=True)
        devices = {device.id: device for track in project.tracks for device in track.devices}
        self.heard: list[EvaluatedLane] = [played(lane, project) for lane in lanes]
        self.parameters: list[Parameter] = [devices[lane.device].parameter(lane.parameter) for lane in lanes]
        self.addresses = [self.by_target[lane.device, lane.parameter] for lane in lanes]
        self.spans: dict[tuple[str, int], tuple[EvaluatedLane, Parameter, Span]] = {}  # by address and number
        self.grids: dict[tuple[int, int], Grid] = {}  # by phase and number
        self.groups: dict[tuple[int, int], tuple[object, Values]] = {}  # of what lanes, and what they send
        if before is not None and before.rate == rate and before.project.tempo == project.tempo:
            self.spans, self.grids, self.groups = before.spans, before.grids, before.groups
        forms = [_form(address) for address in self.addresses]
        self.sizes = np.array([len(form) // WORD for form in forms], np.int64)  # all in words of four bytes
        self.starts = np.concatenate(([0], np.cumsum(self.sizes)))[: len(forms)]
        self.forms = np.frombuffer(b"".join(forms), np.uint32)

    # --- values ---

    def between(self, first: float, last: float) -> Values:
        """What is sent from one second of the song up to, but not at, another. What stays is not sent again."""
        parts: list[Values] = []
        edges = np.array([first, last])
        for phase in range(min(PHASES, len(self.heard))):
            for span_number in range(_span_at(first - EDGE_S, phase), _span_at(last + EDGE_S, phase) + 1):
                group = self._group(phase, span_number)
                i, j = group.seconds.searchsorted(edges).tolist()
                if j > i:
                    parts.append(Values(group[0][i:j], group[1][i:j], group[2][i:j], group[3][i:j]))
        return _in_order(parts)

    def at(self, seconds: float) -> Values:
        """Where every lane stands: sent when playing begins, or goes on elsewhere."""
        return self._at(list(range(len(self.heard))), seconds)

    def changed(self, before: OscLanes, seconds: float, was: float) -> Values:
        """Where those lanes stand at a time in seconds that stood elsewhere before an edit, at `was`, or are new."""
        known = {address: number for number, address in enumerate(before.addresses)}
        asked = [(number, known.get(address)) for number, address in enumerate(self.addresses)]
        if before.project.tempo == self.project.tempo:
            asked = [
                (number, old)
                for number, old in asked
                if old is None
                or before.heard[old] is not self.heard[number]
                or before.parameters[old] is not self.parameters[number]
            ]
        now = self._at([number for number, _ in asked], seconds)
        then = before._at([old for _, old in asked if old is not None], was)
        stood = {before.addresses[n]: (p, v) for n, p, v in zip(then.lane, then.position, then.value, strict=True)}
        moved = np.array(
            [stood.get(self.addresses[n]) != (p, v) for n, p, v in zip(now.lane, now.position, now.value, strict=True)],
            bool,
        )
        return Values(*(column[moved] for column in now))

    def _at(self, numbers: list[int], seconds: float) -> Values:
        beat = np.array([float(self.project.tempo.beats(seconds))])
        position = np.array([float(self.heard[number].at(beat)[0]) for number in numbers])
        value = [
            float(np.clip(self.parameters[number].value(at), -LARGEST, LARGEST))
            for number, at in zip(numbers, position, strict=True)
        ]
        return Values(np.full(len(numbers), seconds), np.array(numbers, np.int64), position, np.array(value))

    def _group(self, phase: int, span_number: int) -> Values:
        """All that the lanes of a phase send in a span, in order of time."""
        key = phase, span_number
        members = tuple(
            (self.heard[number], self.parameters[number]) for number in range(phase, len(self.heard), PHASES)
        )
        kept = self.groups.get(key)
        if kept is None or kept[0] != members:
            spans = [(number, self._span(number, span_number)) for number in range(phase, len(self.heard), PHASES)]
            parts = [Values(s.seconds, np.full(len(s.seconds), n), s.position, s.value) for n, s in spans]
            kept = members, _in_order([part for part in parts if len(part.seconds)])
            if len(self.groups) > MOST_SPANS * PHASES:
                self.groups.clear()
            self.groups[key] = kept
        return kept[1]

    def _span(self, number: int, span_number: int) -> Span:
        heard, parameter = self.heard[number], self.parameters[number]
        key = self.addresses[number], span_number
        kept = self.spans.get(key)
        if kept is None or kept[0] is not heard or kept[1] is not parameter:
            kept = heard, parameter, self._evaluated(number, self._grid(number % PHASES, span_number))
            if len(self.spans) > MOST_SPANS * len(self.heard):
                self.spans.clear()
            self.spans[key] = kept
        return kept[2]

    def _grid(self, phase: int, span_number: int) -> Grid:
        """The ticks of a span, which are the same for all lanes of a phase."""
        key = phase, span_number
        if key not in self.grids:
            begin, end = (max(_begin(number, phase), 0.0) for number in (span_number, span_number + 1))
            tempo = self.project.tempo
            first_tick, end_tick = (np.ceil(each * self.rate - 1e-9) for each in (begin, end))
            seconds = np.arange(first_tick, end_tick) / self.rate
            edges = tempo.beats(np.array([begin, end, max(first_tick - 1.0, 0.0) / self.rate])).tolist()
            if len(self.grids) > MOST_SPANS * PHASES:
                self.grids.clear()
            self.grids[key] = Grid(seconds, tempo.beats(seconds), *edges)
        return self.grids[key]

    def _evaluated(self, number: int, grid: Grid) -> Span:
        heard, seconds, beats = self.heard[number], grid.seconds, grid.beats
        leaps = heard.leaps
        low, high = leaps.searchsorted((grid.first, grid.last)).tolist() if len(leaps) else (0, 0)
        if high > low:
            beats, which = np.unique(np.concatenate((beats, leaps[low:high])), return_index=True)
            seconds = np.concatenate((seconds, self.project.tempo.seconds(leaps[low:high])))[which]
        if not len(beats):
            return NOTHING
        # What was sent last before: at a tick, or at a jump after it.
        before = min(max(grid.before, float(leaps[low - 1]) if low else 0.0), float(beats[0]))
        positions = heard.at(np.concatenate(([before], beats)))
        moved = np.flatnonzero(positions[1:] != positions[:-1])
        if not len(moved):
            return NOTHING
        position = positions[1:][moved]
        value = np.clip(self.parameters[number].value(position), -LARGEST, LARGEST)
        return Span(seconds[moved], position, value)

    # --- bytes ---

    def encoded(self, values: Values) -> list[tuple[float, bytes]]:
        """The messages of each moment, as many together as a bundle takes: the second of the song, and the bytes that
        follow a bundle's head."""
        count = len(values.seconds)
        if not count:
            return []
        sizes = self.sizes[values.lane]
        ends = np.cumsum(sizes)
        begins = ends - sizes
        source = np.arange(ends[-1]) + np.repeat(self.starts[values.lane] - begins, sizes)
        whole = self.forms[source]
        whole[ends - 2] = values.position.astype(">f4").view(np.uint32)
        whole[ends - 1] = values.value.astype(">f4").view(np.uint32)
        data = whole.tobytes()
        moments = np.flatnonzero(np.diff(values.seconds, prepend=-1.0))
        result: list[tuple[float, bytes]] = []
        for row, after in zip(moments.tolist(), [*moments[1:].tolist(), count], strict=True):
            while row < after:
                room = begins[row] + (MOST_BYTES - HEAD_BYTES) // WORD
                until = min(max(int(ends.searchsorted(room, side="right")), row + 1), after)
                result.append((float(values.seconds[row]), data[begins[row] * WORD : ends[until - 1] * WORD]))
                row = until
        return result


def _in_order(parts: list[Values]) -> Values:
    """Values of several in order of time."""
    if not parts:
        return Values(np.zeros(0), np.zeros(0, np.int64), np.zeros(0), np.zeros(0))
    seconds, position, value = (np.concatenate([part[column] for part in parts]) for column in (0, 2, 3))
    order = np.argsort(seconds, kind="stable")
    lane = np.concatenate([part.lane for part in parts])
    return Values(seconds[order], lane[order], position[order], value[order])


def _form(address: str) -> bytes:
    """A message's bytes within a bundle, with its size before it, and room for its numbers (OSC 1.0)."""
    text = address.encode("ascii")
    message = text + bytes(4 - len(text) % 4) + TYPES + bytes(ARGUMENTS)
    return struct.pack(">i", len(message)) + message


def bundle(messages: bytes, moment: float) -> bytes:
    """A packet with its time tag (OSC 1.0, Time Tags: NTP's 32.32 bits); `moment`: seconds since the epoch."""
    whole = int(moment)
    part = min(round((moment - whole) * 2**32), 2**32 - 1)
    return BUNDLE + struct.pack(">II", whole + NTP_EPOCH_S, part) + messages
