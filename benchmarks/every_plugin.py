# SPDX-License-Identifier: GPL-3.0-or-later
"""Every installed plugin tried as a person would use it, each in a process of its own: hosted, rendered as it comes,
rendered again, and swept from end to end in all that it has."""

from __future__ import annotations

import os
import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import msgspec
import numpy as np

from zolvek.core.curve.construction import lines
from zolvek.core.edits import plugins
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.new_project import timed
from zolvek.core.edits.replacement import add_lane, with_curve, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.device_kind import DeviceKind, DeviceRole
from zolvek.core.model.project import Project
from zolvek.core.model.source import Note
from zolvek.core.records import replace
from zolvek.sound.engine.offline import Exploded, render
from zolvek.sound.hosting.catalogue import installed
from zolvek.sound.hosting.catalogue.loading import kind_of
from zolvek.sound.hosting.plugin.plugin_entry import PluginEntry
from zolvek.sound.jobs.plugin_description import describe_in_process
from zolvek.sound.processes.job_messages import Job
from zolvek.sound.processes.job_process import run_in_process

Say = Callable[[str, float, str, str], None]
BEATS = 4.0
MOST_SWEPT = 64  # lanes at once
TIMEOUT_S = 90.0  # of a plugin that says nothing more
SILENT = 1e-6


class Outcome(msgspec.Struct):
    """What came of one plugin. `fault`: why it could not be used; `equal`: two renders are equal to the bit;
    `off`: the ports whose default does not come back, of `ports`."""

    fault: str = ""
    peak: float = 0.0
    swept: float = 0.0
    muted: bool = False
    equal: bool = True
    finite: bool = True
    off: int = 0
    ports: int = 0


def tried(progress: Callable[[int, int], object], kind: DeviceKind, beats: float = BEATS) -> Outcome:
    """As a job of a process: `beats` of notes for an instrument; a synth's sound into an effect."""
    outcome = Outcome(off=defaults_off(kind), ports=len(kind.plugin.ports) if kind.plugin is not None else 0)
    project, device = hosting(kind)
    progress(1, 4)
    try:
        first = render(project, 0.0, beats)
        progress(2, 4)
        again = render(project, 0.0, beats)
        progress(3, 4)
        outcome.peak = float(np.abs(first).max())
        outcome.equal = bool(np.array_equal(first, again))
        outcome.finite = bool(np.isfinite(first).all())
        swept = render(sweeping(project, device, beats), 0.0, beats)
        outcome.swept = float(np.abs(swept).max())
        outcome.finite &= bool(np.isfinite(swept).all())
    except Exploded:
        outcome.muted = True
    return outcome


def several(progress: Callable[[int, int], object], uris: Sequence[str], beats: float) -> list[Outcome]:
    """As a job of a process: many, one after another, described in it too."""
    results: list[Outcome] = []
    for uri in uris:
        results.append(tried(lambda *_: progress(len(results), len(uris)), kind_of(uri), beats))
    return results


def hosting(kind: DeviceKind) -> tuple[Project, str]:
    """A project with the plugin, and its id."""
    project = timed()
    project, track = add_track(project, "Under trial")
    if kind.role != DeviceRole.INSTRUMENT:
        project, _ = add_device(project, track, DEVICE_KINDS["synth"])
    project, device = plugins.added(project, track, kind)
    notes = tuple(Note(beat, 0.9, pitch) for beat, pitch in ((0.0, 45), (1.0, 52), (2.0, 57), (3.0, 64)))
    this_track = next(item for item in project.tracks if item.id == track)
    return with_track(project, replace(this_track, notes=notes)), device


def sweeping(project: Project, device: str, beats: float) -> Project:
    """A lane on each parameter, from end to end and back."""
    parameters = project.device_track(device).device(device).parameters
    for parameter in parameters[:MOST_SWEPT]:
        if parameter.id != "bypass":
            project, lane = add_lane(project, device, parameter.id)
            project = with_curve(project, lane, lines([0.0, beats / 2, beats], [0.0, 1.0, 0.0]))
    return project


def defaults_off(kind: DeviceKind) -> int:
    """The ports that get another value at their parameter's default than the default is."""
    plugin, off = kind.plugin, 0
    for key, binding in plugin.ports.items() if plugin is not None else ():
        parameter = kind.parameter(key)
        at = float(binding.port(np.asarray(parameter.value(parameter.default_position)), 48_000.0))
        wanted = float(binding.port(np.asarray(parameter.default), 48_000.0))
        off += abs(at - wanted) > 1e-5 * max(1.0, abs(wanted))
    return off


def outcome_of(entry: PluginEntry) -> Outcome:
    """One plugin tried, whatever it does."""
    if entry.fault:
        return Outcome(fault=entry.fault)
    try:
        kind = describe_in_process(entry.id)
        work = Job("benchmarks.every_plugin:tried", (kind,))
        result: Outcome = run_in_process(work, lambda *_: None, TIMEOUT_S)
        return result
    except ZolvekError as error:
        return Outcome(fault=error.what)


COLUMNS = ("bundle", "plugins", "used", "refused", "not equal", "muted", "silent", "over +24 dB", "ports", "off")


def table(rows: Sequence[tuple[PluginEntry, Outcome]]) -> list[tuple[str, ...]]:
    """A row for each bundle, and one for all."""
    bundles: dict[str, list[Outcome]] = {}
    for entry, outcome in rows:
        bundles.setdefault(Path(entry.path).stem, []).append(outcome)
    if len(bundles) > 1:
        bundles["all"] = [outcome for _, outcome in rows]
    return [(name, *map(str, _counted(found))) for name, found in bundles.items()]


def _counted(found: Sequence[Outcome]) -> tuple[int, ...]:
    used = [outcome for outcome in found if not outcome.fault]
    sounding = [outcome for outcome in used if not outcome.muted]
    return (
        len(found),
        len(used),
        len(found) - len(used),
        sum(not outcome.equal for outcome in used),
        sum(outcome.muted for outcome in used),
        sum(outcome.peak < SILENT and outcome.swept < SILENT for outcome in sounding),
        sum(max(outcome.peak, outcome.swept) > 10.0 ** (24.0 / 20.0) for outcome in used),
        sum(outcome.ports for outcome in used),
        sum(outcome.off for outcome in used),
    )


def all_installed(say: Say) -> None:
    """The table, the reasons of those refused, and what counts."""
    began = time.perf_counter()
    every, faults = installed.installed()
    say("installed plugins listed without what was kept", time.perf_counter() - began, "s", "reference")
    for fault in faults:
        print(f"    {fault.what} {fault.remedy}")
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        rows = list(zip(every, pool.map(outcome_of, every), strict=True))
    rows.sort(key=lambda row: (row[0].path, row[0].name))
    printed = [COLUMNS, *table(rows)]
    widths = [max(len(line[column]) for line in printed) for column in range(len(COLUMNS))]
    for line in printed:
        print(
            "   ",
            line[0].ljust(widths[0]),
            *(cell.rjust(width) for cell, width in zip(line[1:], widths[1:], strict=True)),
        )
    for reason, count in Counter(outcome.fault for _, outcome in rows if outcome.fault).most_common():
        print(f"    {count} × {reason}")
    for entry, outcome in rows:
        if outcome.muted or not outcome.equal or not outcome.finite:
            print(f"    {entry.name}: {outcome}")
    used = [outcome for _, outcome in rows if not outcome.fault]
    say(f"{len(rows)} plugins: used", len(used), "", "whatever is installed")
    say("    with sound that is no number", sum(not outcome.finite for outcome in used), "", "none")
    say("    ports whose default does not come back", sum(outcome.off for outcome in used), "", "none")
    say("    two renders that are not equal to the bit", sum(not outcome.equal for outcome in used), "", "few")
    say("    muted while swept, as their level exceeded a limit", sum(o.muted for o in used), "", "whatever does")
