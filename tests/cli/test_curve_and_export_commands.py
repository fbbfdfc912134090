# SPDX-License-Identifier: GPL-3.0-or-later
"""Every headless command with a good and a bad argument, by a table that no command is missing from."""

from __future__ import annotations

import json
import re
import tempfile
import unittest
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click
import msgspec
import numpy as np
import soundfile
from click.testing import CliRunner, Result

from tests.projects import ordinary_midi
from zolvek.cli import zolvek
from zolvek.core.curve.construction import curve
from zolvek.core.curve.pattern import Pattern
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.generators.randomness import RANDOM_KINDS, SPREADS
from zolvek.core.movement.generators.waves import WAVES
from zolvek.formats import pattern_library
from zolvek.formats.midi import file_in as midi_in
from zolvek.formats.project import project_file
from zolvek.formats.project.project_file import to_plain
from zolvek.formats.tables import curve_csv
from zolvek.sound.engine.offline import render

# Command -> a good line and a bad one; {demo}, {midi}, {wav}, {csv}, {one} (a curve of one point) and {beats} stand
# for files, {out} for where to write.
LINES: dict[str, tuple[str, str]] = {
    "new": ("new {wav} {midi} -o {out}.zolvek", "new {csv} -o {out}.zolvek"),
    "insert-bars": ("insert-bars {demo} --at 9 --count 4 -o {out}.zolvek",
        "insert-bars {demo} --at 90 --count 4 -o {out}.zolvek"),
    "remove-bars": ("remove-bars {demo} --at 9 --count 4 -o {out}.zolvek",
        "remove-bars {demo} --at 1 --count 49 -o {out}.zolvek"),
    "collect": ("collect {demo} -o {out}.zip", "collect {csv} -o {out}.zip"),
    "plugins": ("plugins amp --json", "plugins --nothing"),
    "add-device": ("add-device {demo} --track Keys --plugin http://lv2plug.in/plugins/eg-amp -o {out}.zolvek",
                   "add-device {demo} --track Keys --plugin http://nowhere/none -o {out}.zolvek"),
    "ports": ("ports --json", "ports --nothing"),
    "play": ("play {demo} --from 48.4 --out silent --osc 127.0.0.1:9", "play {demo} --from 49"),
    "hits": ("hits {wav}", "hits {csv}"),
    "impact": ("impact {demo} --track Fog --span 9 10", "impact {demo} --track Nobody --span 9 10"),
    "stillness": ("stillness {demo}", "stillness {csv}"),
    "recipes": ("recipes --json", "recipes --nothing"),
    "apply-recipe": ("apply-recipe {demo} --recipe pump --track Fog --at 9 --bars 1 -o {out}.zolvek",
                     "apply-recipe {demo} --recipe Nothing --track Fog --at 9 -o {out}.zolvek"),
    "tempo": ("tempo {beats}", "tempo {midi}"),
    "lanes": ("lanes {demo}", "lanes {csv}"),
    "sample": ("sample {demo} --lane horn.cutoff --step 1 --to 5", "sample {demo} --lane horn.cutoff --step nan"),
    "devices": ("devices synth", "devices nothing"),
    "states": ("states {demo}", "states {one}"),
    "morph": ("morph {demo} --device horn --from Pressed --to Let_go --span 1 9.2 -o {out}.zolvek",
              "morph {demo} --device horn --from Pressed --to Nothing --span 1 9 -o {out}.zolvek"),
    "bake": ("bake {demo} --lane lantern-strip.pan -o {out}.zolvek", "bake {demo} --lane lantern-strip.pan --tolerance "
                                                                     "0 -o {out}.zolvek"),
    "render": ("render {demo} -o {out}.flac --to 1.2 --bits 16 --tail", "render {demo} -o {out}.flac --bits float"),
    "export": ("export {demo} --midi {out}.mid --ms 5 --split lane", "export {demo} --midi {out}.mid --split nothing"),
    "report": ("report {demo} --tolerance 1", "report {demo} --ticks 0"),
    "import": ("import {midi} -o {out}.zolvek --hold", "import {wav} -o {out}.zolvek"),
    "control": ("control {demo} --lane horn.cutoff -o {out}.wav --to 3",
        "control {demo} --lane horn.cutoff -o {out}.wav --bits 16"),
    "from-sound": ("from-sound {wav} -o {out}.csv --follow", "from-sound {csv} -o {out}.csv"),
    "table": ("table {demo} --step 1 --clock seconds -o {out}.csv",
        "table {demo} --step 1 --cells nothing -o {out}.csv"),
    "picture": ("picture {demo} --lane horn.cutoff -o {out}.svg", "picture {demo} -o {out}.gif"),
    "schema": ("schema", "schema nothing"),
    "demo": ("demo --write {out}.zolvek", "demo --write /no/such/folder/x.zolvek"),
    "open": ("", "open {csv}"),  # a good one opens the window: the tests of the window do that
    "install-desktop": ("install-desktop --folder {out}", "install-desktop --folder /proc/none"),
    "curve eval": ("curve eval {csv} --step 0.5", "curve eval {csv} --step 0"),
    "curve quantise": ("curve quantise {csv} --grid 1/8t --strength 50 -o {out}.csv",
        "curve quantise {csv} --grid 1/7 -o {out}.csv"),
    "curve repeat": ("curve repeat {csv} --times 3 --tilt 5 -o {out}.csv", "curve repeat {one} --times 3 -o {out}.csv"),
    "curve scale": ("curve scale {csv} --factor -0.5 --about 50 -o {out}.csv",
        "curve scale {csv} --factor inf -o {out}.csv"),
    "curve tilt": ("curve tilt {csv} --left 5 -o {out}.csv", "curve tilt {csv} --left 500 -o {out}.csv"),
    "curve mirror": ("curve mirror {csv} -o {out}.csv", "curve mirror {demo} -o {out}.csv"),
    "curve invert": ("curve invert {csv} -o {out}.csv", "curve invert {csv} --about -1 -o {out}.csv"),
    "curve stamp": ("curve stamp {csv} --form gate --from 1 --to 3 --set count=4 -o {out}.csv",
                    "curve stamp {csv} --form gate --from 1 --to 3 --set nothing=4 -o {out}.csv"),
    "curve smooth": ("curve smooth {one} --beats 1 -o {out}.csv", "curve smooth {csv} --beats 0 -o {out}.csv"),
    "curve thin": ("curve thin {csv} --tolerance 1 --shapes -o {out}.csv", "curve thin {csv} -o {out}.csv"),
    "curve random": ("curve random {csv} --seed 3 --kind walk -o {out}.csv",
        "curve random {csv} --seed 3 --kind nothing -o {out}.csv"),
    "curve lfo": ("curve lfo --shape pulse --period 1/8 --from 0 --to 4 -o {out}.csv",
        "curve lfo --shape pattern --period 1/8 --from 0 --to 4 -o {out}.csv"),
    "curve humanise": ("curve humanise {csv} --strength 80 --seed 2 -o {out}.csv",
        "curve humanise {csv} --strength x -o {out}.csv"),
    "curve jitter": ("curve jitter {csv} --time 30ms --step 0.25 -o {out}.csv",
        "curve jitter {csv} --value 101 -o {out}.csv"),
    "layer lfo": ("layer lfo {demo} --lane horn.cutoff --shape saw-up --period 1/8 --smooth 40 --rate-end 1/2 "
                  "--amount-end 5 --from 5 -o {out}.zolvek",
                  "layer lfo {demo} --lane horn.cutoff --shape pulse --period 1/8 --skew 20 -o {out}.zolvek"),
    "layer random": ("layer random {demo} --lane horn.cutoff --kind smooth --density 60 --smoothness 30 --spread "
                     "levels -o {out}.zolvek",
                     "layer random {demo} --lane nothing -o {out}.zolvek"),
}  # fmt: skip


def leaves(group: click.Group, before: str = "") -> Iterator[tuple[str, click.Command]]:
    """All commands of the program, with their whole names."""
    for name, command in group.commands.items():
        if isinstance(command, click.Group):
            yield from leaves(command, f"{before}{name} ")
        else:
            yield f"{before}{name}", command


class Commands(unittest.TestCase):
    folder: Path
    demo: str
    places: dict[str, str]
    runner: CliRunner

    @classmethod
    def setUpClass(cls) -> None:
        temporary = tempfile.TemporaryDirectory()
        cls.addClassCleanup(temporary.cleanup)
        folder = Path(temporary.name)
        cls.places = {
            key: str(folder / f"in.{suffix}")
            for key, suffix in (
                ("demo", "zolvek"),
                ("midi", "mid"),
                ("wav", "wav"),
                ("csv", "csv"),
                ("one", "one.csv"),
                ("beats", "beats.wav"),
            )
        }
        cls.places["out"] = str(folder / "out")
        cls.runner = CliRunner()
        cls.runner.invoke(zolvek, ["demo", "--write", cls.places["demo"]])
        Path(cls.places["midi"]).write_bytes(ordinary_midi())
        soundfile.write(cls.places["wav"], 0.5 * np.sin(np.arange(48_000) / 500.0), 48_000)
        beats = np.zeros(48_000 * 8)
        for at in range(1_000, beats.size - 100, 24_000):  # 120 BPM
            beats[at : at + 60] = np.exp(-np.arange(60) / 12.0)
        soundfile.write(cls.places["beats"], beats, 48_000)
        rows = "".join(f"{b},{v},line,0\n" for b, v in ((0, 0.1), (1.1, 0.9), (2, 0.2), (4, 0.6)))
        Path(cls.places["csv"]).write_text("beat,value,shape,amount\n" + rows)
        Path(cls.places["one"]).write_text("beat,value,shape,amount\n0,0.5,line,0\n")

    def run_line(self, line: str) -> Result:
        words = [word.format(**self.places).replace("Let_go", "Let go") for word in line.split()]
        return self.runner.invoke(zolvek, words, standalone_mode=False)

    def test_the_table_has_every_command(self) -> None:
        self.assertEqual(set(LINES), {name for name, _ in leaves(zolvek)})

    def test_each_does_its_work(self) -> None:
        for name, (good, _) in LINES.items():
            if good:
                done = self.run_line(good)
                self.assertIsNone(done.exception, f"{name}: {done.exception!r}")
                self.assertEqual(done.exit_code, 0, name)
        made = project_file.load(f"{self.places['out']}.zolvek")
        self.assertTrue(list(made.lanes()))
        self.assertTrue(len(curve_csv.load(f"{self.places['out']}.csv")))
        json.loads(Path("docs/project.schema.json").read_text())

    def test_settings_of_movements(self) -> None:
        """A layer made here bakes to what the panel's layer would; a seed that is said gives it again."""
        out = self.places["out"]
        self.run_line(
            "layer lfo {demo} --lane horn.cutoff --shape sample-hold --period 1/8 --soften 4ms -o {out}.zolvek"
        )
        layer = project_file.load(f"{out}.zolvek").lane("horn.cutoff").layers[-1]
        assert layer.lfo is not None
        self.assertEqual((layer.kind, layer.amount, layer.lfo.soften), ("lfo", 0.6, 0.004))
        made: list[Any] = []
        for more in ("", " --seed {seed}", ""):
            line = "curve random {csv} --amount 40 --density 70 -o {out}.csv" + more.format(
                seed=made[0][1] if made else ""
            )
            done = self.run_line(line)
            reported = re.search(r"Seed (\d+)\.", done.output)
            made.append((Path(f"{out}.csv").read_text(), reported and reported[1]))
        self.assertEqual(made[0][0], made[1][0])
        self.assertNotEqual(made[0][0], made[2][0])
        self.assertIsNone(made[1][1], "one that was given is not said")
        helps = " ".join(str(self.run_line(f"curve {name} --help").output) for name in ("random", "lfo"))
        for word in (*RANDOM_KINDS, *SPREADS, *WAVES):
            self.assertIn(word, helps)

    def test_a_sound_s_hits_and_tempo_are_reported(self) -> None:
        reported = self.run_line("hits {beats}").output.splitlines()[1:]
        self.assertEqual(len(reported), 16)
        for index, row in enumerate(reported):
            self.assertAlmostEqual(float(row.split(",")[0]), 1_000 / 48_000 + 0.5 * index, delta=0.001)
        self.assertTrue(self.run_line("tempo {beats}").output.splitlines()[1].startswith("120,0.02"))

    def test_a_project_is_begun_with_what_a_user_brings(self) -> None:
        """Each file a track of its name from bar 1 on; time as the MIDI file has it, or as it is given."""
        score = midi_in.load(self.places["midi"])
        self.run_line("new {wav} {midi} -o {out}.zolvek")
        made = project_file.load(f"{self.places['out']}.zolvek")
        self.assertEqual((made.tempo, made.meter), (score.tempo, score.meter))
        clips = {track.name: [clip.beat for clip in track.clips] for track in made.tracks if track.clips}
        self.assertEqual(clips, {"in": [0.0]})
        self.assertEqual(sum(len(t.notes) for t in made.tracks), sum(len(p.notes) for p in score.parts))
        self.assertGreaterEqual(made.length, float(made.tempo.beats(1.0)))
        self.run_line("new {wav} --tempo 93.5 --meter 7/8 -o {out}.zolvek")
        made = project_file.load(f"{self.places['out']}.zolvek")
        self.assertEqual((made.tempo.bpm(0.0), made.meter.meter_at(0.0).count), (93.5, 7))
        self.run_line("new -o {out}.zolvek")
        made = project_file.load(f"{self.places['out']}.zolvek")
        self.assertEqual((len(made.tracks), made.length, len(list(made.lanes()))), (2, 128.0, 1))
        self.assertGreater(float(np.abs(render(made, 0.0, 4.0)).max()), 0.01, "it sounds")
        for wrong in ("--tempo 0", "--meter 0/0", "--meter 4", "{out}.nothing"):
            done = self.run_line(f"new {wrong} -o {{out}}.zolvek")
            self.assertIsInstance(done.exception, ZolvekError, wrong)

    def test_a_pattern_file_is_a_cycle_and_a_way(self) -> None:
        """A pattern that is a line up is the saw; as the way of the rate it is the even way in octaves."""
        line = Pattern("Line up", 2.0, curve([(0.0, 0.0), (2.0, 1.0)]))
        path = self.places["pattern"] = str(Path(self.places["csv"]).with_name("line.json"))
        Path(path).write_bytes(
            msgspec.json.encode(pattern_library.File(pattern_library.FORMAT, 1, line), enc_hook=to_plain)
        )
        at, made = np.linspace(0.0, 3.99, 400), []
        for shape in ("saw-up", "pattern --pattern {pattern}"):
            done = self.run_line(f"curve lfo --shape {shape} --period 1/2 --from 0 --to 4 -o {{out}}.csv")
            self.assertIsNone(done.exception, done.exception)
            made.append(curve_csv.load(f"{self.places['out']}.csv").at(at))
        np.testing.assert_allclose(made[0], made[1], atol=1e-9)
        ways = []
        for name in ("", " --rate-way {pattern}"):
            done = self.run_line(
                f"curve lfo --shape sine --period 1/2 --rate-end 1/8 --from 0 --to 8 -o {{out}}.csv{name}"
            )
            self.assertIsNone(done.exception, done.exception)
            ways.append(curve_csv.load(f"{self.places['out']}.csv").at(2.0 * at))
        np.testing.assert_allclose(ways[0], ways[1], atol=0.01)
        for wrong in ("--shape saw-up --pattern {pattern}", "--shape sine --rate-way {pattern}"):
            done = self.run_line(f"curve lfo {wrong} --period 1/2 --from 0 --to 4 -o {{out}}.csv")
            self.assertIsInstance(done.exception, ZolvekError)

    def test_each_says_in_one_line_what_is_wrong(self) -> None:
        for name, (_, bad) in LINES.items():
            done = self.run_line(bad)
            self.assertIsInstance(done.exception, (ZolvekError, click.ClickException), f"{name}: {done.exception!r}")
            self.assertNotIn("\n", str(done.exception).strip(), name)
            if isinstance(done.exception, ZolvekError):
                self.assertTrue(done.exception.where or done.exception.remedy, name)

    def test_each_says_what_it_takes(self) -> None:
        for name, command in leaves(zolvek):
            done = self.runner.invoke(zolvek, [*name.split(), "--help"])
            self.assertEqual(done.exit_code, 0, name)
            self.assertTrue((command.help or "").strip().endswith((".", "”", '"')), f"{name}: {command.help}")
            for param in command.params:
                if isinstance(param, click.Option):
                    self.assertTrue(param.help, f"{name} {param.name} has no help")


if __name__ == "__main__":
    unittest.main()
