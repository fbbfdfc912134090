# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound files as a track's source: what the clips of a track sound like."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.edits.chains import sound_files
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Clip, Project
from zolvek.core.time.tempo import TempoMap
from zolvek.formats.audio.streams import Stream, opened, path_of, stream
from zolvek.sound.signal.automation import Block

EDGE_SECONDS = 0.0015  # in which a block's edge inside its file comes and goes


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
        raise Failure(f"{len(faults)} audio files can't be played.", names, "Find or replace them.")


def play(clips: tuple[Clip, ...], tempo: TempoMap, stretch: Block) -> Floats:
    """What the clips sound like in a stretch: float64 (2, frames). A missing file is silent; `need`
    says of it.

    A block that begins or ends inside its file fades over 1.5 ms, in from its start and out from its end
    on, in lines: so two blocks of which one goes on where the other ends sound as one.
    """
    out = np.zeros((2, stretch.frames))
    for clip in clips:
        begins = float(tempo.seconds(clip.beat))
        first = stretch.frame - round(begins * stretch.rate)
        if first + stretch.frames <= 0:
            continue
        until = clip.loop_until
        total = None if until is None else round((float(tempo.seconds(until)) - begins) * stretch.rate)
        if total is not None and first >= total + _edge(stretch.rate):
            continue
        try:
            sound = stream(clip.file, stretch.rate)
        except ZolvekError:
            continue
        _add(out, sound, clip, begins, first, total, stretch.rate)
    return out


def _edge(rate: int) -> int:
    return max(round(EDGE_SECONDS * rate), 1)


def _add(out: Floats, sound: Stream, clip: Clip, begins: float, first: int, total: int | None, rate: int) -> None:
    """Add what a block, which begins at a second of the song, sounds like from its frame `first` on; `total`: frames
    that it repeats for. Frames are rounded from the song's start: a block that is split, and its halves, play the
    same."""
    base, edge = round(begins * rate), _edge(rate)
    start = round(clip.start * rate)
    if total is None:
        start = max(round((clip.start - begins) * rate) + base, 0)
    own = sound.frames - start
    if clip.seconds is not None:
        own = min(own, round(clip.seconds * rate))
    if own < 1:
        return
    cut_off = start + own < sound.frames
    tail = edge if cut_off else 0
    if total is None:
        length, passes = own, [(0, own)]
    else:
        length, tail = total, edge
        stop = min(first + out.shape[1], length + tail)
        passes = _passes(clip, sound, begins, max(first, 0), stop, rate)
    count = out.shape[1]
    result = np.zeros_like(out)
    for begin, frames in passes:
        low = max(begin, 0, first)
        high = min(begin + frames + (edge if cut_off else 0), length + tail, first + count)
        if high <= low:
            continue
        rows = sound.read(start + low - begin, high - low)
        at = np.arange(low, high)
        if start > 0 and begin > 0 and low < begin + edge:
            rows = rows * np.clip((at - begin) / edge, 0.0, 1.0)
        if high > begin + frames:
            rows = rows * np.clip(1.0 - (at - begin - frames) / edge, 0.0, 1.0)
        result[:, low - first : high - first] += rows
    gain = 10.0 ** (clip.gain_db / 20.0)
    at = np.arange(first, first + count)
    if (start > 0 or clip.turn > 0.0) and first < edge:
        result *= np.clip(at / edge, 0.0, 1.0)
    if total is not None and first + count > length:
        result *= np.clip(1.0 - (at - length) / edge, 0.0, 1.0)
    for seconds, elapsed in ((clip.fade_in, at), (clip.fade_out, length - at)):
        frames = round(seconds * rate)
        if frames > 0 and elapsed.min() < frames:
            result *= 0.5 - 0.5 * np.cos(np.pi * np.clip(elapsed / frames, 0.0, 1.0))
    out += gain * result


def _passes(clip: Clip, sound: Stream, begins: float, first: int, stop: int, rate: int) -> list[tuple[int, int]]:
    """Where the passes of a block that repeats begin, and their lengths, in frames from its own start; those that
    lie between two of its frames, and one more on either side."""
    lasts = sound.frames / rate - clip.start if clip.seconds is None else clip.seconds
    lasts = max(min(lasts, sound.frames / rate - clip.start), 1.0 / rate)
    base, origin = round(begins * rate), begins - clip.turn
    low, high = (int(np.floor(((base + at) / rate - origin) / lasts)) for at in (first, stop))
    at = np.round((origin + np.arange(low - 1, high + 3) * lasts) * rate).astype(np.int64) - base
    return list(zip(at[:-1].tolist(), np.diff(at).tolist(), strict=True))
