# SPDX-License-Identifier: GPL-3.0-or-later
"""State files: JSON, for another project with devices of the same kinds."""

from __future__ import annotations

import os
from pathlib import Path

import msgspec

from zolvek.core.edits.states import checked, kept
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.model.state import State, StatePart
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

FORMAT, VERSION = "zolvek-states", 1


class Row(msgspec.Struct):
    """A state's share of one device, given by the device's kind."""

    name: str
    kind: str
    values: dict[str, float]


class File(msgspec.Struct):
    format: str
    version: int
    states: list[Row]


def save(project: Project, states: list[State], path: str | os.PathLike[str]) -> Path:
    """Write states atomically. Raises ZolvekError when it can't be."""
    rows = [
        Row(state.name, project.device_track(part.device).device(part.device).kind, part.values)
        for state in states
        for part in state.parts
    ]
    return write_bytes(path, msgspec.json.format(msgspec.json.encode(File(FORMAT, VERSION, rows))))


def load_into(project: Project, device: str, path: str | os.PathLike[str]) -> Project:
    """The project with the file's states of this device's kind kept for it. Raises ZolvekError
    naming the file when it can't be read or holds none."""
    where = str(path)
    try:
        file = msgspec.json.decode(read_bytes(path), type=File)
    except (msgspec.DecodeError, msgspec.ValidationError, UnicodeDecodeError) as error:
        raise ZolvekError(f"These are not states: {error}.", where, "Choose another file.") from error
    if file.format != FORMAT or file.version > VERSION:
        raise ZolvekError("These states have an unknown format.", where, "Choose another file.")
    this_device = project.device_track(device).device(device)
    rows = [row for row in file.states if row.kind == this_device.kind]
    if not rows:
        raise ZolvekError(f"It has no states for {this_device.name}.", where, "Choose another device.")
    for row in rows:
        try:
            checked(this_device, row.values, row.name)
            project, _ = kept(project, row.name, (StatePart(device, row.values),))
        except ZolvekError as error:
            raise error.at(where) from error
    return project
