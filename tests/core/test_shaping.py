# SPDX-License-Identifier: GPL-3.0-or-later
"""Spans, shaping, quantising and forms: their laws, and Shapely's affine transforms."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import example, given
from hypothesis import strategies as st
from shapely import affinity
from shapely.geometry import LineString

from tests import few
from tests.core.curves import curves
from zolvek.core.curve import shaping, spans, stamps
from zolvek.core.curve.construction import curve, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.quantising import quantised
from zolvek.core.curve.thinning import fitted as fit
from zolvek.core.errors import ZolvekError
from zolvek.core.time.grid import Grid
from zolvek.core.time.meter import MeterMap

METER = MeterMap()
COSINE_CUT = 2e-4  # what cutting a cosine may cost
places = st.tuples(st.floats(0, 12), st.floats(0.05, 6))


def grid_of(drawn: Curve, count: int = 300) -> np.ndarray:
    """Beats off every jump: rounding may put a jump a hair to either side."""
    beats = np.linspace(drawn.beat[0], drawn.beat[-1] + 1.0, count) + np.pi * 1e-5
    return beats[np.abs(beats[:, None] - drawn.beat).min(axis=1) > 1e-7]


class Spans(unittest.TestCase):
    def test_a_gate_leaves_what_is_there_on_the_beat(self) -> None:
        sweep = lines([0.0, 4.0], [0.2, 1.0])
        gate = shaping.gated(sweep, 0.5, 0.1)
        beats = np.arange(0.0, 4.0, 0.01) + 0.001
        down = beats % 0.5 >= 0.25
        np.testing.assert_allclose(gate.at(beats[~down]), sweep.at(beats[~down]), atol=1e-9)
        np.testing.assert_allclose(gate.at(beats[down]), 0.1, atol=1e-12)
        for step in (0.0, -1.0, 1e-4):
            with self.assertRaises(ZolvekError):
                shaping.gated(sweep, step, 0.0)

    @given(curves(), places)
    @example(curve([(0.0, 0.0, "cosine"), (3.0, 0.0), (3.25, 0.0)]), (5e-324, 1.0))
    @example(curve([(0.0, 0.0, "cosine"), (3.0, 0.8), (3.25, 0.0)]), (3.0 - 1e-13, 1e-1))
    def test_cut_out_and_put_back_changes_nothing(self, drawn: Curve, place: tuple[float, float]) -> None:
        first, last = place[0], place[0] + place[1]
        beats = np.linspace(0.0, 20.0, 700) + np.pi * 1e-5
        np.testing.assert_allclose(spans.cut(drawn, [first, last]).at(beats), drawn.at(beats), atol=COSINE_CUT)
        part = spans.piece(drawn, first, last)
        self.assertEqual((part.beat[0], part.beat[-1]), (0.0, last - first))
        back = spans.splice(drawn, first, part, last)
        np.testing.assert_allclose(back.at(beats), drawn.at(beats), atol=COSINE_CUT)

    @given(curves(), places, st.floats(-0.5, 0.5))
    def test_outside_the_span_nothing_changes(self, drawn: Curve, place: tuple[float, float], by: float) -> None:
        first, last = place[0], place[0] + place[1]
        beats = np.linspace(0.0, 20.0, 700) + np.pi * 1e-5
        outside = (beats < first) | (beats > last)
        for ramp in (0.0, place[1] / 8):
            raised = shaping.on_span(drawn, first, last, lambda p: shaping.lifted(p, by), ramp)
            np.testing.assert_allclose(raised.at(beats[outside]), drawn.at(beats[outside]), atol=COSINE_CUT)
        inside = beats[~outside]
        raised = shaping.on_span(drawn, first, last, lambda p: shaping.lifted(p, by))
        if (drawn.value.min() + by >= 0.0) and (drawn.value.max() + by <= 1.0):
            np.testing.assert_allclose(raised.at(inside), drawn.at(inside) + by, atol=2 * COSINE_CUT)

    def test_a_bar_is_lifted_by_a_fifth_with_jumps_at_its_edges(self) -> None:
        """Common practice, no source: a fifth is 7 semitones, of a range of 48."""
        flat = curve([(0.0, 0.5), (16.0, 0.5)])
        raised = shaping.on_span(flat, 4.0, 8.0, lambda p: shaping.lifted(p, 7 / 48))
        self.assertEqual(raised.beat.tolist(), [0, 4, 4, 8, 8, 16])
        np.testing.assert_allclose(raised.value, [0.5, 0.5, 0.5 + 7 / 48, 0.5 + 7 / 48, 0.5, 0.5])


class Affine(unittest.TestCase):
    """Against Shapely (GEOS): what happens to points as geometry."""

    @given(curves(), st.floats(0.1, 1.0), st.floats(0.0, 1.0), st.floats(0.2, 4.0))
    def test_scale_mirror_invert_stretch_tilt(self, drawn: Curve, factor: float, about: float, wide: float) -> None:
        if len(drawn) < 2:
            return
        drawn = drawn.having(
            value=0.4 + 0.2 * drawn.value,
            shape=np.ones(len(drawn), np.uint8),
            amount=np.zeros(len(drawn)),
        )
        line = LineString(np.stack((drawn.beat, drawn.value), axis=1))
        first, last = drawn.beat[0], drawn.beat[-1]
        lean = np.degrees(np.arctan(0.1 / max(last - first, 1e-9)))
        cases = (
            (
                shaping.scaled(drawn, factor, about),
                affinity.scale(line, 1, factor, origin=(0, about)),
            ),
            (shaping.inverted(drawn, 0.5), affinity.scale(line, 1, -1, origin=(0, 0.5))),
            (shaping.stretched(drawn, wide), affinity.scale(line, wide, 1, origin=(first, 0))),
            (
                shaping.tilted(drawn, 0.0, 0.1),
                affinity.skew(line, ys=lean, origin=(first, 0)) if last > first else None,
            ),
        )
        for ours, theirs in cases:
            if theirs is not None:
                np.testing.assert_allclose(
                    np.stack((ours.beat, ours.value), axis=1), np.array(theirs.coords), atol=1e-9
                )
        mirrored = shaping.mirrored(drawn)
        wanted = affinity.scale(line, -1, 1, origin=((first + last) / 2, 0))
        np.testing.assert_allclose(
            np.stack((mirrored.beat, mirrored.value), axis=1),
            np.array(wanted.coords)[::-1],
            atol=1e-9,
        )

    @given(curves())
    def test_mirrored_twice_is_the_same_curve(self, drawn: Curve) -> None:
        beats = grid_of(drawn)
        beats = beats[beats < drawn.beat[-1]]
        once = shaping.mirrored(drawn)
        other = drawn.beat[0] + drawn.beat[-1] - beats
        off = np.abs(other[:, None] - once.beat).min(axis=1) > 1e-6 if len(beats) else np.empty(0, bool)
        np.testing.assert_allclose(once.at(other[off]), drawn.at(beats[off]), atol=1e-6)
        np.testing.assert_allclose(shaping.mirrored(once).at(beats), drawn.at(beats), atol=1e-6)


class Quantising(unittest.TestCase):
    @given(
        curves(),
        st.sampled_from([(4, "straight"), (16, "straight"), (8, "triplet"), (1, "bars")]),
        st.sampled_from([1.0, 0.5]),
    )
    def test_order_jumps_and_the_nearest_line(self, drawn: Curve, kind: tuple[int, str], strength: float) -> None:
        grid = Grid(*kind)
        done, left = quantised(drawn, grid, METER, strength)
        np.testing.assert_array_equal(done.value, drawn.value)
        for jump in np.flatnonzero(drawn.jumps()):
            self.assertEqual(done.beat[jump], done.beat[jump + 1], "a jump stays one")
        lines = grid.lines(0.0, 200.0, METER)
        nearest = lines[np.abs(drawn.beat[:, None] - lines).argmin(axis=1)]
        for i in range(len(drawn)):
            wanted = drawn.beat[i] if i in left else drawn.beat[i] + strength * (nearest[i] - drawn.beat[i])
            tie = abs(abs(drawn.beat[i] - nearest[i]) - grid.step_at(0.0, METER) / 2) < 1e-9
            if not tie:
                self.assertAlmostEqual(done.beat[i], wanted, places=9)
        if strength == 1.0:
            self.assertEqual(quantised(done, grid, METER)[0], done, "twice is once")

    def test_changing_the_grid_moves_nothing(self) -> None:
        """Common practice, no source: a point on a 1/32 line stays there under a 1/16 grid."""
        drawn = curve([(0.0, 0.0), (0.125, 1.0)])
        _, left = quantised(drawn, Grid(32), METER)
        self.assertEqual(left.size, 0)
        self.assertEqual(quantised(drawn, Grid(16), METER, 0.0)[0], drawn)

    def test_what_cannot_be_placed_is_reported(self) -> None:
        drawn = curve([(3.9, 0.1), (3.95, 0.2), (4.02, 0.3), (4.2, 0.4), (8.0, 0.5)])
        done, left = quantised(drawn, Grid(1), METER)
        self.assertEqual(done.beat.tolist(), [3.9, 4.0, 4.0, 4.2, 8.0])
        self.assertEqual(left.tolist(), [0, 3])


class Repeats(unittest.TestCase):
    @given(curves(), st.integers(1, 6))
    def test_every_repeat_is_the_piece(self, drawn: Curve, times: int) -> None:
        part = spans.piece(drawn, 0.0, 4.0)
        again = shaping.repeated(part, 4.0, times)
        beats = grid_of(part, 80)
        beats = beats[beats < 4.0]
        for turn in range(times):
            off = np.abs((beats + 4.0 * turn)[:, None] - again.beat).min(axis=1) > 1e-6
            np.testing.assert_allclose(again.at(beats + 4.0 * turn)[off], part.at(beats)[off], atol=1e-6)

    def test_repeats_can_grow(self) -> None:
        """Common practice, no source: a phrase that grows over eight bars."""
        part = curve([(0.0, 0.1), (2.0, 0.2), (4.0, 0.1)])
        grown = shaping.repeated(part, 4.0, 8, 1.2, 0.02)
        peaks = grown.at(np.arange(8) * 4.0 + 2.0)
        np.testing.assert_allclose(peaks, [0.1 + 0.1 * 1.2**i + 0.02 * (i + 0.5) for i in range(8)])


class StampsAndFits(unittest.TestCase):
    def test_every_stamp_starts_and_ends_at_its_levels(self) -> None:
        for stamp in stamps.STAMPS:
            for slider in stamp.sliders:
                for value in (slider.low, slider.default, slider.high):
                    made = stamps.stamped(stamp.key, 8.0, 0.2, 0.7, **{slider.key: value})
                    self.assertEqual((made.beat[0], made.beat[-1]), (0.0, 8.0), stamp.key)
                    self.assertAlmostEqual(
                        made.value[-1],
                        0.2 if stamp.key == "tremble" or (stamp.returns and stamp.key != "gate") else 0.7,
                        msg=stamp.key,
                    ) if stamp.key != "gate" else None
                    self.assertTrue(((made.value >= 0.2 - 1e-9) & (made.value <= 0.7 + 1e-9)).all(), stamp.key)
        for bad in (("cloud", {}), ("ramp", {"bend": 2.0}), ("gate", {"bend": 0.0})):
            with self.assertRaises(ZolvekError):
                stamps.stamped(bad[0], 4.0, 0.0, 1.0, **bad[1])

    def test_a_gate_of_eighths(self) -> None:
        """Common practice, no source: open for half of each beat."""
        gate = stamps.stamped("gate", 4.0, 0.0, 1.0, count=4)
        beats = np.arange(0.0, 4.0, 1 / 64)
        np.testing.assert_array_equal(gate.at(beats), (beats % 1.0 < 0.5).astype(float))

    @few
    @given(st.integers(0, 10_000), st.sampled_from([0.002, 0.01, 0.03]))
    def test_a_fit_stays_within_its_tolerance(self, seed: int, tolerance: float) -> None:
        rng = np.random.default_rng(seed)
        beats = np.cumsum(rng.uniform(0.001, 0.02, 600))
        values = np.clip(0.5 + np.cumsum(rng.normal(0, 0.01, 600)), 0, 1)
        fitted = fit(beats, values, tolerance)
        self.assertLessEqual(np.abs(fitted.at(beats) - values).max(), tolerance + 1e-9)

    def test_shapes_are_found_again(self) -> None:
        beats = np.linspace(0.0, 4.0, 400)
        for key, amount in (("line", 0.0), ("bend", 0.7), ("cosine", 0.0), ("s-curve", 0.5)):
            drawn = curve([(0.0, 0.1, key, amount), (4.0, 0.9)])
            fitted = fit(beats, drawn.at(beats), 0.004)
            self.assertEqual(len(fitted), 2, key)
            np.testing.assert_allclose(fitted.at(beats), drawn.at(beats), atol=0.004)
