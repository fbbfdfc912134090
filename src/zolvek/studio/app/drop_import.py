# SPDX-License-Identifier: GPL-3.0-or-later
"""Files that are dropped on the window: each kind goes to what reads it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec
from PyQt6.QtCore import QMimeData

from zolvek.core.errors import ZolvekError
from zolvek.formats import device_file, pattern_library, state_file
from zolvek.storage.opening import read_bytes
from zolvek.studio.services.context import Studio

Taker = Callable[[Studio, Path], object]


def files_in(data: QMimeData | None) -> list[Path]:
    """The local files among what is dragged."""
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()] if data else []


def take_all(studio: Studio, found: list[Path], begins: bool = False) -> None:
    """One file is read by what it is; several become a track each, aligned at bar 1: of a project that is
    among them, else of a new one where one `begins`, else of the open one."""
    projects = [path for path in found if path.suffix.lower() in (".zolvek", ".zip")]
    rest = [path for path in found if path not in projects]
    if projects:
        if studio.files.open_path(projects[0]) and rest:
            studio.files.bring(rest)
    elif begins and rest:
        studio.files.begin_with(rest)
    elif len(rest) == 1:
        take(studio, rest[0])
    elif rest:
        studio.files.bring(rest)


def take(studio: Studio, path: Path) -> None:
    """Read a file by what it is. Raises ZolvekError for one of another kind."""
    taker = TAKERS.get(path.suffix.lower())
    if taker is None:
        raise ZolvekError(
            "Zolvek can't open this type of file.",
            str(path),
            "Drop projects, MIDI, CSV, audio, devices, states or patterns.",
        )
    taker(studio, path)


def _sound(studio: Studio, path: Path) -> None:
    """As the track's source, or as the focus lane's curve."""
    if studio.session.lane is None or studio.ask.confirm(
        f"Add {path.name} to the track as a clip?", "Otherwise it becomes the focus lane's curve."
    ):
        studio.media.import_sound_file(path)
    else:
        studio.exports.import_curve_file(path)


def _json(studio: Studio, path: Path) -> None:
    """What a JSON file is it says itself."""
    try:
        document = msgspec.json.decode(read_bytes(path))
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise ZolvekError(f"This is not JSON: {error}.", str(path), "Choose another file.") from error
    kind = document.get("format") if isinstance(document, dict) else None
    taker = BY_FORMAT.get(str(kind))
    if taker is None:
        raise ZolvekError("This is not a Zolvek file.", str(path), "Choose another file.")
    taker(studio, path)


def _states(studio: Studio, path: Path) -> None:
    session = studio.session
    if session.shown.device is None:
        raise ZolvekError("There is no device for the states.", str(path), "Add its device first.")
    studio.media.import_states_file(session.shown.device, path, f"Import {path.name}")


def _pattern(studio: Studio, path: Path) -> None:
    pattern = pattern_library.load(path)
    pattern_library.save(pattern)
    studio.session.notices.say(f"The pattern {pattern.name} is in the library.")


TAKERS: dict[str, Taker] = {
    **dict.fromkeys((".zolvek", ".zip"), lambda studio, path: studio.files.open_path(path)),
    ".csv": lambda studio, path: studio.exports.import_points_file(path),
    ".json": _json,
    **dict.fromkeys((".mid", ".midi"), lambda studio, path: studio.exports.import_midi_file(path)),
    **dict.fromkeys((".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff"), _sound),
}
BY_FORMAT: dict[str, Taker] = {
    device_file.FORMAT: lambda studio, path: studio.media.import_device_file(path),
    state_file.FORMAT: _states,
    pattern_library.FORMAT: _pattern,
}
