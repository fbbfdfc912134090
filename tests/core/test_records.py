# SPDX-License-Identifier: GPL-3.0-or-later
"""Records are made, checked, frozen, compared, copied and read from files."""

from __future__ import annotations

import copy
import pickle
import unittest
from typing import Any

import msgspec

from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Beat
from zolvek.core.records import Record, field, replace


class One(Record, frozen=True):
    """A record with a limited field, and a rule of its own."""

    beat: Beat
    name: str = "none"
    parts: tuple[int, ...] = ()
    reported: dict[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if not self.name:
            raise ZolvekError("It has no name.")

    @property
    def twice(self) -> float:
        return 2.0 * self.beat


class Apart(Record, frozen=True, eq=False):
    value: int


class Key(Record, frozen=True):
    left: int
    right: str = ""


class Records(unittest.TestCase):
    def test_they_are_checked_frozen_and_replaced(self) -> None:
        one = One(1.0)
        for change in (lambda: setattr(one, "beat", 2.0), lambda: delattr(one, "beat")):
            with self.assertRaises(AttributeError):
                change()
        for make in (
            lambda: One(-1.0),
            lambda: replace(one, beat=float("nan")),
            lambda: One(1.0, ""),
            lambda: replace(one, name=""),
        ):
            with self.assertRaises(ZolvekError):
                make()
        untyped: Any = One
        for wrong in (
            lambda: untyped(),
            lambda: untyped(1.0, other=1),
            lambda: replace(one, other=1),
        ):
            with self.assertRaises(TypeError):
                wrong()
        self.assertEqual(replace(one, beat=3.0).twice, 6.0)
        self.assertEqual((one.beat, one.name), (1.0, "none"))
        self.assertIsNot(One(1.0).reported, One(1.0).reported, "each has a fresh default")

    def test_they_are_equal_hashed_and_copied_by_value(self) -> None:
        self.assertEqual(One(1.0, "a"), One(1.0, "a"))
        self.assertNotEqual(One(1.0, "a"), One(1.0, "b"))
        self.assertNotEqual(Key(1, "x"), (1, "x"))
        self.assertEqual(len({Key(1), Key(1), Key(2)}), 2)
        with self.assertRaises(TypeError):
            hash(One(1.0))  # a dict is in it
        kept = Key(1, "x")
        kept.__dict__["worked out"] = 5
        for other in (pickle.loads(pickle.dumps(kept)), copy.deepcopy(kept)):
            self.assertEqual(other, Key(1, "x"))
        self.assertEqual(replace(kept, left=2).__dict__, {}, "what was worked out is of the old")
        apart = Apart(1)
        self.assertNotEqual(apart, Apart(1))
        self.assertEqual({apart: 2}[apart], 2)

    def test_files_are_read_into_them(self) -> None:
        made = msgspec.json.decode(b'{"beat": 2.5, "parts": [1, 2]}', type=One)
        self.assertEqual(made, One(2.5, parts=(1, 2)))
        self.assertEqual(msgspec.json.decode(msgspec.json.encode(made), type=One), made)
        for wrong in (b'{"name": "x"}', b'{"beat": "x"}'):
            with self.assertRaises(msgspec.ValidationError):
                msgspec.json.decode(wrong, type=One)
        for wrong in (b'{"beat": -1}', b'{"beat": 1, "name": ""}'):
            with self.assertRaises((msgspec.ValidationError, ZolvekError)):
                msgspec.json.decode(wrong, type=One)


if __name__ == "__main__":
    unittest.main()
