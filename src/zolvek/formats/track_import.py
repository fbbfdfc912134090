# SPDX-License-Identifier: GPL-3.0-or-later
"""Imports sounds, MIDI and device descriptions as tracks of a project."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.new_project import with_sound_track
from zolvek.core.edits.replacement import LANE_COLOURS
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace

SOUNDS = (".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff")
MIDI = (".mid", ".midi")
DEVICES = (".json",)
KINDS = SOUNDS + MIDI + DEVICES
PARTS = 1_000  # that the reading of one file is given in
JOIN_WITHIN = 0.002  # of the height, within which steps of controllers are joined
Progress = Callable[[int, int], object]
Adding = Callable[[Project, bool, bool], Project]


class ImportedFile(NamedTuple):
    """A file that has been read: `add` puts its track into a project, with the file's own tempo, and its meter, if it
    has such and they are wanted, in this order, and its sections with either; `left_out` says what of it has no place
    here."""

    path: Path
    has_time: bool
    add: Adding
    left_out: str = ""


def read(paths: Sequence[str | os.PathLike[str]], progress: Progress | None = None) -> list[ImportedFile]:
    """The files, read through; MIDI first, so that its tempo holds for the sounds. Raises ZolvekError
    naming the first that can't be read."""
    files = [Path(path) for path in paths]
    wrong = [path for path in files if path.suffix.lower() not in KINDS]
    if wrong:
        raise ZolvekError(
            "This type of file can't become a track.",
            str(wrong[0]),
            f"Use {', '.join(KINDS)}.",
        )
    files.sort(key=lambda path: path.suffix.lower() not in MIDI)
    imported_files = []
    for index, path in enumerate(files):
        imported_files.append(READERS[path.suffix.lower()](path, _part(progress, index, len(files))))
        if progress is not None:
            progress((index + 1) * PARTS, len(files) * PARTS)
    return imported_files


def _part(progress: Progress | None, index: int, count: int) -> Progress | None:
    """What says of one file's reading as a part of that of all."""
    if progress is None:
        return None
    return lambda done, total: progress(index * PARTS + PARTS * done // max(total, 1), count * PARTS)


def with_files(project: Project, brought: Sequence[ImportedFile], takes_tempo: bool, takes_meter: bool) -> Project:
    """The project with a track for every file, aligned at bar 1 and named by its file. Tempo and meter, where they are
    taken, are those of the first file that has such, and sections with either."""
    begun = False
    for item in brought:
        before = {track.id for track in project.tracks}
        first = item.has_time and not begun
        project = _coloured(item.add(project, takes_tempo and first, takes_meter and first), before)
        begun = begun or item.has_time
    return project


def left_out(brought: Sequence[ImportedFile]) -> str:
    """What of the files has no place here, as a person would say it; "" where all has."""
    return "; ".join(f"{each.path.name}: {each.left_out}" for each in brought if each.left_out)


def _coloured(project: Project, before: set[str]) -> Project:
    """New tracks in inks that differ from their neighbours'."""
    tracks = tuple(
        track if track.id in before else replace(track, colour=index % LANE_COLOURS + 1)
        for index, track in enumerate(project.tracks)
    )
    return replace(project, tracks=tracks)


def _midi(path: Path, _: Progress | None) -> ImportedFile:
    from zolvek.formats.midi import file_in

    score: Any = file_in.load(path)
    curves = file_in.fitted(score, JOIN_WITHIN)
    return ImportedFile(
        path,
        True,
        lambda project, tempo, meter: file_in.imported(project, score, curves, tempo, meter),
        score.left_out_text,
    )


def _device(path: Path, _: Progress | None) -> ImportedFile:
    from zolvek.formats import device_file

    kind = device_file.load(path)

    def add(project: Project, *_: bool) -> Project:
        project, track = add_track(project, path.stem)
        return add_device(project, track, kind)[0]

    return ImportedFile(path, False, add)


def _sound(path: Path, progress: Progress | None) -> ImportedFile:
    from zolvek.formats.audio.streams import examine

    file = str(path.resolve())
    seconds = examine(file, progress)
    return ImportedFile(path, False, lambda project, *_: with_sound_track(project, path.stem, file, seconds))


READERS: dict[str, Callable[[Path, Progress | None], ImportedFile]] = {
    **dict.fromkeys(SOUNDS, _sound),
    **dict.fromkeys(MIDI, _midi),
    **dict.fromkeys(DEVICES, _device),
}
