# SPDX-License-Identifier: GPL-3.0-or-later
"""Steps for messages: bounds that hold at every instant, for any curve, and the way back."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.core.curves import curves
from zolvek.core.curve.construction import curve
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import leaps
from zolvek.core.errors import ZolvekError
from zolvek.core.model.messages import even
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.evaluation.quantised_steps import Resolution, from_steps, stepped
from zolvek.core.time.tempo import TempoMap, TempoPoint

STEADY = TempoMap()


def heard_of(drawn: Curve, length: float) -> Any:
    return played(Lane("x", "d", "p", drawn), Project(length=length))


class Stepping(unittest.TestCase):
    @given(curves(), st.sampled_from([127, 16_383]), st.integers(1, 40), st.floats(0.0, 0.05))
    def test_no_instant_strays_further_than_is_said(
        self, drawn: Curve, highest: int, ticks: int, tolerance: float
    ) -> None:
        length = float(max(np.ceil(drawn.beat[-1]), 1.0))
        made = stepped(
            heard_of(drawn, length),
            length,
            even(highest),
            STEADY,
            Resolution(ticks, 0.0, tolerance),
        )
        self.assertEqual(made.tick[0], 0)
        self.assertTrue((np.diff(made.tick) > 0).all())
        self.assertTrue((np.diff(made.value) != 0).all(), "no message says what is known")
        self.assertTrue(((made.value >= 0) & (made.value <= highest)).all())
        # In the middle of each tick, and just before its end, off the tick of a jump.
        rng = np.random.default_rng(len(drawn))
        at = rng.integers(0, int(length * 960), 3_000)
        jumps = np.round(np.concatenate((drawn.beat, leaps(drawn))) * 960)
        at = at[~np.isin(at, np.concatenate((jumps - 1, jumps, jumps + 1)))]
        beats = (at + rng.choice([0.01, 0.5, 0.99], len(at))) / 960
        held = made.value[np.searchsorted(made.tick, at, side="right") - 1]
        far = np.abs(held - highest * drawn.at(beats))
        self.assertLessEqual(far.max(initial=0.0), made.strays + 1e-6)

    @given(st.floats(0.0, 1.0), st.floats(0.0, 1.0), st.floats(4.0, 64.0))
    def test_a_ramp_takes_as_many_messages_as_it_has_steps(self, low: float, high: float, length: float) -> None:
        """A controller's sweep from 0 to 127 over eight bars (common practice, no source) is 128
        messages, and any other ramp one for each step that it comes to."""
        drawn = curve([(0.0, low), (length, high)])
        made = stepped(heard_of(drawn, np.ceil(length)), np.ceil(length), even(127), STEADY, Resolution())
        steps = abs(np.floor(127 * high + 0.5) - np.floor(127 * low + 0.5))
        self.assertLessEqual(abs(len(made.tick) - 1 - steps), 1)
        self.assertLessEqual(made.strays, 0.5 + 127 / (length * 960) + 1e-6)

    def test_changes_lie_apart_at_the_fastest_tempo(self) -> None:
        fast = TempoMap((TempoPoint(0.0, 60.0, True), TempoPoint(16.0, 240.0)))
        drawn = curve([(0.0, 0.0, "s-curve", 0.3), (32.0, 1.0)])
        made = stepped(heard_of(drawn, 32.0), 32.0, even(16_383), fast, Resolution(milliseconds=8.0))
        seconds = fast.seconds(made.tick / 960)
        self.assertGreaterEqual(np.diff(seconds).min(), 0.008 - 1e-9)
        self.assertGreater(made.strays, 0.5, "and it says what that costs")

    def test_a_tolerance_saves_messages_and_is_kept(self) -> None:
        drawn = curve([(0.0, 0.1, "waves", 9.0), (16.0, 0.9, "cosine"), (32.0, 0.2)])
        heard = heard_of(drawn, 32.0)
        counts = []
        for tolerance in (0.0, 0.005, 0.02, 0.1):
            made = stepped(heard, 32.0, even(16_383), STEADY, Resolution(tolerance=tolerance))
            counts.append(len(made.tick))
            ticks = np.arange(32 * 960)
            held = made.value[np.searchsorted(made.tick, ticks, side="right") - 1] / 16_383
            error = np.abs(held - heard.curve.at(ticks / 960)).max()
            self.assertLessEqual(error, tolerance + 40.0 / 16_383)
        self.assertEqual(counts, sorted(counts, reverse=True))
        self.assertLess(counts[-1], counts[0] / 100)

    def test_resolutions_that_are_none_are_refused(self) -> None:
        for wrong in ((0, 0.0, 0.0), (1, -1.0, 0.0), (1, 0.0, 0.6), (1, 1e9, 0.0)):
            with self.assertRaises(ZolvekError):
                Resolution(*wrong)


class Joining(unittest.TestCase):
    @given(curves(), st.sampled_from([127, 16_383]))
    def test_held_steps_say_just_what_was_sent(self, drawn: Curve, highest: int) -> None:
        length = float(max(np.ceil(drawn.beat[-1]), 1.0))
        made = stepped(heard_of(drawn, length), length, even(highest), STEADY, Resolution())
        back = from_steps(made.tick / 960, made.value / highest, 1.0 / highest, None)
        ticks = np.arange(int(length * 960))
        held = made.value[np.searchsorted(made.tick, ticks, side="right") - 1] / highest
        np.testing.assert_allclose(back.at(ticks / 960), held, atol=1e-12)

    @given(st.lists(st.floats(0.0, 1.0), min_size=3, max_size=9), st.sampled_from(["line", "cosine"]))
    def test_a_slow_curve_comes_back_within_a_step(self, values: list[float], shape: str) -> None:
        drawn = curve([(8.0 * i, v, shape) for i, v in enumerate(values)])
        length = 8.0 * len(values)
        made = stepped(heard_of(drawn, length), length, even(127), STEADY, Resolution())
        back = from_steps(made.tick / 960, made.value / 127, 1.0 / 127, 0.002)
        beats = np.linspace(0.0, length - 0.01, 2_000)
        far = np.abs(back.at(beats) - drawn.at(beats))
        self.assertLessEqual(far.max(), 1.0 / 127 + 0.003)
        # As many as the messages, where each stands for more than itself; never more than a step
        # as held needs.
        self.assertLessEqual(len(back), max(2 * len(made.tick), 4))

    def test_a_gate_stays_a_gate(self) -> None:
        """Eighth notes on and off: jumps, and level between them."""
        beats = np.arange(0.0, 8.0, 0.5)
        values = np.tile([1.0, 0.0], 8)
        made = from_steps(beats, values, 1.0 / 127, 0.002)
        probe = np.concatenate((beats + 1e-6, beats[1:] - 1e-6))
        wanted = np.concatenate((values, values[:-1]))
        np.testing.assert_allclose(made.at(probe), wanted, atol=0.003)

    def test_the_last_of_several_on_a_beat_counts(self) -> None:
        made = from_steps(np.array([0.0, 1.0, 1.0, 1.0]), np.array([0.1, 0.5, 0.2, 0.9]), 0.01, None)
        self.assertEqual(made.value.tolist(), [0.1, 0.9])


if __name__ == "__main__":
    unittest.main()
