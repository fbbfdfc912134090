# SPDX-License-Identifier: GPL-3.0-or-later
"""The playback worker dies, stands still, or raises: it is given, another one goes on, closing is quick."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
import unittest
from collections.abc import Callable
from functools import partial
from types import SimpleNamespace

from tests.present import present
from zolvek.core.errors import ZolvekError
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.sound.playback import playback as playbacks
from zolvek.sound.playback.playback import Playback
from zolvek.sound.playback.silent_clock import SilentClock
from zolvek.sound.processes.worker_process import STARVED, WorkerProcess
from zolvek.storage.python_process import processor_time


class WorkerLost(unittest.TestCase):
    def setUp(self) -> None:
        self.reported: list[tuple[ZolvekError, bool, float]] = []
        self.playback = Playback(build())
        self.playback.on_loss = lambda error, goes_on: self.reported.append((error, goes_on, time.monotonic()))
        self.addCleanup(self.playback.close)
        self.clock = SilentClock(self.playback)
        self.clock.start()
        self.addCleanup(self.clock.close)

    def until(self, test: Callable[[], object], seconds: float = 30.0) -> float:
        began = time.monotonic()
        while not test():
            self.assertLess(time.monotonic() - began, seconds, "it did not come to that")
            time.sleep(0.01)
        return time.monotonic() - began

    def with_a_spare(self) -> None:
        self.playback.play(8.0)
        self.until(lambda: self.playback.spare is not None and self.playback.spare.woken and self.playback.beat > 8.1)

    def test_killed_or_stopped_another_one_goes_on_where_it_was(self) -> None:
        for sign in (signal.SIGKILL, signal.SIGSTOP):
            self.reported.clear()
            self.with_a_spare()
            worker = self.playback.worker
            os.kill(present(worker).process.pid, sign)
            struck, beat = time.monotonic(), self.playback.beat
            self.until(lambda: self.reported)
            error, goes_on, when = self.reported[0]
            self.assertTrue(goes_on and error.what)
            self.until(partial(self.is_past, beat + 0.25))
            # It went on, it did not begin again nor leave anything out but what was lost.
            self.assertLess(self.playback.beat, beat + 16.0)
            self.assertGreaterEqual(self.playback.beat, beat)
            self.assertIsNotNone(present(worker).process.poll(), "what stands still is ended")
            self.assertIsNot(self.playback.worker, worker)
            self.assertLess(when - struck, 8.0)  # 2 s; printed by the bench
            # An edit made meanwhile is heard by the new one too.
            self.playback.use(replace(build(), name="Edited"))

    def is_past(self, beat: float) -> bool:
        return self.playback.begun and self.playback.beat > beat

    def is_replaced(self, worker: object) -> bool:
        return self.playback.worker is not worker

    def test_lost_again_and_again_it_stops_and_says_so(self) -> None:
        self.playback.play(0.0)
        for _ in range(playbacks.MOST_LOSSES + 1):
            self.until(lambda: self.playback.worker is not None and self.playback.playing)
            worker = self.playback.worker
            present(worker).process.kill()
            self.until(partial(self.is_replaced, worker))
        self.until(lambda: not self.playback.playing)
        self.assertEqual([goes_on for _, goes_on, _ in self.reported], [True] * playbacks.MOST_LOSSES + [False])
        self.assertTrue(self.reported[-1][0].remedy)
        self.playback.losses.clear()
        self.playback.play(0.0)  # and can be played again
        self.until(lambda: self.playback.beat > 0.1)

    def test_closing_is_quick_whatever_the_workers_do(self) -> None:
        self.with_a_spare()
        workers = [self.playback.worker, self.playback.spare]
        for worker in workers:
            os.kill(present(worker).process.pid, signal.SIGSTOP)
        self.playback.use(build())  # nobody reads it
        began = time.monotonic()
        self.playback.close()
        took = time.monotonic() - began
        self.assertLess(took, 4.0)  # 2 s, on a machine that is not busy
        for worker in workers:
            self.assertIsNotNone(present(worker).process.poll())
            self.assertFalse([thread for thread in present(worker).threads if thread.is_alive()])


class Starved(unittest.TestCase):
    """One that would run and can't is waited for; one that turns on the spot, or waits for nothing, is lost."""

    def judged(self, code: str, sign: signal.Signals | None = None, nice: bool = False) -> bool:
        words = [
            sys.executable,
            "-c",
            f"import os\n{'os.nice(19)' if nice else ''}\nprint(flush=True)\n{code}",
        ]
        with subprocess.Popen(words, stdout=subprocess.PIPE) as child:
            assert child.stdout is not None
            child.stdout.readline()
            used = processor_time(child.pid)
            if sign is not None:
                os.kill(child.pid, sign)
            time.sleep(1.3)
            worker = SimpleNamespace(process=child)
            result = WorkerProcess._starved(worker, 1.3, used)  # type: ignore[arg-type]  # all that it looks at
            late = WorkerProcess._starved(worker, STARVED, used)  # type: ignore[arg-type]
            child.kill()
        self.assertFalse(late, "it is waited for so long and no longer")
        return result

    def test_what_turns_waits_or_is_stopped_is_not_starved(self) -> None:
        self.assertFalse(self.judged("import time; time.sleep(9)"))
        self.assertFalse(self.judged("while True: pass", signal.SIGSTOP))

    def test_what_gets_no_time_is(self) -> None:
        """Held to one processor with others that take it all."""
        pinned = f"os.sched_setaffinity(0, {{{min(os.sched_getaffinity(0))}}})"
        busy = [sys.executable, "-c", f"import os; {pinned}\nwhile True: pass"]
        others = [subprocess.Popen(busy) for _ in range(2)]
        try:
            self.assertTrue(self.judged(f"{pinned}\nwhile True: pass", nice=True))
        finally:
            for other in others:
                other.kill()
                other.wait()


if __name__ == "__main__":
    unittest.main()
