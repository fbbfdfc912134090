# SPDX-License-Identifier: GPL-3.0-or-later
"""Tapers, and values as text and back."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zolvek.core.curve.construction import curve
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.value.parameter import Parameter

ALL = [p for kind in DEVICE_KINDS.values() for p in kind.parameters]
NAMED = {(kind.key, p.id): p for kind in DEVICE_KINDS.values() for p in kind.parameters}
CUTOFF, LEVEL, TRANSPOSE = (NAMED["synth", key] for key in ("cutoff", "level", "transpose"))
MUTE, WAVE, TIME = NAMED["synth", "mute"], NAMED["synth", "wave"], NAMED["delay", "time"]


class Text(unittest.TestCase):
    @given(st.sampled_from(ALL), st.floats(0, 1, allow_subnormal=False))
    def test_what_is_written_reads_back(self, parameter: Parameter, position: float) -> None:
        text = parameter.text(position)
        self.assertEqual(parameter.text(parameter.parse(text)), text)
        if not parameter.steps and text not in ("−∞ dB",):
            self.assertAlmostEqual(parameter.parse(text), position, delta=0.006)

    def test_as_a_person_writes(self) -> None:
        cases = (
            (CUTOFF, "1.25k", "1.25 kHz"), (CUTOFF, "1250", "1.25 kHz"), (CUTOFF, "440 hz", "440 Hz"),
            (CUTOFF, "1,2 kHz", "1.2 kHz"), (LEVEL, "-6", "−6.0 dB"), (LEVEL, "−∞", "−∞ dB"),
            (LEVEL, "-inf dB", "−∞ dB"), (LEVEL, "+3", "+3.0 dB"), (TRANSPOSE, "+7 st", "+7 st"),
            (TRANSPOSE, "-12", "−12 st"), (MUTE, "on", "On"), (WAVE, "mal", "Mallet"), (TIME, "250ms", "250 ms"),
            (TIME, "0.25", "250 ms"), (NAMED["synth", "pan"], "30 L", "30 % L"), (NAMED["synth", "pan"], "c", "Centre"),
            (NAMED["delay", "mix"], "35%", "35 %"),
        )  # fmt: skip
        for parameter, typed, shown in cases:
            self.assertEqual(parameter.text(parameter.parse(typed)), shown, typed)
        self.assertAlmostEqual(TIME.parse_value("1/8", 120.0), 0.25)
        self.assertAlmostEqual(TIME.parse_value("1/8d", 120.0), 0.375)

    def test_what_cannot_be_is_refused_with_a_remedy(self) -> None:
        cases = ((CUTOFF, "5 Hz"), (CUTOFF, "30k"), (CUTOFF, "loud"), (CUTOFF, "3 dB"), (LEVEL, "+7"),
                 (WAVE, "sine"), (MUTE, "maybe"), (TIME, "1/8"), (CUTOFF, ""), (CUTOFF, "nan"))  # fmt: skip
        for parameter, typed in cases:
            with self.assertRaises(ZolvekError) as caught:
                parameter.parse(typed)
            self.assertTrue(caught.exception.remedy, typed)


class Tapers(unittest.TestCase):
    @given(st.sampled_from(ALL), st.floats(0, 1, allow_subnormal=False))
    def test_there_and_back(self, parameter: Parameter, position: float) -> None:
        value = parameter.value(position)
        again = parameter.value(parameter.position(value))
        np.testing.assert_allclose(again, value, rtol=1e-8, atol=1e-9)

    def test_frequencies_move_in_octaves(self) -> None:
        low, middle, high = CUTOFF.value([0.0, 0.5, 1.0])
        self.assertAlmostEqual(middle, np.sqrt(low * high), places=6)

    def test_a_switch_flips_where_a_line_passes_the_middle(self) -> None:
        """Common practice, no source."""
        line = curve([(0.0, 0.0), (4.0, 1.0)])
        self.assertEqual([MUTE.text(float(line.at(b))) for b in (1.99, 2.0)], ["Off", "On"])

    def test_steps_lie_in_the_middle_of_their_share(self) -> None:
        for choice in range(4):
            self.assertAlmostEqual(WAVE.parse(WAVE.choices[choice]), (choice + 0.5) / 4)
        self.assertEqual(WAVE.text(1.0), "None")

    def test_intervals(self) -> None:
        """Common practice, no source: a major second is 2 semitones, a fifth 7."""
        for name, semitones in (("second", "+2 st"), ("fifth", "+7 st")):
            self.assertEqual(float(TRANSPOSE.parse_value(semitones)), {"second": 2, "fifth": 7}[name])
