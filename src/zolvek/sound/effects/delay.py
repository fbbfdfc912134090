# SPDX-License-Identifier: GPL-3.0-or-later
"""The delay: echoes with feedback, whose times may move.

A time without a lane is taken to the nearest frame, and its echoes are the sound itself. One that
moves is read between frames by the third-order polynomial through four of them (Laakso, Välimäki,
Karjalainen and Laine, Splitting the unit delay, IEEE Signal Processing Magazine, 1996).
"""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.native import loops
from zolvek.sound.signal.automation import FINE_FRAMES, Controls
from zolvek.sound.signal.mixing import mixed

LONGEST_S = 2.0  # seconds, the parameter's highest value
MARGIN_FRAMES = 4  # frames on either side of a place that is read between frames


class Line:
    """What went in, and what comes back of it and goes in again: as long as the longest echo, `seconds`, and room to
    go on writing."""

    def __init__(self, seconds: float, rate: int) -> None:
        self.kept = int(seconds * rate) + 2 * MARGIN_FRAMES
        self.line = np.zeros((2, 2 * self.kept))
        self.end = self.kept

    def through(self, sound: Floats, back: Floats, feedback: Floats) -> Floats:
        """What was there `back` frames ago, between frames too; `feedback` is how much of that goes in again.
        Of both there is one for all frames, or one for each."""
        frames = sound.shape[1]
        self._make_room(frames)
        back = np.clip(back, MARGIN_FRAMES, self.kept - MARGIN_FRAMES)
        wet = loops.delay(sound, back, feedback, self.line, self.end)
        if wet is None:
            wet = self._in_steps(sound, back, feedback)
        self.end += frames
        return wet

    def _in_steps(self, sound: Floats, back: Floats, feedback: Floats) -> Floats:
        frames = sound.shape[1]
        wet = np.empty_like(sound)
        # As far as nothing that is written now is read.
        step = int(back.min()) - MARGIN_FRAMES + 1
        for first in range(0, frames, step):
            part = slice(first, min(first + step, frames))
            at = self.end + np.arange(part.start, part.stop)
            wet[:, part] = self._read(at - (back if back.size == 1 else back[part]))
            fed = wet[:, part] * (feedback if feedback.size == 1 else feedback[part])
            self.line[:, at[0] : at[-1] + 1] = sound[:, part] + fed
        return wet

    def _make_room(self, frames: int) -> None:
        if self.end + frames > self.line.shape[1]:
            held = self.line[:, self.end - self.kept : self.end]
            self.line = np.concatenate((held, np.zeros((2, max(frames, self.kept)))), axis=1)
            self.end = self.kept

    def _read(self, at: Floats) -> Floats:
        """The line at places between frames."""
        whole = np.floor(at).astype(np.intp)
        f = at - whole
        if not f.any():
            return self.line[:, whole]
        before, here, after, next_ = (self.line[:, whole + i] for i in (-1, 0, 1, 2))
        return (
            before * (-f * (f - 1.0) * (f - 2.0) / 6.0)
            + here * ((f + 1.0) * (f - 1.0) * (f - 2.0) / 2.0)
            + after * (-(f + 1.0) * f * (f - 2.0) / 2.0)
            + next_ * ((f + 1.0) * f * (f - 1.0) / 6.0)
        )


class Delay:
    """Echoes at the time that its control says."""

    spacing = FINE_FRAMES
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        self.rate, self.line = rate, Line(LONGEST_S, rate)

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """The sound with its echoes, float64 (2, frames)."""
        back = controls.each_frame("time") * self.rate
        if "time" not in controls.lanes:  # by the whole song, not by what it does in this stretch
            back = np.round(back)
        feedback = controls.spread(controls.values("feedback")) / 100.0
        return mixed(sound, self.line.through(sound, back, feedback), controls)
