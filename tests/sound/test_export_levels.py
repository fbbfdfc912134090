# SPDX-License-Identifier: GPL-3.0-or-later
"""What an exported file says of itself: peaks against tones whose true peak is known, clipping, numbers that are not
sound, dither, and what an export may not replace."""

from __future__ import annotations

import os
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from zolvek.core.curve.construction import curve
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.replacement import add_lane, with_curve, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.project import Clip, Project
from zolvek.core.records import replace
from zolvek.formats.audio import sound_writer
from zolvek.formats.project import project_file
from zolvek.formats.project.own_files import need_other
from zolvek.sound.analysis.peak_meter import PeakMeter, decibels
from zolvek.sound.engine.offline import render
from zolvek.sound.jobs import mix_export

RATE = 48_000


class Levels(unittest.TestCase):
    def setUp(self) -> None:
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)

    def test_true_peaks_of_tones_that_are_known(self) -> None:
        """EBU Tech 3341 (2016), table 1, tests 15 to 19: sines of 0.5 and 1.41 of full scale at a quarter, a sixth and
        an
        eighth of the rate, in the phases given, have true peaks of −6 and +3 dBTP within +0.2 and −0.4 dB. And pieces
        of any length change nothing."""
        for number, (part, phase, size, wanted) in enumerate((
            (4, 0.0, 0.5, -6.0), (4, 45.0, 0.5, -6.0), (6, 60.0, 0.5, -6.0), (8, 67.5, 0.5, -6.0), (4, 45.0, 1.41, 3.0),
        ), 15):  # fmt: skip
            angle = 2.0 * np.pi * np.arange(RATE) / part + np.radians(phase)
            fade = np.minimum(1.0, np.minimum(np.arange(RATE), np.arange(RATE)[::-1]) / 480.0)
            tone = (size * np.sin(angle) * fade)[None].astype(np.float32)
            whole, pieces = PeakMeter(), PeakMeter()
            whole.feed(tone)
            for first in range(0, RATE, 977):
                pieces.feed(tone[:, first : first + 977])
            found = decibels(whole.true_peak)
            self.assertTrue(wanted - 0.4 <= found <= wanted + 0.2, (number, found))
            self.assertAlmostEqual(whole.true_peak, pieces.true_peak, 6)

    def loud(self, level: float) -> Project:
        path = self.folder / "tone.wav"
        tone = level * np.sin(2.0 * np.pi * 997.0 * np.arange(RATE) / RATE)
        soundfile.write(path, tone, RATE, subtype="FLOAT")
        project, _ = add_track(Project(length=2.0), "T")
        own = replace(project.tracks[0], clips=(Clip(0.0, str(path)),))
        return with_track(project, own)

    def test_clipping_is_said_and_lower_it_is_gone(self) -> None:
        project, out = self.loud(1.2), self.folder / "mix.wav"
        done = mix_export.export_mix(project, out, tail=False)
        over = int((np.abs(render(project)) > 1.0).any(axis=0).sum())
        self.assertEqual(done.cut, over)
        self.assertAlmostEqual(done.peak, 20.0 * np.log10(1.2), 2)
        self.assertIn("were clipped", done.words[0])
        lower = mix_export.export_mix(project, out, tail=False, lower=done.true_peak + 1.0)
        self.assertEqual((lower.cut, lower.words), (0, []))
        self.assertAlmostEqual(lower.true_peak, -1.0, 2)
        floats = mix_export.export_mix(project, out, sound_writer.SoundFormat(depth="float"), tail=False)
        self.assertEqual(floats.words, [])
        self.assertGreater(np.abs(soundfile.read(out)[0]).max(), 1.19)

    def test_what_is_not_a_number_never_goes_out(self) -> None:
        """Points 5e-324 beats apart, and a block that is not sound."""
        project = self.loud(0.5)
        project, device = add_device(project, project.tracks[0].id, DEVICE_KINDS["filter"])
        project, lane = add_lane(project, device, "cutoff")
        close = curve([(0.0, 0.0), (5e-324, 1.0), (1e-323, 0.5), (1.0, 1.0)])
        self.assertEqual(close.beat.tolist(), [0.0, 0.0, 1.0])
        self.assertTrue(np.isfinite(render(with_curve(project, lane, close))).all())
        meter = PeakMeter()
        bad = np.array([[0.1, np.nan, np.inf, -0.2]], np.float32)
        path = sound_writer.save(map(meter.feed, (bad,)), self.folder / "bad.wav")
        self.assertEqual(meter.faults, 2)
        np.testing.assert_allclose(soundfile.read(path)[0], [0.1, 0.0, 0.0, -0.2], atol=1e-6)

    def test_no_two_blocks_have_the_same_dither(self) -> None:
        blocks = [np.zeros((1, 4_096), np.float32) for _ in range(3)]
        path = sound_writer.save(iter(blocks), self.folder / "d.wav", sound_writer.SoundFormat(depth="16"))
        rows = soundfile.read(path, dtype="int16")[0].reshape(3, -1)
        self.assertTrue(rows.any())
        for one, other in ((0, 1), (0, 2), (1, 2)):
            self.assertFalse(np.array_equal(rows[one], rows[other]))

    def test_an_export_replaces_no_file_of_the_project(self) -> None:
        project, path = self.loud(0.5), self.folder / "song.zolvek"
        sound = self.folder / "tone.wav"
        project_file.save(project, path)
        linked = self.folder / "linked.wav"
        os.link(sound, linked)
        for target in (path, sound, linked, self.folder / "." / "tone.wav"):
            with self.assertRaisesRegex(ZolvekError, "belongs to the project"):
                need_other([target], project, path)
        need_other([self.folder / "new.wav"], project, path)
        before = sound.read_bytes()
        with self.assertRaisesRegex(ZolvekError, "belongs to the project"):
            project_file.save(project, sound)
        self.assertEqual(sound.read_bytes(), before)
        project_file.save(project, path)


if __name__ == "__main__":
    unittest.main()
