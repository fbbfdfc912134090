# SPDX-License-Identifier: GPL-3.0-or-later
"""Follows an external clock: the song is started, stopped and located by it, and drawn towards it."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.core.model.project import Project
from zolvek.core.model.sync_setup import Source
from zolvek.sound.playback.transport import Transport
from zolvek.sync.clocks.clock_reader import Follower

CORRECTION_S = 0.5  # seconds in which what is off is made good
MOST_DRAWN = 0.03  # of the speed
RELOCATE_FROM_S = 0.06  # seconds off from which the song is put there instead
FAR_UNSTEERED = 0.03  # the same, where its speed can't be set
RELOCATE_INTERVAL_S = 1.0  # seconds between being put there
SAME_TEMPO = 0.002  # of it


class ClockFollower:
    """`tick` is to be called often. `drift`: seconds that the song is behind the clock."""

    def __init__(self, follower: Follower, transport: Transport, project: Callable[[], Project]) -> None:
        self.follower, self.transport, self.project = follower, transport, project
        self.moved = follower.moved
        self.drift = 0.0
        self.placed = float("-inf")
        self.playing = False

    def tick(self, now: float) -> None:
        """Compare song and clock at a time of time.perf_counter, and correct the song."""
        follower = self.follower
        follower.tick(now)
        if follower.running and (not self.playing or follower.moved != self.moved):
            self._place(now)
        elif not follower.running and (self.playing or follower.moved != self.moved):
            if self.playing:
                self.transport.stop()
            self.transport.locate(self._beat(now))
            self.playing, self.drift = False, 0.0
        elif follower.running:
            self._draw(now)
        self.moved = follower.moved

    def _beat(self, now: float) -> float:
        if self.follower.source == Source.CODE:
            return float(self.project().tempo.beats(max(self.follower.seconds_at(now), 0.0)))
        return self.follower.beat_at(now)

    def _place(self, now: float) -> None:
        """Put the song where the clock is."""
        beat, at, project = self._beat(now), now, self.project()
        if self.follower.source == Source.CLOCK:
            beat, at = self.follower.anchor(now)
        if beat < project.length:
            self.transport.set_speed(self._pace(beat))
            self.transport.start_at(beat, at)
            self.playing, self.placed = True, now

    def _pace(self, beat: float) -> float:
        """How much faster than the song the clock goes."""
        bpm = self.follower.bpm
        return bpm / float(self.project().tempo.bpm(beat)) if bpm else 1.0

    def _draw(self, now: float) -> None:
        clock, project = self.transport.clock, self.project()
        if not clock.playing or now - self.placed < 0.3:
            return
        beat = self._beat(now)
        if beat >= project.length:
            return
        tempo = project.tempo
        bpm = self.follower.bpm or float(tempo.bpm(beat))
        if self.follower.source == Source.CODE:
            self.drift = float(tempo.seconds(beat)) - float(tempo.seconds(clock.beat_at(now)))
        else:
            self.drift = (beat - clock.beat_at(now)) * 60.0 / bpm
        far = RELOCATE_FROM_S if self.transport.steered else FAR_UNSTEERED
        if abs(self.drift) > far and now - self.placed > RELOCATE_INTERVAL_S:
            self._place(now)
            return
        drawn = min(max(self.drift / CORRECTION_S, -MOST_DRAWN), MOST_DRAWN)
        self.transport.set_speed(self._pace(beat) * (1.0 + drawn))

    @property
    def status(self) -> str:
        """How well it is followed, in words."""
        follower = self.follower
        name = "MIDI clock" if follower.source == Source.CLOCK else "Time code"
        if not follower.running:
            return f"{name}: waiting." if follower.last == float("-inf") else f"{name}: stopped."
        tempo = f", {follower.bpm:.1f} BPM" if follower.bpm else ""
        return f"{name}{tempo}, {abs(self.drift) * 1000:.1f} ms off."

    def differs(self, beat: float) -> float:
        """The clock's tempo, where the song has another; else 0."""
        bpm = self.follower.bpm
        own = float(self.project().tempo.bpm(beat))
        return bpm if bpm and abs(bpm / own - 1.0) > SAME_TEMPO else 0.0
