# SPDX-License-Identifier: GPL-3.0-or-later
"""Tracks that need nothing of each other, rendered by several threads: what they do holds no lock of the interpreter
where it takes long. Each gives what it gives alone, and the sum has one order, so results are the same on any number of
cores."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from functools import lru_cache
from typing import Any, TypeVar

from zolvek.core.model.project import Track

LEAST_FRAMES = 8_192  # of a stretch: a shorter one takes longer to pass on than it gains
MOST_THREADS = 8
T = TypeVar("T")


def stands_alone(track: Track) -> bool:
    """Whether a track needs nothing of others. Plugins stay in the thread that has made them."""
    alone = not (track.takes_sends or track.output is not None)
    return alone and not any(device.side_chain or device.row.plugin is not None for device in track.devices)


class SideBySide:
    """Of one renderer."""

    def begin(self, tracks: Sequence[Track], frames: int, work: Callable[[Track], T]) -> dict[str, Future[T]]:
        """The work on each of the tracks, begun; nothing where it is not worth while."""
        if frames < LEAST_FRAMES or len(tracks) < 2 or cores() < 2:
            return {}
        return {track.id: _pool().submit(work, track) for track in tracks}


@lru_cache(maxsize=1)
def cores() -> int:
    """The processor's cores that this process may use."""
    return len(os.sched_getaffinity(0))


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(min(cores(), MOST_THREADS), thread_name_prefix="track")


def forget(_: Any = None) -> None:
    """Threads don't live on in a process that was forked."""
    _pool.cache_clear()


os.register_at_fork(after_in_child=forget)
