# SPDX-License-Identifier: GPL-3.0-or-later
"""The song through the ports: started, stopped and moved there, its sound kept ready by the playback's worker."""

from __future__ import annotations

import time

from zolvek.core.model.sync_setup import SyncSetup
from zolvek.core.movement.recording.passes import count_in_times
from zolvek.sound.playback.playback import Playback
from zolvek.sync.jack import link_messages as messages
from zolvek.sync.jack import shared_layout as s
from zolvek.sync.jack.link import Link

REFILL_DELAY_S = 0.3  # seconds without an edit after which sound is made ready again

# What keeps sound ready for the callbacks, in the process that renders it.
FILLER = "zolvek.sync.jack.audio_prefill:AudioPrefill"


class JackTransport:
    """A Transport of sound.playback.transport. `tick` is to be called now and then."""

    steered = True

    def __init__(self, playback: Playback, link: Link) -> None:
        self.playback, self.clock = playback, link
        self.words = link.words
        self.setup = SyncSetup()
        self.stale = 0.0  # when it was edited last while it rested, until that is made ready
        playback.fill(str(link.memory.path), FILLER)

    @property
    def silent(self) -> bool:
        """Whether no sound is heard by this transport itself."""
        return not self.clock.there

    @property
    def shared(self) -> bool:
        """Whether others can start and stop it."""
        return self.setup.together

    def use(self, setup: SyncSetup) -> None:
        """Use a project's sync setup."""
        self.setup = setup

    def start(self, beat: float, clicks: int = 0) -> None:
        """After a count-in of clicks where the song moves by itself."""
        self._freshen(0.0)
        project = self.playback.project
        clicks = 0 if self.shared else clicks
        unit = project.meter.meter_at(beat).unit
        times = count_in_times(clicks, float(project.tempo.bpm(beat)), unit)
        self.clock.start(beat, round(float(times[-1]) * self.clock.rate), clicks)

    def start_at(self, beat: float, moment: float) -> None:
        """Start from a beat at a time of time.perf_counter."""
        self._freshen(0.0)
        self.clock.start(beat, 0, 0, moment)

    def stop(self) -> None:
        """Stop."""
        self.clock.stop()

    def locate(self, beat: float) -> None:
        """Go to a beat."""
        self.clock.send(messages.Locate(beat))

    def set_loop(self, span: tuple[float, float] | None) -> None:
        """Loop a span of beats, or None."""
        loop = span if span is not None and span[1] > span[0] else None
        self.playback.set_loop(loop)
        self.clock.send(messages.SetLoop(loop))

    def set_speed(self, speed: float) -> None:
        """Play faster or slower by a factor."""
        self.clock.send(messages.SetSpeed(speed))

    def edited(self) -> None:
        """The project has changed: send its new messages."""
        if not self.clock.playing:
            self.stale = time.monotonic()

    def _freshen(self, rest: float) -> None:
        """Ask for what is ready again, once no edit has come for a while."""
        if self.stale and time.monotonic() - self.stale >= rest:
            self.stale = 0.0
            self.words[s.REFILL] += 1

    def tick(self) -> None:
        """What is heard now is what is shown of it; what is out of date is made ready again."""
        self.playback.set_heard(int(self.words[s.SOUND_READ]))
        self._freshen(REFILL_DELAY_S)

    def close(self) -> None:
        """Release ports and memory."""
        self.playback.fill("")
