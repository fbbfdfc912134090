# SPDX-License-Identifier: GPL-3.0-or-later
"""When an input event was made, on the clock of time.perf_counter.

The window system stamps events on a clock of its own; how far that is behind ours is the least
difference seen: events may come late, but never early.
"""

from __future__ import annotations

import time

from PyQt6.QtGui import QInputEvent

_behind: list[float] = []  # the least difference seen so far, once there is one
LONGEST_WAIT_S = 2.0  # seconds; an event older than that is stamped on another clock


def event_time(event: QInputEvent) -> float:
    """Seconds of time.perf_counter; now, where the event bears no stamp."""
    now, stamp = time.perf_counter(), event.timestamp() / 1000.0
    if stamp <= 0.0:
        return now
    difference = now - stamp
    if not _behind or difference < _behind[0] or difference - _behind[0] > LONGEST_WAIT_S:
        _behind[:] = [difference]
    return min(stamp + _behind[0], now)
