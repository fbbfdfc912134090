# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound that runs away is muted and reported; no exported file hides it."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np

from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.new_project import timed
from zolvek.core.edits.replacement import with_track
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.project import Note, Project
from zolvek.core.records import replace
from zolvek.sound.engine.level_guard import MIX, MUTED_AFTER_S, LevelGuard
from zolvek.sound.engine.offline import Exploded, render
from zolvek.sound.engine.renderer import Renderer
from zolvek.sound.jobs.mix_export import export_mix

RATE = 48_000


def stacked(count: int) -> Project:
    """A note through so many channel strips, each 6 dB up."""
    project, track = add_track(timed(bars=2), "Loud")
    project, _ = add_device(project, track, DEVICE_KINDS["synth"])
    for _ in range(count):
        project, _ = add_device(project, track, DEVICE_KINDS["strip"])
    owner = next(item for item in project.tracks if item.id == track)
    devices = tuple(
        replace(device, values={**device.values, "level": 1.0}) if device.kind == "strip" else device
        for device in owner.devices
    )
    notes = (Note(0.0, 8.0, 45),)
    return with_track(project, replace(owner, devices=devices, notes=notes))


class Guarding(unittest.TestCase):
    def test_only_what_lasts_is_muted(self) -> None:
        """A click passes, whatever the blocks; a tone beyond the limit is muted within 10 ms and a look, at any
        frequency; NaN is not its concern."""
        for hertz in (25.0, 60.0, 130.0, 400.0, 9_000.0):
            for block in (37, 480, 48_000):
                guard, frames = LevelGuard(RATE), 0
                tone = 3_000.0 * np.sin(2 * np.pi * hertz * np.arange(RATE) / RATE) * np.ones((2, 1))
                out = np.concatenate(
                    [guard.checked("x", tone[:, at : at + block]) for at in range(0, RATE, block)], axis=1
                )
                frames = int(np.flatnonzero(np.abs(out).max(axis=0))[-1])
                self.assertIn("x", guard.muted)
                latest = MUTED_AFTER_S + max(block, RATE / hertz, 128) / RATE
                self.assertLess(frames / RATE, latest, (hertz, block))
        guard = LevelGuard(RATE)
        click = np.zeros((2, RATE))
        click[:, ::4_800] = 1e9
        np.testing.assert_array_equal(guard.checked("x", click), click)
        loud = np.full((2, RATE), 15.0)
        np.testing.assert_array_equal(guard.checked(MIX, loud), loud)
        self.assertEqual(float(np.abs(guard.checked(MIX, 2.0 * loud))[:, RATE // 2 :].max()), 0.0)
        guard.checked("x", np.full((2, 64), np.nan))
        self.assertEqual(set(guard.muted), {MIX})

    def test_a_device_that_runs_away_is_silent_until_it_is_restarted(self) -> None:
        project = stacked(14)
        renderer = Renderer(project, RATE)
        renderer.seek(0.0)
        for _ in range(40):
            sound = renderer.render(1_344)
        self.assertEqual(float(np.abs(sound).max()), 0.0)
        self.assertTrue(all("exceeded" in why for why in renderer.guard.muted.values()))
        again = Renderer(project, RATE, before=renderer)
        self.assertEqual({key for key in renderer.guard.muted if key}, set(again.guard.muted))
        again.guard.clear()
        again.seek(0.0)
        self.assertGreater(float(np.abs(again.render(480)).max()), 1.0, "it sounds again")
        self.assertGreater(float(np.abs(render(stacked(1), 0.0, 2.0)).max()), 0.01)

    def test_no_export_hides_it(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            for count in (14, 8):  # inside the chain, and at the mix
                path = Path(name, "loud.wav")
                with self.assertRaises(Exploded) as caught:
                    export_mix(stacked(count), path)
                self.assertFalse(path.exists())
                self.assertTrue(caught.exception.remedy)
                self.assertRegex(caught.exception.what, r"exceeded \+\d+ dBFS before \d+\.\d")


if __name__ == "__main__":
    unittest.main()
