# SPDX-License-Identifier: GPL-3.0-or-later
"""Records: what a project is made of, immutable and compared by value.

They are msgspec's structs, which are made and compared many times as quickly as dataclasses and are
read from files and written to them as they are. What a field may hold is given by its type, one of
`limits`; it is checked whenever a record is made, by hand, from a file or by `replace`.
"""

from __future__ import annotations

from typing import Any

import msgspec
from msgspec import UNSET, UnsetType, field
from msgspec.structs import replace

from zolvek.core.limits import checker

__all__ = ["UNKNOWN", "Record", "field", "keys_of", "names_of", "replace"]

UNKNOWN = "?"  # the key under which a record's unknown ones are encoded, before they go to their places


def names_of(kind: type[msgspec.Struct]) -> tuple[str, ...]:
    """The names of a record's own fields."""
    return tuple(name for name in kind.__struct_fields__ if name != "unknown")


def keys_of(kind: type[msgspec.Struct]) -> dict[str, str]:
    """The keys of a record's own fields in a file, with the fields' names."""
    names = zip(kind.__struct_encode_fields__, kind.__struct_fields__, strict=True)
    return {key: name for key, name in names if name != "unknown"}


class Record(msgspec.Struct, frozen=True, dict=True, kw_only=True):
    """A base of immutable classes. `eq=False`: it is equal to itself alone, as objects are. What is
    worked out of one may be kept in its `__dict__`, which is no part of its value. `unknown`: JSON of what a file of
    a newer program says of it besides, which goes back into the file."""

    unknown: str | UnsetType = field(default=UNSET, name=UNKNOWN)

    def __init_subclass__(cls, **options: Any) -> None:
        super().__init_subclass__(**options)
        check, var = checker(cls), vars(cls).get("__post_init__")
        if check is None:
            return

        def checked(self: Any) -> None:
            check(self)
            if var is not None:
                var(self)

        cls.__post_init__ = checked  # type: ignore[attr-defined]  # msgspec asks for it, if it is there
