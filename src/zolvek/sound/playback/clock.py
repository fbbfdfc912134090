# SPDX-License-Identifier: GPL-3.0-or-later
"""The clock: the position as playback, or another program that is followed, reports it."""

from __future__ import annotations

from typing import Protocol


class Clock(Protocol):
    """The player, the recorder and the playhead ask a clock where in the project it is."""

    @property
    def playing(self) -> bool:
        """Whether the song plays."""
        ...

    @property
    def beat(self) -> float:
        """The beat that is heard now."""
        ...

    def beat_at(self, seconds: float) -> float:
        """The beat that was heard at a time of time.perf_counter."""
        ...
