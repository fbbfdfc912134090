# SPDX-License-Identifier: GPL-3.0-or-later
"""Thinning against shapely, brute force and open data; recording and takes."""

from __future__ import annotations

import csv
import itertools
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import linprog

from tests import few, trials
from tests.core.curves import curves
from tests.present import present
from zolvek.core.curve.construction import curve, flat
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.deviation import deviation
from zolvek.core.curve.shapes import BENT, COSINE, HOLD, LINE, S_CURVE, SHAPES
from zolvek.core.curve.thinning import TRIED, extremes, thinned, thinned_to
from zolvek.core.curve.thinning_loops import _rise, farthest, funnel
from zolvek.core.edits import takes
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Lane
from zolvek.core.movement.evaluation.quantised_steps import _kept
from zolvek.core.movement.recording.passes import (
    Move,
    Pass,
    count_in_times,
    raw_curve,
    written,
)
from zolvek.core.records import replace
from zolvek.native import loops


def lines(x: Any, y: Any) -> Curve:
    return Curve(np.array(x, float), np.array(y, float), np.full(len(x), LINE, np.uint8), np.zeros(len(x)))


def strays(before: Curve, after: Curve) -> float:
    """The largest difference at 64 places between neighbouring points of either."""
    knots = np.unique(np.concatenate((before.beat, after.beat)))
    grid = (knots[:-1, None] + np.diff(knots)[:, None] * np.arange(64) / 64).ravel()
    # Just before each knot: not by an ulp, as u is given by a division, which rounds by as much.
    grid = np.append(grid, knots[1:] - 1e-9 * np.diff(knots))
    return float(np.abs(before.at(grid) - after.at(grid)).max(initial=0.0))


def passable(x: np.ndarray, low: np.ndarray, high: np.ndarray, links: int) -> bool:
    """Whether any continuous path of so many links goes through the ranges, by trying every split
    and asking a linear programme (scipy.optimize.linprog) whether lines that meet can do it."""
    return any(
        _passes(x, low, high, (0, *cuts, len(x))) for cuts in itertools.combinations(range(1, len(x)), links - 1)
    )


def _passes(x: Any, low: np.ndarray, high: np.ndarray, cuts: tuple[int, ...]) -> bool:
    """Whether links exist where link j takes samples cuts[j] to cuts[j+1] − 1, and neighbours meet
    somewhere between their samples. The meeting place is searched finely."""
    spans = [np.linspace(x[c - 1], x[c], 9) for c in cuts[1:-1]]
    for places in itertools.product(*spans):
        rows, bounds, equal = [], [], []
        count = len(cuts) - 1
        for j in range(count):
            for i in range(cuts[j], cuts[j + 1]):
                row = np.zeros(2 * count)
                row[2 * j : 2 * j + 2] = (1, x[i])
                rows += [row, -row]
                bounds += [high[i], -low[i]]
        for j, at in enumerate(places):
            row = np.zeros(2 * count)
            row[2 * j : 2 * j + 4] = (1, at, -1, -at)
            equal.append(row)
            # Where two links meet between samples they are in the corridor too.
            row = np.zeros(2 * count)
            row[2 * j : 2 * j + 2] = (1, at)
            rows += [row, -row]
            bounds += [np.interp(at, x, high), -np.interp(at, x, low)]
        done = linprog(
            np.zeros(2 * count),
            A_ub=np.array(rows),
            b_ub=np.array(bounds) + 1e-9,
            A_eq=np.array(equal) if equal else None,
            b_eq=np.zeros(len(equal)) if equal else None,
            bounds=[(None, None)] * (2 * count),
        )
        if done.status == 0:
            return True
    return False


def visvalingam(x: np.ndarray, y: np.ndarray, count: int) -> np.ndarray:
    """Visvalingam and Whyatt 1993: the point of the least triangle goes, again and again."""
    kept = list(range(len(x)))
    while len(kept) > count:
        areas = [
            abs((x[b] - x[a]) * (y[c] - y[a]) - (x[c] - x[a]) * (y[b] - y[a])) / 2
            for a, b, c in zip(kept, kept[1:], kept[2:], strict=False)
        ]
        kept.pop(1 + int(np.argmin(areas)))
    return np.array(kept)


def open_data() -> dict[str, np.ndarray]:
    """Open data (public domain: yearly sunspots, National Geophysical Data Center; monthly El Niño sea temperatures,
    National Oceanic and Atmospheric Administration; both as statsmodels 0.15 packages them), as passes nobody here
    made."""
    folder = Path(__file__).parent / "data"
    with open(folder / "sunspots.csv") as file:
        spots = np.array([float(row[1]) for row in list(csv.reader(file))[1:]])
    with open(folder / "elnino.csv") as file:
        sea = np.array([float(v) for row in list(csv.reader(file))[1:] for v in row[1:]])
    return {name: (s - s.min()) / np.ptp(s) for name, s in (("sunspots", spots), ("elnino", sea))}


class Thinning(unittest.TestCase):
    def test_never_more_points_than_peucker_and_the_bound_holds(self) -> None:
        """Ramer 1972; Douglas and Peucker 1973, by shapely (GEOS)."""
        for name, y in open_data().items():
            x = np.arange(len(y)) / 4.0
            drawn, line = lines(x, y), shapely.linestrings(np.column_stack((x, y)))
            for tolerance in (0.01, 0.03, 0.1):
                made = thinned(drawn, tolerance)
                self.assertLessEqual(strays(drawn, made.curve), tolerance + 1e-12)
                self.assertAlmostEqual(made.error, strays(drawn, made.curve), places=9)
                for epsilon in np.linspace(0.2, 3.0, 60) * tolerance:
                    kept = np.array(shapely.simplify(line, epsilon, preserve_topology=False).coords)
                    if np.abs(np.interp(x, kept[:, 0], kept[:, 1]) - y).max() <= made.error:
                        self.assertLessEqual(made.after, len(kept), name)
                shaped = thinned(drawn, tolerance, shapes=True)
                self.assertLessEqual(strays(drawn, shaped.curve), tolerance + 1e-12)
                self.assertLessEqual(shaped.after, made.after)

    def test_it_is_the_optimum(self) -> None:
        """Imai and Iri 1988: the fewest links, against every split tried by linear programming."""
        rng = np.random.default_rng(11)
        for _ in range(8):
            x, y = np.arange(6.0), np.round(rng.random(6), 2)
            tolerance = float(rng.choice([0.08, 0.15, 0.25]))
            low, high = np.clip(y - tolerance, 0, 1), np.clip(y + tolerance, 0, 1)
            low[[0, -1]] = high[[0, -1]] = y[[0, -1]]
            found = len(funnel(x / 5.0, low, high)) - 1
            if 1 < found < 5:
                self.assertFalse(passable(x, low, high, found - 1), "there is none with fewer")

    def test_jumps_at_the_very_ends_stay(self) -> None:
        rows: tuple[list[Any], ...] = (
            [(0.0, 0.2), (1.0, 0.8), (1.0, 0.1)], [(0.0, 0.2), (0.0, 0.8), (1.0, 0.1)], [(1.0, 0.2), (1.0, 0.8)],
            [(0.0, 0.1), (0.0, 0.9), (1.0, 0.5), (2.0, 0.5), (2.0, 0.3)],
            [(0.0, 0.0, "hold"), (1 / 3, 0.0, "hold"), (1 / 3, 0.0, "stairs", 1.0), (0.6, 1.0, "hold"), (0.6, 0.0)],
        )  # fmt: skip
        for points in rows:
            own = curve(points)
            for shapes in (False, True):
                made = thinned(own, 0.2, shapes)
                self.assertLessEqual(made.error, 0.2 + 1e-9, points)
                self.assertEqual((made.curve.value[0], made.curve.value[-1]), (points[0][1], points[-1][1]))

    @given(curves(), st.floats(0.001, 0.3), st.booleans())
    @few
    def test_any_curve_keeps_its_bound_ends_and_jumps(self, own: Curve, tolerance: float, shapes: bool) -> None:
        made = thinned(own, tolerance, shapes)
        self.assertLessEqual(strays(own, made.curve), tolerance + 1e-9)
        self.assertLessEqual(made.after, max(len(own), 2))
        self.assertEqual((made.curve.beat[0], made.curve.beat[-1]), (own.beat[0], own.beat[-1]))

    def test_the_bound_holds_between_all_places_of_noisy_passes(self) -> None:
        """Against lines by numpy.interp, between their jumps, at places that no check shares."""
        rng, bent = np.random.default_rng(1), 0
        for _ in range(3):
            x = np.sort(rng.uniform(0.0, 16.0, int(rng.integers(10, 60))))
            wave = 0.5 + 0.5 * np.sin(x * rng.uniform(0.2, 2.0))
            y = np.clip(wave + rng.normal(0.0, 0.02, len(x)), 0.0, 1.0)
            twins = np.arange(3, len(x) - 2, 7)
            x[twins] = x[twins - 1]
            for tolerance in (0.005, 0.03):
                made = thinned(lines(x, y), tolerance, shapes=True)
                edges = np.concatenate(([0], twins, [len(x)]))
                for a, b in itertools.pairwise(edges):
                    at = np.linspace(x[a], x[b - 1], 6_007)[1:-1]
                    far = np.abs(made.curve.at(at) - np.interp(at, x[a:b], y[a:b]))
                    self.assertLessEqual(far.max(), tolerance * (1.0 + 1e-6))
                bent += int(np.sum(made.curve.shape > 1))
        self.assertGreater(bent, 5, "shapes were found")

    def test_the_error_is_that_of_the_very_peak(self) -> None:
        """A bend and its chord, by calculus: y(u) − u is greatest where e^(k·u) = (e^k − 1)/k."""
        for amount in np.linspace(-0.99, 0.99, 45)[np.arange(45) != 22]:
            k = -4.0 * np.arctanh(amount)
            u = np.log(np.expm1(k) / k) / k
            want = abs(np.expm1(k * u) / np.expm1(k) - u) * 0.8
            bent = curve([(3.0, 0.1, "bend", float(amount)), (7.0, 0.9)])
            found, beat = deviation(lines([3.0, 4.1, 7.0], [0.1, 0.32, 0.9]), bent)
            self.assertAlmostEqual(found / want, 1.0, delta=1e-5)
            self.assertAlmostEqual(beat, 3.0 + 4.0 * u, delta=0.01)

    def test_a_larger_tolerance_never_needs_more_points(self) -> None:
        """Noisy passes, 17 tolerances from 0.1 to 20 % each, lines and shapes."""
        rng = np.random.default_rng(11)
        for _ in range(trials(10)):
            count = int(rng.integers(60, 160))
            beats = np.sort(rng.uniform(0.0, 32.0, count))
            sway = 0.5 + 0.35 * np.sin(beats / rng.uniform(1.0, 4.0))
            drawn = lines(beats, np.clip(sway + rng.normal(0.0, rng.uniform(0.001, 0.02), count), 0, 1))
            for shapes in (False, True):
                needed = [thinned(drawn, t, shapes).after for t in np.geomspace(0.001, 0.2, 17)]
                self.assertEqual(needed, sorted(needed, reverse=True), shapes)

    def test_by_count_beats_visvalingams_worked_example(self) -> None:
        x = np.array([0.0, 1, 2, 3, 4, 5, 6, 7, 8])
        y = np.array([0.1, 0.25, 0.2, 0.6, 0.55, 0.9, 0.7, 0.75, 0.2])
        for count in (4, 5, 6):
            kept = visvalingam(x, y, count)
            theirs = np.abs(np.interp(x, x[kept], y[kept]) - y).max()
            made = thinned_to(lines(x, y), count)
            self.assertLessEqual(made.after, count)
            self.assertLessEqual(made.error, theirs + 1e-9)
        with self.assertRaises(ZolvekError):
            thinned_to(curve([(0, 0.1), (1, 0.9), (1, 0.2), (2, 0.5)]), 2)

    def test_kept_points_stay_and_shapes_are_found_again(self) -> None:
        drawn = curve(
            [
                (0.0, 0.1, "bend", 0.5),
                (8.0, 0.9, "cosine"),
                (16.0, 0.2, "s-curve", 0.6),
                (24.0, 0.8),
            ]
        )
        grid = np.linspace(0.0, 24.0, 2_000)
        made = thinned(lines(grid, drawn.at(grid)), 0.004, shapes=True)
        self.assertLessEqual(made.after, 8)
        self.assertTrue({BENT, COSINE, S_CURVE} & set(made.curve.shape.tolist()))
        wave = lines(grid, 0.5 + 0.4 * np.sin(grid))
        turning = extremes(wave)
        made = thinned(wave, 0.2, keep=turning)
        self.assertTrue(np.isin(wave.beat[turning], made.curve.beat).all())
        stepped = curve([(0, 0.2, "hold"), (4, 0.8, "hold"), (8, 0.1, "hold"), (12, 0.1)])
        self.assertLessEqual(deviation(stepped, thinned(stepped, 0.05).curve)[0], 1e-9)
        with self.assertRaises(ZolvekError):
            thinned(wave, float("nan"))

    def test_the_loops_agree_with_the_shapes_table_and_in_c(self) -> None:
        u = np.linspace(0.0, 1.0, 41)[:-1]
        for code in (LINE, BENT, COSINE, S_CURVE):
            for amount in (-0.8, 0.0, 0.3):
                amounts = np.full(len(u), amount)
                wanted = SHAPES[code].rise(u, amounts)
                sign = 4.0 if code == S_CURVE else -4.0
                k = sign * np.arctanh(amount) or 1e-12
                found = [_rise(code, k, np.expm1(k), float(v)) for v in u]
                np.testing.assert_allclose(found, wanted, atol=1e-6)
        rng = np.random.default_rng(3)
        x, y = (
            np.linspace(0, 1, 400),
            np.clip(0.5 + np.cumsum(rng.standard_normal(400)) * 0.02, 0, 1),
        )
        for slack in (1e-4, 0.01, 0.2):
            low, high = y - slack, y + slack
            low[[0, -1]] = high[[0, -1]] = y[[0, -1]]
            corners = present(loops.funnel(x, low, high))
            np.testing.assert_allclose(corners, funnel(x, low, high), atol=1e-12)
            rows = farthest(x, y, corners[:, 0], corners[:, 1], slack)
            np.testing.assert_allclose(
                present(loops.farthest(x, y, corners[:, 0], corners[:, 1], slack, TRIED)), rows, atol=1e-12
            )
        steps = rng.integers(-40, 40, 3_000).astype(np.int32)
        for width in (0, 3, 30):
            for one, other in zip(
                present(loops.kept(steps, steps + width)),
                _kept(*(a.astype(np.int64) for a in (steps, steps + width))),
                strict=True,
            ):
                np.testing.assert_array_equal(one, other)


class Recording(unittest.TestCase):
    BASE = curve([(0.0, 0.2), (16.0, 0.8)])

    def hand(self, first: float = 4.0, last: float = 8.0) -> list[Move]:
        """A pass that is held from `first` to `last`."""
        beats = np.linspace(first, last, 400)
        moves = [Move(float(b), 0.5 + 0.3 * float(np.sin(3 * b)), True) for b in beats]
        return [*moves, Move(last, moves[-1].position, False)]

    def test_modes_write_what_the_trade_says(self) -> None:
        """Common practice, no source: touch returns, latch stays, write runs from start to stop."""
        moves = self.hand()
        for mode, first, last in (("touch", 4.0, 8.0), ("latch", 4.0, 14.0), ("write", 2.0, 14.0)):
            made = written(self.BASE, moves, mode, 2.0, 14.0, 0.5, 2.0)
            self.assertAlmostEqual(present(made).first, first)
            self.assertAlmostEqual(present(made).last, last + 0.5)
            x = np.linspace(4.01, 7.99, 800)
            self.assertLess(np.abs(present(made).curve.at(x) - (0.5 + 0.3 * np.sin(3 * x))).max(), 0.006)
            outside = np.concatenate((np.linspace(0, first - 0.01, 50), np.linspace(last + 0.51, 16, 50)))
            np.testing.assert_allclose(present(made).curve.at(outside), self.BASE.at(outside), atol=1e-9)
            back = present(made).curve.at([np.nextafter(last + 0.5, 0), last + 0.5])
            self.assertAlmostEqual(back[0], back[1], places=6, msg="the join does not jump")
        self.assertIsNone(written(self.BASE, moves, "read", 2.0, 14.0, 0.5, 2.0))
        latched = present(written(self.BASE, moves, "latch", 2.0, 14.0, 0.5, 2.0)).curve
        self.assertAlmostEqual(float(latched.at(12.0)), moves[-1].position, delta=0.005)
        stepped = written(
            self.BASE,
            [Move(4.0, 0.1, True), Move(5.0, 0.9, True), Move(6.0, 0.9, False)],
            "touch",
            0.0,
            16.0,
            0.5,
            2.0,
            True,
        )
        self.assertIn(HOLD, present(stepped).curve.shape)
        self.assertEqual(float(present(stepped).curve.at(5.0)), 0.9)
        self.assertEqual(float(present(stepped).curve.at(4.9)), 0.1)

    def test_rests_twins_and_time_that_runs_backwards(self) -> None:
        raw = raw_curve([Move(0.0, 0.2, True), Move(0.05, 0.3, True), Move(4.0, 0.9, True)], 2.0, False)
        np.testing.assert_allclose(raw.at([0.025, 2.0, 3.98]), [0.25, 0.3, 0.3], atol=1e-9)
        reported = Pass("x", loops=True)
        for beat, value in ((1.0, 0.1), (1.0, 0.2), (0.99, 0.3), (2.0, 0.4), (0.0, 0.5)):
            reported.add(beat, value)
        first, second = reported.rounds
        np.testing.assert_allclose([m.beat for m in first], [1.0, 1.0, 1.0, 2.0], atol=1e-5)
        self.assertTrue((np.diff([m.beat for m in first]) > 0).all(), "in the order they came")
        self.assertEqual([m.position for m in first], [0.1, 0.2, 0.3, 0.4], "none is lost")
        self.assertEqual(second, [Move(0.0, 0.5, True)])
        np.testing.assert_allclose(count_in_times(4, 120.0, 4), [0, 0.5, 1.0, 1.5, 2.0])
        self.assertEqual(len(count_in_times(4, 120.0, 4)) - 1, 4, "one bar is four clicks in 4/4")

    def test_takes_are_chosen_let_go_and_deleted(self) -> None:
        lane = Lane("x", "d", "p", self.BASE)
        lane = takes.with_take(lane, flat(0.9, 2.0), 2.0, 10.0)
        lane = takes.with_take(lane, flat(0.1, 2.0), 2.0, 10.0)
        lane = takes.chosen(lane, "take-1", 3.0, 7.0, 0.25, 0.004)
        lane = takes.chosen(lane, "take-2", 5.0, 9.0, 0.0, 0.004)
        self.assertEqual(
            [(c.first, c.last, c.take) for c in present(lane.comp).choices],
            [(3.0, 5.0, "take-1"), (5.0, 9.0, "take-2")],
        )
        np.testing.assert_allclose(lane.curve.at([4.0, 6.0]), [0.9, 0.1], atol=1e-9)
        np.testing.assert_allclose(lane.curve.at([2.0, 12.0]), self.BASE.at([2.0, 12.0]))
        self.assertAlmostEqual(float(lane.curve.at(3.0)), float(self.BASE.at(3.0)), places=9, msg="glides in")
        back = takes.unchosen(lane, 0.0, 16.0)
        x = np.linspace(0, 16, 300)
        np.testing.assert_allclose(back.curve.at(x), self.BASE.at(x), atol=1e-9)
        self.assertIsNone(back.comp)
        gone = takes.without_take(lane, "take-2")
        self.assertAlmostEqual(float(gone.curve.at(7.5)), float(self.BASE.at(7.5)), places=9)
        self.assertEqual(takes.cropped(lane, "take-1", 4.0, 6.0).takes[0].first, 4.0)
        self.assertAlmostEqual(float(takes.auditioned(replace(lane, curve=self.BASE), ["take-1"]).at(9.0)), 0.9)
        for wrong in (
            lambda: takes.chosen(lane, "take-1", 12.0, 14.0, 0.0, 0.01),
            lambda: takes.chosen(lane, "no", 1.0, 2.0, 0.0, 0.01),
        ):
            with self.assertRaises(ZolvekError):
                wrong()


if __name__ == "__main__":
    unittest.main()
