# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound, control signals, tables, the schema and pictures, read back by libraries of others."""

from __future__ import annotations

import csv
import io
import json
import tempfile
import unittest
import warnings
import xml.etree.ElementTree as xml
from pathlib import Path

import jsonschema
import numpy as np
import soundfile
from scipy.io import wavfile as scipys

from zolvek.core.curve.construction import curve
from zolvek.core.edits.replacement import with_lane
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap
from zolvek.demo.night_regatta import build
from zolvek.formats import picture
from zolvek.formats.audio import curve_import, sound_writer
from zolvek.formats.project import project_file, schema
from zolvek.formats.tables import lane_table
from zolvek.sound.jobs import control_export, mix_export

DEMO = build()
DOCS = Path(__file__).parents[2] / "docs"


def read_wav(path: Path) -> tuple[int, np.ndarray]:
    with warnings.catch_warnings():  # it says that it skips the chunk of peaks that floats have
        warnings.simplefilter("ignore", scipys.WavFileWarning)
        return scipys.read(path)


class Files(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_sound_in_all_forms_tracks_and_tails(self) -> None:
        span = (64.0, 66.0)
        mix = self.folder / "mix.wav"
        mix_export.export_mix(DEMO, mix, sound_writer.SoundFormat(44_100, "float"), span, tail=False)
        rate, data = read_wav(mix)
        seconds = float(np.diff(DEMO.tempo.seconds(span))[0])
        self.assertEqual((rate, data.dtype, len(data)), (44_100, np.float32, round(seconds * 44_100)))
        stems = mix_export.export_mix(
            DEMO, mix, sound_writer.SoundFormat(44_100, "float"), span, tail=False, tracks=True
        ).files
        self.assertEqual(len(stems), 4)
        whole = sum(read_wav(path)[1] for path in stems)
        np.testing.assert_allclose(whole, data, atol=1e-5)
        for kind, depth, subtype in ((".flac", "16", "PCM_16"), (".wav", "24", "PCM_24")):
            path = self.folder / f"mix{kind}"
            mix_export.export_mix(DEMO, path, sound_writer.SoundFormat(44_100, depth), span, tail=False)
            info = soundfile.info(path)
            self.assertEqual((info.samplerate, info.subtype), (44_100, subtype))
            far = soundfile.read(path)[0] - np.clip(data, -1, 1)
            self.assertLess(np.abs(far).max(), 2.1 / 2 ** (int(depth) - 1))
        mix_export.export_mix(DEMO, mix, sound_writer.SoundFormat(44_100), span, tail=True)
        longer = soundfile.read(mix)[0]
        self.assertGreater(len(longer), len(data) + 44_100 // 2)
        self.assertLess(np.abs(longer[-2_000:]).max(), 1e-3, "it has died away")
        with self.assertRaises(ZolvekError):
            mix_export.export_mix(DEMO, self.folder / "x.flac", sound_writer.SoundFormat(depth="float"), span)
        self.assertFalse((self.folder / "x.flac").exists())

    def test_a_lane_as_sound_is_the_curve_and_comes_back(self) -> None:
        """Sample by sample, its mean with it: nothing is filtered out."""
        for lane, swing in (("horn.cutoff", "both"), ("mallet.transpose", "up")):
            path = control_export.save_control(DEMO, lane, self.folder / "c.wav", swing=swing)
            rate, data = read_wav(path)
            value = played(DEMO.lane(lane), DEMO).curve.at(DEMO.tempo.beats(np.arange(len(data)) / rate))
            wanted = 2.0 * value - 1.0 if swing == "both" else value
            np.testing.assert_allclose(data, wanted, atol=1e-7)
            sound, rate = curve_import.read(path)
            back = curve_import.as_control(sound, rate, DEMO.tempo, 0.0, 0.001, swing)
            beats = np.linspace(0.0, 191.9, 50_001)
            far = np.abs(back.at(beats) - played(DEMO.lane(lane), DEMO).curve.at(beats))
            self.assertLessEqual(np.percentile(far, 99.9), 0.00101)
            self.assertLess(len(back), 200)

    def test_a_level_is_followed_by_its_attack_and_release(self) -> None:
        """A one-pole follower goes 63 % of the way in its time constant."""
        rate = 48_000
        sound = np.concatenate((np.zeros(rate), np.ones(rate), np.zeros(rate)))
        made = curve_import.followed(sound, rate, TempoMap(), 0.0, 0.1, 0.4, 0.002)
        at = made.at(2.0 * np.array([1.1, 2.4]))  # 120 BPM: two beats a second
        np.testing.assert_allclose(at, [1 - np.exp(-1), np.exp(-1)], atol=0.02)

    def test_tables_are_csv_on_a_common_clock(self) -> None:
        """RFC 4180, read by Python's own csv."""
        lanes = [lane.id for lane in DEMO.lanes()]
        named = with_lane(DEMO, replace(DEMO.lane("horn.cutoff"), name='Sweep, "wide"'))
        rows = list(csv.reader(io.StringIO(lane_table.to_text(named, lanes, 0.5, "seconds"))))
        self.assertEqual(rows[0][2], "horn.cutoff")
        self.assertEqual({len(row) for row in rows}, {18})
        seconds = np.array([float(row[1]) for row in rows[1:]])
        np.testing.assert_allclose(np.diff(seconds), 0.5, atol=1e-9)
        beats = np.array([float(row[0]) for row in rows[1:]])
        wanted = DEMO.parameter_of(lanes[0]).value(played(DEMO.lane(lanes[0]), DEMO).at(beats))
        np.testing.assert_allclose([float(row[2]) for row in rows[1:]], wanted, rtol=1e-9)
        with self.assertRaises(ZolvekError):
            lane_table.to_text(DEMO, lanes, 1e-9)

    def test_the_project_file_fits_its_published_schema(self) -> None:
        """JSON Schema draft 2020-12, by jsonschema."""
        published = json.loads((DOCS / "project.schema.json").read_text())
        self.assertEqual(published, json.loads(json.dumps(schema.schema())))
        validator = jsonschema.Draft202012Validator(published)
        validator.check_schema(published)
        document = json.loads(project_file.encode(DEMO))
        self.assertEqual(list(validator.iter_errors(document)), [])
        document["project"]["tracks"][0]["lanes"][0]["curve"]["beat"] = "none"
        self.assertTrue(list(validator.iter_errors(document)))

    def test_a_picture_shows_the_curve(self) -> None:
        drawn = with_lane(DEMO, replace(DEMO.lane("horn.cutoff"), curve=curve([(0.0, 0.0), (192.0, 1.0)])))
        tree = xml.fromstring(picture.svg(drawn, ["horn.cutoff", "mallet.transpose"]))
        texts = [each.text for each in tree.iter("{http://www.w3.org/2000/svg}text")]
        self.assertIn("Hull · Horn · Cutoff", texts)
        path = max((p.get("d") or "" for p in tree.iter("{http://www.w3.org/2000/svg}path")), key=len)
        self.assertTrue(path.startswith("M"))
        first = next(
            p.get("d") or "" for p in tree.iter("{http://www.w3.org/2000/svg}path") if p.get("stroke") == picture.CURVE
        )
        ends = [tuple(map(float, part.split())) for part in first[1:].split("L")]
        self.assertEqual(ends[0], (picture.LEFT, picture.TOP + picture.HEIGHT))
        self.assertEqual(ends[-1][1], picture.TOP)


if __name__ == "__main__":
    unittest.main()
