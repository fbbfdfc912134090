# SPDX-License-Identifier: GPL-3.0-or-later
"""The project file: whole, exact, and clear about what is wrong with a broken one."""

from __future__ import annotations

import json
import os
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests import few
from tests.core.curves import curves
from zolvek.core.curve.construction import lines
from zolvek.core.curve.curve import Curve
from zolvek.core.edits.replacement import with_curve
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.formats.project import project_file
from zolvek.formats.project.document_parts import LONG
from zolvek.formats.tables import curve_csv
from zolvek.storage import atomic

DEMO = build()


class ProjectFile(unittest.TestCase):
    @few
    @given(curves())
    def test_reads_back_to_the_bit(self, drawn: Curve) -> None:
        project = with_curve(DEMO, "horn.cutoff", drawn)
        self.assertEqual(project_file.decode(project_file.encode(project)), project)
        self.assertEqual(curve_csv.from_text(curve_csv.to_text(drawn), "x"), drawn)

    def broken(self, change: Callable[[Any], Any]) -> ZolvekError:
        document = json.loads(project_file.encode(DEMO))
        change(document)
        with self.assertRaises(ZolvekError) as caught:
            project_file.decode(json.dumps(document).encode(), "piece.zolvek")
        self.assertIn("piece.zolvek", caught.exception.where)
        self.assertTrue(caught.exception.remedy)
        return caught.exception

    def test_says_what_is_wrong_and_where(self) -> None:
        def lane(document: dict) -> dict:
            return document["project"]["tracks"][0]["lanes"][1]

        self.assertIn("newer", self.broken(lambda d: d.update(version=2)).remedy)
        self.assertIn("not a Zolvek", self.broken(lambda d: d.update(format="x")).what)
        self.assertIn(
            "tracks[0].lanes[1].curve",
            self.broken(lambda d: lane(d)["curve"].update(beat=["a"])).where,
        )
        self.assertIn(
            "lane horn.resonance",
            self.broken(lambda d: lane(d)["curve"]["value"].__setitem__(2, 1.5)).where,
        )
        self.assertIn("cubic", self.broken(lambda d: lane(d)["curve"]["shape"].__setitem__(0, "cubic")).what)
        self.assertIn("no parameter", self.broken(lambda d: lane(d).update(parameter="warp")).what)
        self.assertIn("reach", self.broken(lambda d: lane(d).update(reach=[0.5, 0.5])).what)
        self.assertIn("twice", self.broken(lambda d: lane(d).update(id="horn.cutoff")).what)

    @given(st.data())
    def test_no_damage_gets_past_the_one_error(self, data: st.DataObject) -> None:
        good = bytearray(project_file.encode(DEMO))
        for _ in range(data.draw(st.integers(1, 4))):
            good[data.draw(st.integers(0, len(good) - 1))] = data.draw(st.integers(0, 255))
        if data.draw(st.booleans()):
            del good[data.draw(st.integers(0, len(good) - 1)) :]
        try:
            project_file.decode(bytes(good))
        except ZolvekError as error:
            self.assertTrue(str(error))

    def test_writing_is_whole_or_not_at_all(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.zolvek"
            project_file.save(DEMO, path)
            before = path.read_bytes()

            def breaks(temporary: Path) -> None:
                temporary.write_bytes(b"half")
                raise OSError(28, "No space left on device")

            with self.assertRaises(ZolvekError) as caught:
                atomic.written(path, breaks)
            self.assertIn("No space", caught.exception.what)
            self.assertEqual(path.read_bytes(), before)
            self.assertEqual(os.listdir(folder), ["a.zolvek"], "nothing is left lying about")


class CurveCsv(unittest.TestCase):
    def test_says_the_line(self) -> None:
        head = "beat,value,shape,amount\n"
        cases = {
            "beat;value\n0;1\n": "line 1",
            head: "x.csv",
            head + "0,0,line,0\n1,much,line,0\n": "line 3",
            head + "2,0,line,0\n1,0,line,0\n": "line 3",
            head + "0,1.5,line,0\n": "line 2",
            head + "0,nan,line,0\n": "line 2",
            head + "0,0,curl,0\n": "line 2",
            head + "0,0,line\n": "line 2",
            head + '0,0,"line,0\n': "line 2",
            head + "0,0,bend,1\n": "line 2",
        }
        for text, where in cases.items():
            with self.assertRaises(ZolvekError, msg=text) as caught:
                curve_csv.from_text(text, "x.csv")
            self.assertIn(where, caught.exception.where, text)
            self.assertTrue(caught.exception.remedy, text)

    def test_takes_what_spreadsheets_write(self) -> None:
        text = "\ufeffBeat,Value,Shape,Amount\r\n0,0,LINE,\r\n\r\n4,1,bend,-0.5\r\n"
        read = curve_csv.from_text(text, "x")
        np.testing.assert_array_equal(read.beat, [0, 4])
        self.assertEqual(read.amount[1], -0.5)


class Parts(unittest.TestCase):
    """Encoded part by part, with parts kept from the last time, it is what it is encoded whole."""

    def whole(self, project: Project) -> bytes:
        document = json.loads(project_file.encode(replace(project, tracks=())))
        plain = msgspec.json.decode(msgspec.json.encode(project, enc_hook=project_file.to_plain))
        return msgspec.json.format(msgspec.json.encode(document | {"project": plain}), indent=1)

    def test_parts_are_the_whole(self) -> None:
        """Long columns of all lengths near a stretch's, edits between, tracks that go and come again."""
        rng = np.random.default_rng(3)
        lane = next(DEMO.lanes())
        for count in (1, LONG - 1, LONG, LONG + 1, 2 * LONG, 2 * LONG + 1, 5 * LONG + 17):
            project = with_curve(DEMO, lane.id, lines(np.arange(count) * 0.001, rng.random(count)))
            self.assertEqual(project_file.encode(project), self.whole(project))
            fewer = replace(project, tracks=project.tracks[1:])
            self.assertEqual(project_file.encode(fewer), self.whole(fewer))
            self.assertEqual(project_file.encode(project), self.whole(project))
