# SPDX-License-Identifier: GPL-3.0-or-later
"""Which control moves the sound: each one from end to end while the rest stays as it is, described by what it does to
what is heard.

A coarse pass of three positions a control finds those that do something; these are then rendered at more. What two
equal renders differ by is no effect.
"""

from __future__ import annotations

import itertools
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cached_property
from typing import TypeVar

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import BYPASS
from zolvek.core.model.project import Device, Project
from zolvek.core.records import Record, replace
from zolvek.core.value.parameter import Parameter
from zolvek.sound.analysis.descriptors import KEYS, MEASURES, TAIL_S, Description, describe, pitch_shift
from zolvek.sound.analysis.held_renders import HeldRenders
from zolvek.sound.analysis.useful_reach import useful_part
from zolvek.sound.engine.side_by_side import MOST_THREADS, cores

COARSE, FINE = 3, 9  # positions of a control that moves evenly
MOST_CHOICES = 24  # positions of one with choices that are rendered
RETURNS = 1.5  # times its difference from end to end, from which a control's range counts as up and down again
LONGEST_BEATS, SHORTEST_BEATS = 64.0, 1.0 / 16.0  # of the span that is rendered
MOST_PARTNERS = 12  # values of other controls that are tried, where one does nothing
MOST_CHOICES_TRIED = 6  # of a control with choices among them
INAUDIBLE = 1e-5  # of full scale

Progress = Callable[..., object]
Known = dict[tuple[str, str, float], Description]
T = TypeVar("T")


class ControlEffect(Record, frozen=True):
    """What a control does to what is heard: at increasing `positions` 0..1 of its travel the measures of KEYS, one row
    each (len(KEYS), n), NaN where there is nothing to say; `noise` (len(KEYS),): what two equal renders differ by.
    `steps`: of a control with choices, how many; `silent_while`: the control and its value that keep it from being
    heard; `fault`: why it could not be measured."""

    device: str
    parameter: str
    positions: Floats
    measures: Floats
    noise: Floats
    steps: int = 0
    silent_while: tuple[str, str] | None = None
    fault: str = ""

    @cached_property
    def least(self) -> Floats:
        """The least differences that count."""
        return np.maximum(np.array([measure.least for measure in MEASURES]), 3.0 * self.noise)

    @cached_property
    def ranges(self) -> Floats:
        """How far each measure goes over the travel; 0 for what is not heard."""
        known = [self._known(row) for row in range(len(KEYS))]
        ranges = np.array([np.ptp(values) if values.size else 0.0 for values in known])
        return np.where(ranges >= self.least, ranges, 0.0)

    def _known(self, row: int) -> Floats:
        values = self.measures[row]
        return values[np.isfinite(values)]

    @cached_property
    def signed(self) -> Floats:
        """The end of the travel less its beginning, in each measure; 0 for what is not heard. One that goes up and down
        again has the sign of where it is farthest from the beginning."""
        result = np.zeros(len(KEYS))
        for row in np.flatnonzero(self.ranges).tolist():
            values = self._known(row)
            whole, far = values[-1] - values[0], values[np.abs(values - values[0]).argmax()] - values[0]
            result[row] = far if KEYS[row] in self.returns else whole
        return result

    @cached_property
    def returns(self) -> tuple[str, ...]:
        """The measures that go up and down again on the way."""
        ends = {row: self._known(row) for row in np.flatnonzero(self.ranges).tolist()}
        return tuple(KEYS[row] for row, v in ends.items() if self.ranges[row] > RETURNS * abs(v[-1] - v[0]))

    @cached_property
    def strength(self) -> float:
        """How much it does in all: its greatest range, in units of change."""
        return float((self.ranges / [measure.one for measure in MEASURES]).max(initial=0.0))

    @cached_property
    def change(self) -> Floats:
        """How much has changed from the first position up to each, in units of change; never decreasing."""
        steps = np.zeros(max(len(self.positions), 1))
        for row, measure in enumerate(MEASURES):
            if self.ranges[row]:
                steps[1:] += np.nan_to_num(np.abs(np.diff(self.measures[row]))) / measure.one
        return np.cumsum(steps)

    @cached_property
    def reach(self) -> tuple[float, float]:
        """The part of the travel in which nearly all of the change happens; all of it for choices."""
        if self.steps or not self.strength:
            return 0.0, 1.0
        return useful_part(self.positions, self.change)


def controls_of(project: Project, devices: Sequence[str]) -> list[tuple[str, str]]:
    """The controls that are asked about: those of the devices, but for bypass."""
    rows = [(key, project.device_track(key).device(key).row.parameters) for key in devices]
    return [(key, parameter.id) for key, parameters in rows for parameter in parameters if parameter.id != BYPASS.id]


def checked_span(span: tuple[float, float]) -> tuple[float, float]:
    """A span that can be rendered: the beginning of a long one. Raises ZolvekError for one too short to hear."""
    if span[1] - span[0] < SHORTEST_BEATS:
        raise ZolvekError("The span is too short to measure.", remedy="Select a 1/64 note at least.")
    return span[0], min(span[1], span[0] + LONGEST_BEATS)


def effects(
    project: Project, devices: Sequence[str], span: tuple[float, float], progress: Progress | None = None
) -> Iterator[ControlEffect]:
    """The effect of every control of some devices of a track in a span of beats: first each by three positions, then
    those that do something once more by nine, the most promising first, then those that do nothing, with what keeps
    them silent. A device that can't be rendered is reported with its fault, and the others go on. `progress` is given
    renders done and in all. Raises ZolvekError for a span that is too short, devices without controls, and a track that
    is silent there."""
    span = checked_span(span)
    controls = controls_of(project, devices)
    if not controls:
        raise ZolvekError("There is no control to measure.", remedy="Choose a device with parameters.")
    probe = Probe(project, span)
    if not any(probe.sounds(device) for device in dict.fromkeys(key for key, _ in controls)):
        name = project.device_track(devices[0]).name
        raise ZolvekError("The track is silent in this span.", name, "Select a span where it sounds.")
    total, done = len(controls) * FINE, 0
    coarse: list[ControlEffect] = []
    with _Probes(project, span, probe) as probes:
        for effect in probes.each(controls, lambda own, control: own.effect(*control, COARSE)):
            coarse.append(effect)
            done += COARSE
            if progress:
                progress(done, total)
            yield effect
        strongest = sorted(coarse, key=lambda effect: -effect.strength)
        for effect in probes.each(strongest, _refined):
            done += FINE - COARSE
            if progress:
                progress(done, total)
            yield effect


def _refined(probe: Probe, effect: ControlEffect) -> ControlEffect:
    if effect.fault:
        return effect
    return probe.effect(effect.device, effect.parameter, FINE) if effect.strength else probe.explained(effect)


class _Probes:
    """A probe for each thread: each control is measured by one of them, as it would be alone. Plugins stay in the
    thread that has made them, so a track with one has one thread."""

    def __init__(self, project: Project, span: tuple[float, float], first: Probe) -> None:
        self.project, self.span, self.first = project, span, first
        device = next(iter(first.renders), "")
        track = project.device_track(device)
        alone = any(item.row.plugin is not None for item in track.devices)
        self.pool = None if alone or cores() < 2 else ThreadPoolExecutor(min(cores(), MOST_THREADS), "measure")
        self.own = threading.local()

    def __enter__(self) -> _Probes:
        return self

    def __exit__(self, *_: object) -> None:
        if self.pool is not None:
            self.pool.shutdown(cancel_futures=True)

    def each(self, items: Sequence[T], work: Callable[[Probe, T], ControlEffect]) -> Iterator[ControlEffect]:
        """What the work gives of each item, in their order."""
        if self.pool is None:
            return (work(self.first, item) for item in items)
        return self.pool.map(lambda item: work(self._probe(), item), items)

    def _probe(self) -> Probe:
        if not hasattr(self.own, "probe"):
            self.own.probe = Probe(self.project, self.span, self.first.known)
        probe: Probe = self.own.probe
        return probe


class Probe:
    """Renders and describes a passage; what it has rendered it does not render again."""

    def __init__(self, project: Project, span: tuple[float, float], known: Known | None = None) -> None:
        """`known`: what another one has described."""
        self.project, self.span = project, span
        self.renders: dict[str, HeldRenders] = {}
        self.noise: dict[str, Floats] = {}
        self.known: Known = {} if known is None else known

    def sounds(self, device: str) -> bool:
        """Whether anything is heard as it is; so it is held where that can't be said."""
        try:
            return bool(np.abs(self._held(device).at({})).max() > INAUDIBLE)
        except ZolvekError:
            return True  # its controls say what is wrong

    def _held(self, device: str) -> HeldRenders:
        if device not in self.renders:
            self.renders[device] = HeldRenders(self.project, device, self.span, tail_s=TAIL_S)
        return self.renders[device]

    def described(self, device: str, positions: dict[str, float]) -> Description:
        """The passage with controls held."""
        held = self._held(device)
        return describe(held.at(positions), held.rate, held.passage_frames)

    def noise_of(self, device: str) -> Floats:
        """What two equal renders differ by."""
        if device not in self.noise:
            first, second = (self.described(device, {}) for _ in range(2))
            pairs = zip(first[:7], second[:7], strict=True)
            difference = [abs(a - b) if np.isfinite(a) and np.isfinite(b) else 0.0 for a, b in pairs]
            self.noise[device] = np.array([*difference, 0.0])
        return self.noise[device]

    def _at(self, device: str, key: str, position: float) -> Description:
        name = device, key, position
        if name not in self.known:
            self.known[name] = self.described(device, {key: position})
        return self.known[name]

    def effect(self, device: str, key: str, count: int) -> ControlEffect:
        """A control at `count` positions."""
        parameter = self._device(device).parameter(key)
        positions = positions_of(parameter, count)
        try:
            rows = [self._at(device, key, position) for position in positions.tolist()]
            noise = self.noise_of(device)
        except ZolvekError as error:
            nothing = np.zeros((len(KEYS), 0))
            return ControlEffect(device, key, np.zeros(0), nothing, np.zeros(len(KEYS)), fault=error.what)
        return ControlEffect(device, key, positions, table(rows), noise, parameter.steps)

    def _device(self, device: str) -> Device:
        return self.project.device_track(device).device(device)

    def explained(self, effect: ControlEffect) -> ControlEffect:
        """One that does nothing, with the control whose value keeps it from being heard."""
        device = self._device(effect.device)
        far = effect.positions[[0, -1]].tolist()
        for partner, position in self._partners(device, effect.parameter)[:MOST_PARTNERS]:
            held = {partner.id: position}
            try:
                rows = [self.described(effect.device, {effect.parameter: end, **held}) for end in far]
            except ZolvekError:  # what that one does is its own matter
                continue
            tried = ControlEffect(effect.device, effect.parameter, np.array(far), table(rows), effect.noise)
            if tried.strength:
                return replace(effect, silent_while=(partner.name, partner.text(device.position(partner.id))))
        return effect

    def _partners(self, device: Device, key: str) -> list[tuple[Parameter, float]]:
        """Other controls that stand at an end of their travel, or have choices, each with another position."""
        driven = {lane.parameter for lane in self.project.device_track(device.id).lanes if lane.device == device.id}
        ends: list[tuple[Parameter, float]] = []
        choices: list[tuple[Parameter, float]] = []
        for parameter in device.row.parameters:
            now = device.position(parameter.id)
            if parameter.id in (key, BYPASS.id) or parameter.id in driven:
                continue
            if parameter.steps:
                others = (np.arange(parameter.steps) + 0.5) / parameter.steps
                tried = others[np.abs(others - now) > 0.5 / parameter.steps][:MOST_CHOICES_TRIED]
                choices += [(parameter, position) for position in tried.tolist()]
            elif now in (0.0, 1.0):
                ends.append((parameter, 0.5))
        return ends + choices


def positions_of(parameter: Parameter, count: int) -> Floats:
    """Even positions from end to end; the middle of each choice of one with choices."""
    steps = parameter.steps
    if not steps:
        return np.linspace(0.0, 1.0, count)
    every = (np.arange(steps) + 0.5) / steps
    most = COARSE if count == COARSE else MOST_CHOICES
    return every if steps <= most else every[np.unique(np.linspace(0, steps - 1, most).round().astype(int))]


def table(rows: Sequence[Description]) -> Floats:
    """The measures of some descriptions, (len(KEYS), n): the pitch against the first of them, step by step."""
    shifts = [0.0, *(pitch_shift(low.tones, high.tones) for low, high in itertools.pairwise(rows))]
    columns = [[*row[:7], pitch] for row, pitch in zip(rows, np.cumsum(shifts).tolist(), strict=True)]
    return np.array(columns, float).T.reshape(len(KEYS), len(rows))


def measured(
    project: Project, devices: Sequence[str], span: tuple[float, float], progress: Progress | None = None
) -> list[ControlEffect]:
    """`effects`, the last word on each, greatest first. `progress` is given each as a third argument too."""
    result: dict[tuple[str, str], ControlEffect] = {}
    state = [0, 1]

    def report(done: int, total: int) -> None:
        state[:] = done, total
        if progress:
            progress(done, total)

    for effect in effects(project, devices, span, report):
        result[effect.device, effect.parameter] = effect
        if progress:
            progress(*state, effect)
    return sorted(result.values(), key=lambda effect: -effect.strength)


def job(progress: Progress, project: Project, devices: Sequence[str], span: tuple[float, float]) -> list[ControlEffect]:
    """`measured`, as a job of a process of its own."""
    return measured(project, devices, span, progress)
