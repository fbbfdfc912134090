# SPDX-License-Identifier: GPL-3.0-or-later
"""What is drawn of a curve looks like the curve: pixels against the curve itself."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.core.curves import curves
from zolvek.core.curve.curve import Curve
from zolvek.studio.toolkit.outline import INVISIBLE_PX, SLIMMINGS, band, by_column, line, slimmed
from zolvek.studio.toolkit.viewport import Viewport


class Outline(unittest.TestCase):
    @given(st.lists(st.floats(-300.0, 300.0), min_size=1, max_size=400))
    def test_a_slimmed_line_lies_where_it_lay(self, heights: list[float]) -> None:
        x, y = np.arange(float(len(heights))), np.array(heights)
        slim_x, slim_y = slimmed(x, y)
        self.assertLess(np.abs(np.interp(x, slim_x, slim_y) - y).max(), SLIMMINGS * INVISIBLE_PX + 1e-6)
        steady = slimmed(np.arange(801.0), 0.25 * np.arange(801.0))
        self.assertEqual(len(steady[0]), 101)

    def test_steps_stay_upright(self) -> None:
        x = np.array([0.0, 10.0, 10.0, 20.0, 20.0, 30.0])
        y = np.array([0.0, 0.0, 50.0, 50.0, 0.0, 0.0])
        self.assertEqual([part.tolist() for part in slimmed(x, y)], [x.tolist(), y.tolist()])

    @given(curves())
    def test_line_and_band_are_the_curve(self, drawn: Curve) -> None:
        view = Viewport(max(float(drawn.beat[-1]), 1.0))
        view.set_width(200)
        x, value = line(drawn, view)
        self.assertTrue(np.all(np.diff(x) >= 0.0))
        low, high = band(drawn, view)
        beats = view.first + (np.arange(200) + 0.5) * (view.beats / 200)
        middle = drawn.at(beats)
        self.assertTrue(np.all((low <= middle + 1e-12) & (middle <= high + 1e-12)))
        # A vertex is a point of the curve, on either side of a jump where there is one.
        beats = view.first + x * (view.beats / view.width)
        near = [drawn.extent(beat - 1e-6, beat + 1e-6) for beat in beats.tolist()]
        for (lowest, highest), own in zip(near, value.tolist(), strict=True):
            self.assertTrue(lowest - 1e-4 <= own <= highest + 1e-4, (lowest, own, highest))

    def test_many_vertices_become_the_extremes_of_each_column(self) -> None:
        x = np.linspace(0.0, 100.0, 20_000)
        y = np.sin(x * 7.0) * x
        thin_x, thin_y = by_column(x, y)
        self.assertLessEqual(len(thin_x), 104)
        self.assertEqual((thin_y.min(), thin_y.max()), (y.min(), y.max()))


if __name__ == "__main__":
    unittest.main()
