# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound that explodes is muted: a filter that has become unstable, a feedback that has run away.

What is beyond a limit for 10 ms can't be meant; what is shorter, such as a click, passes.
"""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats

CHAIN_DB, MIX_DB = 60.0, 24.0  # of full scale: inside a chain, and of the mix
MUTED_AFTER_S = 0.010
LOOK_FRAMES = 64  # in which one sample beyond counts for all
MIX = ""  # stands for the mix among the devices' ids


class LevelGuard:
    """Of one renderer. `muted`: by device, MIX for the mix, why it is silent."""

    def __init__(self, rate: int, before: LevelGuard | None = None) -> None:
        self.rate = rate
        self.beyond: dict[str, int] = {}  # frames that each has been beyond its limit, less those that it was not
        self.muted: dict[str, str] = dict(before.muted) if before is not None else {}
        self.muted.pop(MIX, None)  # each play tries again

    def clear(self) -> None:
        """Let all of it sound again."""
        self.muted.clear()
        self.beyond.clear()

    def keep(self, keys: set[str]) -> None:
        """Forget all other devices."""
        self.muted = {key: why for key, why in self.muted.items() if key in keys or key == MIX}

    def checked(self, key: str, sound: Floats) -> Floats:
        """The sound (2, frames) as it is, or silent where it is muted."""
        if key in self.muted:
            return np.zeros_like(sound)
        limit_db = MIX_DB if key == MIX else CHAIN_DB
        limit = 10.0 ** (limit_db / 20.0)
        # The comparison is false for what is not a number, which is silenced elsewhere.
        if not (sound.max(initial=0.0) > limit or sound.min(initial=0.0) < -limit):
            if key in self.beyond:
                self.beyond[key] = max(self.beyond[key] - sound.shape[1], 0)
            return sound
        frames = sound.shape[1]
        starts = np.arange(0, frames, LOOK_FRAMES)
        loud = np.maximum.reduceat(np.abs(sound).max(axis=0), starts) > limit
        count = self.beyond.get(key, 0)
        for start, is_loud in zip(starts.tolist(), loud.tolist(), strict=True):
            end = min(start + LOOK_FRAMES, frames)
            count = count + end - start if is_loud else max(count - (end - start), 0)
            if count >= MUTED_AFTER_S * self.rate:
                self.muted[key] = f"Its level exceeded +{limit_db:g} dBFS"
                sound = sound.copy()
                sound[:, end:] = 0.0
                break
        self.beyond[key] = count
        return sound
