# SPDX-License-Identifier: GPL-3.0-or-later
"""The useful part of a control's travel, measured in the sound from end to end.

The stretch is rendered with the control held at one position after another. How far the sound
changes from one to the next is counted in one measure, level and brightness together, and the
ends of the travel where it hardly changes are left out.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.construction import chained
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.curve.thinning import fitted
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import Record
from zolvek.sound.analysis.held_renders import MEASURE_RATE, HeldRenders
from zolvek.sound.analysis.measures import brightness, level_db

POSITIONS = 33
REFINEMENTS = 5  # further renders to find an end between two positions
DB_A_CHANGE, OCTAVES_A_CHANGE = 6.0, 1.0  # that count as one unit of change
SHARE = 0.95  # of the change that the proposal keeps
IDLE = 0.3  # of the mean rate of change, below which an end of the travel is idle
QUIETER_DB = 40.0  # what is so far below the loudest counts as silent
EVEN_TOLERANCE = 0.002

Progress = Callable[[int, int], object]


class ReachMeasurement(Record, frozen=True):
    """Increasing `position`s 0..1 of a control, and what the sound is like at each: `level` in
    dB, `brightness` in Hz (0 where it is silent)."""

    position: Floats
    level: Floats
    brightness: Floats

    @cached_property
    def change(self) -> Floats:
        """How much has changed from the lowest position up to each, in units of 6 dB or one
        octave of brightness; never decreasing."""
        octaves = np.log2(np.maximum(self.brightness, 20.0))
        # Where either side is silent its brightness says nothing.
        floor = max(float(self.level.max()) - QUIETER_DB, -80.0)
        audible = (self.level[1:] > floor) & (self.level[:-1] > floor)
        step = np.abs(np.diff(np.maximum(self.level, floor))) / DB_A_CHANGE
        step += np.where(audible, np.abs(np.diff(octaves)) / OCTAVES_A_CHANGE, 0.0)
        return np.concatenate(([0.0], np.cumsum(step)))

    def with_row(self, position: float, level: float, bright: float) -> ReachMeasurement:
        """With one position more: level in dB and brightness in Hz."""
        at = int(np.searchsorted(self.position, position))
        return ReachMeasurement(
            np.insert(self.position, at, position),
            np.insert(self.level, at, level),
            np.insert(self.brightness, at, bright),
        )


class Probe:
    """Level and brightness of one stretch, with one control held."""

    def __init__(self, project: Project, device: str, parameter: str, span: tuple[float, float]):
        self.parameter, self.renders = parameter, HeldRenders(project, device, span)

    def at(self, position: float) -> tuple[float, float]:
        """Level in dB and brightness in Hz."""
        sound = self.renders.at({self.parameter: position})
        return level_db(sound), brightness(sound, MEASURE_RATE)


def measure(
    project: Project,
    device: str,
    parameter: str,
    span: tuple[float, float],
    progress: Progress | None = None,
) -> ReachMeasurement:
    """What the sound from beat span[0] to span[1] is like at positions of a control: evenly
    spaced ones, and closer ones where the change ends. Raises ZolvekError for an empty span, or
    where nothing changes at all."""
    probe = Probe(project, device, parameter, span)
    steps = project.device_track(device).device(device).parameter(parameter).steps
    count = steps or POSITIONS
    positions = (np.arange(count) + 0.5) / count if steps else np.linspace(0.0, 1.0, count)
    total = count + (0 if steps else 2 * REFINEMENTS)
    rows = []
    for done, position in enumerate(positions.tolist()):
        rows.append(probe.at(position))
        if progress:
            progress(done + 1, total)
    measured = ReachMeasurement(positions, *(np.array(column) for column in zip(*rows, strict=True)))
    if measured.change[-1] < 0.05:
        raise ZolvekError(
            "The sound does not change over this control's travel.",
            remedy="Select a span where the track sounds, or another control.",
        )
    if not steps:
        for side in (0, 1):
            measured = _refined(probe, measured, side)
            if progress:
                progress(count + (side + 1) * REFINEMENTS, total)
    return measured


def _refined(probe: Probe, measured: ReachMeasurement, side: int) -> ReachMeasurement:
    """Further positions between the last idle step and the first that is not, at one side:
    where in between does the change begin (side 0) or end (side 1)?"""
    low, high = proposed(measured)
    at = int(np.argmin(np.abs(measured.position - (low, high)[side])))
    if at in (0, len(measured.position) - 1):
        return measured
    # The end lies within the last step that changes, next to the idle ones.
    inner = at - 1 if side else at + 1
    ends = [float(measured.position[i]) for i in (at, inner)]
    outside = _sound(measured, at)
    for _ in range(REFINEMENTS):
        middle = 0.5 * (ends[0] + ends[1])
        row = probe.at(middle)
        measured = measured.with_row(middle, *row)
        same = abs(row[0] - outside[0]) / DB_A_CHANGE + abs(np.log2(max(row[1], 20.0) / max(outside[1], 20.0)))
        ends[0 if same < 0.02 else 1] = middle
    return measured


def _sound(measured: ReachMeasurement, at: int) -> tuple[float, float]:
    return float(measured.level[at]), float(measured.brightness[at])


def proposed(measured: ReachMeasurement) -> tuple[float, float]:
    """The span of positions in which at least 95 % of the change happens."""
    return useful_part(measured.position, measured.change)


def useful_part(position: Floats, change: Floats) -> tuple[float, float]:
    """The span of increasing positions that holds 95 % of a change that never decreases: from either end, what changes
    at less than three tenths of the mean rate is left out, as long as no more than 5 % of the whole change is lost."""
    whole, travel = change[-1], position[-1] - position[0]
    rate = np.diff(change) / np.maximum(np.diff(position), 1e-12) / (whole / travel)
    low, high, lost = 0, len(position) - 1, 0.0
    while high - low > 1:
        # The slower of the two end steps goes, if it is idle and may be lost.
        step = low if rate[low] <= rate[high - 1] else high - 1
        part = float(change[step + 1] - change[step]) / whole
        if rate[step] >= IDLE or lost + part > 1.0 - SHARE:
            break
        lost += part
        low, high = (low + 1, high) if step == low else (low, high - 1)
    return float(position[low]), float(position[high])


def evened(curve: Curve, reach: tuple[float, float], measured: ReachMeasurement) -> Curve:
    """The curve warped so that equal steps along it make equal steps of the measured change
    within the reach: what was a straight line is heard as an even rise.

    Points keep their beats; between them it is fitted again, within 0.2 % of the height.
    """
    warp = even_values(reach, measured)
    value = np.interp(curve.value, *warp)
    # Ways between two values are bent by the warp too: sampled, warped, and fitted.
    pieces = []
    for i in range(len(curve) - 1):
        ends = curve.rows(slice(i, i + 2))
        row = SHAPES[curve.shape[i]]
        level = curve.value[i] == curve.value[i + 1] and row.steady
        if np.diff(ends.beat)[0] <= 0.0 or level or row.ends_early or row.before is not None:
            # Steps have levels of their own and nothing between: they stay what they are.
            pieces.append(ends.having(value=value[i : i + 2]))
            continue
        grid = np.linspace(ends.beat[0], ends.beat[1], 129)
        inside = np.append(curve.at(grid[:-1]), curve.value[i + 1])
        pieces.append(fitted(grid, np.interp(inside, *warp), EVEN_TOLERANCE))
    return chained(pieces) if pieces else curve.having(value=value)


def even_values(reach: tuple[float, float], measured: ReachMeasurement) -> tuple[Floats, Floats]:
    """Curve values 0..1, and what each has to become for even steps: both increasing, from 0 to
    1. Raises ZolvekError where nothing changes within the reach."""
    from scipy.interpolate import PchipInterpolator

    low, high = sorted(reach)
    change = PchipInterpolator(measured.position, measured.change)
    position = np.linspace(low, high, 513)
    done = np.asarray(change(np.clip(position, measured.position[0], measured.position[-1])))
    whole = done[-1] - done[0]
    if whole < 0.02:
        raise ZolvekError("Nothing changes within the lane's reach.", remedy="Set a wider one.")
    part = (done - done[0]) / whole
    # Where it stands still any value will do; a grain of slope keeps the way back unique.
    part = (part + 1e-6 * np.linspace(0.0, 1.0, len(part))) / (1.0 + 1e-6)
    own = np.linspace(0.0, 1.0, len(part))
    if reach[0] > reach[1]:
        return 1.0 - part[::-1], 1.0 - own[::-1]
    return part, own


def job(
    progress: Progress, project: Project, device: str, parameter: str, span: tuple[float, float]
) -> ReachMeasurement:
    """`measure`, as a job of a process of its own."""
    return measure(project, device, parameter, span, progress)
