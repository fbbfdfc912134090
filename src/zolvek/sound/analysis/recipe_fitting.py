# SPDX-License-Identifier: GPL-3.0-or-later
"""A recipe made to fit a track: for each role the control that does it best is found by measuring, the measured
response of each bar is turned round to say how far the control has to go, and what comes out is measured and corrected
twice.

The movement comes as layers: what a lane already holds stays.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import CODES
from zolvek.core.edits.layers import free_layer_id, with_layer
from zolvek.core.edits.measured_lanes import lane_with_reach
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer, LayerKind
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.recipes import FORMS, ROLES, Recipe, RecipePart
from zolvek.core.records import Record
from zolvek.core.value.parameter import Parameter
from zolvek.sound.analysis.control_effects import COARSE, FINE, ControlEffect, Probe, checked_span, controls_of
from zolvek.sound.analysis.control_effects import table as measures_table
from zolvek.sound.analysis.descriptors import BY_KEY, KEYS, MEASURES, TAIL_S, Description, centroid_octaves, describe
from zolvek.sound.analysis.held_renders import HeldRenders
from zolvek.sound.analysis.measures import k_weighting, lufs

POSITIONS = 13  # of a control, at which a span is rendered
LISTENED_BEATS = 8.0  # of the span, in which controls are compared
PER_BEAT = 2  # knots of a form that goes slowly
PER_BEAT_QUICK = 16  # and of one that steps, or follows the beat
CORRECTIONS = 2
WITHIN = {"loudness": 1.0, "brightness": 0.25}  # what may be left in a bar
NEARLY = 0.85  # of the best fitness, that is as good
SIDE_EFFECTS = 0.4  # how much change in other measures counts as none, in units of change
# How much a side effect counts: another pitch is another melody; loudness can be taken back.
SIDE_WEIGHTS = np.array([{"pitch": 4.0, "loudness": 0.25}.get(key, 0.5) for key in KEYS])
QUIETEST = 1e-7  # of power, in a bar

Progress = Callable[[int, int], object]


class FittedPart(Record, frozen=True):
    """What became of a part: its role, the lane's device, parameter and id ("" where no control does it), the bars'
    numbers, what each was to become and what it became, in the role's unit, and what is to be said of it."""

    role: str
    device: str
    parameter: str
    lane: str
    bars: tuple[int, ...] = ()
    wanted: Floats = np.zeros(0)
    reached: Floats = np.zeros(0)
    notes: tuple[str, ...] = ()


class Fitted(Record, frozen=True):
    """The project with the recipe in it, and what became of its parts."""

    project: Project
    parts: tuple[FittedPart, ...]


def fitted(
    project: Project,
    recipe: Recipe,
    track: str,
    start: float,
    end: float,
    strength: float = 1.0,
    chosen: Mapping[str, tuple[str, str]] | None = None,
    progress: Progress | None = None,
) -> Fitted:
    """A recipe on a track from beat `start` to `end`, at `strength` times its amounts; `chosen`: for roles the device
    and parameter that a person wants. Raises ZolvekError where the track is silent there, or no part can be had."""
    if not (np.isfinite(strength) and 0.0 < strength <= 2.0):
        raise ZolvekError(f"A strength of {strength:g} can't be used.", "--strength", "Use up to 200 %.")
    span = checked_span((start, min(end, project.length)))
    this_track = next(item for item in project.tracks if item.id == track)
    devices = [device.id for device in this_track.devices]
    if not devices:
        raise ZolvekError("The track has no devices.", this_track.name, "Add one that can be moved.")
    work = _Work(project, track, span, progress, len(recipe.parts))
    controls = work.controls(devices, recipe, chosen or {})
    moves, parts = [], []
    for part in recipe.parts:
        control = controls.get(part.role)
        if control is None:
            name = BY_KEY[ROLES[part.role][0]].more
            parts.append(FittedPart(part.role, "", "", "", notes=(f"No control of this track makes it {name}.",)))
            continue
        moves.append(_Move(work, part, control, strength))
    if not moves:
        raise ZolvekError(
            f"No control of this track does what “{recipe.name}” needs.",
            this_track.name,
            "Add a filter or an equaliser.",
        )
    result = _written(project, moves, recipe.name)
    for _ in range(CORRECTIONS):
        if not any(move.corrects for move in moves):
            break
        reached = work.difference(result)
        for move in moves:
            move.correct(reached)
        result = _written(project, moves, recipe.name)
    reached = work.difference(result)
    lanes = {(lane.device, lane.parameter): lane.id for lane in result.lanes()}
    parts += [move.report(reached, lanes[move.control]) for move in moves]
    return Fitted(result, tuple(parts))


class _Work:
    """What all parts share: the span's bars, and the renders of it."""

    def __init__(
        self, project: Project, track: str, span: tuple[float, float], progress: Progress | None, parts: int
    ) -> None:
        self.project, self.track, self.span, self.progress = project, track, span, progress
        _, beats = project.meter.bar_lines(*span)
        inside = (beats > span[0] + 1e-9) & (beats < span[1] - 1e-9)
        self.edges = np.concatenate(([span[0]], beats[inside], [span[1]]))
        first = project.meter.bar_at(span[0])
        self.bars = tuple(range(first, first + len(self.edges) - 1))
        self.middles = 0.5 * (self.edges[1:] + self.edges[:-1])
        self.renders: dict[str, HeldRenders] = {}
        self.done, self.total = 0, 1
        self.parts = parts

    def step(self, count: int = 1) -> None:
        """So many renders more have been done."""
        self.done += count
        if self.progress:
            self.progress(min(self.done, self.total), self.total)

    def held(self, device: str) -> HeldRenders:
        """The renders of a device's chain over the whole span."""
        if device not in self.renders:
            self.renders[device] = HeldRenders(self.project, device, self.span, tail_s=TAIL_S)
        return self.renders[device]

    def controls(
        self, devices: list[str], recipe: Recipe, chosen: Mapping[str, tuple[str, str]]
    ) -> dict[str, tuple[str, str]]:
        """For each role the control that does it best: by much, and by little else."""
        roles = list(dict.fromkeys(part.role for part in recipe.parts))
        result = {role: chosen[role] for role in roles if role in chosen}
        open_roles = [role for role in roles if role not in result]
        if not open_roles:
            return result
        middle = self.span[1] - min(self.span[1] - self.span[0], LISTENED_BEATS)
        probe = Probe(self.project, (middle, self.span[1]))
        if not probe.sounds(devices[0]):
            name = next(t.name for t in self.project.tracks if t.id == self.track)
            raise ZolvekError("The track is silent in these bars.", name, "Choose bars in which it sounds.")
        candidates = [c for c in controls_of(self.project, devices) if not self._steps(c)]
        self.total = len(candidates) * COARSE + self.parts * POSITIONS + 2 * (CORRECTIONS + 2)
        effects = []
        for device, parameter in candidates:
            effects.append(probe.effect(device, parameter, COARSE))
            self.step(COARSE)
        if "pitch" in open_roles:  # three positions may lie too far apart to be recognised as one pitch, shifted
            pitched = [c for c in candidates if self.parameter(c).unit == "st"]
            effects += [probe.effect(device, parameter, FINE) for device, parameter in pitched]
        for role in open_roles:
            amount = max((part.amount for part in recipe.parts if part.role == role), key=abs)
            rows = [(effect, self._now((effect.device, effect.parameter))) for effect in effects]
            fitness = [_fitness(effect, role, amount, now) for effect, now in rows]
            if fitness and max(fitness) > 0.0:
                # Of levels that do as well, the last in the chain: what comes before it is not driven otherwise.
                near = [i for i, value in enumerate(fitness) if value >= NEARLY * max(fitness)]
                best = effects[near[-1] if role == "level" else int(np.argmax(fitness))]
                result[role] = best.device, best.parameter
        return result

    def parameter(self, control: tuple[str, str]) -> Parameter:
        """The parameter of a control."""
        return self.project.device_track(control[0]).device(control[0]).parameter(control[1])

    def _now(self, control: tuple[str, str]) -> float:
        """Where the control is towards the span's end."""
        track = self.project.device_track(control[0])
        lane = track.lane_on(*control)
        if lane is None or lane.bypassed:
            return track.device(control[0]).position(control[1])
        late = self.span[0] + 0.8 * (self.span[1] - self.span[0])
        return float(played(lane, self.project).at(np.array([late]))[0])

    def _steps(self, control: tuple[str, str]) -> bool:
        return bool(self.parameter(control).steps)

    def bar_measures(self, sound: Floats, rate: int) -> dict[str, Floats]:
        """Loudness (LUFS, ungated) and brightness (octaves) of each bar."""
        from scipy.signal import lfilter

        seconds = np.asarray(self.project.tempo.seconds(self.edges), float)
        cuts = np.round((seconds - seconds[0]) * rate).astype(int)
        weighted = sound
        for b, a in k_weighting(rate):
            weighted = lfilter(b, a, weighted, axis=1)
        power = np.square(weighted).sum(axis=0)
        mono = sound.mean(axis=0)
        bars = list(zip(cuts[:-1].tolist(), np.maximum(cuts[1:], cuts[:-1] + 1).tolist(), strict=True))
        loud = np.array([max(float(power[low:high].mean()), QUIETEST) for low, high in bars])
        bright = np.array([centroid_octaves(mono[low:high], rate) for low, high in bars])
        return {"loudness": lufs(loud), "brightness": bright}

    def difference(self, project: Project) -> dict[str, Floats]:
        """What each bar of the track has become in another project, against this one."""
        rows = []
        for version in (project, self.project):
            device = next(item for item in version.tracks if item.id == self.track).devices[0].id
            held = HeldRenders(version, device, self.span)
            rows.append(self.bar_measures(held.at({}), held.rate))
            self.step()
        return {key: rows[0][key] - rows[1][key] for key in rows[0]}


def _fitness(effect: ControlEffect, role: str, amount: float, now: float) -> float:
    """How well a control does for a role: whether it can go as far as is asked from where it is, and how little else it
    changes; 0 where that goes up and down again."""
    measure = ROLES[role][0]
    row = KEYS.index(measure)
    if effect.fault or measure in effect.returns or not effect.ranges[row]:
        return 0.0
    known = np.isfinite(effect.measures[row])
    values = effect.measures[row][known]
    here = float(np.interp(now, effect.positions[known], values))
    room = float(values.max()) - here if amount > 0.0 else here - float(values.min())
    sizes = effect.ranges / np.array([item.one for item in MEASURES])
    beside = float((SIDE_WEIGHTS * sizes).sum() - SIDE_WEIGHTS[row] * sizes[row])
    own = float(sizes[row])
    return min(max(room, 0.0) / abs(amount), 1.0) * own / (own + beside + SIDE_EFFECTS)


class _Move:
    """One part on its control: where the control has to be at each knot."""

    def __init__(self, work: _Work, part: RecipePart, control: tuple[str, str], strength: float) -> None:
        self.work, self.part, self.control, self.strength = work, part, control, strength
        self.measure = ROLES[part.role][0]
        slow = not FORMS[part.form][1] and part.form != "pump"
        self.corrects = slow and self.measure in WITHIN
        first, last = part.span(*work.span)
        per_beat = PER_BEAT if slow else PER_BEAT_QUICK
        self.knots = np.linspace(first, last, max(round((last - first) * per_beat), 1) + 1)
        if part.form == "pump":  # it goes down on the beat, not on the way to it
            ends = np.arange(first + 1.0, last + 1e-9) - 1.0 / 256.0
            self.knots = np.unique(np.concatenate((self.knots, ends)))
        self.wanted = strength * part.target(self.knots, *work.span)
        self.asked = self.wanted.copy()  # what is asked of the control, with its corrections
        self.positions = np.linspace(0.0, 1.0, POSITIONS)
        self.response = self._measured()
        project = work.project
        lane = project.device_track(control[0]).lane_on(*control)
        stand = project.device_track(control[0]).device(control[0]).position(control[1])
        self.now = (
            np.full(len(self.knots), stand) if lane is None or lane.bypassed else played(lane, project).at(self.knots)
        )

    def _measured(self) -> Floats:
        """The measure with the control at each position, (POSITIONS, bars), made to go one way only."""
        held, rows, bars = self.work.held(self.control[0]), [], len(self.work.bars)
        parameter = self.work.parameter(self.control)
        if self.measure == "pitch" and parameter.unit == "st":  # it says so itself
            self.work.step(POSITIONS)
            return np.repeat(np.asarray(parameter.value(self.positions), float)[:, None], bars, axis=1)
        described: list[Description] = []
        for position in self.positions.tolist():
            sound = held.at({self.control[1]: position})
            passage = sound[:, : held.passage_frames]
            if self.measure in WITHIN:
                rows.append(self.work.bar_measures(passage, held.rate)[self.measure])
            else:
                described.append(describe(sound, held.rate, held.passage_frames))
            self.work.step()
        if described:
            rows = [np.full(bars, value) for value in measures_table(described)[KEYS.index(self.measure)].tolist()]
        table = np.array(rows)
        table = np.nan_to_num(table, nan=float(np.nanmin(table)) if np.isfinite(table).any() else 0.0)
        rises = table[-1].mean() >= table[0].mean()
        return np.maximum.accumulate(table, axis=0) if rises else np.minimum.accumulate(table, axis=0)

    def _at(self, row: int) -> Floats:
        """The response at a knot: between the middles of two bars, what lies between them."""
        middles, beat = self.work.middles, self.knots[row]
        return np.array([np.interp(beat, middles, line) for line in self.response])

    @property
    def places(self) -> Floats:
        """Where the control has to be at each knot, 0..1."""
        result = np.empty(len(self.knots))
        for row in range(len(self.knots)):
            line = self._at(row)
            falls = line[-1] < line[0]
            now = float(np.interp(self.now[row], self.positions, line))
            goal = now + self.asked[row]
            values, places = (line[::-1], self.positions[::-1]) if falls else (line, self.positions)
            if self.asked[row] == 0.0:
                result[row] = self.now[row]
            else:
                steps = np.concatenate(([True], np.diff(values) > 1e-9))
                result[row] = np.interp(goal, values[steps], places[steps])
        return result

    def _by_bar(self) -> Floats:
        """What each bar is to become: the mean of the form in it."""
        rows = []
        for low, high in zip(self.work.edges[:-1], self.work.edges[1:], strict=True):
            inner = np.linspace(low, high, 65)
            rows.append(float((self.strength * self.part.target(inner, *self.work.span)).mean()))
        return np.array(rows)

    def correct(self, reached: dict[str, Floats]) -> None:
        """Ask for more where too little has come, and less where it was too much."""
        if self.corrects:
            error = np.nan_to_num(self._by_bar() - reached[self.measure])
            self.asked = self.asked + np.interp(self.knots, self.work.middles, error)

    def report(self, reached: dict[str, Floats], lane: str) -> FittedPart:
        """What became of it, bar by bar where that is measured."""
        device, parameter = self.control
        if not self.corrects:
            return FittedPart(self.part.role, device, parameter, lane)
        wanted, unit = self._by_bar(), ROLES[self.part.role][1]
        got = np.nan_to_num(reached[self.measure])
        short = np.flatnonzero(np.abs(got - wanted) > WITHIN[self.measure])
        notes = tuple(
            f"Bar {self.work.bars[i]}: {got[i]:+.1f} of {wanted[i]:+.1f} {unit}. "
            + ("The control goes no further." if abs(got[i]) < abs(wanted[i]) else "It moves too coarsely there.")
            for i in short.tolist()
        )
        return FittedPart(self.part.role, device, parameter, lane, self.work.bars, wanted, got, notes)


def _written(project: Project, moves: list[_Move], name: str) -> Project:
    """The project with each move as a layer of its control's lane."""
    for move in moves:
        places = move.places
        device, parameter = move.control
        reach = float(min(places.min(), move.now.min())), float(max(places.max(), move.now.max()))
        project, key = lane_with_reach(project, device, parameter, reach)
        lane = project.lane(key)
        low, high = lane.reach
        offset = (places - move.now) / (high - low) if high != low else np.zeros(len(places))
        values = np.clip(0.5 + 0.5 * offset, 0.0, 1.0)
        steps = FORMS[move.part.form][1]
        shape = CODES["hold" if steps else "line"]
        beats = move.knots
        # The movement ends where its part does: the control goes back at once.
        curve = Curve(
            np.append(beats, beats[-1]),
            np.append(values, 0.5),
            np.full(len(beats) + 1, shape, np.uint8),
            np.zeros(len(beats) + 1),
        )
        first, last = float(beats[0]), float(beats[-1])
        layer = Layer(free_layer_id(lane), str(LayerKind.OFFSET), name, first, last, curve=curve)
        project = with_layer(project, key, layer)
    return project


def job(
    progress: Progress, project: Project, recipe: Recipe, track: str, span: tuple[float, float], strength: float
) -> Fitted:
    """`fitted`, as a job of a process of its own."""
    return fitted(project, recipe, track, *span, strength, None, progress)
