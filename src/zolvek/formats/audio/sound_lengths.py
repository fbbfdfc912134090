# SPDX-License-Identifier: GPL-3.0-or-later
"""How long sound files last, by what their headers say."""

from __future__ import annotations

from functools import lru_cache

from zolvek.core.edits.chains import sound_files
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.formats.audio.streams import opened, path_of


@lru_cache(maxsize=1_024)
def _seconds(name: str, changed: tuple[int, int]) -> float | None:
    try:
        with opened(name) as file:
            return file.frames / float(file.samplerate)
    except ZolvekError:
        return None


def length_of(name: str) -> float | None:
    """Seconds that a sound file lasts; None where it can't be read."""
    try:
        about = path_of(name).stat()
    except (OSError, ValueError):
        return None
    return _seconds(name, (about.st_mtime_ns, about.st_size))


def lengths_of(project: Project) -> dict[str, float]:
    """Those of all the project's sound files that can be read."""
    result = {name: length_of(name) for name in sound_files(project)}
    return {name: seconds for name, seconds in result.items() if seconds is not None}
