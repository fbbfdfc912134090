"""The playback worker dies, stands still, or raises: it is told, another one goes on, closing is quick."""

from __future__ import annotations

import os
import signal
import time
import unittest

from zolvek.core.errors import ZolvekError
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.sound import playback as playbacks
from zolvek.sound.playback import Playback
from zolvek.sound.silent_clock import SilentClock


class WorkerLost(unittest.TestCase):
    def setUp(self) -> None:
        self.told: list[tuple[ZolvekError, bool, float]] = []
        self.playback = Playback(build())
        self.playback.on_loss = lambda error, goes_on: self.told.append(
            (error, goes_on, time.monotonic())
        )
        self.addCleanup(self.playback.close)
        self.clock = SilentClock(self.playback)
        self.clock.start()
        self.addCleanup(self.clock.close)

    def until(self, test, seconds: float = 30.0) -> float:
        began = time.monotonic()
        while not test():
            self.assertLess(time.monotonic() - began, seconds, "it did not come to that")
            time.sleep(0.01)
        return time.monotonic() - began

    def with_a_spare(self) -> None:
        self.playback.play(8.0)
        self.until(
            lambda: (
                self.playback.spare is not None
                and self.playback.spare.woken
                and self.playback.beat > 8.1
            )
        )

    def test_killed_or_stopped_another_one_goes_on_where_it_was(self) -> None:
        for sign in (signal.SIGKILL, signal.SIGSTOP):
            self.told.clear()
            self.with_a_spare()
            worker = self.playback.worker
            os.kill(worker.process.pid, sign)
            struck, place = time.monotonic(), self.playback.beat
            self.until(lambda: self.told)
            error, goes_on, when = self.told[0]
            self.assertTrue(goes_on and error.what)
            self.until(lambda at=place: self.playback.begun and self.playback.beat > at + 0.25)
            # It went on, it did not begin anew nor leave anything out but what was lost.
            self.assertLess(self.playback.beat, place + 16.0)
            self.assertGreaterEqual(self.playback.beat, place)
            self.assertIsNotNone(worker.process.poll(), "what stands still is ended")
            self.assertIsNot(self.playback.worker, worker)
            self.assertLess(when - struck, 8.0)  # 2 s; printed by the bench
            # An edit made meanwhile is heard by the new one too.
            self.playback.use(replace(build(), name="Edited"))

    def test_lost_again_and_again_it_stops_and_says_so(self) -> None:
        self.playback.play(0.0)
        for _ in range(playbacks.MOST_LOSSES + 1):
            self.until(lambda: self.playback.worker is not None and self.playback.playing)
            worker = self.playback.worker
            worker.process.kill()
            self.until(lambda worker=worker: self.playback.worker is not worker)
        self.until(lambda: not self.playback.playing)
        self.assertEqual(
            [goes_on for _, goes_on, _ in self.told], [True] * playbacks.MOST_LOSSES + [False]
        )
        self.assertTrue(self.told[-1][0].remedy)
        self.playback.losses.clear()
        self.playback.play(0.0)  # and can be played again
        self.until(lambda: self.playback.beat > 0.1)

    def test_closing_is_quick_whatever_the_workers_do(self) -> None:
        self.with_a_spare()
        workers = [self.playback.worker, self.playback.spare]
        for each in workers:
            os.kill(each.process.pid, signal.SIGSTOP)
        self.playback.use(build())  # nobody reads it
        began = time.monotonic()
        self.playback.close()
        took = time.monotonic() - began
        self.assertLess(took, 4.0)  # 2 s, on a machine that is not busy
        for each in workers:
            self.assertIsNotNone(each.process.poll())
            self.assertFalse([thread for thread in each.threads if thread.is_alive()])


if __name__ == "__main__":
    unittest.main()
