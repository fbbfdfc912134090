# SPDX-License-Identifier: GPL-3.0-or-later
"""A pattern: a named piece of curve."""

from __future__ import annotations

from zolvek.core.curve.curve import Curve
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Length
from zolvek.core.records import Record


class Pattern(Record, frozen=True):
    """A named piece of curve: its points lie from beat 0 to `length`."""

    name: str
    length: Length
    curve: Curve

    def __post_init__(self) -> None:
        if self.curve.beat[-1] > self.length + 1e-9:
            raise ZolvekError("The curve is longer than the pattern's length.", f"pattern {self.name}")
