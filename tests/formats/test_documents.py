# SPDX-License-Identifier: GPL-3.0-or-later
"""What the documents say of files holds: every example is read, and every file of ours fits the schema."""

from __future__ import annotations

import json
import re
import unittest
from pathlib import Path

import jsonschema
import numpy as np

from tests.core.random_projects import wild
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.demo.night_regatta import build
from zolvek.formats import device_file
from zolvek.formats.project import project_file, schema

DOCS = Path(__file__).resolve().parents[2] / "docs"


def examples(name: str) -> list[bytes]:
    found = re.findall(r"^```json\n(.*?)^```", (DOCS / name).read_text(), re.M | re.S)
    return [text.encode() for text in found]


class Examples(unittest.TestCase):
    def test_the_project_that_is_written_by_hand(self) -> None:
        """A triangle of two beats about a half, by the formula that stands next to it."""
        (text,) = examples("project-file.md")
        project = project_file.decode(text)
        lane = project.lane("synth.cutoff")
        found = played(lane, project).at(np.array([0.0, 0.5, 1.0, 1.5, 2.0]))
        np.testing.assert_allclose(found, [0.25, 0.5, 0.75, 0.5, 0.25], atol=1e-9)
        at = np.array([8.1, 8.4, 8.6, 9.1])
        steps = played(lane, project).at(at) - lane.curve.at(at)
        self.assertEqual(len(set(np.round(steps, 9).tolist())), 3, "a new one each half beat")
        self.assertAlmostEqual(float(played(lane, project).at(15.9999)), 1.0)
        again = project_file.decode(project_file.encode(project))
        self.assertEqual(again, project)
        jsonschema.Draft202012Validator(schema.schema()).validate(json.loads(text))

    def test_the_device_that_is_described(self) -> None:
        (text,) = examples("device-file.md")
        self.assertEqual(device_file.decode(text).key, "my-bass")
        for wrong in (20_000, 2):
            with self.assertRaises(ZolvekError) as caught:
                device_file.decode(text.replace(b'"default": 900', b'"default": %d' % wrong))
            self.assertIn("parameter 1", str(caught.exception))
        silent = (
            b'{"id": "level", "name": "Level", "unit": "dB", "low": -60, "high": 6, "taper": "decibel", '
            b'"default": -200},'
        )
        with_silence = text.replace(b'"parameters": [', b'"parameters": [' + silent)
        self.assertEqual(device_file.decode(with_silence).parameters[0].default_position, 0.0)

    def test_every_other_example_is_one_of_those(self) -> None:
        others = {page.name for page in DOCS.glob("*.md") if examples(page.name)}
        self.assertEqual(others, {"project-file.md", "device-file.md"})


class Schema(unittest.TestCase):
    def test_every_project_of_ours_fits_it(self) -> None:
        """JSON Schema draft 2020-12, by jsonschema."""
        validator = jsonschema.Draft202012Validator(schema.schema())
        for project in [build(), *(wild(seed) for seed in range(20))]:
            document = json.loads(project_file.encode(project))
            with self.subTest(project.name):
                self.assertEqual([e.message for e in validator.iter_errors(document)], [])


class Unknown(unittest.TestCase):
    def test_what_a_newer_program_wrote_stays_where_it_was(self) -> None:
        document = json.loads(project_file.encode(build()))
        document["minor"] += 1
        project = document["project"]
        project["mood"] = {"a": [1, 2]}
        project["tracks"][0]["weather"] = "fog"
        project["tracks"][0]["lanes"][0]["curve"]["colour"] = [3]
        read = project_file.decode(json.dumps(document).encode())
        again = json.loads(project_file.encode(read))["project"]
        self.assertEqual(again["mood"], {"a": [1, 2]})
        self.assertEqual(again["tracks"][0]["weather"], "fog")
        self.assertEqual(again["tracks"][0]["lanes"][0]["curve"]["colour"], [3])


if __name__ == "__main__":
    unittest.main()
