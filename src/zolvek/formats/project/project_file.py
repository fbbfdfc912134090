# SPDX-License-Identifier: GPL-3.0-or-later
"""The project file, `.zolvek`: one UTF-8 JSON document, described in docs/project-file.md."""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from zolvek.core.curve.shapes import CODES, SHAPES
from zolvek.core.edits.chains import sound_files, with_file_found
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.model.source import SHIPPED
from zolvek.core.records import replace
from zolvek.formats.audio.sound_content import with_contents
from zolvek.formats.project import unknown_keys
from zolvek.formats.project.document_parts import PartsEncoder
from zolvek.formats.project.own_files import need_other
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

SUFFIX = ".zolvek"
FORMAT = "zolvek-project"
VERSION = 1  # of what a program must know to read a file at all
MINOR = 2  # grows with every addition; a file of a newer one opens, and keeps what is not known here
OWN = {"format", "version", "minor", "project"}
DOCUMENT = "document"  # in what a project keeps unknown: what stood next to it
NUMBERS = {int, float}  # as a file has them; a truth value is none
SHAPE_ARRAY = np.ndarray[Any, np.dtype[np.uint8]]

# Version -> what makes a document of that version one of the next.
UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}


def encode(project: Project) -> bytes:
    """The project as the bytes of its file."""
    return b"".join(encode_pieces(project))


def encode_pieces(project: Project) -> list[bytes]:
    """The same in pieces, none of which takes long."""
    document = {
        "format": FORMAT,
        "version": VERSION,
        "minor": minor_of(project),
        **_beside(project),
    }
    try:
        return PARTS.encode(document, _plain_project(project))
    except UnicodeEncodeError as error:
        raise Failure(f"A name can't be written as text: {error.object!r:.80}.", "the project", "Rename it.") from error


def _unknown(project: Project) -> dict[str, Any]:
    result = msgspec.json.decode(project.unknown) if isinstance(project.unknown, str) else {}
    return result if isinstance(result, dict) else {}


def _beside(project: Project) -> dict[str, Any]:
    """What stood next to the project in its file."""
    unknown = _unknown(project).get(DOCUMENT)
    return {key: value for key, value in unknown.items() if key not in OWN} if isinstance(unknown, dict) else {}


def minor_of(project: Project) -> int:
    """The minor version that it is written with: this program's, or the newer one of the file it came from."""
    unknown = _unknown(project).get(DOCUMENT)
    minor = unknown.get("minor") if isinstance(unknown, dict) else None
    return max(MINOR, minor) if type(minor) is int else MINOR


def is_newer(project: Project) -> bool:
    """Whether it came from a file of a newer program, of which not everything is known here."""
    return minor_of(project) > MINOR


NEWER = "This project was saved by a newer Zolvek. Unknown data is kept in the file."


def _plain_project(project: Project) -> Project:
    unknown = _unknown(project)
    if DOCUMENT not in unknown:
        return project
    del unknown[DOCUMENT]
    text = msgspec.json.encode(unknown).decode() if unknown else msgspec.UNSET
    return replace(project, unknown=text)


def _with_document(project: Project, document: dict[str, Any]) -> Project:
    """The project with what stands next to it, and the minor version of its file."""
    more = {key: value for key, value in document.items() if key not in OWN}
    minor = document.get("minor", 0)
    if type(minor) is not int or minor < 0:
        raise ZolvekError("The file's minor version can't be read.", "", "Open another copy.")
    if minor > MINOR:
        more["minor"] = minor
    if not more:
        return project
    unknown = msgspec.json.encode({**_unknown(project), DOCUMENT: more}).decode()
    return replace(project, unknown=unknown)


def to_plain(item: Any) -> Any:
    """A value of the model as plain data for JSON. Raises NotImplementedError for other types."""
    if isinstance(item, np.ndarray):
        # The only bytes in the model are shape codes; the file names them.
        return [SHAPES[code].key for code in item] if item.dtype == np.uint8 else item.tolist()
    raise NotImplementedError(f"no place in a project file for {type(item)}")


def from_plain(kind: Any, plain: Any) -> Any:
    """Plain data as a value of the model. Raises ValueError for data that does not fit."""
    if not isinstance(plain, list):
        raise ValueError("Expected a list")
    if kind == SHAPE_ARRAY:
        unknown = [name for name in plain if not isinstance(name, str) or name not in CODES]
        if unknown:
            raise ValueError(f"There is no shape {unknown[0]!r}")
        return np.array([CODES[name] for name in plain], np.uint8)
    rows = [number for row in plain for number in row] if _is_table(plain) else plain
    if not set(map(type, rows)) <= NUMBERS:
        raise ValueError("Expected a list of numbers")
    return np.array(plain, np.float64)


def _is_table(plain: list[Any]) -> bool:
    """Whether a list is one of rows, each as long as the first."""
    return set(map(type, plain)) == {list} and len(set(map(len, plain))) == 1


PARTS = PartsEncoder(to_plain)


def decode(data: bytes, where: str = "the project") -> Project:
    """The project in `data`. Raises ZolvekError naming `where`, the place in it and the remedy."""
    try:
        document = msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise ZolvekError(
            f"This project file is incomplete: {_first_line(error)}.",
            where,
            "Open another copy, such as a backup.",
        ) from error
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise ZolvekError("This is not a Zolvek project.", where, f"Open a file ending in {SUFFIX}.")
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
        plain = document.get("project")
        project = msgspec.convert(plain, Project, dec_hook=from_plain, strict=True)
        return _with_document(unknown_keys.kept(project, plain), document)
    except msgspec.ValidationError as error:
        raise placed(error, where, document.get("project")) from error
    except ZolvekError as error:
        raise error.at(where) from error
    except (RecursionError, OverflowError, ValueError) as error:
        raise ZolvekError(f"{_first_line(error)}.", where, "Open another copy.") from error


def placed(error: msgspec.ValidationError, where: str, plain: Any) -> ZolvekError:
    """What is wrong with a document, with the place in it: its path, and the ids on the way there."""
    what, _, path = str(error).partition(" - at `$")
    path = path.strip("`.")
    cause = error.__cause__ if isinstance(error.__cause__, ZolvekError) else None
    location = ", ".join(part for part in (where, path and f"at {path}", *_ids(plain, path)) if part)
    if cause is None:
        return ZolvekError(f"{_said(what)}.", location, "Correct or replace it.")
    location = cause.at(location).where
    return ZolvekError(cause.what, location, cause.remedy or "Correct the file there, or open another copy.")


def _said(what: str) -> str:
    """A reader's words as a person would say them."""
    match = re.fullmatch(r"Expected `\w+` ([<>]=) (\S+)", what)
    if match is None:
        return what.rstrip(".")
    word = "at least" if match[1] == ">=" else "at most"
    return f"The number is out of range. It must be {word} {float(match[2]):,.10g}"


def _ids(plain: Any, path: str) -> list[str]:
    """The ids of what a path leads through, such as "lane horn.cutoff"."""
    result, noun = [], ""
    for key, number in re.findall(r"(\w+)|\[(\d+)\]", path):
        try:
            plain = plain[int(number)] if number else plain[key]
        except (KeyError, IndexError, TypeError):
            break
        if number and isinstance(plain, dict) and isinstance(plain.get("id"), str):
            result.append(f"{noun} {plain['id']}")
        elif key:
            noun = key.rstrip("s")
    return result


def _first_line(error: Exception) -> str:
    return str(error).splitlines()[0].rstrip(".") if str(error) else type(error).__name__


def save(project: Project, path: str | os.PathLike[str]) -> Path:
    """Write the project atomically; sound files below its folder are named from there, so that
    the folder can be moved. Raises ZolvekError when it can't be."""
    need_other([path], project)
    folder = Path(path).resolve().parent
    project = with_contents(project)
    for name in sound_files(project):
        with contextlib.suppress(ValueError):
            if Path(name).is_absolute():
                near = Path(name).relative_to(folder).as_posix()
                if near.startswith(SHIPPED):  # a name of a user's own that begins so
                    near = f"./{near}"
                project = with_file_found(project, name, near)
    return write_bytes(path, encode_pieces(project))


def load(path: str | os.PathLike[str], folder: Path | None = None) -> Project:
    """Read a project. Its sounds lie in `folder`, or next to it. Raises ZolvekError naming the file, the place and
    the remedy."""
    project = decode(read_bytes(path), str(path))
    folder = (Path(path).parent if folder is None else folder).resolve()
    for name in sound_files(project):
        if not name.startswith(SHIPPED) and not Path(name).is_absolute():
            project = with_file_found(project, name, str(folder / name))
    return project
