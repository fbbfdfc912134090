# SPDX-License-Identifier: GPL-3.0-or-later
"""A project encoded part by part: each track, and in it each lane, its notes, and stretches of long columns, by
themselves. The tracks of the last time are kept, so a save after an edit encodes what has changed; and no part holds
the interpreter for long.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from typing import Any

import msgspec
import numpy as np

from zolvek.core.model.project import Project, Track
from zolvek.formats.project import unknown_keys

INDENT = 1
TRACK_DEPTH, LANE_DEPTH, NOTES_DEPTH = 3, 5, 4  # how deep they stand in the document
LONG = 8_192  # numbers of a column that are encoded at a time
MARK = f"part {secrets.token_hex(16)}"  # stands for a part until all of them are encoded; no name can be this
QUOTED_MARK = f'"{MARK}"'.encode()


class PartsEncoder:
    """Encodes projects as pieces of bytes; `last` are the tracks of the last one, each with its pieces. They are never
    joined here: copying large ones would hold the interpreter too."""

    def __init__(self, to_plain: Callable[[Any], Any]) -> None:
        self.to_plain = to_plain
        self.last: dict[str, tuple[Track, list[bytes]]] = {}

    def encode(self, document: dict[str, Any], project: Project) -> list[bytes]:
        """A document with the project as its last key. Raises UnicodeEncodeError."""
        now: dict[str, tuple[Track, list[bytes]]] = {}
        for track in project.tracks:
            kept = self.last.get(track.id)
            now[track.id] = kept if kept is not None and kept[0] is track else (track, self._track(track))
        plain = document | {"project": _fields(project) | {"tracks": [MARK] * len(project.tracks)}}
        result = _filled(self._formatted(plain, 0), [now[track.id][1] for track in project.tracks])
        self.last = now
        return result

    def _track(self, track: Track) -> list[bytes]:
        lanes = [self._pieces(lane, LANE_DEPTH) for lane in track.lanes]
        notes = [self._pieces(track.notes, NOTES_DEPTH)]
        plain = _fields(track) | {"lanes": [MARK] * len(lanes), "notes": MARK}
        return _filled(self._formatted(plain, TRACK_DEPTH), lanes + notes)  # in the order of a track's fields

    def _pieces(self, item: Any, depth: int) -> list[bytes]:
        """An item whose line is indented so far, its long columns a stretch at a time."""
        columns: list[np.ndarray] = []

        def plain(value: Any) -> Any:
            if isinstance(value, np.ndarray) and value.ndim == 1 and len(value) > LONG:
                columns.append(value)
                return MARK
            return self.to_plain(value)

        text = self._formatted(item, depth, plain)
        if not columns:
            return [text]
        indents = [_indent(before) for before in text.split(QUOTED_MARK)]
        return _filled(text, [self._column(value, indent) for value, indent in zip(columns, indents, strict=False)])

    def _column(self, column: np.ndarray, indent: int) -> list[bytes]:
        pieces = [b"["]
        for first in range(0, len(column), LONG):
            stretch = self._formatted(column[first : first + LONG], indent)
            pieces += [b"," if first else b"", stretch[1:].rpartition(b"\n")[0]]
        return [*pieces, b"\n" + b" " * indent + b"]"]

    def _formatted(self, item: Any, depth: int, plain: Callable[[Any], Any] | None = None) -> bytes:
        data = unknown_keys.restored(msgspec.json.encode(item, enc_hook=plain or self.to_plain))
        text = msgspec.json.format(data, indent=INDENT)
        return text.replace(b"\n", b"\n" + b" " * INDENT * depth) if depth else text


def _indent(text: bytes) -> int:
    """How far the last line of a text is indented."""
    line = text.rpartition(b"\n")[2]
    return len(line) - len(line.lstrip(b" "))


def _fields(record: msgspec.Struct) -> dict[str, Any]:
    names = zip(record.__struct_encode_fields__, record.__struct_fields__, strict=True)
    return {key: value for key, name in names if (value := getattr(record, name)) is not msgspec.UNSET}


def _filled(frame: bytes, parts: Sequence[list[bytes]]) -> list[bytes]:
    """A text with the parts in the places of the marks."""
    pairs = zip(frame.split(QUOTED_MARK), [*parts, []], strict=True)
    return [piece for before, part in pairs for piece in (before, *part)]
