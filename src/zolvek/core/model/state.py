# SPDX-License-Identifier: GPL-3.0-or-later
"""A state: a whole setting of a device, or of a track's chain, stored under a name."""

from __future__ import annotations

from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record

Values = dict[str, float]  # parameter id -> position 0..1


class StatePart(Record, frozen=True):
    """One device's share of a state: its id, and positions of its parameters."""

    device: str
    values: Values


class State(Record, frozen=True):
    """A named setting. Raises ZolvekError when it holds nothing, or a position beyond 0..1."""

    id: str
    name: str
    parts: tuple[StatePart, ...]

    def __post_init__(self) -> None:
        if not self.parts or not self.name:
            raise ZolvekError("A state needs a name and a device.", f"state {self.id}")
        for part in self.parts:
            for key, position in part.values.items():
                if not 0.0 <= position <= 1.0:
                    raise ZolvekError(
                        f"The position {position} is not between 0 and 1.",
                        f"state {self.name}, {key}",
                        "Correct the state, or store it again.",
                    )

    def of(self, device: str) -> Values:
        """The positions it holds for a device; none where it has no part of it."""
        return next((part.values for part in self.parts if part.device == device), {})
