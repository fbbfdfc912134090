# SPDX-License-Identifier: GPL-3.0-or-later
"""Recipes: what comes out is measured on the rendered track by measures of this test's own, bar by bar."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import pyloudnorm

from tests.sound.test_effects_of_controls import chain, noise_chain
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device, Note, Project
from zolvek.core.movement.recipes import FORMS, ROLES, SHIPPED, Recipe, RecipePart
from zolvek.core.records import replace
from zolvek.demo.night_regatta import bar, build
from zolvek.formats import recipe_library
from zolvek.sound.analysis.recipe_fitting import fitted
from zolvek.sound.engine.offline import render

RATE = 48_000
BY_NAME = {recipe.name: recipe for recipe in SHIPPED}


def alone(project: Project, track: str) -> Project:
    """The project with one track."""
    return replace(project, tracks=tuple(t for t in project.tracks if t.id == track), links=(), mappings=())


def loudness_of_bars(project: Project, first: int, count: int) -> np.ndarray:
    """The mean K-weighted level of each bar, ungated, by pyloudnorm's filters."""
    meter = pyloudnorm.Meter(RATE, filter_class="DeMan")
    result = []
    for number in range(first, first + count):
        sound = render(project, bar(number), bar(number + 1), rate=RATE).astype(float)
        for stage in meter._filters.values():
            sound = np.stack([stage.apply_filter(side) for side in sound])
        result.append(-0.691 + 10 * np.log10(np.square(sound).sum(axis=0).mean() + 1e-12))
    return np.array(result)


class Fitting(unittest.TestCase):
    def test_a_build_rises_evenly_on_the_demo(self) -> None:
        """Within 1 LU, by an independent measure of the file's sound; within a quarter octave, by its report."""
        demo = build()
        for track in ("fog", "hull"):
            result = fitted(demo, BY_NAME["Build"], track, bar(9), bar(16))
            self.assertEqual({part.role for part in result.parts if part.lane}, {"brightness", "level"})
            for part in result.parts:
                off = np.abs(part.reached - part.wanted).max()
                self.assertLess(off, 1.0 if part.role == "level" else 0.25, (track, part.role, part.notes))
            heard = loudness_of_bars(alone(result.project, track), 9, 7) - loudness_of_bars(alone(demo, track), 9, 7)
            wanted = next(part.wanted for part in result.parts if part.role == "level")
            np.testing.assert_allclose(heard, wanted, atol=1.0)
            # What the lanes held stays, and outside the span nothing is changed.
            for lane in demo.lanes():
                self.assertEqual(result.project.lane(lane.id).curve, lane.curve)
            np.testing.assert_allclose(
                render(alone(result.project, track), 0.0, bar(8)), render(alone(demo, track), 0.0, bar(8)), atol=1e-6
            )

    def test_a_pump_and_a_drop_are_where_and_as_deep_as_said(self) -> None:
        project = noise_chain(Device("p", "strip", "Strip"))
        project = replace(project, length=16.0, tracks=(replace(project.tracks[0], notes=(Note(0.0, 16.0, 45),)),))
        pump = fitted(project, BY_NAME["Pump"], "t", 4.0, 12.0)
        self.assertEqual((pump.parts[0].device, pump.parts[0].parameter), ("p", "level"))
        ratio = self.levels(pump.project) - self.levels(project)
        quarter = len(ratio) // 16
        on_beat = [ratio[beat * quarter + 1] for beat in range(4, 12)]
        before = [ratio[beat * quarter + quarter - 2] for beat in range(4, 12)]
        np.testing.assert_allclose(on_beat, -9.0, atol=1.0)
        np.testing.assert_allclose(before, 0.0, atol=0.3)
        np.testing.assert_allclose(ratio[: 4 * quarter - 1], 0.0, atol=1e-6)
        drop = fitted(project, BY_NAME["Drop"], "t", 0.0, 16.0)
        ratio = self.levels(drop.project) - self.levels(project)
        np.testing.assert_allclose(ratio[12 * quarter + 2 : 16 * quarter - 2], -24.0, atol=1.0)
        np.testing.assert_allclose(ratio[: 12 * quarter - 1], 0.0, atol=0.1)

    def levels(self, project: Project) -> np.ndarray:
        """Level in dB of every 32nd of a beat."""
        sound = render(project, 0.0, 16.0, rate=RATE).astype(float)
        count = 16 * 32
        power = np.square(sound[:, : sound.shape[1] // count * count]).mean(axis=0).reshape(count, -1).mean(axis=1)
        return 10 * np.log10(power + 1e-12)

    def test_what_can_not_be_done_is_said(self) -> None:
        project = noise_chain(Device("f", "filter", "Filter"))
        rise = fitted(project, BY_NAME["Rise to the hit"], "t", 0.0, 8.0)
        pitch = next(part for part in rise.parts if part.role == "pitch")
        self.assertEqual((pitch.lane, pitch.notes), ("", ("No control of this track makes it higher.",)))
        too_much = Recipe("Much", "", 2, (RecipePart("brightness", "hold", 6.0),))
        part = fitted(project, too_much, "t", 0.0, 8.0).parts[0]
        self.assertTrue(part.lane or part.notes)
        for work, start in (
            (chain(notes=()), 0.0),
            (replace(chain(), tracks=(replace(chain().tracks[0], devices=()),)), 0.0),
        ):
            with self.assertRaises(ZolvekError) as caught:
                fitted(work, BY_NAME["Build"], "t", start, start + 8.0)
            self.assertTrue(caught.exception.remedy)
        with self.assertRaises(ZolvekError):
            fitted(project, BY_NAME["Build"], "t", 0.0, 8.0, strength=float("nan"))

    def test_a_control_can_be_chosen_by_hand(self) -> None:
        project = noise_chain(Device("f", "filter", "Filter"), Device("p", "strip", "Strip"))
        chosen = {"brightness": ("f", "resonance"), "level": ("s", "level")}
        result = fitted(project, BY_NAME["Build"], "t", 0.0, 8.0, 0.5, chosen)
        self.assertEqual({(part.device, part.parameter) for part in result.parts}, set(chosen.values()))


class Records(unittest.TestCase):
    def test_every_recipe_uses_what_there_is(self) -> None:
        self.assertEqual(len(SHIPPED), 10)
        beats = np.linspace(0.0, 8.0, 513)
        for recipe in SHIPPED:
            for part in recipe.parts:
                target = part.target(beats, 0.0, 8.0)
                self.assertLessEqual(np.abs(target).max(), abs(part.amount) + 1e-9)
                self.assertGreater(np.abs(target).max(), 0.9 * abs(part.amount))
        ends = BY_NAME["Rise to the hit"].parts[0].span(0.0, 16.0)
        self.assertEqual(ends, (0.0, 16.0 - 1 / 16))
        self.assertTrue(set(ROLES) and set(FORMS))

    def test_ones_of_a_person_s_own_and_hostile_files(self) -> None:
        with tempfile.TemporaryDirectory() as name, mock.patch.object(recipe_library, "folder", lambda: Path(name)):
            own = Recipe("Build", "Mine", 4, (RecipePart("level", "rise", 2.0),))
            path = recipe_library.save(own)
            self.assertEqual(recipe_library.named("build"), own)
            text = path.read_text()
            changes = (("rise", "dance"), ("2.0", "1e99"), ('"version": 1', '"version": 9'))
            for bad in ("", "[]", *(text.replace(*change) for change in changes)):
                path.write_text(bad)
                found, faults = recipe_library.recipes()
                self.assertEqual((len(found), len(faults)), (10, 1), bad[:40])
        for change in ({"amount": float("nan")}, {"role": "taste"}, {"first": 0.9, "last": 0.1}, {"before": -1.0}):
            with self.assertRaises(ZolvekError):
                RecipePart(**{"role": "level", "form": "rise", "amount": 1.0, **change})  # type: ignore[arg-type]  # wrong on purpose


if __name__ == "__main__":
    unittest.main()
