# SPDX-License-Identifier: GPL-3.0-or-later
"""The library of patterns: a folder of small JSON files, one a pattern, the XDG way."""

from __future__ import annotations

import hashlib
import re
from pathlib import Path

import msgspec

from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Pattern
from zolvek.formats.project.project_file import from_plain, placed, to_plain
from zolvek.storage import folders
from zolvek.storage.atomic import write_bytes
from zolvek.storage.file_names import file_name
from zolvek.storage.opening import read_bytes

FORMAT, VERSION = "zolvek-pattern", 1


class File(msgspec.Struct):
    format: str
    version: int
    pattern: Pattern


def folder() -> Path:
    """The folder of the user's patterns."""
    return folders.data() / "patterns"


def path_of(name: str) -> Path:
    """Where a pattern of this name is kept. Raises ZolvekError for a name that names nothing."""
    if not name.strip():
        raise ZolvekError("A pattern needs a name.", remedy="Write one.")
    safe_name = re.sub(r"[^\w\- ]+", "-", name).strip(" -")
    older = folder() / f"{safe_name}.json"
    if safe_name == name == file_name(name) or (safe_name and _bears(older, name)):
        return older
    # Two names must not become one file: what is lost of the name goes into a mark.
    mark = hashlib.sha256(name.encode(errors="surrogatepass")).hexdigest()[:8]
    return folder() / f"{file_name(safe_name)} {mark}.json"


def _bears(path: Path, name: str) -> bool:
    """Whether a pattern's file, as earlier versions named it, is the one of this name."""
    try:
        return path.is_file() and load(path).name == name
    except (ZolvekError, OSError):
        return False


def save(pattern: Pattern) -> Path:
    """Keep a pattern; one of the same name is replaced."""
    path = path_of(pattern.name)
    folders.made(path.parent, "pattern")
    file = File(FORMAT, VERSION, pattern)
    return write_bytes(path, msgspec.json.format(msgspec.json.encode(file, enc_hook=to_plain)))


def load(path: Path) -> Pattern:
    """Raises ZolvekError naming the file when it can't be read."""
    data, plain = read_bytes(path), None
    try:
        plain = msgspec.json.decode(data)
        file = msgspec.convert(plain, File, dec_hook=from_plain)
    except msgspec.ValidationError as error:
        raise placed(error, str(path), plain) from error
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise ZolvekError(f"This is not a pattern: {error}.", str(path), "Correct or remove it.") from error
    if file.format != FORMAT or file.version > VERSION:
        raise ZolvekError("This pattern has an unknown format.", str(path), "Remove it.")
    return file.pattern


def load_all() -> tuple[list[Pattern], list[ZolvekError]]:
    """All patterns by name, and what is wrong with the files that are left out."""
    result, faults = [], []
    try:
        paths = sorted(folder().glob("*.json"))
    except ZolvekError as error:  # no home
        return [], [error]
    for path in paths:
        try:
            result.append(load(path))
        except ZolvekError as error:
            faults.append(error)
    return result, faults


def rename(old: str, new: str) -> None:
    """Raises ZolvekError when there is one of the new name."""
    if path_of(new).exists():
        raise ZolvekError(f"There is already a pattern “{new}”.", remedy="Choose another name.")
    pattern = load(path_of(old))
    save(Pattern(new, pattern.length, pattern.curve))
    delete(old)


def delete(name: str) -> None:
    """Delete a pattern. Raises ZolvekError if that fails."""
    path_of(name).unlink(missing_ok=True)
