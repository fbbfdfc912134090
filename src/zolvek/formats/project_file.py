"""The project file, `.zolvek`: one UTF-8 JSON document, described in docs/project-file.md."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from zolvek.core.chain import sound_files, with_file_found
from zolvek.core.errors import ZolvekError
from zolvek.core.project import Lane, Project
from zolvek.core.shapes import CODES, SHAPES
from zolvek.formats.atomic import read_bytes, write_bytes

SUFFIX = ".zolvek"
FORMAT = "zolvek-project"
VERSION = 1
SHAPE_ARRAY = np.ndarray[Any, np.dtype[np.uint8]]

# Version -> what makes a document of that version one of the next.
UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}


def encode(project: Project) -> bytes:
    """The project as the bytes of its file."""
    document = {"format": FORMAT, "version": VERSION, "project": project}
    return msgspec.json.format(msgspec.json.encode(document, enc_hook=to_plain), indent=1)


def to_plain(item: Any) -> Any:
    if isinstance(item, np.ndarray):
        # The only bytes in the model are shape codes; the file names them.
        return [SHAPES[code].key for code in item] if item.dtype == np.uint8 else item.tolist()
    raise NotImplementedError(f"no place in a project file for {type(item)}")


def from_plain(kind: Any, plain: Any) -> Any:
    if not isinstance(plain, list):
        raise ValueError("Expected a list")
    if kind == SHAPE_ARRAY:
        unknown = [name for name in plain if not isinstance(name, str) or name not in CODES]
        if unknown:
            raise ValueError(f"There is no shape {unknown[0]!r}")
        return np.array([CODES[name] for name in plain], np.uint8)
    if not all(
        isinstance(number, (int, float)) and not isinstance(number, bool) for number in plain
    ):
        raise ValueError("Expected a list of numbers")
    return np.array(plain, np.float64)


def decode(data: bytes, where: str = "the project") -> Project:
    """The project in `data`. Raises ZolvekError naming `where`, the place in it and the remedy."""
    try:
        document = msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise ZolvekError(
            f"This is not a whole project file: {_first_line(error)}.",
            where,
            "Open another copy, such as a backup.",
        ) from error
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise ZolvekError(
            "This is not a Zolvek project.", where, f"Open a file ending in {SUFFIX}."
        )
    version = document.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise ZolvekError("The file's version can't be read.", where, "Open another copy.")
    if version > VERSION:
        raise ZolvekError(
            f"The file has version {version}; this program knows up to {VERSION}.",
            where,
            "Open it with a newer Zolvek.",
        )
    for step in range(version, VERSION):
        document = UPGRADES[step](document)
    try:
        return msgspec.convert(document.get("project"), Project, dec_hook=from_plain, strict=True)
    except msgspec.ValidationError as error:
        what, _, place = str(error).partition(" - at `$")
        raise ZolvekError(
            f"{what}.",
            f"{where}{', at ' + place.strip('`.') if place else ''}",
            "Mend or replace it.",
        ) from error
    except ZolvekError as error:
        place = where + _faulty_lane(document["project"], error)
        remedy = error.remedy or "Mend the file there, or open another copy."
        raise ZolvekError(error.what, error.at(place).where, remedy) from error
    except (RecursionError, OverflowError, ValueError) as error:
        raise ZolvekError(f"{_first_line(error)}.", where, "Open another copy.") from error


def _faulty_lane(project: Any, error: ZolvekError) -> str:
    """Which lane's curve is wrong; the model itself doesn't know its own place in the file."""
    for track in project.get("tracks", ()):
        for lane in track.get("lanes", ()):
            try:
                msgspec.convert(lane, Lane, dec_hook=from_plain)
            except ZolvekError as own:
                if own.what == error.what:
                    return f", lane {lane.get('id')}"
            except msgspec.ValidationError:
                continue
    return ""


def _first_line(error: Exception) -> str:
    return str(error).splitlines()[0].rstrip(".") if str(error) else type(error).__name__


def save(project: Project, path: str | os.PathLike[str]) -> Path:
    """Write the project atomically; sound files below its folder are named from there, so that
    the folder can be moved. Raises ZolvekError when it can't be."""
    folder = Path(path).resolve().parent
    for name in sound_files(project):
        with contextlib.suppress(ValueError):
            if Path(name).is_absolute():
                near = Path(name).relative_to(folder).as_posix()
                project = with_file_found(project, name, near)
    return write_bytes(path, encode(project))


def load(path: str | os.PathLike[str]) -> Project:
    """Read a project. Raises ZolvekError naming the file, the place and the remedy."""
    project = decode(read_bytes(path), str(path))
    folder = Path(path).resolve().parent
    for name in sound_files(project):
        if ":" not in name and not Path(name).is_absolute():
            project = with_file_found(project, name, str(folder / name))
    return project
