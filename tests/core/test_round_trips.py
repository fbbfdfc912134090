# SPDX-License-Identifier: GPL-3.0-or-later
"""Time put in and taken out again, sections moved there and back, doubled and removed: random projects with something
of everything come back as they were, in time, curves and sound."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from tests import trials
from tests.core.random_projects import BARS, BEATS, wild
from zolvek.core.edits import bars, sections
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.sound.engine import clip_playback
from zolvek.sound.signal.automation import Block

PROJECTS = trials(50)
PLACES = 10_000
RATE = 8_000
EDGE_S = 0.004  # seconds around a cut, in which clips fade


class ThereAndBack(unittest.TestCase):
    folder: Path
    sound: str

    @classmethod
    def setUpClass(cls) -> None:
        temporary = tempfile.TemporaryDirectory()
        cls.addClassCleanup(temporary.cleanup)
        cls.sound = str(Path(temporary.name) / "x.wav")
        rng = np.random.default_rng(0)
        soundfile.write(cls.sound, 0.5 * rng.uniform(-1, 1, 2 * RATE), RATE, subtype="FLOAT")

    def heard(self, project: Project, beats: np.ndarray) -> dict[str, np.ndarray]:
        lane = next(project.lanes())
        result = {"heard": played(lane, project).at(beats), "base": lane.curve.at(beats)}
        for take in ("t-1", "t-2"):
            total = np.full(len(beats), -1.0)
            for own in lane.takes:
                if own.id.startswith(take):
                    inside = (beats >= own.first) & (beats < own.last)
                    total[inside] = own.curve.at(beats[inside])
            result[take] = total
        return result

    def mix(self, project: Project) -> np.ndarray:
        seconds = float(project.tempo.seconds(project.length))
        at = np.arange(int(seconds * RATE))
        rows = project.tracks[0].clips
        return clip_playback.play(rows, project.tempo, Block(project.tempo.beats(at / RATE), RATE))[0]

    def compare(self, what: str, old: Project, new: Project, cuts: list[float]) -> None:
        """Equal at all places but right at jumps and, for what fades there, at the cuts."""
        beats = np.linspace(0.0, BEATS, PLACES, endpoint=False) + 1.7e-4
        seconds = np.abs(new.tempo.seconds(beats) - old.tempo.seconds(beats)).max()
        self.assertLess(seconds, 1e-6, f"{what}: the tempo is {seconds} s off")
        before, after = self.heard(old, beats), self.heard(new, beats)
        for name, one in before.items():
            differ = np.abs(one - after[name]) > 2e-4
            for shift in (-3e-6, 3e-6):
                if differ.any():
                    differ[differ] = np.abs(self.heard(new, beats[differ] + shift)[name] - one[differ]) > 2e-4
            places = beats[differ]
            self.assertEqual(places.tolist()[:4], [], f"{what}: {name} is another one")
        notes = [(round(n.beat, 6), n.pitch, round(n.length, 6)) for n in old.tracks[0].notes]
        self.assertEqual(notes, [(round(n.beat, 6), n.pitch, round(n.length, 6)) for n in new.tracks[0].notes], what)
        a, b = self.mix(old), self.mix(new)
        apart = np.abs(a[: len(b)] - b[: len(a)]) > 2e-3
        for cut in cuts:
            edge = round(float(old.tempo.seconds(cut)) * RATE)
            apart[max(edge - round(EDGE_S * RATE), 0) : edge + round(EDGE_S * RATE)] = False
        self.assertLess(apart.mean(), 1e-3, f"{what}: the sound is another one")

    def check(self, seed: int) -> None:
        rng = np.random.default_rng(1_000 + seed)
        lengths = {self.sound: 2.0}
        project = wild(seed, self.sound)
        bar, count = int(rng.integers(1, BARS)), int(rng.integers(1, 4))
        put_in = bars.insert_bars(project, bar, count, lengths).project
        back = bars.remove_bars(put_in, bar, count, lengths).project
        at = 4.0 * (bar - 1)
        if bar > 1:  # new time before all there was takes the place of what begins at 0
            self.compare(f"{seed}: {count} bars in and out at {bar}", project, back, [at])
        rows = project.section_spans()
        number = int(rng.integers(0, len(rows)))
        _, first, last = rows[number]
        twice = sections.doubled(project, number, lengths)
        once = bars.remove_bars(twice, round(last / 4.0) + 1, round((last - first) / 4.0), lengths)
        self.compare(f"{seed}: section {number} doubled and removed", project, once.project, [first, last])
        if len(rows) > 2 and 0 < number < len(rows) - 1:
            to = number + 2
            moved = sections.moved(project, number, to, lengths)
            again = sections.moved(moved, number + 1, number, lengths)
            edges = [first, last, rows[to][1] if to < len(rows) else BEATS]
            self.compare(f"{seed}: section {number} there and back", project, again, edges)

    def test_random_projects_come_back(self) -> None:
        for seed in range(PROJECTS):
            with self.subTest(seed):
                self.check(seed)


if __name__ == "__main__":
    unittest.main()
