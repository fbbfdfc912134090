"""What somebody brings (sounds, MIDI, device descriptions) as tracks of a project."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from zolvek.core.document.beginning import with_sound_track
from zolvek.core.document.chain import add_device, add_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project

SOUNDS = (".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff")
MIDI = (".mid", ".midi")
DEVICES = (".json",)
KINDS = SOUNDS + MIDI + DEVICES
JOIN_WITHIN = 0.002  # of the height, within which steps of controllers are joined
Progress = Callable[[int, int], object]
Adding = Callable[[Project, bool], Project]


class Brought(NamedTuple):
    """A file that has been read: `add` puts its track into a project, with the file's own tempo, meter and
    sections if it has such and they are wanted."""

    path: Path
    has_time: bool
    add: Adding


def read(
    paths: Sequence[str | os.PathLike[str]], progress: Progress | None = None
) -> list[Brought]:
    """The files, read through; MIDI first, so that its tempo holds for the sounds. Raises ZolvekError
    naming the first that can't be read."""
    files = [Path(path) for path in paths]
    wrong = [path for path in files if path.suffix.lower() not in KINDS]
    if wrong:
        raise ZolvekError(
            "A file of this kind makes no track.",
            str(wrong[0]),
            f"Tracks are made of {', '.join(KINDS)}.",
        )
    files.sort(key=lambda path: path.suffix.lower() not in MIDI)
    found = []
    for place, path in enumerate(files):
        found.append(READERS[path.suffix.lower()](path))
        if progress is not None:
            progress(place + 1, len(files))
    return found


def with_files(project: Project, brought: Sequence[Brought], takes_time: bool) -> Project:
    """The project with a track for every file, aligned at bar 1 and named by its file. With `takes_time`
    tempo, meter and sections are those of the first file that has such."""
    for each in brought:
        project = each.add(project, takes_time and each.has_time)
        takes_time = takes_time and not each.has_time
    return project


def _midi(path: Path) -> Brought:
    from zolvek.formats.midi import file_in

    score: Any = file_in.load(path)
    curves = file_in.fitted(score, JOIN_WITHIN)
    return Brought(path, True, lambda project, time: file_in.imported(project, score, curves, time))


def _device(path: Path) -> Brought:
    from zolvek.formats import device_file

    kind = device_file.load(path)

    def add(project: Project, _: bool) -> Project:
        project, track = add_track(project, path.stem)
        return add_device(project, track, kind)[0]

    return Brought(path, False, add)


def _sound(path: Path) -> Brought:
    from zolvek.sound.streams import examine

    file = str(path.resolve())
    seconds = examine(file)
    return Brought(
        path, False, lambda project, _: with_sound_track(project, path.stem, file, seconds)
    )


READERS: dict[str, Callable[[Path], Brought]] = {
    **dict.fromkeys(SOUNDS, _sound),
    **dict.fromkeys(MIDI, _midi),
    **dict.fromkeys(DEVICES, _device),
}
