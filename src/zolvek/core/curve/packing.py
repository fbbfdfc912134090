"""What a curve of an earlier step needs in memory: only where it differs from the one that followed.

A packed curve is the same object as before. Asked for its arrays it makes them anew and holds them
again, so nobody has to know.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from zolvek.core.curve.curve import COLUMNS, Curve

LEAST = 4_096  # points from which on packing is worth it
WORTH = 0.5  # of its own size, that a packed curve takes at most


class Change(NamedTuple):
    """A column: as many of the base's first and last elements, and what lies between them."""

    head: int
    own: np.ndarray
    tail: int


class Packed(NamedTuple):
    base: Curve
    columns: tuple[Change, ...]

    @property
    def size(self) -> int:
        return sum(change.own.nbytes for change in self.columns)

    def arrays(self) -> dict[str, np.ndarray]:
        """The columns whole. What it is based on may be packed too, over many steps: one after another."""
        chain = [self]
        while (below := chain[-1].base.__dict__.get("_packed")) is not None:
            chain.append(below)
        base = chain[-1].base
        made = {name: getattr(base, name) for name in COLUMNS}
        for packed in reversed(chain):
            made = {
                name: _joined(made[name], change)
                for name, change in zip(COLUMNS, packed.columns, strict=True)
            }
        return made


def _joined(base: np.ndarray, change: Change) -> np.ndarray:
    if not len(change.own) and change.head == len(base):
        return base
    tail = base[len(base) - change.tail :]
    made = np.concatenate((base[: change.head], change.own, tail))
    made.flags.writeable = False
    return made


def pack(curve: Curve, base: Curve) -> None:
    """Let a curve be held as its differences from another, where that is worth it."""
    if (
        len(curve) < LEAST
        or curve is base
        or "_packed" in curve.__dict__
        or "_packed" in base.__dict__
    ):
        return
    columns = tuple(_change(getattr(curve, name), getattr(base, name)) for name in COLUMNS)
    packed = Packed(base, columns)
    if packed.size < WORTH * size(curve):
        curve.__dict__["_packed"] = packed
        for name in COLUMNS:
            del curve.__dict__[name]


def unpack(curve: Curve) -> None:
    """Have a curve hold its arrays again."""
    _ = curve.beat


def size(curve: Curve) -> int:
    """The bytes that a curve's arrays take."""
    packed = curve.__dict__.get("_packed")
    return (
        packed.size if packed is not None else sum(getattr(curve, name).nbytes for name in COLUMNS)
    )


def _change(own: np.ndarray, base: np.ndarray) -> Change:
    if own is base:
        return Change(len(base), own[:0].copy(), 0)
    count = min(len(own), len(base))
    head = _alike(own[:count], base[:count])
    if head == len(own) == len(base):
        return Change(head, own[:0].copy(), 0)
    tail = _alike(own[::-1][: count - head], base[::-1][: count - head])
    return Change(head, own[head : len(own) - tail].copy(), tail)


def _alike(one: Any, other: Any) -> int:
    """How many elements two arrays of one length have in common from their start on."""
    differ = one != other
    if differ.ndim > 1:
        differ = differ.any(axis=1)
    place = int(np.argmax(differ)) if len(differ) else 0
    return place if len(differ) and differ[place] else len(differ)
