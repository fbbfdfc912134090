# SPDX-License-Identifier: GPL-3.0-or-later
"""The internal transport: playback is the clock, and whatever pulls sound from it sets the pace."""

from __future__ import annotations

import time

from zolvek.sound.playback.playback import Playback
from zolvek.sound.playback.silent_clock import SilentClock

START_LATENCY_S = 0.1  # seconds from an order to play to the first sound


class OwnTransport:
    """A Transport of sound.playback.transport."""

    shared = steered = False
    playback: Playback

    @property
    def clock(self) -> Playback:
        """The playback."""
        return self.playback

    def start(self, beat: float, clicks: int = 0) -> None:
        """Start from a beat after so many clicks."""
        self.playback.play(beat, clicks)

    def start_at(self, beat: float, moment: float) -> None:
        """Start from a beat at a time of time.perf_counter."""
        tempo = self.playback.project.tempo
        late = time.perf_counter() + START_LATENCY_S - moment
        self.playback.play(max(float(tempo.beats(float(tempo.seconds(beat)) + late)), 0.0))

    def set_speed(self, speed: float) -> None:
        """It goes as fast as the device does."""

    def stop(self) -> None:
        """Stop."""
        self.playback.stop()

    def locate(self, beat: float) -> None:
        """Go to a beat."""
        if self.playback.playing:
            self.playback.play(beat)

    def set_loop(self, span: tuple[float, float] | None) -> None:
        """Loop a span of beats, or None."""
        self.playback.set_loop(span)

    def edited(self) -> None:
        """The playback goes on with it by itself."""


class SilentTransport(OwnTransport):
    """Nobody hears it; time is kept all the same."""

    silent = True

    def __init__(self, playback: Playback) -> None:
        self.playback = playback
        self.pace = SilentClock(playback)
        self.pace.start()

    def close(self) -> None:
        """End the clock."""
        self.pace.close()
