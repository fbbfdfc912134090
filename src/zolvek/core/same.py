# SPDX-License-Identifier: GPL-3.0-or-later
"""An object as a part of a key: it is held for as long as the key is, and equal to itself alone."""

from __future__ import annotations

from typing import Any


class Same:
    """Unlike its address, which another object gets once it has gone."""

    __slots__ = ("of",)

    def __init__(self, of: Any) -> None:
        self.of = of

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and other.of is self.of

    def __hash__(self) -> int:
        return object.__hash__(self.of)
