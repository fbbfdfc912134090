# SPDX-License-Identifier: GPL-3.0-or-later
"""The colours of lanes stay apart for everybody, and are read on their paper: by computation."""

from __future__ import annotations

import itertools
import unittest

import numpy as np

from tests.test_structure import contrast
from zolvek.core.edits.replacement import LANE_COLOURS
from zolvek.studio.toolkit.theme import LANE_INKS, THEMES

LEAST_APART = 8.0  # CIEDE2000
# Machado, Oliveira and Fernandes, "A physiologically-based model for simulation of color vision deficiency", IEEE
# Transactions on Visualization and Computer Graphics, 2009: severity 1.0, of linear RGB. From memory.
VISION = {
    "usual": np.eye(3),
    "protanopia": np.array([[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216],
                            [-0.003882, -0.048116, 1.051998]]),
    "deuteranopia": np.array([[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413],
                              [-0.011820, 0.042940, 0.968881]]),
    "tritanopia": np.array([[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602],
                            [0.004733, 0.691367, 0.303900]]),
}  # fmt: skip
TO_XYZ = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750],
                   [0.0193339, 0.1191920, 0.9503041]])  # fmt: skip  # sRGB, IEC 61966-2-1


def linear(colour: str) -> np.ndarray:
    """#RRGGBB as linear RGB."""
    parts = np.array([int(colour[at : at + 2], 16) / 255.0 for at in (1, 3, 5)])
    return np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)


def lab(rgb: np.ndarray) -> np.ndarray:
    """CIE 1976 L*a*b* of linear RGB, of white at (1, 1, 1)."""
    x = np.clip(rgb, 0.0, 1.0) @ TO_XYZ.T / (TO_XYZ @ np.ones(3))
    f = np.where(x > 216.0 / 24_389.0, np.cbrt(x), (24_389.0 / 27.0 * x + 16.0) / 116.0)
    return np.array([116.0 * f[1] - 16.0, 500.0 * (f[0] - f[1]), 200.0 * (f[1] - f[2])])


def apart(one: np.ndarray, other: np.ndarray) -> float:
    """CIEDE2000 of two L*a*b* colours (ISO/CIE 11664-6)."""
    (l1, a1, b1), (l2, a2, b2) = one, other
    mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2.0
    stretch = 1.5 - 0.5 * np.sqrt(mean**7 / (mean**7 + 25.0**7))
    c1, c2 = np.hypot(a1 * stretch, b1), np.hypot(a2 * stretch, b2)
    h1, h2 = (np.degrees(np.arctan2(b, a * stretch)) % 360.0 for a, b in ((a1, b1), (a2, b2)))
    turn = (h2 - h1 + 180.0) % 360.0 - 180.0 if c1 * c2 else 0.0
    hue = 2.0 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2.0))
    light, chroma = (l1 + l2) / 2.0, (c1 + c2) / 2.0
    middle = (h1 + turn / 2.0) % 360.0 if c1 * c2 else h1 + h2
    waves = ((-0.17, 1.0, -30.0), (0.24, 2.0, 0.0), (0.32, 3.0, 6.0), (-0.20, 4.0, -63.0))
    weight = 1.0 + sum(height * np.cos(np.radians(times * middle + shift)) for height, times, shift in waves)
    s_l = 1.0 + 0.015 * (light - 50.0) ** 2 / np.sqrt(20.0 + (light - 50.0) ** 2)
    s_c, s_h = 1.0 + 0.045 * chroma, 1.0 + 0.015 * chroma * weight
    bend = 30.0 * np.exp(-(((middle - 275.0) / 25.0) ** 2))
    twist = -np.sin(np.radians(2.0 * bend)) * 2.0 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7))
    parts = (l2 - l1) / s_l, (c2 - c1) / s_c, hue / s_h
    return float(np.sqrt(sum(part**2 for part in parts) + twist * parts[1] * parts[2]))


class Colours(unittest.TestCase):
    def test_the_measure_is_the_published_one(self) -> None:
        """Sharma, Wu and Dalal, "The CIEDE2000 color-difference formula", Color Research and Application, 2005: rows
        of its table 1."""
        for one, other, wanted in (
            ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
            ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
            ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ):
            self.assertAlmostEqual(apart(np.array(one), np.array(other)), wanted, places=4)

    def test_ten_colours_stay_apart_and_are_read(self) -> None:
        for key, inks in LANE_INKS.items():
            self.assertEqual(len(inks), LANE_COLOURS)
            self.assertEqual(inks[0], THEMES[key].curve)
            for ink in inks:
                self.assertGreaterEqual(contrast(ink, THEMES[key].sheet), 4.5, (key, ink))
            for name, matrix in VISION.items():
                seen = [lab(matrix @ linear(ink)) for ink in inks]
                for (n, one), (m, other) in itertools.combinations(enumerate(seen), 2):
                    self.assertGreaterEqual(apart(one, other), LEAST_APART, (key, name, inks[n], inks[m]))

    def test_what_is_wrong_is_read_too(self) -> None:
        for theme in THEMES.values():
            for paper in (theme.sheet, theme.desk, theme.raised):
                self.assertGreaterEqual(contrast(theme.fault, paper), 4.5, theme.key)


if __name__ == "__main__":
    unittest.main()
