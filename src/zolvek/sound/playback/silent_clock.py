# SPDX-License-Identifier: GPL-3.0-or-later
"""Without a sound device: pulls sound at the pace of one."""

from __future__ import annotations

import threading
import time

from zolvek.sound.playback.playback import Playback
from zolvek.sound.processes.sound_ring import LEAST

PULL_INTERVAL_S = 0.01  # seconds between pulls
AHEAD_FRAMES = 12_000  # that are kept ready: nobody hears an edit late, and the window's process may be busy


class SilentClock:
    """Pulls from a playback in real time until it is closed."""

    def __init__(self, playback: Playback) -> None:
        self.playback = playback
        self.running = False
        self.thread: threading.Thread | None = None

    def start(self) -> None:
        """Start the thread that pulls."""
        if self.thread is None:
            self.running = True
            self.playback.ring.words[LEAST] = AHEAD_FRAMES
            self.thread = threading.Thread(target=self._work, name="silent clock", daemon=True)
            self.thread.start()

    def close(self) -> None:
        """End the thread."""
        self.running = False
        if self.thread is not None:
            self.thread.join()
            self.thread = None
            self.playback.ring.words[LEAST] = 0

    def _work(self) -> None:
        began, taken = time.monotonic(), 0
        while self.running:
            time.sleep(PULL_INTERVAL_S)
            if not self.playback.playing:
                began, taken = time.monotonic(), 0
                continue
            due = int((time.monotonic() - began) * self.playback.rate)
            if due > taken:
                self.playback.pull(due - taken, played=True)
                taken = due
