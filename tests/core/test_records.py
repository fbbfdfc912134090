"""Records behave as the frozen dataclasses of the standard library do."""

from __future__ import annotations

import copy
import pickle
import unittest
from dataclasses import FrozenInstanceError, asdict, dataclass, field, fields, is_dataclass, replace

import msgspec

from zolvek.core.records import record


@record
class Ours:
    """A record."""

    beat: float
    name: str = "none"
    parts: tuple[int, ...] = ()
    told: dict[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.beat < 0.0:
            raise ValueError("early")

    @property
    def twice(self) -> float:
        return 2.0 * self.beat


@dataclass(frozen=True)
class Theirs:
    """The same, by the standard decorator."""

    beat: float
    name: str = "none"
    parts: tuple[int, ...] = ()
    told: dict[str, float] = field(default_factory=dict)


@record(eq=False)
class Apart:
    value: int


@record
class Key:
    left: int
    right: str = ""


class Records(unittest.TestCase):
    def test_they_are_made_as_dataclasses_are(self) -> None:
        for args, named in (((1.0,), {}), ((1.0, "x"), {"parts": (1,)}), ((), {"beat": 2.0})):
            self.assertEqual(asdict(Ours(*args, **named)), asdict(Theirs(*args, **named)))
        for args, named in (
            ((), {}),
            ((1.0, "a", (), {}, 5), {}),
            ((1.0,), {"beat": 2.0}),
            ((1.0,), {"other": 1}),
        ):
            for kind in (Ours, Theirs):
                with self.assertRaises(TypeError):
                    kind(*args, **named)
        self.assertTrue(is_dataclass(Ours))
        self.assertEqual([f.name for f in fields(Ours)], [f.name for f in fields(Theirs)])
        self.assertIsNot(Ours(1.0).told, Ours(1.0).told, "each has a fresh default")
        self.assertIn("name='none'", repr(Ours(1.0)))

    def test_they_are_checked_frozen_and_replaced(self) -> None:
        one = Ours(1.0)
        for kind in (Ours, Theirs):
            with self.assertRaises(FrozenInstanceError):
                kind(1.0).beat = 2.0
            with self.assertRaises(FrozenInstanceError):
                del kind(1.0).beat
        with self.assertRaises(ValueError):
            Ours(-1.0)
        with self.assertRaises(ValueError):
            replace(one, beat=-1.0)
        self.assertEqual(replace(one, beat=3.0).twice, 6.0)
        self.assertEqual(one.beat, 1.0)

    def test_they_are_equal_hashed_and_copied_by_value(self) -> None:
        self.assertEqual(Ours(1.0, "a"), Ours(1.0, "a"))
        self.assertNotEqual(Ours(1.0, "a"), Ours(1.0, "b"))
        self.assertNotEqual(Ours(1.0), Theirs(1.0))
        self.assertEqual(len({Key(1), Key(1), Key(2)}), 2)
        with self.assertRaises(TypeError):
            hash(Ours(1.0))  # a dict is in it, as with theirs
        for other in (pickle.loads(pickle.dumps(Key(1, "x"))), copy.deepcopy(Key(1, "x"))):
            self.assertEqual(other, Key(1, "x"))
        one = Apart(1)
        self.assertNotEqual(one, Apart(1))
        self.assertEqual({one: 2}[one], 2)

    def test_files_are_read_into_them(self) -> None:
        data = b'{"beat": 2.5, "parts": [1, 2]}'
        made = msgspec.json.decode(data, type=Ours)
        self.assertEqual(made, Ours(2.5, parts=(1, 2)))
        self.assertEqual(msgspec.json.decode(msgspec.json.encode(made), type=Ours), made)
        with self.assertRaises(msgspec.ValidationError):
            msgspec.json.decode(b'{"name": "x"}', type=Ours)
        with self.assertRaises(msgspec.ValidationError):
            msgspec.json.decode(b'{"beat": -1}', type=Ours)


if __name__ == "__main__":
    unittest.main()
