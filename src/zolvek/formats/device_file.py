# SPDX-License-Identifier: GPL-3.0-or-later
"""A device description in a file of its own, described in docs/device-file.md."""

from __future__ import annotations

import json
import math
import os
from pathlib import Path
from typing import Any

from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind, Preset
from zolvek.core.model.messages import parse_target
from zolvek.core.records import names_of, replace
from zolvek.core.value.parameter import Parameter
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

FORMAT, VERSION = "zolvek-device", 1
SUFFIX = ".json"
LARGEST_BYTES = 8_000_000  # bytes
PARAMETER_FIELDS = set(names_of(Parameter))
PARAMETER_TEXTS = ("id", "name", "group", "unit", "taper", "sends")


def decode(data: bytes, where: str = "the description") -> DeviceKind:
    """Raises ZolvekError naming `where`, the place in it and the remedy."""
    if len(data) > LARGEST_BYTES:
        raise ZolvekError("The file is too large for a description.", where, "Choose another.")
    try:
        described = json.loads(data.decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise ZolvekError(f"This is not JSON: {str(error).splitlines()[0]}.", where, "Correct it there.") from error
    return kind_from_plain(described, where)


def load(path: str | os.PathLike[str]) -> DeviceKind:
    """Read a description. Raises ZolvekError naming the file, the place and the remedy."""
    return decode(read_bytes(path), str(path))


def save(kind: DeviceKind, path: str | os.PathLike[str]) -> Path:
    """Write a description atomically, as a start for one of one's own."""
    text = json.dumps(plain(kind), ensure_ascii=False, indent=1)
    return write_bytes(path, text.encode() + b"\n")


def kind_from_plain(plain: Any, where: str = "the description") -> DeviceKind:
    """The kind that a description (as parsed from JSON) gives, every row of it tried.

    Raises ZolvekError naming `where`, the place in it and the remedy.
    """
    if not isinstance(plain, dict) or plain.get("format") != FORMAT:
        raise ZolvekError("This is not a device description.", where, f'It begins {{"format": "{FORMAT}"}}.')
    version = plain.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= VERSION:
        raise ZolvekError(
            f"Its version is {version!r}; this program knows up to {VERSION}.",
            where,
            "Use a newer Zolvek, or correct the number.",
        )
    device = plain.get("device")
    if not isinstance(device, dict):
        raise ZolvekError("It has no “device”.", where, "See docs/device-file.md.")
    try:
        kind = DeviceKind(
            _text(device, "key"),
            _text(device, "name"),
            _text(device, "role"),
            tuple(_parameter(row, i) for i, row in enumerate(_rows(device, "parameters"))),
            tuple(_preset(row, i) for i, row in enumerate(_rows(device, "presets", []))),
            _text(device, "about", ""),
        )
        for preset in kind.presets:
            try:
                kind.preset(preset.name)
            except ZolvekError as error:
                raise error.at(f"preset {preset.name}") from error
    except ZolvekError as error:
        raise ZolvekError(
            error.what, error.at(where).where, error.remedy or "Correct the description there."
        ) from error
    return kind


def _rows(device: dict[str, Any], key: str, default: Any = None) -> list[Any]:
    rows = device.get(key, default)
    if not isinstance(rows, list):
        raise ZolvekError(f"“{key}” is not a list.")
    return rows


def _text(row: dict[str, Any], key: str, default: str | None = None) -> str:
    text = row.get(key, default)
    if not isinstance(text, str):
        raise ZolvekError(f"“{key}” is not a text.")
    return text


def _parameter(row: Any, index: int) -> Parameter:
    where = f"parameter {index + 1}"
    if not isinstance(row, dict):
        raise ZolvekError("It is not an object.", where)
    unknown = set(row) - PARAMETER_FIELDS
    if unknown:
        raise ZolvekError(f"“{min(unknown)}” is not a key of this format.", where, "Remove it.")
    result: dict[str, Any] = {}
    for key, value in row.items():
        if key == "choices":
            if not isinstance(value, list) or not all(isinstance(c, str) and c for c in value):
                raise ZolvekError("“choices” is not a list of texts.", where)
            result[key] = tuple(value)
        elif key == "labels":
            result[key] = _labels(value, where)
        elif key in PARAMETER_TEXTS:
            if not isinstance(value, str):
                raise ZolvekError(f"“{key}” is not a text.", where)
            result[key] = value
        elif isinstance(value, bool) or not isinstance(value, (int, float)):
            raise ZolvekError(f"“{key}” is not a number.", where)
        elif abs(value) > 1e12 or value != value:
            raise ZolvekError(f"“{key}” is out of range.", where)
        else:
            result[key] = float(value)
    if not result.get("id") or not result.get("name"):
        raise ZolvekError("It needs an id and a name.", where)
    if result.get("taper") == "stepped":
        result = {"low": 0.0, "high": max(len(result.get("choices", ())) - 1.0, 1.0)} | result
    parse_target(result.get("sends", ""))
    return _in_its_range(Parameter(**result), "default" in result, where)


def _labels(value: Any, where: str) -> tuple[tuple[float, str], ...]:
    """What single values are called: pairs of a number and a text."""
    fine = isinstance(value, list) and all(
        isinstance(row, list) and len(row) == 2 and type(row[0]) in (int, float) and isinstance(row[1], str) and row[1]
        for row in value
    )
    if not fine:
        raise ZolvekError("“labels” is not a list of numbers with texts.", where)
    return tuple((float(at), label) for at, label in value)


def _in_its_range(parameter: Parameter, is_given: bool, where: str) -> Parameter:
    """The parameter, its default within its range: one that is not given is as near to 0 as that goes. In
    decibels what is below is silence."""
    low = -math.inf if parameter.taper == "decibel" else parameter.low
    inside = min(max(parameter.default, low), parameter.high)
    if is_given and inside != parameter.default:
        raise ZolvekError(
            f"Its default, {parameter.default:g}, is outside {parameter.low:g} to {parameter.high:g}.",
            where,
            "Correct the number.",
        )
    return replace(parameter, default=inside)


def _preset(row: Any, index: int) -> Preset:
    where = f"preset {index + 1}"
    if not isinstance(row, dict) or not isinstance(row.get("values"), dict):
        raise ZolvekError("It needs a name and values.", where)
    if not all(isinstance(value, str) for value in row["values"].values()):
        raise ZolvekError("A value is not a text.", where, 'Write values such as "1.2 kHz".')
    return Preset(_text(row, "name"), dict(row["values"]))


def plain(kind: DeviceKind) -> dict[str, Any]:
    """The description that `kind_from_plain` reads."""
    usual = Parameter("id", "name")
    rows = []
    for parameter in kind.parameters:
        row = {
            name: getattr(parameter, name)
            for name in names_of(Parameter)
            if getattr(parameter, name) != getattr(usual, name)
        }
        lists = {"choices": list(parameter.choices), "labels": [list(label) for label in parameter.labels]}
        rows.append(row | {name: value for name, value in lists.items() if value})
    return {
        "format": FORMAT,
        "version": VERSION,
        "device": {
            "key": kind.key,
            "name": kind.name,
            "role": kind.role,
            "about": kind.about,
            "parameters": rows,
            "presets": [{"name": p.name, "values": p.values} for p in kind.presets],
        },
    }
