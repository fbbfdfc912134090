# SPDX-License-Identifier: GPL-3.0-or-later
"""Which stretch of time the lanes show, shared by everything on the time axis."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.arrays import Floats

SHORTEST_VIEW_BEATS = 0.05  # beats that may fill the width


class Viewport(QObject):
    """`first`: the beat at the left edge; `beats`: how many fill `width` pixels."""

    changed = pyqtSignal()

    def __init__(self, length: float) -> None:
        super().__init__()
        self.length, self.first, self.beats, self.width = length, 0.0, length, 800

    @property
    def last(self) -> float:
        """The last beat in view."""
        return self.first + self.beats

    @property
    def key(self) -> tuple[float, float, int]:
        """A key that changes with the view."""
        return self.first, self.beats, self.width

    def x(self, beat: float) -> float:
        """The pixel of a beat."""
        return (beat - self.first) / self.beats * self.width

    def xs(self, beats: Floats) -> Floats:
        """The pixels of beats."""
        return (beats - self.first) * (self.width / self.beats)

    def beat(self, x: float) -> float:
        """The beat of a pixel."""
        return self.first + x / self.width * self.beats

    def show(self, first: float, beats: float) -> None:
        """Show `beats` from `first` on, kept within the project."""
        beats = float(np.clip(beats, SHORTEST_VIEW_BEATS, self.length))
        first = float(np.clip(first, 0.0, self.length - beats))
        if (first, beats) != (self.first, self.beats):
            self.first, self.beats = first, beats
            self.changed.emit()

    def zoom(self, factor: float, around: float | None = None) -> None:
        """Show `factor` times as much time, the beat `around` staying where it is."""
        around = self.first + self.beats / 2.0 if around is None else around
        part = (around - self.first) / self.beats
        beats = float(np.clip(self.beats * factor, SHORTEST_VIEW_BEATS, self.length))
        self.show(around - part * beats, beats)

    def scroll(self, part: float) -> None:
        """Move on by a part of what is shown."""
        self.show(self.first + part * self.beats, self.beats)

    def set_width(self, width: int) -> None:
        """Use another width in pixels."""
        if width != self.width and width > 0:
            self.width = width
            self.changed.emit()

    def set_length(self, length: float) -> None:
        """Use another length of the song."""
        if length != self.length:
            self.length = length
            self.show(self.first, min(self.beats, length))
            self.changed.emit()
