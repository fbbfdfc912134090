# SPDX-License-Identifier: GPL-3.0-or-later
"""LFOs, randomness and layers: against scipy and NumPy, and the laws that hold for all of them."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from hypothesis import example, given
from hypothesis import strategies as st
from scipy import signal, stats

from tests import few
from tests.core.curves import curves
from zolvek.core.curve.construction import curve, flat, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import knots, leaps
from zolvek.core.curve.fitting import approximated
from zolvek.core.curve.pattern import Pattern
from zolvek.core.curve.shapes import COSINE, HOLD, LINE
from zolvek.core.edits.layers import shared_with, with_layer
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Lane
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.evaluation.layering import baked, layered, part_of
from zolvek.core.movement.generators.lfo import Cycles, Lfo
from zolvek.core.movement.generators.lfo_points import as_curve, levels, value_at
from zolvek.core.movement.generators.randomness import (
    RandomMove,
    drawn,
    humanised,
    jittered,
    random_curve,
    randomised,
)
from zolvek.core.movement.settings_parser import lfo_of, random_of
from zolvek.core.records import replace
from zolvek.core.time.rates import Rate, parse_rate
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.demo.night_regatta import build

T = TempoMap()
EASING = TempoMap((TempoPoint(0.0, 90.0, True), TempoPoint(16.0, 150.0)))


class Lfos(unittest.TestCase):
    def test_waves_are_scipys_and_numpys(self) -> None:
        """numpy.sin, scipy.signal.sawtooth and square: 1e-9 away from jumps."""
        rng = np.random.default_rng(5)
        for _ in range(40):
            period, phase, width = rng.uniform(0.1, 4), rng.random(), rng.uniform(0.05, 0.95)
            first = rng.uniform(0, 5)
            last = first + rng.uniform(0.5, 20)
            x = np.sort(rng.uniform(first, last, 300))
            cycles = (x - first) / period + phase
            turn = 2 * np.pi * cycles
            away = (np.abs(cycles - np.round(cycles)) > 1e-6) & (np.abs(cycles % 1 - width) > 1e-6)
            rows: tuple[tuple[str, dict[str, Any], np.ndarray], ...] = (
                ("sine", {}, np.sin(turn)),
                ("triangle", {}, signal.sawtooth(turn, 0.5)),
                ("triangle", {"skew": 2 * width - 1}, signal.sawtooth(turn, width)),
                ("saw-up", {}, signal.sawtooth(turn)),
                ("saw-down", {}, -signal.sawtooth(turn)),
                ("pulse", {"width": width}, signal.square(turn, width)),
            )
            for wave, more, wanted in rows:
                lfo = Lfo(wave, Rate(period), phase=phase, **more)
                found = as_curve(lfo, first, last, T).at(x)
                np.testing.assert_allclose(found[away], 0.5 + 0.5 * wanted[away], atol=1e-9)
                found = as_curve(replace(lfo, amount=0.8, invert=True, centre=0.4), first, last, T).at(x)
                np.testing.assert_allclose(found[away], 0.4 - 0.4 * wanted[away], atol=1e-9)

    def test_as_points_it_has_the_right_shapes(self) -> None:
        for wave, shape, a_cycle in (
            ("sine", COSINE, 2),
            ("triangle", LINE, 2),
            ("saw-up", LINE, 2),
            ("pulse", HOLD, 2),
        ):
            made = as_curve(Lfo(wave, Rate(1.0), phase=0.75 if wave == "sine" else 0.0), 0.0, 16.0, T)
            segments = made.shape[:-1][np.diff(made.beat) > 0.0]
            self.assertTrue(np.all(segments == shape), wave)
            self.assertLessEqual(len(made), 16 * a_cycle + 2)

    def test_a_changing_rate_is_scipys_chirp(self) -> None:
        """scipy.signal.chirp, linear and logarithmic (exponential); within 0.1 % in at most six
        points a cycle."""
        x = np.linspace(0, 32, 40_000)[:-1]
        for by_equal, method in ((True, "linear"), (False, "logarithmic")):
            lfo = Lfo("sine", Rate(1.0), rate_end=Rate(0.125), by_equal_steps=by_equal)
            wanted = 0.5 + 0.5 * signal.chirp(x, 1, 32, 8, method=method, phi=-90)
            np.testing.assert_allclose(value_at(lfo, 0, 32, T, x), wanted, atol=1e-9)
            made = as_curve(lfo, 0, 32, T, 0.001)
            self.assertLess(np.abs(made.at(x) - wanted).max(), 0.001)
            cycles = float(Cycles(lfo, 0, 32, T).gone(np.array(32.0)))
            self.assertLess(len(made) / cycles, 6.0)
            # A straight line drawn by hand as the rate's way is the same thing.
            new_lfo = replace(lfo, rate_way=curve([(0.0, 0.0), (1.0, 1.0)]))
            np.testing.assert_allclose(value_at(new_lfo, 0, 32, T, x), wanted, atol=1e-6)

    def test_hertz_and_seconds_follow_the_tempo(self) -> None:
        """Common practice: eight quarter notes a cycle at 120 BPM is 4 s."""
        eight = parse_rate("2 bars")
        self.assertEqual(eight.period, 8.0)
        self.assertAlmostEqual(float(T.seconds(eight.period)), 4.0)
        x = np.linspace(0.0, 16.0, 5_000)[:-1]
        for text, hertz in (("3 Hz", 3.0), ("0.5 s", 2.0)):
            lfo = Lfo("sine", parse_rate(text))
            wanted = 0.5 + 0.5 * np.sin(2 * np.pi * hertz * EASING.seconds(x))
            np.testing.assert_allclose(value_at(lfo, 0.0, 16.0, EASING, x), wanted, atol=1e-9)
            made = as_curve(lfo, 0.0, 16.0, EASING, 0.001)
            self.assertLess(np.abs(made.at(x) - wanted).max(), 0.001)

    def test_depth_grows_edges_soften_and_spans_join_in_phase(self) -> None:
        grow = Lfo("sine", Rate(1.0), amount_way=curve([(0.0, 0.0), (1.0, 1.0)]))
        made = as_curve(grow, 0.0, 32.0, T)
        x = np.linspace(0.0, 32.0, 9_000)[:-1]
        wanted = 0.5 + x / 64.0 * np.sin(2 * np.pi * x)
        self.assertLess(np.abs(made.at(x) - wanted).max(), 0.001)
        soft = as_curve(Lfo("pulse", Rate(1.0), soften=0.05), 0.0, 8.0, T)
        self.assertTrue(np.all(np.diff(soft.beat) > 0.0), "no jumps left")
        np.testing.assert_allclose(soft.at([1.05, 1.2, 1.55, 1.7]), [0.5, 1.0, 0.5, 0.0], atol=1e-9)
        first, rate = Lfo("sine", Rate(3.0), phase=0.2), Rate(3.0)
        phase = float(Cycles(first, 0.0, 10.0, T).gone(np.array(10.0))) % 1.0
        on = Lfo("sine", rate, phase=phase)
        a, b = as_curve(first, 0.0, 10.0, T), as_curve(on, 10.0, 16.0, T)
        self.assertAlmostEqual(float(a.value[-1]), float(b.value[0]), places=9)
        pattern = Pattern("p", 4.0, curve([(0.0, 0.2, "bend", 0.4), (3.0, 0.9), (4.0, 0.2)]))
        made = as_curve(Lfo("pattern", Rate(2.0), pattern=pattern), 0.0, 8.0, T)
        np.testing.assert_allclose(made.at([0.0, 1.0, 2.5, 5.0]), pattern.curve.at([0.0, 2.0, 1.0, 2.0]), atol=1e-9)

    def test_bad_rates_and_spans(self) -> None:
        for text in ("0 Hz", "0", "-1 s", "1/0", "fast", "1/16 s"):
            with self.assertRaises(ZolvekError, msg=text):
                parse_rate(text)
        with self.assertRaises(ZolvekError):
            as_curve(Lfo("sine", Rate(1.0)), 4.0, 4.0, T)
        with self.assertRaises(ZolvekError):
            as_curve(Lfo("sine", Rate(1e-5)), 0.0, 100.0, T)
        self.assertTrue(parse_rate("101 Hz").fast and Rate(1 / 33).fast)
        self.assertFalse(parse_rate("1/128").fast)
        for text in ("1/8t", "1/4d", "3 Hz", "2.5 s", "1/1"):
            self.assertEqual(parse_rate(text).text, text)


class Randomness(unittest.TestCase):
    def test_the_stream_is_numpys_and_the_spreads_are_what_they_say(self) -> None:
        """NumPy's PCG64 (O'Neill 2014) by numpy.random: a stored vector; Kolmogorov–Smirnov."""
        np.testing.assert_allclose(0.5 * (levels(20, 4) + 1), np.random.Generator(np.random.PCG64(20)).random(4))
        made = [lfo_of(wave, {"rate": Rate(1.0)}, seed=20) for wave in ("sample-hold", "smooth-random")]
        moves = [random_of(kind, {"amount": 0.5}, "even", 20)[0] for kind in ("steps", "smooth", "walk")]
        points = lines(np.arange(65.0), np.full(65, 0.5))
        shaken = jittered(points, np.arange(64), 0.4, 0.0, 20).value[:64]
        rows = [levels(20, 64), shaken, *(levels(20, 64, each.stream) for each in made)]
        rows += [np.diff(drawn(move, 65)) if move.kind == "walk" else drawn(move, 64) for move in moves]
        apart = np.abs(np.corrcoef(rows) - np.eye(len(rows))).max()
        self.assertLess(apart, 0.4, "one seed, and no kind draws the numbers of another")
        np.testing.assert_allclose(0.5 + 0.5 * levels(1, 2), [0.51182162, 0.9504637], atol=1e-8)
        even = drawn(RandomMove(seed=3), 20_000)
        self.assertGreater(stats.kstest(even, stats.uniform(-1, 2).cdf).pvalue, 0.01)
        bell = drawn(RandomMove(spread="bell", seed=3), 20_000)
        self.assertGreater(stats.kstest(bell, stats.truncnorm(-3, 3, scale=1 / 3).cdf).pvalue, 0.01)
        walks = np.array([drawn(RandomMove("walk", seed=s), 33) for s in range(3_000)])
        growth = walks[:, [3, 7, 15]].var(axis=0) / np.array([4, 8, 16])
        np.testing.assert_allclose(growth, growth[0], rtol=0.08)
        self.assertLessEqual(np.abs(walks).max(), 1.0)

    @given(curves(), st.sampled_from(["steps", "smooth", "walk"]), st.floats(0, 1), st.integers(0, 99))
    def test_it_follows_the_movement_that_is_there(self, own: Curve, kind: str, amount: float, seed: int) -> None:
        """Common practice: amount 5 means within ±5 %; 0 changes nothing."""
        last = float(own.beat[-1]) + 4.0
        made = randomised(own, 0.0, last, RandomMove(kind, Rate(0.5), seed=seed), amount, T)
        x = np.linspace(0.0, last, 700)[:-1]
        # Not within rounding of a jump: there either side of it is right.
        x = x[np.all([np.abs(x - jump) > 1e-9 for jump in (-1.0, *leaps(own))], axis=0)]
        self.assertLessEqual(np.abs(made.at(x) - own.at(x)).max(), amount + 1e-6)
        again = randomised(own, 0.0, last, RandomMove(kind, Rate(0.5), seed=seed), amount, T)
        self.assertEqual(made, again, "the same seed, the same curve")

    def test_levels_density_and_replacing(self) -> None:
        scale = tuple(n / 12 for n in (0, 2, 4, 7, 9, 12))
        move = RandomMove("steps", Rate(0.5), spread="levels", levels=scale, seed=4)
        made = randomised(flat(0.5), 0.0, 32.0, move, 1.0, T)
        self.assertTrue(np.isin(made.value, scale).all())
        self.assertGreater(len(np.unique(made.value)), 4)
        few = random_curve(RandomMove(density=0.2, seed=4), 0.0, 64.0, T)
        many = random_curve(RandomMove(seed=4), 0.0, 64.0, T)
        changes = [np.count_nonzero(np.diff(c.value)) for c in (few, many)]
        self.assertLess(changes[0], 0.45 * changes[1])
        free = randomised(flat(0.0), 0.0, 8.0, RandomMove(seed=1), 0.2, T, follow=False)
        self.assertLess(np.abs(free.value - 0.5).max(), 0.2)
        up = drawn(RandomMove(offset=0.5, seed=2), 4_000)
        self.assertGreater(up.min(), -1e-9 + 0.0)
        self.assertLessEqual(up.max(), 1.0)

    @given(
        curves(),
        st.floats(0, 0.3),
        st.floats(0, 2),
        st.integers(0, 9),
        st.sampled_from([None, 0.25]),
    )
    def test_jitter_never_passes_a_neighbour(
        self, own: Curve, value: float, time: float, seed: int, step: float
    ) -> None:
        made = jittered(own, np.arange(len(own)), value, time, seed, step)
        self.assertEqual(len(made), len(own))
        self.assertTrue(np.array_equal(np.diff(made.beat) == 0, np.diff(own.beat) == 0), "jumps keep together")
        self.assertLessEqual(np.abs(made.value - own.value).max(), value + 1e-12)
        self.assertLessEqual(np.abs(made.beat - own.beat).max(), time + 1e-9)
        if step:
            moved = (made.beat - own.beat) / step
            away = made.beat > 0.0
            np.testing.assert_allclose(moved[away], np.round(moved[away]), atol=1e-6)

    def test_humanising_keeps_ends_and_jumps(self) -> None:
        own = curve([(0.0, 0.3), (4.0, 0.8), (4.0, 0.2), (16.0, 0.6)])
        made = humanised(own, 0.0, 16.0, 1.0, 7)
        x = np.linspace(0, 16, 3_000)[:-1]
        self.assertLess(np.abs(made.at(x) - own.at(x)).max(), 0.031)
        self.assertGreater(np.abs(made.at(x) - own.at(x)).max(), 0.005)
        np.testing.assert_allclose([made.value[0], made.value[-1]], [0.3, 0.6], atol=1e-3)
        self.assertAlmostEqual(float(made.at(4.0) - made.at(3.999999)), -0.6, delta=0.01)


def layer(kind: str, number: int, rng: np.random.Generator) -> Layer:
    first = float(rng.uniform(0, 20))
    movements: dict[str, dict[str, Any]] = {
        "lfo": {
            "lfo": Lfo(
                str(rng.choice(["sine", "pulse", "saw-up", "triangle"])),
                Rate(float(rng.uniform(0.5, 4))),
            )
        },
        "random": {"random": RandomMove("steps", Rate(1.0), seed=number)},
        "offset": {"curve": curve([(0.0, 0.5), (20.0, float(rng.random())), (40.0, 0.5)])},
        "scale": {"curve": curve([(0.0, 0.5), (30.0, float(rng.random()), "hold"), (40.0, 0.6)])},
    }
    movement = movements[kind]
    return Layer(
        f"l{number}",
        kind,
        first=first,
        last=first + 15.0,
        amount=float(rng.uniform(-0.7, 0.7)),
        **movement,
    )


class Layers(unittest.TestCase):
    X = np.linspace(0.0, 47.9, 6_000)

    @given(
        curves(),
        st.integers(0, 10_000),
        st.lists(st.sampled_from(["lfo", "random", "offset", "scale"]), min_size=1, max_size=4),
        st.booleans(),
    )
    @example(curve([(1.0, 0.0, "stairs", 5.0), (2.0, 0.03), (2.0, 0.0)]), 0, ["lfo"], True)
    @few
    def test_baking_is_heard_the_same(self, own: Curve, seed: int, kinds: list[str], fit: bool) -> None:
        rng = np.random.default_rng(seed)
        lane = Lane(
            "x",
            "horn",
            "cutoff",
            own,
            layers=tuple(layer(k, i, rng) for i, k in enumerate(kinds)),
            fit=fit,
        )
        project = replace(build(), length=48.0)
        before = played(lane, project)
        done = baked(lane, project.tempo, 48.0, tolerance=0.002)
        self.assertEqual(done.layers, ())
        after = played(done, project)
        apart = np.ones(len(self.X), bool)
        for jump in np.concatenate((before.leaps, after.leaps)):
            apart &= np.abs(self.X - jump) > 1e-6
        self.assertLess(np.abs(before.at(self.X) - after.at(self.X))[apart].max(), 0.002)

    def test_a_layer_at_amount_0_changes_nothing_to_the_bit(self) -> None:
        own = curve([(0.0, 0.1, "bend", 0.3), (20.0, 0.7, "cosine"), (48.0, 0.2)])
        still = layered(
            own,
            Lane("x", "d", "p", own, layers=(Layer("a", "lfo", lfo=Lfo(), amount=0.0),)),
            T,
            48.0,
        )
        np.testing.assert_array_equal(still.at(self.X), own.at(self.X))

    def test_a_part_is_baked_over_a_span_and_the_rest_stays(self) -> None:
        own = flat(0.4)
        lane = Lane(
            "x",
            "horn",
            "cutoff",
            own,
            layers=(
                Layer("a", "lfo", lfo=Lfo("sine", Rate(2.0)), amount=0.3),
                Layer("b", "offset", curve=curve([(0.0, 0.5), (48.0, 0.6)]), amount=0.5),
            ),
        )
        project = replace(build(), length=48.0)
        before = played(lane, project).at(self.X)
        done = baked(lane, project.tempo, 48.0, ["a"], (8.0, 16.0))
        self.assertEqual(done.layers[0].gaps, ((8.0, 16.0),))
        np.testing.assert_allclose(played(done, project).at(self.X), before, atol=0.002)
        done = baked(done, project.tempo, 48.0, ["b"])
        self.assertEqual([x.id for x in done.layers], ["a"])
        np.testing.assert_allclose(played(done, project).at(self.X), before, atol=0.004)
        mixed = replace(lane, layers=(lane.layers[0], Layer("s", "scale", curve=flat(0.25))))
        self.assertEqual(baked(mixed, T, 48.0, ["s"]).layers, (), "what lies below goes along")
        with self.assertRaises(ZolvekError):
            baked(replace(lane, layers=()), T, 48.0)

    def test_solo_envelopes_and_sharing(self) -> None:
        project = build()
        wave = Layer(
            "w",
            "lfo",
            lfo=Lfo("sine", Rate(4.0)),
            amount=0.2,
            amount_way=curve([(0.0, 0.0), (48.0, 1.0)]),
        )
        project = with_layer(project, "horn.cutoff", wave)
        project = shared_with(project, "horn.cutoff", "w", "horn.resonance", -0.1)
        lane, other = project.lane("horn.cutoff"), project.lane("horn.resonance")
        self.assertEqual(other.layers[0].amount, -0.1)
        changed = replace(lane.layers[0], lfo=Lfo("triangle", Rate(3.0)))
        project = with_layer(project, "horn.cutoff", changed)
        self.assertEqual(project.lane("horn.resonance").layers[0].lfo, changed.lfo)
        self.assertEqual(project.lane("horn.resonance").layers[0].amount, -0.1)
        part = part_of(lane.layers[0], project.tempo, project.length)
        got = layered(flat(0.5), lane, project.tempo, project.length)
        early, late = got.at(np.array([1.0, 47.0])) - 0.5
        # An envelope below its middle turns the movement over.
        self.assertAlmostEqual(early, (part.curve.at(1.0) - 0.5) * 0.2 * (2 / 48 - 1), places=9)
        self.assertAlmostEqual(late, (part.curve.at(47.0) - 0.5) * 0.2 * (94 / 48 - 1), places=9)
        solo = replace(lane, layers=(wave, Layer("o", "offset", curve=flat(0.9), solo=True)))
        np.testing.assert_allclose(layered(flat(0.1), solo, T, 48.0).at([3.0]), 0.9)

    @given(curves())
    @few
    def test_composing_follows_any_curve(self, own: Curve) -> None:
        made = approximated(own.at, np.append(knots(own), own.beat[-1] + 1.0), 0.001)
        x = np.linspace(float(own.beat[0]), float(own.beat[-1]), 3_000)
        self.assertLess(np.abs(made.at(x) - own.at(x)).max(), 0.001)


if __name__ == "__main__":
    unittest.main()
