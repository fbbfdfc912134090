"""Tracks kept together: those whose devices give their sound late are waited for by the others."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats


class Delayed:
    """A sound later by a number of frames, which may change from one stretch to the next."""

    def __init__(self) -> None:
        self.kept = np.zeros((2, 0))

    def by(self, frames: int, sound: Floats) -> Floats:
        """The stretch as it comes `frames` later; what is not given yet is kept for the next."""
        missing = frames - self.kept.shape[1]
        if missing > 0:
            self.kept = np.concatenate((np.zeros((2, missing)), self.kept), axis=1)
        elif missing < 0:
            self.kept = self.kept[:, -missing:]
        if frames == 0:
            return sound
        whole = np.concatenate((self.kept, sound), axis=1)
        count = sound.shape[1]
        self.kept = whole[:, count:]
        return whole[:, :count]


class Alignment:
    """Delays by track. `late`: frames that all of what comes out is late by."""

    def __init__(self) -> None:
        self.lines: dict[tuple[str, str], Delayed] = {}
        self.late = 0

    def forget(self) -> None:
        """What is kept is let go: the next sound is of another place."""
        self.lines.clear()

    def line(self, track: str, what: str, frames: int, sound: Floats) -> Floats:
        key = track, what
        if frames == 0 and key not in self.lines:
            return sound
        return self.lines.setdefault(key, Delayed()).by(frames, sound)
