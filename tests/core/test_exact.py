# SPDX-License-Identifier: GPL-3.0-or-later
"""Operations on whole curves against independent forms of the same thing: scipy.ndimage's filters,
quadrature, and plain arithmetic at many places."""

from __future__ import annotations

import itertools
import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter1d, uniform_filter1d

from tests import trials
from tests.core.curves import curves
from tests.present import present
from zolvek.core.curve.construction import curve, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import leaps
from zolvek.core.curve.means import mean, means
from zolvek.core.curve.quantising import quantised
from zolvek.core.curve.shaping import faded, flattened, smoothed, tilted
from zolvek.core.edits import pads as pads_edits
from zolvek.core.edits import states
from zolvek.core.model.pad import Pad, PadCorner
from zolvek.core.model.state import StatePart
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.movement.generators.lfo_points import as_curve
from zolvek.core.movement.generators.randomness import (
    RANDOM_KINDS,
    RandomMove,
    humanised,
    random_curve,
)
from zolvek.core.movement.generators.waves import WAVES
from zolvek.core.movement.morphing import pad_paths
from zolvek.core.records import replace
from zolvek.core.time.grid import Grid
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.rates import Rate
from zolvek.core.time.tempo import TempoMap
from zolvek.demo.night_regatta import build

T = TempoMap()
DEMO = build()


def away(beats: np.ndarray, jumps: Any, distance: float) -> np.ndarray:
    """The beats that are not so near to a jump."""
    for jump in jumps:
        beats = beats[np.abs(beats - jump) > distance]
    return beats


class Means(unittest.TestCase):
    def test_a_fine_gate_has_its_own_mean_however_long_the_lane(self) -> None:
        """Open 25.6 % of each sixteenth, over 400 beats."""
        rows = [(i * 0.25 + part, level, "hold") for i in range(1_600) for part, level in ((0, 1), (0.064, 0))]
        gate = curve([*rows, (400.0, 0.0)])
        self.assertAlmostEqual(mean(gate, 0.0, 400.0), 0.256, delta=1e-12)
        self.assertAlmostEqual(float(flattened(gate).value[0]), 0.256, delta=1e-12)

    @given(curves(), st.integers(0, 999))
    def test_means_are_those_of_many_places(self, drawn: Curve, seed: int) -> None:
        rng = np.random.default_rng(seed)
        first, last = float(drawn.beat[0]) - 1.0, float(drawn.beat[-1]) + 1.0
        edges = np.sort(rng.uniform(first, last, 5))
        edges = edges[np.append(True, np.diff(edges) > 1e-3)]
        if len(edges) < 2:
            return
        for low, high, got in zip(edges, edges[1:], means(drawn, edges), strict=False):
            places = low + (high - low) * (np.arange(40_000) + 0.5) / 40_000
            self.assertAlmostEqual(got, float(drawn.at(places).mean()), delta=2e-3)


class Smoothing(unittest.TestCase):
    def check(self, drawn: Curve, sigma: float, first: float, last: float, fine: int = 60) -> None:
        found = smoothed(drawn, sigma)
        step = sigma / fine
        at = np.arange(first, last, step)
        wanted = gaussian_filter1d(drawn.at(at), sigma / step, mode="nearest", truncate=5)
        inside = (at > first + 6 * sigma) & (at < last - 6 * sigma)
        far = np.abs(found.at(at) - wanted)[inside]
        self.assertLess(far.max(initial=0.0), 0.004)

    def test_against_a_gaussian_filter_of_scipy(self) -> None:
        sine = as_curve(Lfo("sine", Rate(0.25)), 0.0, 400.0, T)
        self.check(sine, 0.03, 0.0, 400.0)
        self.check(sine, 0.5, 0.0, 400.0)
        rng = np.random.default_rng(3)
        self.check(lines(np.arange(10_001) * 0.04, rng.random(10_001)), 0.1, 0.0, 400.0)
        self.check(
            curve([(0.0, 0.1, "pulses", 40.0), (64.0, 0.9, "stairs", 9.0), (80.0, 0.2)]),
            0.3,
            0.0,
            80.0,
            400,
        )

    def test_ends_stay(self) -> None:
        drawn = curve([(0.0, 0.9, "waves", 5.0), (4.0, 0.1)])
        found = smoothed(drawn, 0.4)
        self.assertEqual((float(found.at(0.0)), float(found.before(4.0))), (0.9, 0.1))


class Ramps(unittest.TestCase):
    @given(curves(), st.floats(-0.6, 0.6), st.floats(-0.6, 0.6), st.booleans(), st.floats(0.0, 1.0))
    def test_fades_and_tilts_are_the_curve_with_a_ramp(
        self, drawn: Curve, left: float, right: float, fade_in: bool, level: float
    ) -> None:
        first, last = float(drawn.beat[0]), float(drawn.beat[-1])
        if last - first < 0.05:
            return
        at = away(np.linspace(first, last, 3_000)[:-1], leaps(drawn), 1e-6)
        u = (at - first) / (last - first)
        wanted = np.clip(drawn.at(at) + left + (right - left) * u, 0.0, 1.0)
        self.assertLess(np.abs(tilted(drawn, left, right).at(at) - wanted).max(initial=0.0), 0.002)
        weight = u if fade_in else 1.0 - u
        wanted = level + (drawn.at(at) - level) * weight
        found = faded(drawn, fade_in, level).at(at)
        self.assertLess(np.abs(found - wanted).max(initial=0.0), 0.002)

    def test_lines_and_holds_are_exact(self) -> None:
        hold = curve([(0.0, 0.5, "hold"), (8.0, 0.5)])
        self.assertEqual(tilted(hold, 0.0, 0.4).before(8.0), 0.9)
        self.assertEqual(len(tilted(curve([(0.0, 0.1), (4.0, 0.4), (8.0, 0.2)]), 0.1, 0.2)), 3)
        np.testing.assert_allclose(faded(hold, True, 0.0).at([2.0, 4.0]), [0.125, 0.25], atol=1e-12)


class Generators(unittest.TestCase):
    def test_smoothing_is_a_running_mean_that_keeps_the_mean(self) -> None:
        """scipy.ndimage.uniform_filter1d over half a cycle times the smoothing."""
        x = np.arange(0, 16, 1 / 2_000)
        for wave, smooth, skew in itertools.product(WAVES, (0.25, 0.5, 1.0), (0.0, 0.7, 0.97, -0.97)):
            if wave == "pattern" or (skew and not WAVES[wave].skews):
                continue
            lfo = Lfo(wave, Rate(1.0), skew=skew)
            plain = as_curve(lfo, 0.0, 16.0, T).at(x)
            soft = as_curve(replace(lfo, smooth=smooth), 0.0, 16.0, T).at(x)
            wanted = uniform_filter1d(plain, round(smooth * 0.5 * 2_000), mode="nearest")
            inside = (x > 1.0) & (x < 15.0)
            self.assertLess(np.abs(soft - wanted)[inside].max(), 0.003, (wave, smooth, skew))
            self.assertAlmostEqual(soft[inside].mean(), plain[inside].mean(), delta=0.01)

    def test_skew_moves_the_middle_of_every_wave_that_has_one(self) -> None:
        for wave, row in WAVES.items():
            if wave == "pattern":
                continue
            lfo = Lfo(wave, Rate(4.0))
            same = as_curve(lfo, 0.0, 8.0, T).at(np.linspace(0.0, 7.9, 80))
            skewed = as_curve(replace(lfo, skew=0.5), 0.0, 8.0, T).at(np.linspace(0.0, 7.9, 80))
            self.assertEqual(bool(np.abs(same - skewed).max() > 0.05), row.skews, wave)
        saw = as_curve(Lfo("saw-up", Rate(4.0), skew=0.5), 0.0, 4.0, T)
        self.assertAlmostEqual(float(saw.at(3.0)), 0.5, places=9, msg="the middle is at 75 % now")

    def test_every_slider_at_both_ends_alone_and_together(self) -> None:
        ends = {"phase": (0.0, 1.0), "amount": (-1.0, 1.0), "centre": (0.0, 1.0), "width": (0.001, 0.999),
                "skew": (-0.99, 0.99), "smooth": (0.0, 1.0), "soften": (0.0, 10.0)}  # fmt: skip
        for wave in WAVES:
            if wave == "pattern":
                continue
            together = list(itertools.product(*ends.values()))
            rng = np.random.default_rng(7)
            some = [together[i] for i in rng.choice(len(together), trials(10), replace=False)]
            plain = Lfo(wave)
            alone = [
                tuple(end if key == moved else getattr(plain, key) for key in ends)
                for moved, pair in ends.items()
                for end in pair
            ]
            for values in (together[0], together[-1], *some, *alone):
                lfo = Lfo(wave, Rate(1.0), **dict(zip(ends, values, strict=True)))
                found = as_curve(lfo, 0.0, 3.3, T).at(np.linspace(0.0, 3.3, 40))
                self.assertTrue(((found >= 0.0) & (found <= 1.0)).all(), (wave, values))
        moves = {"offset": (-1.0, 1.0), "density": (0.0, 1.0), "smoothness": (0.0, 1.0)}
        for kind, spread in itertools.product(RANDOM_KINDS, ("even", "bell", "levels")):
            for values in itertools.product(*moves.values()):
                named: dict[str, Any] = dict(zip(moves, values, strict=True))
                move = RandomMove(kind, spread=spread, levels=(0.0, 1.0), **named)
                found = random_curve(move, 0.0, 9.0, T).at(np.linspace(0.0, 9.0, 60))
                self.assertTrue(((found >= 0.0) & (found <= 1.0)).all(), (kind, spread, values))
        for strength in (0.0, 1.0):
            self.assertTrue(np.isfinite(humanised(curve([(0.0, 0.0), (8.0, 1.0)]), 0, 8, strength, 3).value).all())


class Pads(unittest.TestCase):
    def test_a_path_keeps_its_tolerance_at_every_instant(self) -> None:
        """Once round in half a beat, among six states: looked at sixty places a hundredth of a beat."""
        device = DEMO.tracks[0].devices[0]
        project, corners = DEMO, []
        rng = np.random.default_rng(2)
        for number in range(6):
            values = {p.id: float(rng.random()) for p in device.parameters}
            project, state = states.kept(project, f"S{number}", (StatePart(device.id, values),))
            corners.append(PadCorner(state, *rng.uniform(0.0, 1.0, 2).tolist()))
        pad = Pad(device.id, tuple(corners))
        pad = pad_paths.travelled(pad, "circle", Rate(0.5), (4.0, 6.0), project)
        made = pad_paths.as_lanes(pads_edits.with_pad(project, pad), pad, 0.005)
        at = np.linspace(4.0, 6.0, 12_001)[:-1]
        wanted = pad_paths.mixed(project, pad, pad.x.at(at), pad.y.at(at))
        track = made.device_track(device.id)
        for key, positions in wanted.items():
            lane = track.lane_on(device.id, key)
            parameter = device.parameter(key)
            heard = played(present(lane), made).at(at)
            if parameter.steps:
                wrong = parameter.value(heard) != parameter.value(positions)
                self.assertLess(wrong.mean(), 0.01, key)
            else:
                self.assertLessEqual(np.abs(heard - positions).max(), 0.005 + 1e-9, key)


class Grids(unittest.TestCase):
    @given(
        st.floats(0.0, 90.0),
        st.floats(-2.0, 2.0),
        st.sampled_from([0.0, 0.3, 0.66]),
        st.sampled_from([-0.2, -0.05, 0.0, 0.1, 0.3]),
        st.sampled_from([4, 8, 16]),
    )
    def test_one_meter_and_two_that_are_alike_snap_alike(
        self, beat: float, move: float, swing: float, offset: float, division: int
    ) -> None:
        grid = Grid(division, "straight", True, swing, offset)
        meter_map = MeterMap((MeterPoint(1, 4, 4),))
        two = MeterMap((MeterPoint(1, 4, 4), MeterPoint(9, 4, 4)))
        self.assertAlmostEqual(float(grid.snap(beat, meter_map)), float(grid.snap(beat, two)), places=9)
        line = float(grid.snap(beat, meter_map))
        self.assertGreaterEqual(line, 0.0)
        lines_ = grid.lines(0.0, 120.0, meter_map) + grid.offset
        near = lines_[lines_ >= -1e-9]
        self.assertAlmostEqual(abs(line - beat), float(np.abs(near - beat).min()), places=9)
        moved = grid.snap_move(beat, max(beat + move, 0.0), meter_map)
        apart = beat - line
        self.assertLess(np.abs(near - (moved - apart)).min(), 1e-9) if moved > 0.0 else None

    @given(curves(), st.floats(-0.3, 0.3))
    def test_quantised_points_lie_on_lines_to_the_bit(self, drawn: Curve, offset: float) -> None:
        grid, meter = Grid(16, "straight", True, 0.0, offset), MeterMap()
        made, left = quantised(drawn, grid, meter)
        staying = np.ones(len(made), bool)
        staying[left] = False
        beats = made.beat[staying]
        np.testing.assert_array_equal(grid.snap(beats, meter), beats)
        gaps = np.diff(made.beat)
        self.assertTrue(((gaps == 0.0) | (gaps > 1e-9)).all(), "none a rounding apart")


if __name__ == "__main__":
    unittest.main()
