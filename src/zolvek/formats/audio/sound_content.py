# SPDX-License-Identifier: GPL-3.0-or-later
"""Identifies sound files by their content, so that one that was moved or renamed is found."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from zolvek.core.edits.chains import own_sound_files
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.storage.opening import opened

PART_BYTES = 65_536  # bytes at the start, in the middle and at the end that a file is given by, and its size
SUFFIXES = (".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff")
MOST_FILES = 200_000  # that are looked through for a missing one
Progress = Callable[[int, int], object]


def mark_of(path: str | os.PathLike[str]) -> str:
    """What a file's content is given by; "" where it can't be read."""
    try:
        with opened(path) as file:
            size = os.fstat(file.fileno()).st_size
            result = hashlib.blake2b(str(size).encode(), digest_size=16)
            for at in sorted({0, max((size - PART_BYTES) // 2, 0), max(size - PART_BYTES, 0)}):
                file.seek(at)
                result.update(file.read(PART_BYTES))
    except (OSError, ValueError):  # not there, or not an ordinary file
        return ""
    return result.hexdigest()


def with_contents(project: Project) -> Project:
    """The project with what each of its own sound files is given by; of one that is not there, what it was
    given by before."""
    contents = {}
    for name in own_sound_files(project):
        mark = mark_of(name) or project.sounds.get(name, "")
        if mark:
            contents[name] = mark
    return project if contents == project.sounds else replace(project, sounds=contents)


class Search(NamedTuple):
    """What looking for missing files has come to: where those are that were found, which of them by their
    content and which by their name alone, and those that were not."""

    where: dict[str, str]
    by_content: list[str]
    by_name: list[str]
    missing: list[str]


def searched(project: Project, missing: Sequence[str], folder: Path, progress: Progress | None = None) -> Search:
    """Every missing file looked for below a folder: the one of its content, whatever it is called; else one
    of its name. Raises ZolvekError for a folder that can't be read."""
    if not folder.is_dir():
        raise ZolvekError("This is not a folder.", str(folder), "Choose another one.")
    files = list(_files(folder))
    marks = {mark: name for name in missing if (mark := project.sounds.get(name))}
    by_name: dict[str, Path] = {}
    by_content: dict[str, Path] = {}
    for number, path in enumerate(files):
        by_name.setdefault(path.name.casefold(), path)
        if len(by_content) < len(marks):
            mark = mark_of(path)
            if mark in marks:
                by_content.setdefault(marks[mark], path)
        if progress is not None:
            progress(number + 1, len(files))
    where: dict[str, str] = {}
    same: list[str] = []
    alike: list[str] = []
    still: list[str] = []
    for name in missing:
        result = by_content.get(name)
        (same if result else alike).append(name)
        result = result or by_name.get(Path(name).name.casefold())
        if result is None:
            alike.remove(name)
            still.append(name)
        else:
            where[name] = str(result.resolve())
    return Search(where, same, alike, still)


def _files(folder: Path) -> Iterator[Path]:
    count = 0
    for parent, _, names in os.walk(folder):
        for name in sorted(names):
            if name.lower().endswith(SUFFIXES):
                yield Path(parent) / name
                count += 1
                if count >= MOST_FILES:
                    return
