# SPDX-License-Identifier: GPL-3.0-or-later
"""Curves against their definition, W3C ramps and steps, and dense sampling."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.core.curves import curves, value_at
from zolvek.core.curve import extents
from zolvek.core.curve.construction import curve
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.point_edits import bend_amount
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.errors import ZolvekError


class Evaluation(unittest.TestCase):
    @given(curves(), st.integers(0, 1_000))
    def test_every_way_of_evaluating_agrees_with_the_definition(self, drawn: Curve, seed: int) -> None:
        rng = np.random.default_rng(seed)
        last = drawn.beat[-1] + 1.0
        beats = np.sort(np.concatenate((rng.uniform(-0.5, last, 90), drawn.beat)))
        wanted = [value_at(drawn, beat) for beat in beats]
        np.testing.assert_allclose(drawn.at(beats), wanted, atol=1e-9)
        np.testing.assert_allclose(drawn.at(beats[::-1]), wanted[::-1], atol=1e-9)
        np.testing.assert_allclose([float(drawn.at(beat)) for beat in beats], wanted, atol=1e-9)
        part = beats[(beats > last / 3) & (beats < last / 2)]
        np.testing.assert_allclose(drawn.at(np.repeat(part, 80)), np.repeat(drawn.at(part), 80), atol=1e-12)

    @given(curves(), st.integers(0, 1_000))
    def test_extents_are_exact(self, drawn: Curve, seed: int) -> None:
        rng = np.random.default_rng(seed)
        edges = np.unique(np.round(rng.uniform(-0.5, drawn.beat[-1] + 1.0, 6), 2))
        low, high = drawn.extents(edges)
        for a, b, lo, hi in zip(edges, edges[1:], low, high, strict=False):
            inside = drawn.beat[(drawn.beat >= a) & (drawn.beat < b)]
            near = np.concatenate(
                (
                    np.linspace(a, b, 4_000, endpoint=False),
                    inside,
                    np.nextafter(inside[inside > a], -9),
                )
            )
            seen = drawn.at(near)
            self.assertLessEqual(lo, seen.min() + 1e-9)
            self.assertGreaterEqual(hi, seen.max() - 1e-9)
            # Nothing is claimed that the curve does not come near to.
            # (A step that falls on the edge itself may be taken for inside: beats are rounded.)
            seen = np.append(seen, drawn.at(b + 1e-9))
            self.assertGreaterEqual(lo, seen.min() - 2e-2)
            self.assertLessEqual(hi, seen.max() + 2e-2)

    @given(curves(), st.integers(0, 1_000), st.sampled_from([960, 997, 4_000]))
    def test_extents_of_many_short_spans_are_the_same(self, drawn: Curve, seed: int, density: float) -> None:
        """Looked at closely only where there is a point or a turn, and all of them closely."""
        rng = np.random.default_rng(seed)
        edges = np.arange(-0.3, drawn.beat[-1] + 1.0, 1.0 / density)
        edges = np.unique(np.concatenate((edges, rng.choice(drawn.beat, 3), rng.uniform(0, 4, 50))))
        for quick, close in zip(extents._dense(drawn, edges), extents._exact(drawn, edges), strict=True):
            np.testing.assert_allclose(quick, close, atol=1e-9)

    def test_an_exponential_ramp_is_a_bend_and_a_linear_one_a_line(self) -> None:
        """W3C Web Audio API, AudioParam: exponentialRampToValueAtTime is
        v(t) = V0·(V1/V0)^((t − T0)/(T1 − T0)), linearRampToValueAtTime is linear in t."""
        t = np.linspace(0.0, 3.0, 500)
        for low, high in ((0.01, 0.9), (0.7, 0.02), (0.3, 0.31)):
            ramp = low * (high / low) ** (t / 3.0)
            bent = curve([(0.0, low, "bend", bend_amount(high / low)), (3.0, high)])
            np.testing.assert_allclose(bent.at(t), ramp, atol=1e-12)
            line = curve([(0.0, low), (3.0, high)])
            np.testing.assert_allclose(line.at(t), low + (high - low) * t / 3.0, atol=1e-12)

    def test_stairs_are_css_steps_jump_none(self) -> None:
        """W3C CSS Easing Functions 1, steps(n, jump-none): n steps, both ends held; the output
        is floor(progress·n)/(n − 1), at most 1. Stairs of k rises are steps(k + 1, jump-none)."""
        progress = np.linspace(0.0, 1.0, 1_001)
        for rises in (1, 2, 5, 16):
            steps = np.minimum(np.floor(progress * (rises + 1)) / rises, 1.0)
            stairs = curve([(0.0, 0.0, "stairs", rises), (1.0, 1.0)])
            np.testing.assert_allclose(stairs.at(progress), steps, atol=1e-12)

    def test_a_bend_passes_through_its_middle(self) -> None:
        for amount in (-0.99, -0.3, 0.0, 1e-14, 0.5, 1.0 - 1e-12):
            made = curve([(0.0, 0.0, "bend", amount), (1.0, 1.0)])
            self.assertAlmostEqual(float(made.at(0.5)), (1.0 + amount) / 2.0, places=9)
            rising = np.diff(made.at(np.linspace(0, 1, 99)))
            self.assertTrue((rising >= 0).all())

    def test_a_gate_of_eighths_is_open_for_half_of_each_beat(self) -> None:
        """Common practice, no source."""
        gate = curve([(0.0, 0.0, "pulses", 4), (4.0, 1.0)])
        beats = np.arange(0.0, 4.0, 1.0 / 64)
        self.assertEqual(gate.at(beats).mean(), 0.5)
        self.assertEqual(gate.at([0.0, 0.49, 0.5, 0.99, 1.0]).tolist(), [0, 0, 1, 1, 0])

    def test_what_breaks_the_rules_is_refused_with_the_point(self) -> None:
        cases = (
            ([0, 2, 1], [0, 0, 0], [1, 1, 1], [0, 0, 0], "point 3"),
            ([0, 1, 1, 1], [0] * 4, [1] * 4, [0] * 4, "point 4"),
            ([0, np.nan], [0, 0], [1, 1], [0, 0], "point 2"),
            ([0, 1], [0, 1.01], [1, 1], [0, 0], "point 2"),
            ([0, 1], [0, 1], [2, 1], [1.0, 0], "point 1"),
            ([0, 1], [0, 1], [5, 1], [2.5, 0], "point 1"),
            ([0, 1], [0, 1], [8, 1], [0, 0], "point 1"),
        )
        for beat, value, shape, amount, where in cases:
            with self.assertRaises(ZolvekError) as caught:
                Curve(
                    np.array(beat, float),
                    np.array(value, float),
                    np.array(shape, np.uint8),
                    np.array(amount, float),
                )
            self.assertEqual(caught.exception.where, where)
        with self.assertRaises(ZolvekError):
            Curve(np.empty(0), np.empty(0), np.empty(0, np.uint8), np.empty(0))

    def test_every_shape_starts_and_ends_where_it_must(self) -> None:
        for row in SHAPES:
            amount = np.full(2, row.amount.default)
            ends = row.rise(np.array([0.0, 1.0]), amount)
            np.testing.assert_allclose(ends, [0.0, 1.0], atol=1e-12, err_msg=row.key)
