# SPDX-License-Identifier: GPL-3.0-or-later
"""The useful reach by measure, the sound behind a lane, and work in the background."""

from __future__ import annotations

import threading
import unittest
from typing import Any, cast

import numpy as np

from zolvek.core.curve.construction import curve
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device, Note, Project, Track
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.sound.analysis.backdrop import backdrop
from zolvek.sound.analysis.measures import HIGHEST, LOWEST, brightness, level_db, spectrogram
from zolvek.sound.analysis.useful_reach import Probe, evened, measure, proposed
from zolvek.sound.effects import processors
from zolvek.sound.engine.renderer import RATE
from zolvek.sound.processes.job_messages import Done, Job, JobError, News, Progress
from zolvek.sound.processes.job_process import Jobs


class Plateau:
    """A width device whose gain does nothing above 64 % of its travel: an uneven rise of 30 dB
    below it."""

    spacing = 16
    sent = None

    def __init__(self, kind: str, rate: int) -> None:
        pass

    def process(self, sound: np.ndarray, controls: Any) -> np.ndarray:
        position = controls.device.parameter("gain").position(controls.values("gain"))
        part = np.minimum(position / 0.64, 1.0)
        return sound * controls.spread(10 ** ((18 * part + 12 * part**3 - 30) / 20))


def noisy() -> Project:
    synth = Device("i", "synth", "I", {"wave": 0.9, "noise": 1.0, "sustain": 1.0, "cutoff": 0.8})
    track = Track("t", "T", (synth, Device("w", "width", "W")), (), (Note(0.0, 8.0, 60),))
    return Project(length=8.0, tracks=(track,))


class Reach(unittest.TestCase):
    def setUp(self) -> None:
        usual = processors.PROCESSORS["width"]
        processors.PROCESSORS["width"] = cast(Any, Plateau)
        self.addCleanup(processors.PROCESSORS.__setitem__, "width", usual)

    def test_a_control_that_does_nothing_above_64_percent(self) -> None:
        reported: list[tuple[int, int]] = []
        measured = measure(noisy(), "w", "gain", (0.5, 1.5), lambda *row: reported.append(row))
        low, high = proposed(measured)
        self.assertAlmostEqual(high, 0.64, delta=0.01)
        self.assertLess(low, 0.05)
        self.assertEqual(reported[-1][0], reported[-1][1], "progress runs to its end")
        # Evened, equal steps of the curve make equal steps of what is measured.
        straight = curve([(0.0, 0.0), (8.0, 1.0)])
        even = evened(straight, (low, high), measured)
        self.assertLess(len(even), 12, "few points")
        probe = Probe(noisy(), "w", "gain", (0.5, 1.5))
        at = low + (high - low) * even.at(np.linspace(0.0, 8.0, 9))
        steps = np.diff([probe.at(p)[0] for p in at])
        self.assertLess(steps.std() / steps.mean(), 0.05)
        np.testing.assert_allclose(steps, steps.mean(), rtol=0.05)
        # The same on a reach that is turned over: the warp runs the other way.
        turned = evened(straight, (high, low), measured)
        at = high + (low - high) * turned.at(np.linspace(0.0, 8.0, 9))
        steps = -np.diff([probe.at(p)[0] for p in at])
        np.testing.assert_allclose(steps, steps.mean(), rtol=0.05)

    def test_where_nothing_changes_it_says_so(self) -> None:
        silent = replace(noisy().tracks[0], notes=())
        with self.assertRaises(ZolvekError):
            measure(Project(length=8.0, tracks=(silent,)), "w", "gain", (0.0, 0.5))
        with self.assertRaises(ZolvekError):
            measure(noisy(), "w", "gain", (1.0, 1.0))


class Pictures(unittest.TestCase):
    def test_level_brightness_and_the_row_of_a_tone(self) -> None:
        t = np.arange(RATE) / RATE
        for hertz in (110.0, 1_000.0, 9_000.0):
            sound = np.tile(np.sin(2 * np.pi * hertz * t), (2, 1))
            self.assertAlmostEqual(level_db(sound), -3.01, delta=0.02)
            self.assertAlmostEqual(brightness(sound, RATE) / hertz, 1.0, delta=0.02)
            shades = spectrogram(0.05 * sound, RATE, np.array([RATE / 2]), rows=200)
            row = 199 - int(np.argmax(shades[:, 0]))
            found = LOWEST * (HIGHEST / LOWEST) ** ((row + 0.5) / 200)
            self.assertAlmostEqual(found / hertz, 1.0, delta=0.06)
        self.assertEqual(spectrogram(np.zeros((2, RATE)), RATE, np.array([0.0])).max(), 0)

    def test_a_job_reports_and_can_be_cancelled(self) -> None:
        jobs, ended = Jobs(), threading.Event()
        received: list[News] = []

        def hear(news: News) -> None:
            received.append(news)
            if not isinstance(news, Progress):
                ended.set()

        self.addCleanup(jobs.close)
        small = replace(build(), length=16.0)
        picture = "zolvek.sound.analysis.backdrop:job"
        jobs.start(Job(picture, (build(), "hull", "spectrogram")), hear)
        jobs.cancel()
        jobs.start(Job(picture, (small, "hull", "waveform")), hear)
        self.assertTrue(ended.wait(30))
        done = received[-1]
        assert isinstance(done, Done)
        wanted = backdrop(small, "hull", "waveform").picture
        np.testing.assert_array_equal(done.value.picture, wanted)
        self.assertEqual([type(news) for news in received].count(Done), 1)
        ended.clear()
        reach = Job("zolvek.sound.analysis.useful_reach:job", (small, "horn", "cutoff", (1.0, 1.0)))
        jobs.start(reach, hear)
        self.assertTrue(ended.wait(30))
        refused = received[-1]
        assert isinstance(refused, JobError)
        self.assertIsInstance(refused.error, ZolvekError)


if __name__ == "__main__":
    unittest.main()
