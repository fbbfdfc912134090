"""Sound files as a track's source: found, converted to the renderer's rate, kept."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files
from math import gcd
from pathlib import Path

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.chain import sound_files
from zolvek.core.errors import ZolvekError
from zolvek.core.project import Clip, Project
from zolvek.core.tempo import TempoMap
from zolvek.sound.controls import Stretch

SHIPPED = "shipped:"


def path_of(name: str) -> Path:
    """Where a clip's file is."""
    if name.startswith(SHIPPED):
        return Path(str(files("zolvek.demo"))) / name.removeprefix(SHIPPED)
    return Path(name)


LONGEST_SECONDS = 3 * 3_600.0


def examine(name: str) -> float:
    """Seconds that a sound file lasts, read to its end. Raises ZolvekError, naming the file,
    when it can't be a track's source: unreadable, empty, damaged, or longer than three hours."""
    import soundfile

    try:
        info = soundfile.info(path_of(name))
    except (OSError, soundfile.LibsndfileError) as error:
        raise ZolvekError(
            "The sound file can't be read.", name, "Use a WAV, FLAC, OGG or MP3 file."
        ) from error
    if info.duration > LONGEST_SECONDS:
        raise ZolvekError("The sound file is longer than three hours.", name, "Cut it first.")
    return samples(name, info.samplerate).shape[1] / info.samplerate


def missing(project: Project) -> list[str]:
    """The project's sound files that are not where it says."""
    return [name for name in sound_files(project) if not path_of(name).is_file()]


@lru_cache(maxsize=16)
def samples(name: str, rate: int) -> Floats:
    """The file's sound at `rate`, float64 (2, frames), mono on both sides.

    Raises ZolvekError naming the file when it can't be read.
    """
    import soundfile
    from scipy.signal import resample_poly

    try:
        data, own = soundfile.read(path_of(name), dtype="float64", always_2d=True)
    except (OSError, soundfile.LibsndfileError) as error:
        raise ZolvekError(
            "The sound file can't be read.", name, "Find it again or replace it."
        ) from error
    if not len(data) or not np.isfinite(data).all():
        raise ZolvekError("The sound file is empty or damaged.", name, "Replace it.")
    stereo = data[:, [0, min(1, data.shape[1] - 1)]].T
    if own != rate:
        common = gcd(own, rate)
        stereo = resample_poly(stereo, rate // common, own // common, axis=1)
    return np.ascontiguousarray(stereo)


def play(clips: tuple[Clip, ...], tempo: TempoMap, stretch: Stretch) -> Floats:
    """What the clips sound like in a stretch: float64 (2, frames). A missing file is silent."""
    out = np.zeros((2, stretch.frames))
    for clip in clips:
        begins = float(tempo.seconds(clip.beat))
        first = round((float(tempo.seconds(stretch.beats[0])) - begins) * stretch.rate)
        frame = first + np.arange(stretch.frames)
        if frame[-1] < 0 or (clip.loop_until is not None and stretch.beats[0] >= clip.loop_until):
            continue
        try:
            sound = samples(clip.file, stretch.rate)
        except ZolvekError:
            continue
        length = sound.shape[1]
        heard = frame >= 0
        if clip.loop_until is None:
            heard &= frame < length
        else:
            heard &= stretch.beats < clip.loop_until
        gain = 10.0 ** (clip.gain_db / 20.0)
        start = int(frame[0]) % length
        if heard.all() and start + len(frame) <= length:
            out += gain * sound[:, start : start + len(frame)]
        else:
            out[:, heard] += gain * sound[:, frame[heard] % length]
    return out
