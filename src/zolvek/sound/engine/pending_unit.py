# SPDX-License-Identifier: GPL-3.0-or-later
"""A plugin that is made while others play: sound bypasses it, or through the one that it takes the place of,
until it is there."""

from __future__ import annotations

import threading
from collections.abc import Callable

from zolvek.sound.signal.automation import COARSE
from zolvek.sound.signal.device_unit import Incoming, Unit, UnitOutput


class PendingUnit:
    """`make` is called in a thread of its own."""

    def __init__(self, make: Callable[[], Unit], meanwhile: Unit | None = None) -> None:
        self.made = meanwhile
        self.thread = threading.Thread(target=self._make, args=(make,), daemon=True)
        self.thread.start()

    def _make(self, make: Callable[[], Unit]) -> None:
        self.made = make()

    @property
    def spacing(self) -> int:
        """Frames between its control values."""
        return COARSE if self.made is None else self.made.spacing

    @property
    def latency(self) -> int:
        """Frames by which its sound is late."""
        return 0 if self.made is None else self.made.latency

    def play(self, block: Incoming) -> UnitOutput:
        """Sound through the unit it replaces, or unchanged, until it is made."""
        return UnitOutput(block.sound) if self.made is None else self.made.play(block)

    def release_all(self, now: float) -> None:
        """All keys up."""
        if self.made is not None:
            self.made.release_all(now)

    def release(self, pitch: int, now: float) -> None:
        """A key up."""
        if self.made is not None:
            self.made.release(pitch, now)

    def close(self) -> None:
        """Close the unit, made or not."""
        self.thread.join()
        if self.made is not None and hasattr(self.made, "close"):
            self.made.close()

    def begin_again(self) -> bool:
        """Start again from silence; whether that was possible."""
        self.thread.join()
        again = getattr(self.made, "begin_again", None)
        return again is not None and bool(again())
