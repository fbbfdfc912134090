# SPDX-License-Identifier: GPL-3.0-or-later
"""What a curve of an earlier step needs in memory: only where it differs from the one that followed.

A curve itself never changes, as other threads may be reading it: its difference from another is an object of its
own, and gives an equal curve back.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from zolvek.core.curve.curve import COLUMNS, Curve

LEAST = 4_096  # points from which on packing is worth it
WORTH = 0.5  # of its own size, that a difference takes at most


class Change(NamedTuple):
    """A column: as many of the base's first and last elements, and what lies between them."""

    head: int
    own: np.ndarray
    tail: int


class Difference(NamedTuple):
    """A curve as its changes of another's columns."""

    columns: tuple[Change, ...]

    @property
    def size(self) -> int:
        """Bytes."""
        return sum(change.own.nbytes for change in self.columns)

    def applied(self, base: Curve) -> Curve:
        """The curve, from the one that it differs from."""
        rows = {name: _joined(getattr(base, name), change) for name, change in zip(COLUMNS, self.columns, strict=True)}
        return Curve(**rows)


def difference(curve: Curve, base: Curve) -> Difference | None:
    """What differs between a curve and another; None where keeping that is not worth it."""
    result = Difference(tuple(_change(getattr(curve, name), getattr(base, name)) for name in COLUMNS))
    return result if result.size < WORTH * size(curve) else None


def size(curve: Curve) -> int:
    """The bytes that a curve's arrays take."""
    return sum(getattr(curve, name).nbytes for name in COLUMNS)


def _joined(base: np.ndarray, change: Change) -> np.ndarray:
    if not len(change.own) and change.head == len(base):
        return base
    tail = base[len(base) - change.tail :]
    result = np.concatenate((base[: change.head], change.own, tail))
    result.flags.writeable = False
    return result


def _change(after: np.ndarray, base: np.ndarray) -> Change:
    if after is base:
        return Change(len(base), after[:0].copy(), 0)
    count = min(len(after), len(base))
    head = _alike(after[:count], base[:count])
    if head == len(after) == len(base):
        return Change(head, after[:0].copy(), 0)
    tail = _alike(after[::-1][: count - head], base[::-1][: count - head])
    return Change(head, after[head : len(after) - tail].copy(), tail)


def _alike(one: Any, other: Any) -> int:
    """How many elements two arrays of one length have in common from their start on."""
    differ = one != other
    if differ.ndim > 1:
        differ = differ.any(axis=1)
    index = int(np.argmax(differ)) if len(differ) else 0
    return index if len(differ) and differ[index] else len(differ)
