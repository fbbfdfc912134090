# SPDX-License-Identifier: GPL-3.0-or-later
"""The commands that bring things in and out, run as a person would run them."""

from __future__ import annotations

import csv
import json
import tempfile
import unittest
from pathlib import Path

import click
import mido
import numpy as np
import soundfile
from click.testing import CliRunner

from zolvek.cli import zolvek
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.demo.night_regatta import build
from zolvek.formats.project import project_file
from zolvek.formats.tables import curve_csv

DEMO = build()


class Exporting(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.project = str(project_file.save(DEMO, self.folder / "demo.zolvek"))

    def run_(self, *words: object) -> str:
        done = CliRunner().invoke(zolvek, [str(word) for word in words])
        if done.exception is not None and not isinstance(done.exception, SystemExit):
            raise done.exception
        self.assertEqual(done.exit_code, 0, done.output)
        return done.output

    def refused(self, *words: object) -> None:
        done = CliRunner().invoke(zolvek, [str(word) for word in words], standalone_mode=False)
        self.assertIsInstance(done.exception, (ZolvekError, click.UsageError), done.output)

    def path(self, name: str) -> Path:
        return self.folder / name

    def test_midi_out_reported_and_in_again(self) -> None:
        reported = json.loads(self.run_("report", self.project))
        self.assertEqual(len(reported["lanes"]), 16)
        self.assertLess(reported["bytes"], 3 * reported["messages"])  # running status
        tight = json.loads(self.run_("report", self.project, "--ms", 20, "--tolerance", 1))
        self.assertLess(tight["messages"], reported["messages"])
        self.assertLessEqual(tight["late"], reported["late"])
        self.run_("export", self.project, "--midi", self.path("all.mid"))
        self.run_("export", self.project, "--midi", self.path("by.mid"), "--split", "track")
        self.assertEqual(len(list(self.folder.glob("by - *.mid"))), 4)
        messages = sum(m.type == "control_change" for t in mido.MidiFile(self.path("all.mid")).tracks for m in t)
        self.assertEqual(messages, reported["messages"])
        said = self.run_("import", self.path("all.mid"), "-o", self.path("back.zolvek"))
        self.assertIn("16 lanes, 283 notes", said)
        back = project_file.load(self.path("back.zolvek"))
        self.assertEqual(len(list(back.lanes())), 16)
        self.assertEqual(back.meter, DEMO.meter)
        self.run_("import", self.path("all.mid"), "--hold", "-o", self.path("held.zolvek"))
        held = project_file.load(self.path("held.zolvek"))
        self.assertGreater(sum(len(x.curve) for x in held.lanes()), 3 * sum(len(x.curve) for x in back.lanes()))
        self.refused("export", self.project, "--midi", self.path("x.mid"), "--split", "bar")
        self.refused("export", self.project, "--midi", self.path("x.mid"), "--ticks", 0)
        self.refused("import", self.project, "-o", self.path("x.zolvek"))
        self.assertFalse(self.path("x.mid").exists() or self.path("x.zolvek").exists())

    def test_sound_in_its_forms(self) -> None:
        part = ("--from", "17", "--to", "17.2")
        self.run_("render", self.project, "-o", self.path("a.flac"), *part, "--rate", 44_100, "--bits", 16)
        info = soundfile.info(self.path("a.flac"))
        self.assertEqual((info.samplerate, info.subtype), (44_100, "PCM_16"))
        self.run_("render", self.project, "-o", self.path("b.wav"), *part, "--tracks", "--bits", "float")
        self.assertEqual(len(list(self.folder.glob("b - *.wav"))), 4)
        self.run_("render", self.project, "-o", self.path("c.wav"), *part, "--tail")
        self.assertGreater(soundfile.info(self.path("c.wav")).duration, info.duration + 0.4)
        self.refused("render", self.project, "-o", self.path("d.mp3"), *part)
        self.refused("render", self.project, "-o", self.path("d.wav"), "--rate", 12_345)
        self.refused("render", self.project, "-o", self.path("d.flac"), *part, "--bits", "float")

    def test_a_lane_out_as_sound_and_in_as_a_curve(self) -> None:
        lane = "horn.cutoff"
        self.run_(
            "control",
            self.project,
            "--lane",
            lane,
            "-o",
            self.path("c.wav"),
            "--from",
            "1",
            "--to",
            "9",
        )
        self.run_("from-sound", self.path("c.wav"), "-o", self.path("c.csv"), "--tempo", 112)
        made = curve_csv.load(self.path("c.csv"))
        beats = np.linspace(0.0, 31.9, 500)
        wanted = played(DEMO.lane(lane), DEMO).curve.at(beats)
        self.assertLessEqual(np.abs(made.at(beats) - wanted).max(), 0.0021)
        self.run_("render", self.project, "-o", self.path("m.wav"), "--from", "17", "--to", "18")
        self.run_("from-sound", self.path("m.wav"), "-o", self.path("l.csv"), "--follow", "--attack", 5)
        self.assertAlmostEqual(curve_csv.load(self.path("l.csv")).value.max(), 1.0, places=2)
        self.refused("control", self.project, "--lane", "none", "-o", self.path("x.wav"))
        self.refused("control", self.project, "--lane", lane, "-o", self.path("x.wav"), "--bits", "16")
        self.refused("from-sound", self.project, "-o", self.path("x.csv"))
        self.refused("from-sound", self.path("m.wav"), "-o", self.path("x.csv"), "--follow", "--attack", 0)

    def test_tables_pictures_and_the_schema(self) -> None:
        self.run_("table", self.project, "-o", self.path("t.csv"), "--step", 1, "--clock", "seconds")
        with open(self.path("t.csv"), newline="", encoding="utf-8") as file:
            rows = list(csv.reader(file))
        self.assertEqual((rows[0][:2], len(rows[0])), (["beat", "seconds"], 18))
        self.assertEqual(rows[0][2:], [lane.id for lane in DEMO.lanes()])
        two = ("--lane", "horn.cutoff", "--lane", "mallet.transpose")
        self.run_("table", self.project, "-o", self.path("u.csv"), "--step", 4, *two, "--cells", "text")
        with open(self.path("u.csv"), newline="", encoding="utf-8") as file:
            self.assertEqual(list(csv.reader(file))[1][2:], ["240 Hz", "0 st"])
        self.run_("picture", self.project, "-o", self.path("p.svg"), *two)
        self.assertTrue(self.path("p.svg").read_text().startswith("<svg"))
        self.assertEqual(json.loads(self.run_("schema"))["title"], "Zolvek project")
        self.refused("table", self.project, "-o", self.path("x.csv"), "--step", 0)
        self.refused("table", self.project, "-o", self.path("x.csv"), "--step", 1, "--cells", "ink")
        self.refused("picture", self.project, "-o", self.path("p.gif"))


if __name__ == "__main__":
    unittest.main()
