"""The song through the ports: started, stopped and moved there, its sound kept ready."""

from __future__ import annotations

from zolvek.beside.jack.filler import Filler
from zolvek.beside.jack.link import Link
from zolvek.core.model.beside import Beside
from zolvek.sound.playback import Playback


class JackTransport:
    """A Transport of sound.transport."""

    steered = True

    def __init__(self, playback: Playback, link: Link) -> None:
        self.playback, self.clock = playback, link
        self.filler = Filler(playback, link)
        self.beside = Beside()

    @property
    def silent(self) -> bool:
        return not self.clock.there

    @property
    def shared(self) -> bool:
        return self.beside.together

    def use(self, beside: Beside) -> None:
        self.beside = beside

    def start(self, beat: float, clicks: int = 0) -> None:
        self.filler.start(beat, 0 if self.shared else clicks)

    def start_at(self, beat: float, moment: float) -> None:
        self.clock.start(beat, 0, moment)

    def stop(self) -> None:
        self.clock.stop()

    def locate(self, beat: float) -> None:
        self.clock.send("locate", beat)

    def set_loop(self, span: tuple[float, float] | None) -> None:
        own = span if span is not None and span[1] > span[0] else None
        self.playback.set_loop(own)
        self.clock.send("set_loop", own)

    def set_speed(self, speed: float) -> None:
        self.clock.send("speed", speed)

    def edited(self) -> None:
        if not self.clock.playing:
            self.filler.refill()

    def close(self) -> None:
        self.filler.close()
