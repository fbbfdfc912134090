"""Sound as WAV or FLAC files, written a block at a time so that any length fits in memory: the mix
or single tracks, and lanes as control signals."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.edits.monitoring import Listening, heard
from zolvek.core.edits.plugins import hosts_plugins
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project, Track
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import Record
from zolvek.sound.hosting import installed
from zolvek.sound.jobs import ProcessLost, done_apart
from zolvek.sound.peak_meter import PeakMeter, decibels
from zolvek.storage.atomic import written
from zolvek.storage.names import file_names

RATES = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
DEPTHS = {"16": "PCM_16", "24": "PCM_24", "float": "FLOAT"}
SOUND_KINDS = {".wav": "WAV", ".flac": "FLAC"}
SWINGS = {"both": "−1 to 1", "up": "0 to 1"}  # what a control signal spans over the reach
CONTROL_FRAMES = 65_536
HANGS = 120.0  # seconds without progress, of a process that runs plugins
Progress = Callable[[int, int], object]


class SoundForm(Record, frozen=True):
    """How sound is written: frames a second, and "16", "24" or "float" bits."""

    rate: int = 48_000
    depth: str = "24"

    def __post_init__(self) -> None:
        if self.rate not in RATES or self.depth not in DEPTHS:
            raise ZolvekError(
                f"Sound can't be written with {self.rate} Hz and {self.depth} bits.",
                remedy=f"Rates are {', '.join(map(str, RATES))}; bits are 16, 24 or float.",
            )


USUAL, FLOATS = SoundForm(), SoundForm(depth="float")


class Delivery(Record, frozen=True):
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
        found = []
        if self.cut:
            found.append(
                f"{self.cut:,} frames are beyond full scale and were cut off: peak {self.peak:+.1f} dBFS, true peak "
                f"{self.true_peak:+.1f} dBTP."
            )
        if self.faults:
            found.append(f"{self.faults:,} frames were not numbers; they are silent.")
        return found + [f"Without the plugin {each}" for each in self.left_out]


def save(
    blocks: Iterable[np.ndarray], path: str | os.PathLike[str], form: SoundForm = USUAL, meter: PeakMeter | None = None
) -> Path:  # fmt: skip
    """Write `blocks` (float32, (channels, frames)) by the kind that the path ends in, atomically.

    Whole numbers are limited to full scale, and 16 bits dithered; floats stay as they are; what is not a number is
    silent. `meter` is given the sound before. Raises ZolvekError when it can't be written.
    """
    import soundfile

    suffix = Path(path).suffix.lower()
    if suffix not in SOUND_KINDS:
        raise ZolvekError(
            f"“{suffix}” is not a kind of sound file.", str(path), "End it in .wav or .flac."
        )
    if suffix == ".flac" and form.depth == "float":
        raise ZolvekError(
            "FLAC holds whole numbers only.", str(path), "Take 16 or 24 bits, or WAV."
        )
    meter = meter or PeakMeter()

    def write(temporary: Path) -> None:
        try:
            rows = _dithered(map(meter.feed, blocks), form)
            first = next(rows)
            with soundfile.SoundFile(
                temporary,
                "w",
                form.rate,
                len(first),
                subtype=DEPTHS[form.depth],
                format=SOUND_KINDS[suffix],
            ) as file:
                file.write(first.T)
                for block in rows:
                    file.write(block.T)
        except soundfile.LibsndfileError as error:
            raise OSError(str(error)) from error

    return written(path, write)


def _dithered(blocks: Iterator[np.ndarray], form: SoundForm) -> Iterator[np.ndarray]:
    """Blocks as the depth takes them: 16 bits with triangular dither of one step each way, which
    makes the error of rounding noise (Lipshitz, Wannamaker and Vanderkooy, JAES 1992)."""
    rng = np.random.Generator(np.random.PCG64(16))
    for block in blocks:
        if form.depth == "16":
            noise = rng.random(block.shape) - rng.random(block.shape)
            block = block + noise.astype(np.float32) / 32_768.0
        yield block if form.depth == "float" else np.clip(block, -1.0, 1.0)


def job(progress: Progress, *arguments: Any) -> Delivery:
    """`deliver`, as a job of a process beside the window: plugins run there alone."""
    project, path, form, span, bypass, tail, tracks, allow_missing, lower = arguments
    return deliver(project, path, form, span, bypass, tail, tracks, progress, allow_missing, lower)


def deliver_apart(
    project: Project, path: str | os.PathLike[str], form: SoundForm = USUAL,
    span: tuple[float, float] | None = None, bypass: bool = False, tail: bool = True,
    tracks: bool = False, progress: Progress | None = None, allow_missing: bool = False, lower: float = 0.0,
) -> Delivery:  # fmt: skip
    """`deliver`; a project that hosts plugins in a process of its own, which may end. Raises what that raises."""
    work = project, Path(path), form, span, bypass, tail, tracks
    if not hosts_plugins(project):
        return deliver(*work, progress, allow_missing, lower)
    try:
        made: Delivery = done_apart(
            "deliver", (*work, allow_missing, lower), progress or (lambda done, total: None), HANGS
        )
    except ProcessLost as error:
        device = error.device
        if not project.has_device(device):
            raise
        name = project.device_track(device).device(device).name
        raise Failure(
            f"The plugin {name} brought the process down that renders; nothing was written.", str(path),
            "Bypass or remove it, then export again.",
        ) from error  # fmt: skip
    return made


def deliver(
    project: Project, path: str | os.PathLike[str], form: SoundForm = USUAL,
    span: tuple[float, float] | None = None, bypass: bool = False, tail: bool = True,
    tracks: bool = False, progress: Progress | None = None, allow_missing: bool = False, lower: float = 0.0,
) -> Delivery:  # fmt: skip
    """Write the mix, or each track by itself beside each other, over a span or all, `lower` by so many dB; what still
    sounds at the end dies away after it with `tail`. A sound file or a plugin that can't be played is not
    passed over in silence but with `allow_missing`. Raises ZolvekError."""
    from zolvek.sound import clips
    from zolvek.sound.devices import LEFT_OUT
    from zolvek.sound.offline import render_blocks

    LEFT_OUT.clear()
    if not allow_missing:
        clips.need(project)
        need_plugins(project, dict(installed.missing(project)))

    first, last = span or (0.0, project.length)
    wanted: list[tuple[Project, Path]] = [(project, Path(path))]
    if tracks:
        alone = (heard(project, Listening(solo=frozenset({t.id}))) for t in _played(project))
        wanted = list(zip(alone, files_of(project, path, True), strict=True))
    meter, gain = PeakMeter(), np.float32(10.0 ** (-lower / 20.0))
    files = []
    for number, (own, file) in enumerate(wanted):

        def report(frames: int, total: int, number: int = number) -> None:
            if progress:
                progress(number * total + frames, len(wanted) * total)

        def sound(own: Project = own, report: Progress = report) -> Iterator[np.ndarray]:
            for block in render_blocks(own, first, last, form.rate, bypass, report, tail):
                if not allow_missing:
                    need_plugins(project, LEFT_OUT)
                yield block * gain if lower else block

        meter.kept = None
        files.append(save(sound(), file, form, meter))
    cut = 0 if form.depth == "float" else meter.over
    gone = tuple(_left_out(project, LEFT_OUT))
    peaks = decibels(meter.peak), decibels(meter.true_peak)
    return Delivery(tuple(files), *peaks, cut, meter.faults, gone)


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
            f"{noun} not run; nothing is played or written.", "; ".join(gone), "With --allow-missing sound goes past."
        )  # fmt: skip


def _played(project: Project) -> list[Track]:
    return [track for track in project.tracks if not track.muted]


def files_of(project: Project, path: str | os.PathLike[str], tracks: bool = False) -> list[Path]:
    """The files that `deliver` would write."""
    target = Path(path)
    if not tracks:
        return [target]
    names = file_names(track.name for track in _played(project))
    return [target.with_name(f"{target.stem} - {name}{target.suffix}") for name in names]


def control_blocks(
    project: Project, lane: str, rate: int, swing: str = "both", span: tuple[float, float] | None = None
) -> Iterator[np.ndarray]:  # fmt: skip
    """A lane's curve as sound, float32 (1, frames): its value at each frame, DC and all; the reach
    spans −1 to 1, or 0 to 1."""
    if swing not in SWINGS:
        raise ZolvekError(f"A signal can't span “{swing}”.", remedy=f"Take {' or '.join(SWINGS)}.")
    found = played(project.lane(lane), project)
    first, last = span or (0.0, project.length)
    begin, end = (round(float(project.tempo.seconds(beat)) * rate) for beat in (first, last))
    if end <= begin:
        raise ZolvekError("The span is empty.", remedy="Let it end after it begins.")
    for start in range(begin, end, CONTROL_FRAMES):
        seconds = np.arange(start, min(start + CONTROL_FRAMES, end)) / rate
        value = found.curve.at(project.tempo.beats(seconds))
        yield (2.0 * value - 1.0 if swing == "both" else value)[None].astype(np.float32)


def save_control(
    project: Project, lane: str, path: str | os.PathLike[str], form: SoundForm = FLOATS,
    swing: str = "both", span: tuple[float, float] | None = None,
) -> Path:  # fmt: skip
    """Write a lane as a control signal; 24 bits and floats are not dithered. Raises ZolvekError."""
    if form.depth == "16":
        raise ZolvekError(
            "Sixteen bits are too coarse for control.", str(path), "Take 24 or float."
        )
    return save(control_blocks(project, lane, form.rate, swing, span), path, form)
