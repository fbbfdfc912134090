# SPDX-License-Identifier: GPL-3.0-or-later
"""What commands print and take, as docs/headless.md says: keys, columns, streams, options that don't apply."""

from __future__ import annotations

import csv
import io
import json
import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

import click
import numpy as np
import soundfile
from click.shell_completion import ShellComplete
from click.testing import CliRunner, Result

from tests.projects import ordinary_midi
from zolvek.cli import zolvek
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.demo.night_regatta import build
from zolvek.formats.midi import file_in as midi_in
from zolvek.formats.project import project_file
from zolvek.formats.tables import curve_csv

DOCUMENT = Path("docs/headless.md").read_text()
DEMO = build()
LEVEL = next(lane.id for lane in DEMO.lanes() if DEMO.parameter_of(lane.id).taper == "decibel")
CSV = "beat,value,shape,amount\n0,0.25,line,0\n2,0.75,bend,0.5\n4,0.5,line,0\n"


def documented(command: str, part: int = 0) -> set[str]:
    """The keys in the document's tables under a command; `part`: which of its tables."""
    section = DOCUMENT.split(f"### `{command}`")[1].split("\n##")[0]
    tables = re.split(r"\| --- \| --- \|", section)[1:]
    firsts = [line.split("|")[1] for line in tables[part].splitlines() if line.startswith("| `")]
    return {name for cell in firsts for name in re.findall(r"`([a-z_]+)`", cell)}


class Document(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.demo = str(project_file.save(DEMO, self.folder / "demo.zolvek"))
        (self.folder / "in.csv").write_text(CSV)
        (self.folder / "in.mid").write_bytes(ordinary_midi())
        soundfile.write(self.folder / "in.wav", 0.5 * np.sin(np.arange(48_000) / 500.0), 48_000)

    def run_(self, line: str, stdin: bytes | str = "") -> Result:
        words = [word.replace("@", f"{self.folder}/in.") for word in line.split()]
        words = [word.replace("DEMO", self.demo).replace("OUT", f"{self.folder}/out") for word in words]
        return CliRunner().invoke(zolvek, words, input=stdin, standalone_mode=False)

    def good(self, line: str, stdin: bytes | str = "") -> Result:
        result = self.run_(line, stdin)
        self.assertIsNone(result.exception, f"{line}: {result.exception!r}")
        return result

    def json(self, line: str) -> Any:
        return json.loads(self.good(line).stdout)

    def test_json_has_the_keys_of_the_document(self) -> None:
        lanes = self.json("lanes DEMO")
        states = self.json("states DEMO")
        report = self.json("report DEMO")
        plugins = self.json("plugins --json")
        self.assertEqual(set(lanes[0]), documented("lanes"))
        self.assertEqual(set(states[0]), documented("states"))
        self.assertEqual(set(report), documented("report"))
        self.assertEqual(set(report["lanes"][0]), documented("report", 1))
        self.assertEqual(set(plugins[0]), documented("plugins --json"))
        impact = self.json("impact DEMO --track Fog --device fog-filter --span 9 10 --json")
        self.assertEqual(set(impact[0]) | {"silent_while", "fault"}, documented("impact --json"))
        self.assertEqual((impact[0]["device"], impact[0]["parameter"]), ("fog-filter", "cutoff"))
        recipes = self.json("recipes --json")
        self.assertEqual(set(recipes[0]), documented("recipes --json"))
        self.assertEqual(set(recipes[0]["parts"][0]), documented("recipes --json", 1))
        still = self.json("stillness DEMO --json")
        self.assertEqual(set(still), documented("stillness --json"))
        self.assertEqual(set(still["bars"][0]), documented("stillness --json", 1))
        self.assertEqual(still["still"][0], {"first": 9, "last": 12})
        cutoff = states[0]["values"]["cutoff"]
        self.assertEqual((cutoff["unit"], round(cutoff["value"], 6)), ("Hz", 800.0))
        self.assertEqual(cutoff["value"], 800.0, "as a person writes it")
        reach = next(row for row in lanes if row["id"] == LEVEL)["reach"]
        self.assertIsNone(reach["low"], "silence has no number")
        self.assertEqual((reach["high"], reach["unit"], reach["high_position"]), (6.0, "dB", 1.0))
        for row in report["lanes"]:
            if row["stray"] not in ("none", "in its choices"):
                number, _, unit = row["stray"].lstrip("±").partition(" ")
                self.assertEqual(unit, row["stray_unit"])
                self.assertAlmostEqual(float(number), row["stray_value"], delta=0.06 * row["stray_value"] + 1e-6)

    def test_tables_have_the_columns_of_the_document(self) -> None:
        lines = {
            "sample": "sample DEMO --lane horn.cutoff --step 4",
            "hits": "hits @wav",
            "stillness": "stillness DEMO",
            "recipes": "recipes",
            "plugins": "plugins",
            "ports": "ports",
            "curve eval": "curve eval @csv --step 0.5",
        }
        for name, line in lines.items():
            row = next(row for row in DOCUMENT.splitlines() if row.startswith(f"| `{name}` |"))
            head = next(csv.reader(io.StringIO(self.good(line).stdout)))
            self.assertEqual(head, re.findall(r"`([a-z_]+)`", row.split("|")[2]), name)
        table = self.good("table DEMO --step 4 --lane mallet.transpose --lane horn.cutoff -o -").stdout
        rows = list(csv.reader(io.StringIO(table)))
        self.assertEqual(rows[0], ["beat", "seconds", "mallet.transpose", "horn.cutoff"])
        self.assertTrue(all(len(cell) <= 14 for row in rows[1:] for cell in row), "no digits of no meaning")

    def test_streams_take_the_place_of_files(self) -> None:
        whole = self.good("demo --write -").stdout_bytes
        self.assertEqual(project_file.decode(whole), DEMO)
        self.assertEqual(len(json.loads(self.good("lanes -", whole).stdout)), len(list(DEMO.lanes())))
        self.good("collect DEMO -o OUT.zip")
        self.assertEqual(self.good("lanes -", (self.folder / "out.zip").read_bytes()).exit_code, 0)
        values = self.good("curve eval @csv --step 0.5").stdout
        thin = self.good("curve thin - --tolerance 1 -o -", values)
        self.assertIn("points before", thin.stderr)
        made = curve_csv.from_text(thin.stdout, "stdout")
        beats = np.arange(0.0, 4.1, 0.5)
        np.testing.assert_allclose(made.at(beats), curve_csv.from_text(CSV, "in").at(beats), atol=0.01)
        sound, rate = soundfile.read(io.BytesIO(self.good("render DEMO -o - --to 1.2").stdout_bytes))
        self.assertEqual((len(sound), rate), (round(60 / 112 * 48_000), 48_000))
        self.assertTrue(self.good("export DEMO --midi -").stdout_bytes.startswith(b"MThd"))
        self.assertTrue(self.good("picture DEMO --lane horn.cutoff -o -").stdout.startswith("<svg"))
        for line in ("render DEMO -o - --tracks", "export DEMO --midi - --split lane", "lanes -"):
            result = self.run_(line)
            self.assertIsInstance(result.exception, ZolvekError, line)
            self.assertEqual(result.stdout, "", line)

    def test_an_option_that_does_nothing_is_refused(self) -> None:
        for line in (
            "curve scale @csv --factor 2 --time --about 5 -o OUT.csv",
            "curve random @csv --levels 5 -o OUT.csv",
            "curve lfo --wave sine --rate 1/4 --width 20 --from 0 --to 4 -o OUT.csv",
            "curve lfo --wave sine --rate 1/4 --seed 3 --from 0 --to 4 -o OUT.csv",
            "from-sound @wav --attack 5 -o OUT.csv",
            "from-sound @wav --follow --swing up -o OUT.csv",
            "import @mid --hold --tolerance 1 -o OUT.zolvek",
            "morph DEMO --device horn --from Pressed --to Pressed --span 1 2 --amount 0.5 -o OUT.zolvek",
            "devices synth --plugin urn:none",
            "play DEMO --out silent --sync lead",
        ):
            result = self.run_(line)
            fault = result.exception
            assert isinstance(fault, ZolvekError), f"{line}: {fault!r}"
            self.assertTrue(fault.remedy, line)
        self.assertEqual(list(self.folder.glob("out*")), [])

    def test_what_is_clipped_is_reported(self) -> None:
        lines = {
            "curve scale @csv --factor 2 --about 50 -o OUT.csv": "",
            "curve scale @csv --factor 2 -o OUT.csv": "1 point clipped to 0 to 100 %, by up to 50 %.",
            "curve tilt @csv --right 60 -o OUT.csv": "2 points clipped to 0 to 100 %, by up to 10 %.",
            "curve invert @csv --about 20 -o OUT.csv": "2 points clipped to 0 to 100 %, by up to 35 %.",
            "curve repeat @csv --times 2 --tilt 50 -o OUT.csv": "2 points clipped to 0 to 100 %, by up to 50 %.",
            "curve random @csv --depth 90 --seed 1 -o OUT.csv": "The movement is clipped at",
            "curve lfo --wave sine --rate 1/4 --centre 90 --from 0 --to 4 -o OUT.csv": "The LFO is clipped",
            "bake OUT.zolvek --lane horn.cutoff -o OUT2.zolvek": "by up to",
        }
        self.good("layer lfo DEMO --lane horn.cutoff --wave sine --rate 1/4 --depth 100 -o OUT.zolvek")
        for line, words in lines.items():
            stderr = self.good(line).stderr
            self.assertTrue(words in stderr if words else stderr == "", f"{line}: {stderr}")

    def test_a_midi_file_keeps_what_is_not_given(self) -> None:
        score = midi_in.load(self.folder / "in.mid")

        def made(options: str) -> Project:
            self.good(f"new @mid {options} -o OUT.zolvek")
            return project_file.load(self.folder / "out.zolvek")

        faster, other = made("--tempo 140"), made("--meter 5/4")
        self.assertEqual((faster.tempo.bpm(0.0), faster.meter, faster.sections), (140.0, score.meter, score.sections))
        self.assertEqual((other.tempo, other.meter.meter_at(0.0).count), (score.tempo, 5))

    def test_names_are_completed(self) -> None:
        complete = ShellComplete(zolvek, {}, "zolvek", "_ZOLVEK_COMPLETE")

        def names(*words: str) -> list[str]:
            return [item.value for item in complete.get_completions(list(words[:-1]), words[-1])]

        self.assertEqual(names("curve", "lfo", "--wave", "sa"), ["saw-up", "saw-down", "sample-hold"])
        self.assertEqual(names("sample", self.demo, "--lane", "horn.cu"), ["horn.cutoff"])
        self.assertEqual(names("morph", self.demo, "--from", "Pre"), ["Pressed"])
        self.assertEqual(names("sample", "/no/file", "--lane", ""), [])
        self.assertIn("ramp", names("curve", "stamp", "x", "--stamp", ""))
        for name in ("export", "render", "table", "curve random"):
            command: click.Command = zolvek
            for word in name.split():
                assert isinstance(command, click.Group)
                command = command.commands[word]
            listed = " ".join(CliRunner().invoke(command, ["--help"]).output.split())
            self.assertRegex(listed, r"\[\w+\|\w+", f"{name} lists its choices")


if __name__ == "__main__":
    unittest.main()
