"""Sound files as a track's source: what the clips of a track sound like."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.document.chain import sound_files
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Clip, Project
from zolvek.core.time.tempo import TempoMap
from zolvek.sound.controls import Block
from zolvek.sound.streams import Stream, opened, path_of, stream


def missing(project: Project) -> list[str]:
    """The project's sound files that are not where it says."""
    return [name for name in sound_files(project) if not path_of(name).is_file()]


def need(project: Project) -> None:
    """Raises Failure naming every sound file of the project that can't be played."""
    faults = []
    for name in sound_files(project):
        try:
            opened(name).close()
        except ZolvekError as error:
            faults.append(error)
    if len(faults) == 1:
        raise Failure(faults[0].what, faults[0].where, faults[0].remedy)
    if faults:
        names = ", ".join(error.where for error in faults)
        raise Failure(f"{len(faults)} sound files can't be played.", names, "Find or replace them.")


def play(clips: tuple[Clip, ...], tempo: TempoMap, stretch: Block) -> Floats:
    """What the clips sound like in a stretch: float64 (2, frames). A missing file is silent; `need`
    tells of it."""
    out = np.zeros((2, stretch.frames))
    for clip in clips:
        begins = float(tempo.seconds(clip.beat))
        first = round((float(tempo.seconds(stretch.beats[0])) - begins) * stretch.rate)
        ended = clip.loop_until is not None and stretch.beats[0] >= clip.loop_until
        if first + stretch.frames <= 0 or ended:
            continue
        try:
            sound = stream(clip.file, stretch.rate)
        except ZolvekError:
            continue
        gain = 10.0 ** (clip.gain_db / 20.0)
        if clip.loop_until is None:
            out += gain * sound.read(first, stretch.frames)
        else:
            out += gain * _looped(sound, first, stretch, clip.loop_until)
    return out


def _looped(sound: Stream, first: int, stretch: Block, until: float) -> Floats:
    """The sound again and again from frame 0 on, up to a beat."""
    out = np.zeros((2, stretch.frames))
    stop = int(np.searchsorted(stretch.beats, until, side="left"))
    at = max(-first, 0)
    while at < stop:
        place = (first + at) % sound.frames
        count = min(sound.frames - place, stop - at)
        out[:, at : at + count] = sound.read(place, count)
        at += count
    return out
