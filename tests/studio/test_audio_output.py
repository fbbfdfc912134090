# SPDX-License-Identifier: GPL-3.0-or-later
"""The process that feeds the sound device: it goes on while the window stands still, and comes back when it dies."""

from __future__ import annotations

import os
import signal
import time
import unittest

from benchmarks import hardness
from benchmarks.answers import Answers
from zolvek.demo.night_regatta import build
from zolvek.sound.playback.playback import Playback
from zolvek.sound.processes import sound_ring
from zolvek.studio.app.application import application, make_window
from zolvek.studio.services.playback.audio_output import MOST_LOSSES, AudioOut
from zolvek.studio.services.playback.device_process import PACED
from zolvek.studio.session.settings import PlaybackSettings, Settings


class DeviceProcess(unittest.TestCase):
    def setUp(self) -> None:
        self.app = application()
        self.window = make_window(build(), Settings(), ask=Answers())
        self.addCleanup(hardness.close, self.window)
        self.window.show()
        self.player = self.window.studio.player
        settings = PlaybackSettings(device=PACED)
        self.player.made = lambda playback: AudioOut(playback, self.player, settings)
        self.playback = self.player.ready()

    def until(self, test: object, seconds: float = 30.0) -> None:
        end = time.monotonic() + seconds
        while not test():  # type: ignore[operator]  # a function
            self.assertLess(time.monotonic(), end)
            hardness.wait(10)

    def output(self, playback: Playback) -> AudioOut:
        result = self.player.out
        assert isinstance(result, AudioOut) and result.playback is playback
        return result

    def test_it_plays_on_while_the_window_stands_still(self) -> None:
        self.player.play()
        self.until(lambda: self.playback.begun and self.playback.beat > 0.5)
        before = self.playback.beat, int(self.playback.ring.words[sound_ring.READ])
        time.sleep(1.0)  # the window's thread does nothing
        beats = self.playback.beat - before[0]
        read = int(self.playback.ring.words[sound_ring.READ]) - before[1]
        self.assertGreater(beats, 1.0)  # 1.9 beats where nothing else runs
        self.assertGreater(read, 24_000)
        self.assertFalse(self.player.silent)
        self.until(lambda: self.window.session.playhead.beat >= before[0] + beats)
        self.assertTrue(any(self.player.levels().values()))

    def test_it_comes_back_and_when_it_dies_often_time_goes_on_in_silence(self) -> None:
        self.player.play()
        output = self.output(self.playback)
        for _ in range(MOST_LOSSES + 1):
            self.until(lambda: output.output == PACED and output.process is not None)
            process = output.process
            assert process is not None
            output.output = None
            os.kill(process.pid, signal.SIGKILL)
            self.until(lambda gone=process: output.process is not gone)
        self.until(lambda: self.player.silent)
        beat = self.playback.beat
        self.until(lambda: self.playback.beat > beat)


if __name__ == "__main__":
    unittest.main()
