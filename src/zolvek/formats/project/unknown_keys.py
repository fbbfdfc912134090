# SPDX-License-Identifier: GPL-3.0-or-later
"""Keys of a project file that this program does not know, as a newer one may have written: kept with the records they
stood in, through any edit, and written back to their places."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import fields, is_dataclass
from functools import cache
from typing import Any

import msgspec
from msgspec import UNSET

from zolvek.core.records import UNKNOWN, Record, keys_of, replace

MARK = f'"{UNKNOWN}":'.encode()


def kept(record: Any, plain: Any) -> Any:
    """The record that was made of `plain`, with what of it nobody knew."""
    result, _ = _kept(record, plain)
    return result


def _kept(value: Any, plain: Any) -> tuple[Any, dict[str, Any]]:
    """The value, and what has to be kept by the record that it is in."""
    if isinstance(plain, dict):
        if isinstance(value, Record):
            return _record(value, plain), {}
        if is_dataclass(value):
            return value, _unknown_of(value, plain)
        if isinstance(value, dict):
            new = {key: kept(item, plain.get(key)) for key, item in value.items()}
            same = all(new[key] is item for key, item in value.items())
            return (value if same else new), {}
    elif isinstance(plain, list) and isinstance(value, tuple) and len(value) == len(plain):
        rows = tuple(kept(item, row) for item, row in zip(value, plain, strict=True))
        same = all(new is item for new, item in zip(rows, value, strict=True))
        return (value if same else rows), {}
    return value, {}


def _record(record: Record, plain: dict[str, Any]) -> Record:
    names = keys_of(type(record))
    unknown = {key: own for key, own in plain.items() if key not in names and key != UNKNOWN}
    changed: dict[str, Any] = {}
    for key, name in names.items():
        part = plain.get(key)
        if part.__class__ in (dict, list):
            value = getattr(record, name)
            new, more = _kept(value, part)
            if new is not value:
                changed[name] = new
            if more:
                unknown[key] = more
    if UNKNOWN in plain:  # no file of ours has it
        changed["unknown"] = UNSET
    if unknown:
        changed["unknown"] = msgspec.json.encode(unknown).decode()
    return replace(record, **changed) if changed else record


def _unknown_of(value: Any, plain: dict[str, Any]) -> dict[str, Any]:
    names = _fields_of(value.__class__)
    return {key: own for key, own in plain.items() if key not in names}


@cache
def _fields_of(kind: Any) -> frozenset[str]:
    return frozenset(field.name for field in fields(kind))


def restored(data: bytes) -> bytes:
    """An encoded document, with what records kept back in its places."""
    if MARK not in data:
        return data
    document = msgspec.json.decode(data)
    _restore(document)
    return msgspec.json.encode(document)


def _restore(plain: Any) -> None:
    if isinstance(plain, dict):
        text = plain.pop(UNKNOWN, None)
        for part in plain.values():
            _restore(part)
        if isinstance(text, str):
            with suppress(msgspec.DecodeError, UnicodeError, RecursionError):
                more = msgspec.json.decode(text)
                if isinstance(more, dict):
                    _merge(plain, more)
    elif isinstance(plain, list):
        for part in plain:
            if part.__class__ in (dict, list):
                _restore(part)


def _merge(plain: dict[str, Any], more: dict[str, Any]) -> None:
    for key, value in more.items():
        if key not in plain:
            plain[key] = value
        elif isinstance(value, dict) and isinstance(plain[key], dict):
            _merge(plain[key], value)
