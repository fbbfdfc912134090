# SPDX-License-Identifier: GPL-3.0-or-later
"""Exports the mix of a project, or each of its tracks, as audio files."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.edits.monitoring import Listening, heard
from zolvek.core.edits.plugins import hosts_plugins
from zolvek.core.errors import Failure
from zolvek.core.model.project import Project, Track
from zolvek.core.records import Record
from zolvek.formats.audio.sound_writer import USUAL, SoundFormat, save
from zolvek.sound.analysis.peak_meter import PeakMeter, decibels
from zolvek.sound.hosting.catalogue import installed
from zolvek.sound.processes.job_messages import Job
from zolvek.sound.processes.job_process import ProcessLost, run_in_process
from zolvek.storage.file_names import file_names

JOB = "zolvek.sound.jobs.mix_export:job"
PROGRESS_TIMEOUT_S = 120.0  # seconds without progress, of a process that runs plugins
Progress = Callable[[int, int], object]


class MixReport(Record, frozen=True):
    """What has been written: the files; how high the sound goes, `peak` and `true_peak` in dB of full scale; `cut`:
    frames that were beyond full scale and are limited to it; `faults`: frames that were not numbers and are silent;
    `left_out`: plugins that are not in it, and why."""

    files: tuple[Path, ...]
    peak: float = -math.inf
    true_peak: float = -math.inf
    cut: int = 0
    faults: int = 0
    left_out: tuple[str, ...] = ()

    @property
    def words(self) -> list[str]:
        """What a person has to know of it, a sentence each."""
        result = []
        if self.cut:
            result.append(
                f"{self.cut:,} frames are above full scale and were clipped: peak {self.peak:+.1f} dBFS, true peak "
                f"{self.true_peak:+.1f} dBTP."
            )
        if self.faults:
            result.append(f"{self.faults:,} frames were not numbers and are silent.")
        return result + [f"Without the plugin {each}" for each in self.left_out]


def job(progress: Progress, *arguments: Any) -> MixReport:
    """`export_mix`, as a job of a process in the background: plugins run there alone."""
    project, path, sound_format, span, bypass, tail, tracks, allow_missing, lower = arguments
    return export_mix(project, path, sound_format, span, bypass, tail, tracks, progress, allow_missing, lower)


def export_in_process(
    project: Project,
    path: str | os.PathLike[str],
    sound_format: SoundFormat = USUAL,
    span: tuple[float, float] | None = None,
    bypass: bool = False,
    tail: bool = True,
    tracks: bool = False,
    progress: Progress | None = None,
    allow_missing: bool = False,
    lower: float = 0.0,
) -> MixReport:
    """`export_mix`; a project that hosts plugins in a process of its own, which may end. Raises what that raises."""
    work = project, Path(path), sound_format, span, bypass, tail, tracks
    if not hosts_plugins(project):
        return export_mix(*work, progress, allow_missing, lower)
    try:
        mix_report: MixReport = run_in_process(
            Job(JOB, (*work, allow_missing, lower)), progress or (lambda done, total: None), PROGRESS_TIMEOUT_S
        )
    except ProcessLost as error:
        device = error.device
        if not project.has_device(device):
            raise
        name = project.device_track(device).device(device).name
        raise Failure(
            f"The plugin {name} crashed the renderer. Nothing was written.",
            str(path),
            "Bypass or remove it, then export again.",
        ) from error
    return mix_report


def export_mix(
    project: Project,
    path: str | os.PathLike[str],
    sound_format: SoundFormat = USUAL,
    span: tuple[float, float] | None = None,
    bypass: bool = False,
    tail: bool = True,
    tracks: bool = False,
    progress: Progress | None = None,
    allow_missing: bool = False,
    lower: float = 0.0,
) -> MixReport:
    """Write the mix, or each track by itself next to each other, over a span or all, `lower` by so many dB; what still
    sounds at the end dies away after it with `tail`. A sound file or a plugin that can't be played is not
    passed over in silence but with `allow_missing`. Raises ZolvekError."""
    from zolvek.sound.engine import clip_playback
    from zolvek.sound.engine.device_registry import LEFT_OUT
    from zolvek.sound.engine.offline import render_blocks

    LEFT_OUT.clear()
    if not allow_missing:
        clip_playback.need(project)
        need_plugins(project, dict(installed.missing(project)))

    first, last = span or (0.0, project.length)
    wanted: list[tuple[Project, Path]] = [(project, Path(path))]
    if tracks:
        alone = (heard(project, Listening(solo=frozenset({t.id}))) for t in _played(project))
        wanted = list(zip(alone, files_of(project, path, True), strict=True))
    meter, gain = PeakMeter(), np.float32(10.0 ** (-lower / 20.0))
    files = []
    for number, (part, file) in enumerate(wanted):

        def report(frames: int, total: int, number: int = number) -> None:
            if progress:
                progress(number * total + frames, len(wanted) * total)

        def sound(part: Project = part, report: Progress = report) -> Iterator[np.ndarray]:
            for block in render_blocks(part, first, last, sound_format.rate, bypass, report, tail):
                if not allow_missing:
                    need_plugins(project, LEFT_OUT)
                yield block * gain if lower else block

        meter.kept = None
        files.append(save(map(meter.feed, sound()), file, sound_format))
    cut = 0 if sound_format.depth == "float" else meter.over
    gone = tuple(_left_out(project, LEFT_OUT))
    peaks = decibels(meter.peak), decibels(meter.true_peak)
    return MixReport(tuple(files), *peaks, cut, meter.faults, gone)


def _left_out(project: Project, reasons: dict[str, str]) -> list[str]:
    """Devices of the project whose plugins were not run, by name, with the reason."""
    return [
        f"{project.device_track(device).device(device).name}: {reason}"
        for device, reason in reasons.items()
        if project.has_device(device)
    ]


class MissingPlugins(Failure):
    """Plugins that a project needs are not run."""


def need_plugins(project: Project, reasons: dict[str, str]) -> None:
    """Raises MissingPlugins where there are reasons why plugins of the project are not run."""
    gone = _left_out(project, reasons)
    if gone:
        noun = "A plugin is" if len(gone) == 1 else f"{len(gone)} plugins are"
        raise MissingPlugins(
            f"{noun} not running. Nothing is played or written.", "; ".join(gone), "Use --allow-missing to bypass them."
        )


def _played(project: Project) -> list[Track]:
    return [track for track in project.tracks if not track.muted]


def files_of(project: Project, path: str | os.PathLike[str], tracks: bool = False) -> list[Path]:
    """The files that `export_mix` would write."""
    target = Path(path)
    if not tracks:
        return [target]
    names = file_names(track.name for track in _played(project))
    return [target.with_name(f"{target.stem} - {name}{target.suffix}") for name in names]
