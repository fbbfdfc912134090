# SPDX-License-Identifier: GPL-3.0-or-later
"""Tempo, meter, positions and the grid."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from zolvek.core.errors import ZolvekError
from zolvek.core.time.grid import BARS, DIVISIONS, GRID_KINDS, Grid
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint

bpms = st.floats(20, 300)
tempos = st.lists(st.tuples(st.floats(0.25, 40), bpms, st.booleans()), max_size=5).map(
    lambda rows: TempoMap(
        (
            TempoPoint(0.0, 120.0, True),
            *(TempoPoint(sum(r[0] for r in rows[: i + 1]), row[1], row[2]) for i, row in enumerate(rows)),
        )
    )
)


class Tempo(unittest.TestCase):
    @given(tempos)
    def test_seconds_are_the_integral_and_beats_the_inverse(self, tempo: TempoMap) -> None:
        end = tempo.points[-1].beat + 8.0
        beats = np.linspace(0.0, end, 97)
        np.testing.assert_allclose(tempo.beats(tempo.seconds(beats)), beats, atol=1e-9)
        breaks = [p.beat for p in tempo.points if 0.0 < p.beat < end]
        whole, _ = quad(lambda b: 60.0 / float(tempo.bpm(b)), 0.0, end, points=breaks or None, limit=200)
        self.assertAlmostEqual(float(tempo.seconds(end)), whole, places=6)

    def test_eight_quarters_at_120_are_four_seconds(self) -> None:
        """Common practice, no source."""
        self.assertEqual(float(TempoMap().seconds(8.0)), 4.0)

    def test_a_nearly_flat_ramp_is_exact(self) -> None:
        tempo = TempoMap((TempoPoint(0.0, 120.0, True), TempoPoint(1_000.0, 120.0 + 1e-9)))
        self.assertAlmostEqual(float(tempo.seconds(1_000.0)), 500.0, places=8)

    def test_impossible_tempos_are_refused(self) -> None:
        for make in (
            lambda: TempoMap(()),
            lambda: TempoMap((TempoPoint(1.0, 120.0),)),
            lambda: TempoMap((TempoPoint(0.0, 0.0),)),
            lambda: TempoMap((TempoPoint(0.0, np.nan),)),
            lambda: TempoMap((TempoPoint(0.0, 120.0), TempoPoint(0.0, 90.0))),
        ):
            self.assertRaises(ZolvekError, make)


METER = MeterMap((MeterPoint(1, 4, 4), MeterPoint(5, 6, 8), MeterPoint(7, 7, 4)))


class Positions(unittest.TestCase):
    @given(st.integers(0, 960 * 200))
    def test_text_reads_back_to_the_tick(self, ticks: int) -> None:
        beat = ticks / 960.0
        self.assertAlmostEqual(METER.parse(METER.text(beat)), beat, places=12)

    def test_short_forms(self) -> None:
        self.assertEqual(METER.text(0.0), "1.1.0")
        self.assertEqual([METER.parse(t) for t in ("1", "2", "2.3", "2.3.480")], [0.0, 4.0, 6.0, 6.5])
        self.assertEqual(METER.parse("5.4"), 16.0 + 1.5, "beats of 6/8 are eighths")
        self.assertEqual(METER.parse("0:07.250", TempoMap()), 14.5)

    def test_bars_follow_the_meter(self) -> None:
        bars, beats = METER.bar_lines(12.0, 30.0)
        self.assertEqual(
            list(zip(bars.tolist(), beats.tolist(), strict=True)),
            [(4, 12.0), (5, 16.0), (6, 19.0), (7, 22.0), (8, 29.0)],
        )

    def test_what_is_no_position_is_refused_with_a_remedy(self) -> None:
        for text in ("", "0", "1.5", "5.7", "1.1.960", "-3", "one", "1.2.3.4", "0:75", "99999999"):
            with self.assertRaises(ZolvekError) as caught:
                METER.parse(text, TempoMap())
            self.assertTrue(caught.exception.remedy, text)


class TheGrid(unittest.TestCase):
    def test_snap_finds_the_nearest_line_of_every_grid(self) -> None:
        beats = np.random.default_rng(3).uniform(0, 40, 300)
        for kind in GRID_KINDS:
            for division in BARS if kind == "bars" else DIVISIONS:
                hits = tuple(np.linspace(0.3, 79.0, 91) if kind == "hits" else ())
                grid = Grid(division, kind, hits=hits)
                lines = grid.lines(0.0, 80.0, METER)
                nearest = np.abs(beats[:, None] - lines).min(axis=1)
                snapped = grid.snap(beats, METER)
                np.testing.assert_allclose(np.abs(snapped - beats), nearest, atol=1e-9, err_msg=grid.label)
                np.testing.assert_allclose(grid.snap(snapped, METER), snapped, atol=1e-9)

    def test_lengths(self) -> None:
        steps = {
            (16, "straight"): 0.25,
            (8, "dotted"): 0.75,
            (8, "triplet"): 1 / 3,
            (2, "bars"): 8.0,
        }
        for (division, kind), step in steps.items():
            self.assertAlmostEqual(Grid(division, kind).step_at(0.0, METER), step)

    def test_a_sixteenth_grid_does_not_reach_a_thirty_second(self) -> None:
        """Common practice, no source."""
        place = 0.125
        self.assertEqual(float(Grid(32).snap(place, METER)), place)
        self.assertNotEqual(float(Grid(16).snap(place, METER)), place)
        self.assertEqual(float(Grid(16, on=False).snap(place, METER)), place)

    def test_relative_snap_keeps_the_distance_from_the_grid(self) -> None:
        self.assertAlmostEqual(Grid(4).snap_move(1.1, 2.9, METER), 3.1)
