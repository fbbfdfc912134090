# SPDX-License-Identifier: GPL-3.0-or-later
"""The count-in before a pass, as it is shown: how many clicks are still to come."""

from __future__ import annotations

import time

from zolvek.core.model.project import Project
from zolvek.core.movement.recording.passes import count_in_times

MOVED_BEATS = 1e-3  # beats from which on the song moves, and the count-in is over


class CountIn:
    """So many clicks before a beat of a project."""

    def __init__(self, project: Project, beat: float, clicks: int) -> None:
        times = count_in_times(clicks, float(project.tempo.bpm(beat)), project.meter.meter_at(beat).unit)
        self.beat, self.clicks, self.period_s = beat, clicks, float(times[1])
        self.began: float | None = None  # when it began to be heard, of time.monotonic
        self.over = False

    @property
    def left(self) -> int:
        """How many clicks are still to come; 0 when it is over."""
        if self.over or self.began is None:
            return 0 if self.over else self.clicks
        return max(self.clicks - int((time.monotonic() - self.began) / self.period_s), 1)

    def follow(self, beat: float, heard: bool) -> None:
        """The song is at a beat; `heard`: its sound has begun."""
        self.over = self.over or beat > self.beat + MOVED_BEATS
        if heard and self.began is None:
            self.began = time.monotonic()
