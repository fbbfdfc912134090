# SPDX-License-Identifier: GPL-3.0-or-later
"""Which control moves the sound, and where nothing moves: against standards, textbook formulas, and sounds whose answer
is known by construction."""

from __future__ import annotations

import unittest
from typing import Any
from unittest import mock

import numpy as np
import pyloudnorm
from scipy import signal

from zolvek.core.curve.construction import flat, lines
from zolvek.core.edits.measured_lanes import lane_with_reach
from zolvek.core.edits.replacement import add_lane, with_curve, with_lane
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device, Note, Project, Track
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.sound.analysis import control_effects
from zolvek.sound.analysis.control_effects import ControlEffect, effects, measured
from zolvek.sound.analysis.descriptors import FRAME, HOP, KEYS, describe, flatness, pitch_shift
from zolvek.sound.analysis.held_renders import MEASURE_RATE, HeldRenders
from zolvek.sound.analysis.lane_effect import lane_effect, loudness_kept
from zolvek.sound.analysis.measures import block_powers, loudness, lufs
from zolvek.sound.analysis.stillness import bar_movement

RATE = MEASURE_RATE
NOTES = (Note(0.0, 8.0, 45),)


def chain(*devices: Device, notes: tuple[Note, ...] = NOTES, length: float = 8.0, **values: float) -> Project:
    synth = Device("s", "synth", "Synth", {"sustain": 1.0, "attack": 0.0, "cutoff": 1.0, "level": 0.8, **values})
    return Project(length=length, tracks=(Track("t", "T", (synth, *devices), notes=notes),))


def noise_chain(*devices: Device) -> Project:
    """White noise for eight beats."""
    return chain(*devices, noise=1.0, wave=0.9)


def by_name(rows: list[ControlEffect]) -> dict[str, dict[str, float]]:
    return {f"{row.device}.{row.parameter}": dict(zip(KEYS, row.signed.tolist(), strict=True)) for row in rows}


def tone(hertz: float, seconds: float = 3.0) -> np.ndarray:
    """A saw-like tone, both sides the same."""
    time = np.arange(round(seconds * RATE)) / RATE
    partials = (np.sin(2 * np.pi * hertz * k * time) / k for k in range(1, 30) if hertz * k < RATE / 2)
    return np.stack([0.2 * sum(partials)] * 2)


class Descriptors(unittest.TestCase):
    def test_loudness_is_that_of_the_standard(self) -> None:
        """ITU-R BS.1770-4, by pyloudnorm, through its gates."""
        rng = np.random.default_rng(0)
        for rate in (32_000, 44_100, 48_000, 96_000):
            for seconds in (0.4, 1.0, 3.37):
                count = int(seconds * rate) + 1
                fade = np.interp(np.arange(count), [0, count / 2, count], [0.3, 0.001, 0.1])
                sound = rng.normal(size=(2, count)) * fade
                wanted = pyloudnorm.Meter(rate, filter_class="DeMan").integrated_loudness(sound.T.copy())
                self.assertAlmostEqual(loudness(sound, rate), wanted, delta=1e-6)

    def test_centroid_and_flatness_by_their_definitions(self) -> None:
        """Lerch, "An Introduction to Audio Content Analysis", 3.3: Σ f·|X| / Σ |X|; geometric over arithmetic mean."""
        rng = np.random.default_rng(1)
        sound = np.stack([signal.lfilter([1.0], [1.0, -0.9], rng.normal(size=2 * RATE))] * 2) * 0.05
        hertz, _, spectrum = signal.stft(sound[0], RATE, "hann", FRAME, FRAME - HOP, boundary=None, padded=False)
        power = np.abs(spectrum) ** 2
        mean = np.sqrt(power.mean(axis=1))
        described = describe(sound, RATE, sound.shape[1])
        self.assertAlmostEqual(described.brightness, np.log2((hertz * mean).sum() / mean.sum()), delta=0.01)
        held = power[1:].T
        ratios = np.exp(np.log(held).mean(axis=1)) / held.mean(axis=1)
        self.assertAlmostEqual(described.noise, float((ratios * held.sum(1)).sum() / held.sum()), delta=0.005)
        self.assertAlmostEqual(flatness(np.ones((4, 9))), 1.0, delta=1e-9)

    def test_width_pitch_rate_and_silence(self) -> None:
        base = describe(tone(110.0), RATE, 3 * RATE)
        for semitones in (0.0, 0.5, 2.0, 7.0, -12.0, 3.3):
            shifted = describe(tone(110.0 * 2.0 ** (semitones / 12.0)), RATE, 3 * RATE)
            self.assertAlmostEqual(pitch_shift(base.tones, shifted.tones), semitones, delta=0.05)
        rng = np.random.default_rng(2)
        left, right = rng.normal(size=(2, 3 * RATE)) * 0.1
        self.assertTrue(np.isnan(pitch_shift(base.tones, describe(np.stack((left, left)), RATE, 3 * RATE).tones)))
        self.assertAlmostEqual(describe(np.stack((left, right)), RATE, 3 * RATE).width, 0.0, delta=0.2)
        self.assertAlmostEqual(describe(np.stack((left, -left)), RATE, 3 * RATE).width, 60.0)
        time = np.arange(3 * RATE) / RATE
        for rate in (1.5, 5.3, 9.0):
            moved = tone(220.0) * (1.0 + 0.5 * np.sin(2 * np.pi * rate * time))
            self.assertAlmostEqual(describe(moved, RATE, 3 * RATE).rate, rate, delta=0.1)
        self.assertTrue(np.isnan(base.rate))
        silent = describe(np.zeros((2, RATE)), RATE, RATE)
        self.assertEqual(silent.loudness, -70.0)
        self.assertTrue(np.isnan([silent.brightness, silent.width, silent.noise, silent.space]).all())


class Controls(unittest.TestCase):
    def rows(self, project: Project, *devices: str, span: tuple[float, float] = (0.0, 4.0)) -> list[ControlEffect]:
        return measured(project, devices or [d.id for d in project.tracks[0].devices], span)

    def test_a_level_a_pan_and_a_filter_do_what_they_must(self) -> None:
        strip = Device("p", "strip", "Strip")
        filtering = Device("f", "filter", "Filter", {"resonance": 0.0})
        project = noise_chain(filtering, strip)
        rows = self.rows(project, "f", "p")
        signed = by_name(rows)
        level = next(row for row in rows if row.parameter == "level")
        decibels = strip.parameter("level").value(level.positions[4:])
        heard = level.measures[KEYS.index("loudness")][4:]
        np.testing.assert_allclose(np.diff(heard), np.diff(decibels), atol=0.05)
        self.assertEqual(rows[0].parameter, "level", "the greatest comes first")
        # One side alone is as much side as middle; in the middle there is no side (the pan law).
        self.assertAlmostEqual(signed["p.pan"]["width"], -60.0)
        self.assertIn("width", next(row for row in rows if row.parameter == "pan").returns)
        # A low-pass of the second order over white noise: its centroid by the analogue formula.
        cutoff = next(row for row in rows if (row.device, row.parameter) == ("f", "cutoff"))
        hertz = np.fft.rfftfreq(FRAME, 1.0 / RATE)
        corners = filtering.parameter("cutoff").value(cutoff.positions)
        wanted = []
        for corner in corners.tolist():
            # The trapezoidal form's own frequencies (bilinear transform).
            ratio = np.tan(np.pi * np.minimum(hertz, 0.4999 * RATE) / RATE) / np.tan(
                np.pi * min(corner, 0.49 * RATE) / RATE
            )
            size = 1.0 / np.sqrt((1.0 - ratio**2) ** 2 + 2.0 * ratio**2)
            wanted.append(np.log2((hertz * size).sum() / size.sum()))
        middle = slice(3, 7)
        bright = cutoff.measures[KEYS.index("brightness")]
        np.testing.assert_allclose(np.diff(bright[middle]), np.diff(np.array(wanted)[middle]), atol=0.15)

    def test_transposing_is_pitch_and_what_is_switched_off_is_said(self) -> None:
        silent = Device("d", "delay", "Echo", {"mix": 0.0})
        rows = self.rows(chain(silent), "s", "d")
        signed = by_name(rows)
        self.assertAlmostEqual(signed["s.transpose"]["pitch"], 48.0, delta=0.2)
        feedback = next(row for row in rows if (row.device, row.parameter) == ("d", "feedback"))
        self.assertEqual((feedback.strength, feedback.silent_while), (0.0, ("Mix", "0 %")))
        self.assertGreater(signed["d.mix"]["space"], 10.0)
        strengths = [row.strength for row in rows]
        self.assertEqual(strengths, sorted(strengths, reverse=True))
        for row in rows:
            low, high = row.reach
            self.assertTrue(0.0 <= low < high <= 1.0)

    def test_the_same_on_any_number_of_cores(self) -> None:
        project = build()
        ids = [device.id for device in project.tracks[2].devices]
        many = measured(project, ids, (32.0, 34.0))
        with mock.patch.object(control_effects, "cores", lambda: 1):
            one = measured(project, ids, (32.0, 34.0))
        for first, second in zip(many, one, strict=True):
            self.assertEqual((first.device, first.parameter), (second.device, second.parameter))
            np.testing.assert_array_equal(first.measures, second.measures)

    def test_what_comes_before_a_device_is_rendered_once_and_is_the_same(self) -> None:
        project = build()
        track = project.tracks[1]
        held = HeldRenders(project, track.devices[1].id, (32.0, 34.0), tail_s=0.5)
        whole = HeldRenders(project, track.devices[0].id, (32.0, 34.0), tail_s=0.5)
        np.testing.assert_allclose(held.at({}), whole.at({}), atol=1e-9)

    def test_bad_input_is_a_clear_sentence(self) -> None:
        project = chain(notes=())
        for span, work in (((0.0, 4.0), project), ((0.0, 1 / 64), chain()), ((2.0, 2.0), chain())):
            with self.assertRaises(ZolvekError) as caught:
                list(effects(work, ["s"], span))
            self.assertTrue(caught.exception.remedy)
        with self.assertRaises(ZolvekError):
            list(effects(chain(), [], (0.0, 4.0)))
        self.assertTrue(list(effects(chain(), ["s"], (0.0, 1 / 16))))

    def test_a_device_that_fails_is_reported_and_the_rest_goes_on(self) -> None:
        project = chain(Device("p", "strip", "Strip"))
        described = control_effects.Probe.described

        def failing(self: Any, device: str, positions: dict[str, float]) -> Any:
            if device == "s" and "cutoff" in positions:
                raise ZolvekError("The plugin crashed.", "Synth")
            return described(self, device, positions)

        with mock.patch.object(control_effects.Probe, "described", failing):
            rows = self.rows(project)
        self.assertEqual([row.fault for row in rows if row.parameter == "cutoff"], ["The plugin crashed."])
        self.assertGreater(len([row for row in rows if row.strength]), 4)

    def test_a_lane_gets_the_reach_and_changes_nothing(self) -> None:
        project = chain()
        made, key = lane_with_reach(project, "s", "cutoff", (0.2, 0.6))
        lane = made.lane(key)
        self.assertEqual(lane.reach, (0.2, 1.0), "widened to where the control stands")
        self.assertAlmostEqual(float(lane.to_position(lane.curve.value)[0]), 1.0)
        self.assertEqual(lane_with_reach(made, "s", "cutoff", (0.0, 0.1))[0], made)


class Stillness(unittest.TestCase):
    def test_what_stands_still_is_exactly_still(self) -> None:
        project = build()
        for lane in list(project.lanes()):
            project = with_curve(project, lane.id, flat(0.4))
        tracks = tuple(
            replace(t, lanes=tuple(replace(lane, layers=(), slots=(), switches=(), cycle=None) for lane in t.lanes))
            for t in project.tracks
        )
        moved = bar_movement(replace(project, tracks=tracks, length=32.0))
        np.testing.assert_array_equal(moved.automation, 0.0)
        self.assertEqual(moved.still(), [(1, 8)])

    def test_a_fade_is_as_many_decibels_in_its_bar_alone(self) -> None:
        """12 dB down over bar 3, and 6 dB at once at the line of bar 6."""
        project = chain(Device("p", "strip", "Strip"), notes=(Note(0.0, 32.0, 45),), length=32.0)
        project, key = add_lane(project, "p", "level")
        position = project.parameter_of(key).position
        values = [float(position(level)) for level in (0.0, 0.0, -12.0, -12.0, -18.0, -18.0)]
        moved = bar_movement(with_curve(project, key, lines([0.0, 8.0, 12.0, 20.0, 20.0, 32.0], values)))
        np.testing.assert_allclose(moved.automation[[2, 5]], [12.0, 6.0], atol=0.7)
        np.testing.assert_allclose(moved.automation[[0, 1, 4, 6, 7]], 0.0, atol=0.1)
        self.assertEqual(moved.still()[0], (1, 2))
        self.assertFalse(moved.silent.any())

    def test_nothing_to_hear(self) -> None:
        with self.assertRaises(ZolvekError):
            bar_movement(Project())
        moved = bar_movement(chain(notes=()))
        self.assertTrue(moved.silent.all())
        self.assertEqual(moved.still(), [])

    def test_the_demo_has_a_still_passage(self) -> None:
        self.assertIn((9, 12), bar_movement(build()).still())


class OneLane(unittest.TestCase):
    def swept(self) -> tuple[Project, str]:
        """Noise, 12 dB down over eight beats by a lane of the synth's level, before a strip."""
        project = noise_chain(Device("p", "strip", "Strip"))
        project, key = add_lane(project, "s", "level")
        position = project.parameter_of(key).position
        values = [float(position(level)) for level in (0.0, -12.0)]
        return with_curve(project, key, lines([0.0, 8.0], values)), key

    def test_its_effect_in_decibels(self) -> None:
        project, key = self.swept()
        stand = project.parameter_of(key).value(project.device_track("s").device("s").position("level"))
        effect = lane_effect(project, key, (0.0, 8.0))
        at = project.lane(key).to_position(project.lane(key).curve.at(effect.beats))
        wanted = project.parameter_of(key).value(at) - float(stand)
        np.testing.assert_allclose(effect.loudness[1:-1], wanted[1:-1], atol=0.3)
        np.testing.assert_allclose(effect.brightness, 0.0, atol=0.05)

    def test_the_loudness_is_kept(self) -> None:
        """Within 0.5 LU by short-term windows of three seconds (EBU Tech 3341); the lane stays as it was."""
        project, key = self.swept()
        kept = loudness_kept(project, key, (0.0, 8.0))
        self.assertEqual(kept.lane(key), project.lane(key))
        lane = project.lane(key)
        plain = with_lane(project, replace(lane, bypassed=True))

        def short_term(version: Project) -> np.ndarray:
            held = HeldRenders(version, "s", (0.0, 8.0))
            return lufs(block_powers(held.at({}), held.rate, 3.0, 0.1))

        self.assertGreater(np.abs(short_term(project) - short_term(plain)).max(), 3.0)
        np.testing.assert_allclose(short_term(kept), short_term(plain), atol=0.5)
        strip, level = add_lane(project, "p", "level")
        with self.assertRaises(ZolvekError) as caught:
            loudness_kept(strip, level, (0.0, 8.0))
        self.assertTrue(caught.exception.remedy)


if __name__ == "__main__":
    unittest.main()
