# SPDX-License-Identifier: GPL-3.0-or-later
"""A pass begun anywhere hears what a pass from the start hears there, once what rings on has died away: the demo, and
each stand-in alone, with a control that moves."""

from __future__ import annotations

import unittest

import numpy as np

from zolvek.core.curve.construction import curve
from zolvek.core.edits import chains, replacement
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.project import Clip, Note, Project
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.sound.engine.device_registry import MAKERS
from zolvek.sound.engine.offline import render

RATE = 16_000
DEMO_SECONDS = 14.0  # after which the demo's echoes have died away
TAIL_SECONDS = 6.0  # and those of a stand-in with its controls in the middle
SAME = 2e-5  # of full scale: 94 dB below it
START, ELSEWHERE = 0.0, 7.37  # beats; the latter in the middle of everything


def with_stand_in(kind: str) -> tuple[Project, str]:
    """A track with notes through one stand-in, or with sound through it; and the device."""
    project, track = chains.add_track(Project(length=48.0), "T")
    row = DEVICE_KINDS[kind]
    if row.role == "instrument" or kind == "strip":
        notes = tuple(Note(0.75 * n, 0.5, 36 + n % 24, 0.8) for n in range(60))
        source = kind if row.role == "instrument" else "synth"
        project, device = chains.add_device(project, track, DEVICE_KINDS[source])
        project = replacement.with_track(project, replace(project.tracks[0], notes=notes))
        if kind == "strip":
            device = project.tracks[0].devices[-1].id
    else:
        clip = Clip(0.0, "shipped:fog.flac", loop_until=48.0)
        project = replacement.with_track(project, replace(project.tracks[0], clips=(clip,)))
        project, device = chains.add_device(project, track, row)
    return project, device


class FromAnywhere(unittest.TestCase):
    def apart(self, project: Project, seconds: float) -> float:
        """How far a pass from the start and one from elsewhere are apart, from some seconds after on."""
        whole = render(project, START, project.length, rate=RATE)
        later = render(project, ELSEWHERE, project.length, rate=RATE)
        frames = later.shape[1] - round(seconds * RATE)
        self.assertGreater(frames, RATE)
        self.assertGreater(float(np.abs(whole[:, -frames:]).max()), 1e-3, "it is heard")
        return float(np.abs(whole[:, -frames:] - later[:, -frames:]).max())

    def test_the_demo(self) -> None:
        demo = replace(build(), length=56.0)
        self.assertLess(self.apart(demo, DEMO_SECONDS), SAME)

    def test_each_stand_in_with_a_control_that_moves(self) -> None:
        for kind in sorted(set(MAKERS) & set(DEVICE_KINDS)):
            project, device = with_stand_in(kind)
            row = DEVICE_KINDS[kind].parameters[0]
            project, lane = replacement.add_lane(project, device, row.id)
            here = project.device_track(device).device(device).position(row.id)
            low, high = max(here - 0.1, 0.0), min(here + 0.1, 1.0)
            drawn = curve([(0.0, low), (20.0, high, "cosine"), (48.0, low)])
            with self.subTest(kind):
                moved = replacement.with_curve(project, lane, drawn)
                self.assertLess(self.apart(moved, TAIL_SECONDS), SAME)


if __name__ == "__main__":
    unittest.main()
