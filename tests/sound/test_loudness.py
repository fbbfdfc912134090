# SPDX-License-Identifier: GPL-3.0-or-later
"""Loudness against libebur128, another reading of ITU-R BS.1770-4 (Debian's), by EBU's signals."""

from __future__ import annotations

import ctypes
import math
import unittest

import numpy as np

from zolvek.demo.night_regatta import build
from zolvek.sound.analysis.measures import loudness
from zolvek.sound.engine.offline import render
from zolvek.sound.engine.renderer import RATE
from zolvek.sound.signal.mixing import matching_gains

LIBRARY = "libebur128.so.1"
INTEGRATED = 1 << 2 | 1  # the modes of its header: integrated, and momentary, on which that stands
WITHIN = 0.02  # LU

# EBU Tech 3341 (2016), table 1, signals 1 to 5: a sine of 1 kHz in both channels, seconds at dBFS. From memory.
SIGNALS = (
    ((20.0, -23.0),),
    ((20.0, -33.0),),
    ((10.0, -36.0), (60.0, -23.0), (10.0, -36.0)),
    ((10.0, -72.0), (10.0, -36.0), (60.0, -23.0), (10.0, -36.0), (10.0, -72.0)),
    ((20.0, -26.0), (20.1, -20.0), (20.0, -26.0)),
)
WANTED = (-23.0, -33.0, -23.0, -23.0, -23.0)  # LUFS ± 0.1


def measured(library: ctypes.CDLL, sound: np.ndarray, rate: int) -> float:
    """What libebur128 says of it, in LUFS."""
    library.ebur128_init.restype = ctypes.c_void_p
    library.ebur128_init.argtypes = [ctypes.c_uint, ctypes.c_ulong, ctypes.c_int]
    library.ebur128_add_frames_double.argtypes = [ctypes.c_void_p, ctypes.c_void_p, ctypes.c_size_t]
    library.ebur128_loudness_global.argtypes = [ctypes.c_void_p, ctypes.POINTER(ctypes.c_double)]
    library.ebur128_destroy.argtypes = [ctypes.POINTER(ctypes.c_void_p)]
    state = ctypes.c_void_p(library.ebur128_init(len(sound), rate, INTEGRATED))
    frames = np.ascontiguousarray(sound.T, float)
    library.ebur128_add_frames_double(state, frames.ctypes.data, len(frames))
    found = ctypes.c_double()
    library.ebur128_loudness_global(state, ctypes.byref(found))
    library.ebur128_destroy(ctypes.byref(state))
    return found.value


def signal(rate: int, parts: tuple[tuple[float, float], ...]) -> np.ndarray:
    level = np.concatenate([np.full(round(s * rate), 10.0 ** (db / 20.0)) for s, db in parts])
    one = level * np.sin(2.0 * np.pi * 1_000.0 * np.arange(len(level)) / rate)
    return np.stack((one, one))


class Loudness(unittest.TestCase):
    library: ctypes.CDLL

    @classmethod
    def setUpClass(cls) -> None:
        try:
            cls.library = ctypes.CDLL(LIBRARY)
        except OSError:
            raise unittest.SkipTest(f"{LIBRARY} is not here") from None

    def test_the_signals_of_ebu_tech_3341_at_four_rates(self) -> None:
        for rate, which in (
            (44_100, range(5)),
            (48_000, range(5)),
            (96_000, (0, 4)),
            (192_000, (0, 4)),
        ):
            for number in which:
                sound = signal(rate, SIGNALS[number])
                found = loudness(sound, rate)
                with self.subTest(rate=rate, signal=number + 1):
                    self.assertAlmostEqual(found, WANTED[number], delta=0.1)
                    self.assertAlmostEqual(found, measured(self.library, sound, rate), delta=WITHIN)

    def test_noise_whose_level_wanders_low_tones_and_silence(self) -> None:
        rng = np.random.default_rng(1)
        for rate in (44_100, 48_000, 88_200, 192_000):
            noise = 0.1 * rng.standard_normal((2, rate * 8)) * np.repeat(rng.random(80), rate // 10)
            low = 0.1 * np.sin(2 * np.pi * 60.0 * np.arange(rate * 5) / rate) * np.ones((2, 1))
            for sound in (noise, low):
                wanted = measured(self.library, sound, rate)
                self.assertAlmostEqual(loudness(sound, rate), wanted, delta=WITHIN)
        self.assertEqual(loudness(np.zeros((2, 48_000)), 48_000), -math.inf)

    def test_after_matching_both_versions_are_equally_loud(self) -> None:
        quiet, loud = render(build(), 32.0, 40.0), render(build(), 60.0, 68.0)
        gains = matching_gains(*(loudness(each, RATE) for each in (quiet, loud)))
        after = [measured(self.library, gain * each, RATE) for gain, each in zip(gains, (quiet, loud), strict=True)]
        self.assertAlmostEqual(after[0], after[1], delta=WITHIN)
        self.assertEqual(max(gains), 1.0, "nothing is turned up")


if __name__ == "__main__":
    unittest.main()
