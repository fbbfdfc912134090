# SPDX-License-Identifier: GPL-3.0-or-later
"""One table of limits: records, files, schema, settings and fields hold to it."""

from __future__ import annotations

import json
import math
import tempfile
import unittest
from pathlib import Path
from typing import Any

import jsonschema
from hypothesis import given
from hypothesis import strategies as st

from zolvek.core import limits
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LIMITS, limited
from zolvek.core.model import project
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Clip, Note, Project, Section
from zolvek.core.model.take import Take
from zolvek.core.time import tempo
from zolvek.core.time.meter import MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.core.value.parameter import Parameter
from zolvek.demo.night_regatta import build
from zolvek.formats.project import project_file
from zolvek.formats.project.schema import schema
from zolvek.studio.session import settings

GOOD = {
    Section: (3.0, "x"), Note: (0.0, 1.0, 60), Clip: (0.0, "x"), TempoPoint: (0.0, 120.0), MeterPoint: (1, 4, 4),
    project.Cycle: (0.0, 1.0), project.Switch: (0.0, -1), project.Link: ("a", "b"), Parameter: ("p", "P"),
}  # fmt: skip


def beyond(limit: limits.Limit) -> list[float]:
    """Values that a limit does not hold: next to its ends, far away, and none at all."""
    step = 1 if isinstance(limit.low, int) else max(abs(limit.low), abs(limit.high)) * 1e-6
    return [limit.low - step, limit.high + step, math.inf, -math.inf, math.nan, 1e308, -1e308]


class Limits(unittest.TestCase):
    def test_no_record_is_made_beyond_them(self) -> None:
        for cls, row in GOOD.items():
            good = cls(*row)
            names = list(cls.__struct_fields__)
            rows = limited(cls)
            self.assertTrue(rows or cls is Section, cls)
            for name, limit, _ in rows:
                for value in [*beyond(limit), "text"]:
                    named = {key: getattr(good, key) for key in names} | {name: value}
                    with self.assertRaises(ZolvekError, msg=f"{cls.__name__}.{name} = {value}") as reported:
                        cls(**named)
                    self.assertTrue(reported.exception.where and reported.exception.remedy)
        for wrong in (
            lambda: Layer("a", "lfo", first=-1.0), lambda: Layer("a", "offset", amount=math.nan),
            lambda: Take("a", "A", build().lane("horn.cutoff").curve, 0.0, 1e9),
            lambda: Project(length=0.0), lambda: Project(length=1e7),
            lambda: TempoMap((TempoPoint(0.0, 120.0, True), TempoPoint(5e-324, 90.0))),
            lambda: project.Lane("a", "b", "c", pins=(-1.0,)),
        ):  # fmt: skip
            self.assertRaises(ZolvekError, wrong)

    def test_the_file_and_its_schema_hold_to_them_and_name_the_place(self) -> None:
        document = json.loads(project_file.encode(build()))
        check = jsonschema.Draft202012Validator(schema())
        self.assertTrue(check.is_valid(document))
        for way, key in (
            (("sections", 1, "beat"), "beat"), (("tempo", "points", 1, "bpm"), "bpm"), (("meter", "points", 0, "bar"),
                "bar"),
            (("tracks", 0, "notes", 2, "pitch"), "pitch"), (("tracks", 0, "notes", 2, "length"), "length"),
            (("tracks", 2, "clips", 0, "gain_db"), "gain"), (("length",), "length"),
            (("tracks", 0, "lanes", 0, "colour"), "colour"),
        ):  # fmt: skip
            at = document["project"]
            for step in way[:-1]:
                at = at[step]
            kept = at[way[-1]]
            for value in beyond(LIMITS[key])[:2]:
                at[way[-1]] = value
                with self.assertRaises(ZolvekError, msg=f"{way} {value}") as reported:
                    project_file.decode(json.dumps(document).encode(), "piece.zolvek")
                self.assertIn(str(way[-1]), reported.exception.where)
                self.assertIn("piece.zolvek", reported.exception.where)
                self.assertFalse(check.is_valid(document), f"{way} {value}")
            at[way[-1]] = kept

    def test_settings_beyond_them_are_as_at_the_first_start(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "settings.json"
            first = settings.Settings()
            rows = [(area, row) for area in vars(first) for row in limited(type(getattr(first, area)))]
            self.assertGreater(len(rows), 15)
            for area, (name, limit, _) in rows:
                usual = first.get(f"{area}.{name}")
                for value in beyond(limit):
                    wrong = int(value) if isinstance(usual, int) and math.isfinite(value) else value
                    older = settings.OLDER.get(f"{area}.{name}")  # since there are areas it has no other name
                    documents: list[dict[str, Any]] = [{area: {name: wrong}}, *([{older: wrong}] if older else [])]
                    for document in documents:
                        document.setdefault("window", {})["theme"] = "lamp"
                        path.write_text(json.dumps(document))
                        read = settings.read(path)
                        got = read.get(f"{area}.{name}"), read.window.theme
                        self.assertEqual(got, (usual, "lamp"), name)
            for text in (
                "[" * 100_000,
                "{",
                '{"theme": ["lamp"]}',
                '{"window": ["theme"]}',
                "\x00",
                "[]",
                '{"recent": [1, null, "x"]}',
            ):
                path.write_text(text)
                self.assertEqual(settings.read(path).window.theme, "vellum")

    @given(st.floats(-1e7, 1e7))
    def test_kept_lies_within_and_changes_nothing_that_does(self, value: float) -> None:
        for limit in LIMITS.values():
            self.assertTrue(limit.holds(limit.kept(value)))
            if limit.holds(value):
                self.assertEqual(limit.kept(value), value)

    def test_all_of_the_table_is_used(self) -> None:
        self.assertEqual(
            set(LIMITS) - {limit for limit, row in LIMITS.items() if row in limits.BY_NAME.values()},
            set(),
        )
        self.assertEqual(tempo.TempoPoint(0.0, LIMITS["bpm"].high).bpm, 999.0)


if __name__ == "__main__":
    unittest.main()
