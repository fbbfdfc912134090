# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound read a block at a time: the same as the whole file converted by scipy, and never too much."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import unittest
import wave
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
import soxr

from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Clip, Project, Track
from zolvek.formats.audio import streams
from zolvek.formats.audio.sound_content import with_contents
from zolvek.formats.project import project_file
from zolvek.sound.engine import clip_playback
from zolvek.sound.jobs import mix_export

# Plays two stretches of a clip an hour long, and prints the most memory that took, in MB.
AN_HOUR = """
import resource, sys
from zolvek.core.model.project import Clip, Project, Track
from zolvek.sound.engine.renderer import Renderer
from zolvek.formats.audio.streams import examine
examine(sys.argv[1])
track = Track("t", "T", clips=(Clip(0.0, sys.argv[1]),))
renderer = Renderer(Project(length=7_000.0, tracks=(track,)))
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
for beat in (0.0, 3_500.0, 6_900.0):
    renderer.seek(beat)
    assert abs(renderer.render(48_000)).max() > 0.01
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) // 1024)
"""


class Streams(unittest.TestCase):
    def setUp(self) -> None:
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)

    def test_blocks_are_what_the_whole_file_converts_to(self) -> None:
        """Against the converter over the whole file, to 90 dB below full scale."""
        rng = np.random.default_rng(1)
        for rate in (48_000, 44_100, 96_000, 8_000, 22_050, 47_999):
            sound = rng.uniform(-0.9, 0.9, (rate * 2 + 137, 2))
            path = str(self.folder / f"{rate}.wav")
            soundfile.write(path, sound, rate, subtype="FLOAT")
            whole = soxr.resample(sound.astype(np.float32), rate, 48_000, quality="VHQ").T
            stream = streams.Stream(path, 48_000)
            self.assertLessEqual(abs(stream.frames - whole.shape[1]), 1)
            whole = np.pad(whole, ((0, 0), (0, 2)))[:, : stream.frames]
            for first, count in (
                (0, 100),
                (streams.BLOCK_FRAMES - 50, 100),
                (40_000, 30_000),
                (stream.frames - 40, 30),
                (-5, 20),
            ):
                wanted = np.zeros((2, count))
                low, high = max(first, 0), min(first + count, stream.frames)
                wanted[:, low - first : high - first] = whole[:, low:high]
                np.testing.assert_allclose(stream.read(first, count), wanted, atol=3e-5, err_msg=f"{rate} {first}")

    def test_bombs_are_refused_in_words(self) -> None:
        slow = self.folder / "slow.wav"
        with wave.open(str(slow), "wb") as file:
            file.setparams((1, 2, 1, 0, "NONE", ""))
            file.writeframes(b"\1\0" * 10_000)
        soundfile.write(self.folder / "many.wav", np.zeros((10, 65)), 48_000)
        os.mkfifo(self.folder / "fifo.wav")
        for name in ("slow.wav", "many.wav", "fifo.wav", "none.wav", "."):
            path = str(self.folder / name)
            for use in (streams.examine, lambda p: streams.stream(p, 48_000)):
                with self.assertRaises(ZolvekError) as reported:
                    use(path)
                self.assertTrue(reported.exception.remedy and reported.exception.where == path, name)
            project = Project(length=1.0, tracks=(Track("t", "T", clips=(Clip(0.0, path),)),))
            self.assertEqual(
                float(np.abs(clip_playback.play(project.tracks[0].clips, project.tempo, stretch())).max()),
                0.0,
            )
            with self.assertRaises(Failure) as refused:
                mix_export.export_mix(project, self.folder / "out.wav")
            self.assertEqual(refused.exception.where, path)
            self.assertFalse((self.folder / "out.wav").exists())

    def test_an_hour_of_flac_takes_little_memory(self) -> None:
        path = self.folder / "hour.flac"
        tone = (10_000 * np.sin(np.arange(44_100 * 60) * 0.05)).astype(np.int16)
        minute = np.repeat(tone[:, None], 2, axis=1)
        with soundfile.SoundFile(path, "w", 44_100, 2, subtype="PCM_16") as file:
            for number in range(60):  # silence where nothing is read: it is soon written
                file.write(minute if number in (0, 29, 57) else np.zeros_like(minute))
        done = subprocess.run([sys.executable, "-c", AN_HOUR, str(path)], capture_output=True, text=True, check=True)
        self.assertLess(int(done.stdout), 150)

    def test_a_missing_sound_is_reported_and_a_name_may_hold_a_colon(self) -> None:
        (self.folder / "sounds").mkdir()
        tone = np.full((48_000, 1), 0.25)
        for name in ("take: 2.wav", "shipped:x.wav"):
            soundfile.write(self.folder / name, tone, 48_000)
            project = Project(length=2.0, tracks=(Track("t", "T", clips=(Clip(0.0, str(self.folder / name)),)),))
            path = project_file.save(project, self.folder / "piece.zolvek")
            out = self.folder / "out.wav"
            loaded = project_file.load(path)
            self.assertEqual(loaded, with_contents(project))
            mix_export.export_mix(loaded, out)
            self.assertGreater(float(np.abs(soundfile.read(out)[0]).max()), 0.2)
            (self.folder / name).unlink()
            out.unlink()
            words = [sys.executable, "-m", "zolvek", "render", str(path), "-o", str(out)]
            done = subprocess.run(words, capture_output=True, text=True, check=False)
            self.assertEqual((done.returncode, done.stderr.count("\n")), (1, 1), done.stderr)
            self.assertIn(name, done.stderr)
            self.assertFalse(out.exists())
            self.assertEqual(subprocess.run([*words, "--allow-missing"], check=False).returncode, 0)
            self.assertEqual(float(np.abs(soundfile.read(out)[0]).max()), 0.0)


def stretch() -> Any:
    from zolvek.sound.signal.automation import Block

    return Block(np.arange(64) / 64.0, 48_000)


if __name__ == "__main__":
    unittest.main()
