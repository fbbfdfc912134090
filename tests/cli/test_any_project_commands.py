# SPDX-License-Identifier: GPL-3.0-or-later
"""Every command that reads a project, on every kind of project: it works, or says in one line why not."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

from click.testing import CliRunner

from tests.projects import PROJECTS, ordinary_midi
from zolvek.cli import zolvek
from zolvek.core.errors import ZolvekError
from zolvek.formats.project import project_file

HEAVY = {"the longest", "two hours", "1,000 lanes"}


def commands(path: str, out: str, lane: str, device: str) -> list[tuple[str, ...]]:
    """The command lines; `out` is where their files go."""
    return [
        ("lanes", path),
        ("states", path),
        ("report", path, "--ms", "5"),
        ("export", path, "--midi", f"{out}.mid"),
        ("export", path, "--midi", f"{out}.mid", "--split", "track"),
        ("table", path, "--step", "1", "-o", f"{out}.csv"),
        ("table", path, "--step", "1", "--clock", "seconds", "--cells", "text", "-o", f"{out}.csv"),
        ("picture", path, "-o", f"{out}.svg"),
        ("render", path, "-o", f"{out}.wav", "--to", "1.2"),
        ("sample", path, "--lane", lane, "--step", "0.5"),
        ("bake", path, "--lane", lane, "-o", f"{out}.zolvek"),
        ("control", path, "--lane", lane, "-o", f"{out}.wav", "--rate", "44100", "--to", "1.2"),
        ("morph", path, "--device", device, "--from", "A", "--to", "B", "--span", "1", "1.2", "-o", f"{out}.zolvek"),
    ]


class AnyProject(unittest.TestCase):
    def test_every_command_works_or_says_why_not(self) -> None:
        runner = CliRunner()
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            path = str(folder / "piece.zolvek")
            for kind, make in PROJECTS.items():
                if kind in HEAVY:
                    continue  # `./zolvek bench sizes` takes those
                project = make(folder)
                project_file.save(project, path)
                lanes = [lane.id for lane in project.lanes()] or ["none"]
                devices = [d.id for track in project.tracks for d in track.devices] or ["none"]
                for words in commands(path, str(folder / "out"), lanes[0], devices[0]):
                    done = runner.invoke(zolvek, words)
                    fault = done.exception
                    if fault is not None and not isinstance(fault, SystemExit):
                        assert isinstance(fault, ZolvekError), f"{kind}: {words}: {fault!r}"
                        self.assertTrue(fault.what and (fault.where or fault.remedy), f"{kind}: {words}")
                    elif words[0] in ("lanes", "states", "report"):
                        json.loads(done.stdout)

    def test_an_ordinary_midi_file_comes_in_and_goes_out(self) -> None:
        runner = CliRunner()
        with tempfile.TemporaryDirectory() as name:
            source, path = Path(name) / "in.mid", str(Path(name) / "piece.zolvek")
            source.write_bytes(ordinary_midi())
            done = runner.invoke(zolvek, ("import", str(source), "-o", path))
            self.assertEqual(done.exit_code, 0, done.output)
            made = project_file.load(path)
            self.assertEqual([len(track.notes) for track in made.tracks], [24, 24])
            self.assertEqual((made.meter.points[0].count, float(made.tempo.bpm(0.0))), (3, 120.0))
            for words in commands(path, str(Path(name) / "out"), next(made.lanes()).id, "none"):
                done = runner.invoke(zolvek, words)
                self.assertTrue(
                    done.exit_code == 0 or isinstance(done.exception, ZolvekError),
                    (words, done.exception),
                )


if __name__ == "__main__":
    unittest.main()
