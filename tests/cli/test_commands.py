# SPDX-License-Identifier: GPL-3.0-or-later
"""The commands, run as a person runs them."""

from __future__ import annotations

import contextlib
import csv
import io
import json
import os
import signal
import subprocess
import sys
import tempfile
import unittest
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import soundfile

from tests.core.curves import value_at
from zolvek.cli.main import main
from zolvek.formats.project import project_file
from zolvek.formats.tables import curve_csv

ENVIRONMENT = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}


@dataclass(frozen=True)
class Done:
    returncode: int
    stdout: str
    stderr: str


def run(*words: str) -> Done:
    """The whole command line, in this process: its status, what it prints and its errors."""
    streams = io.StringIO(), io.StringIO()
    signals = {number: signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)}
    status: object = 0
    try:
        with (
            mock.patch.dict(os.environ, ENVIRONMENT, clear=True),
            mock.patch.object(sys, "argv", ["zolvek", *words]),
            contextlib.redirect_stdout(streams[0]),
            contextlib.redirect_stderr(streams[1]),
        ):
            main()
    except SystemExit as ended:
        status = ended.code or 0
    finally:
        for number, handler in signals.items():
            signal.signal(number, handler)
    assert isinstance(status, int)
    return Done(status, streams[0].getvalue(), streams[1].getvalue())


def run_apart(*words: str) -> subprocess.CompletedProcess[str]:
    """The same as a person runs it: a process."""
    command = [sys.executable, "-m", "zolvek", *words]
    return subprocess.run(command, capture_output=True, text=True, check=False, env=ENVIRONMENT)


class Commands(unittest.TestCase):
    folder: Path
    demo: str

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        cls.demo = str(cls.folder / "demo.zolvek")
        assert run_apart("demo", "--write", cls.demo).returncode == 0

    def test_lanes_and_samples(self) -> None:
        project = project_file.load(self.demo)
        rows = json.loads(run("lanes", self.demo).stdout)
        self.assertEqual([row["id"] for row in rows], [lane.id for lane in project.lanes()])
        out = run(
            "sample",
            self.demo,
            "--lane",
            "horn.cutoff",
            "--step",
            "0.5",
            "--from",
            "9",
            "--to",
            "11.1.0",
        ).stdout
        sampled = list(csv.DictReader(io.StringIO(out)))
        self.assertEqual([float(row["beat"]) for row in sampled], np.arange(32.0, 40.25, 0.5).tolist())
        lane = project.lane("horn.cutoff")
        for row in sampled:
            beat = float(row["beat"])
            self.assertAlmostEqual(float(row["position"]), value_at(lane.curve, beat), places=9)
            self.assertAlmostEqual(float(row["seconds"]), beat * 60 / 112, places=9)
            self.assertAlmostEqual(float(row["value"]), 20 * 1000 ** float(row["position"]), places=6)
        self.assertEqual(sampled[0]["text"], "260 Hz")

    def test_curve_eval_follows_the_table(self) -> None:
        path = self.folder / "c.csv"
        path.write_text(
            "beat,value,shape,amount\n0,0.1,bend,0.6\n2,0.9,s-curve,-0.3\n3,0,waves,2\n5,1,line,0\n5,0.25,pulses,3\n8,1,hold,0\n"
        )
        drawn = curve_csv.load(path)
        rows = list(csv.reader(io.StringIO(run("curve", "eval", str(path), "--step", "0.125").stdout)))
        self.assertEqual(rows[0], ["beat", "value"])
        self.assertEqual(len(rows), 66)
        for beat, value in rows[1:]:
            self.assertAlmostEqual(float(value), value_at(drawn, float(beat)), places=9)
        self.assertEqual(float(rows[1 + 40][1]), 0.25, "a jump gives its right-hand value")

    def test_curve_tools(self) -> None:
        path, out = str(self.folder / "tool.csv"), self.folder / "out.csv"
        curve_csv.save(
            curve_csv.from_text("beat,value,shape,amount\n0.1,0.2,line,0\n1.9,0.6,bend,0.5\n4,0.4,line,0\n", "x"),
            path,
        )
        drawn = curve_csv.load(path)
        cases: dict[tuple[str, ...], Any] = {
            ("quantise", "--grid", "1/4"): ([0, 2, 4], [0.2, 0.6, 0.4]),
            ("quantise", "--grid", "1/4", "--strength", "50"): ([0.05, 1.95, 4], [0.2, 0.6, 0.4]),
            ("repeat", "--times", "2", "--every", "4", "--tilt", "10"): ([0.1, 1.9, 4, 4.1, 5.9, 8], None),
            ("scale", "--factor", "0.5", "--about", "20"): ([0.1, 1.9, 4], [0.2, 0.4, 0.3]),
            ("scale", "--factor", "2", "--time"): ([0.1, 3.7, 7.9], [0.2, 0.6, 0.4]),
            ("tilt", "--right", "39"): (None, None),
            ("mirror",): ([0.1, 2.2, 4], [0.4, 0.6, 0.2]),
            ("invert",): ([0.1, 1.9, 4], [0.8, 0.4, 0.6]),
            ("stamp", "--form", "gate", "--from", "1", "--to", "1.5", "--start", "0", "--end", "100", "--set",
                "count=1"): (None, None),
            ("smooth", "--beats", "0.1"): (None, None),
        }  # fmt: skip
        for words, (beat, value) in cases.items():
            done = run("curve", words[0], path, *words[1:], "-o", str(out))
            self.assertEqual((done.returncode, done.stdout, done.stderr), (0, "", ""), words)
            made = curve_csv.load(out)
            if beat is not None:
                np.testing.assert_allclose(made.beat, beat, atol=1e-9, err_msg=str(words))
            if value is not None:
                np.testing.assert_allclose(made.value, value, atol=1e-9, err_msg=str(words))
            if words[0] == "tilt":  # the curve and the ramp, at any place
                at = np.linspace(0.1, 4.0, 500)
                ramp = 0.39 * (at - 0.1) / 3.9
                np.testing.assert_allclose(made.at(at), drawn.at(at) + ramp, atol=0.002)
        for words in (("quantise", "--grid", "1/7"), ("scale", "--factor", "nan"), ("repeat", "--times", "0"),
                      ("stamp", "--form", "cloud", "--from", "0", "--to", "1"), ("tilt", "--left", "101")):  # fmt: skip
            done = run("curve", words[0], path, *words[1:], "-o", str(out))
            self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), words)

    def test_renders_and_exports(self) -> None:
        paths = [str(self.folder / name) for name in ("a.wav", "b.wav", "dry.wav", "x.mid")]
        for path, more in zip(paths[:3], ((), (), ("--bypass",)), strict=True):
            done = run("render", self.demo, "-o", path, "--from", "15", "--to", "15.3", *more)
            self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertEqual(Path(paths[0]).read_bytes(), Path(paths[1]).read_bytes(), "two renders, the same bits")
        self.assertNotEqual(Path(paths[0]).read_bytes(), Path(paths[2]).read_bytes())
        info = soundfile.info(paths[0])
        self.assertEqual((info.subtype, info.frames), ("PCM_24", round(2 * 60 / 112 * 48_000)))
        self.assertEqual(run("export", self.demo, "--midi", paths[3]).returncode, 0)
        self.assertEqual(Path(paths[3]).read_bytes()[:4], b"MThd")

    def test_nothing_opens_the_window_and_a_file_alone_opens_it_there(self) -> None:
        opened: list[Path | None] = []
        with mock.patch("zolvek.cli.main._window", lambda path, demo=False: opened.append(path)):
            for words in ((), (self.demo,), ("open", self.demo), ("open",)):
                done = run(*words)
                self.assertEqual((done.returncode, done.stdout, done.stderr), (0, "", ""), words)
        self.assertEqual(opened, [None, Path(self.demo), Path(self.demo), None])
        for words, part in (
            (("nosuch",), "There is no command or file “nosuch”."),
            (("gone.zolvek",), "gone.zolvek: The file can't be read"),
        ):
            done = run(*words)
            self.assertEqual(done.returncode, 2)
            self.assertIn(part, done.stderr)
            self.assertEqual(len(done.stderr.splitlines()), 1)
        bare = run("curve")
        self.assertEqual((bare.returncode, bare.stdout), (2, ""))
        self.assertIn("Usage: zolvek curve", bare.stderr.splitlines()[0])
        for command in ("test", "check", "bench", "shots"):
            self.assertIn(command, run("--help").stdout.splitlines()[-1])

    def test_mistakes_are_one_line_and_status_2(self) -> None:
        text = self.folder / "bad.csv"
        text.write_text("beat,value,shape,amount\n0,x,line,0\n")
        half = self.folder / "half.zolvek"
        half.write_bytes(Path(self.demo).read_bytes()[:900])
        cases = (
            ("lanes",), ("lanes", "missing.zolvek"), ("lanes", str(half)), ("lanes", str(self.folder)), ("nothing",),
            ("sample", self.demo, "--lane", "x", "--step", "1"), ("sample", self.demo, "--lane", "horn.cutoff",
                "--step", "0"),
            ("sample", self.demo, "--lane", "horn.cutoff", "--step", "1", "--from", "20", "--to", "10"),
            ("sample", self.demo, "--lane", "horn.cutoff", "--step", "1e-9"),
            ("render", self.demo, "-o", "/no/such/folder/x.wav", "--to", "2"), ("render", self.demo, "-o", "x.wav",
                "--from", "a"),
            ("export", self.demo), ("curve", "eval", str(text), "--step", "1"), ("open", "missing.zolvek"), ("demo",),
        )  # fmt: skip
        for words in cases:
            done = run(*words)
            self.assertEqual(done.returncode, 2, words)
            if words == ("nothing",):
                apart = run_apart(*words)
                self.assertEqual((apart.returncode, apart.stdout, apart.stderr), (2, "", done.stderr))
            self.assertEqual((done.stdout, done.stderr.count("\n")), ("", 1), (words, done.stderr))
