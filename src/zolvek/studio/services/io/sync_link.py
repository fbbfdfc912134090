# SPDX-License-Identifier: GPL-3.0-or-later
"""In sync with other programs in the window: the ports while they are wanted, what they say, and the song through
them."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.arrays import Ints
from zolvek.core.edits import connections as edits
from zolvek.core.edits.monitoring import heard
from zolvek.core.model.project import Project
from zolvek.core.model.sync_setup import Role, Source, SyncSetup
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.studio.services.io.incoming import newest
from zolvek.studio.services.io.midi_io import MidiIO
from zolvek.studio.services.io.spare_link import SpareLink
from zolvek.studio.services.playback.player import Player
from zolvek.studio.session.session import Session
from zolvek.sync.jack import link_messages as messages

if TYPE_CHECKING:
    from zolvek.sound.playback.playback import Playback
    from zolvek.sync.clocks.clock_follower import ClockFollower
    from zolvek.sync.jack.jack_transport import JackTransport
    from zolvek.sync.jack.link import Link
    from zolvek.sync.jack.link_messages import Report

TAKEN_MS = 8  # how often what has come in is looked at
REPORT_INTERVAL_S = 0.25  # seconds between reporting how well a clock is followed
LIT_MS = 250  # how long a light stays lit
JOIN_AGAIN_MS = 500  # after the ports' process ended by itself
MOST_ENDS, ENDS_WITHIN_S = 3, 60.0  # times that it is begun again in so many seconds
KEEPS_ENDING = "The JACK process keeps ending. Switch “Use JACK” off and on to try again."


class SyncLink(QObject):
    """`on`: the ports are wanted. `report`: what the server says."""

    changed = pyqtSignal()  # the server, what is connected, or the role
    lit = pyqtSignal()  # a light has gone on or off
    reported = pyqtSignal(object)  # a Report, from the link's thread

    def __init__(self, session: Session, player: Player, midi_io: MidiIO) -> None:
        super().__init__()
        self.session, self.player, self.midi_io = session, player, midi_io
        self.link: Link | None = None
        self.through: JackTransport | None = None
        self.sent: tuple[object, ...] = ()
        self.counted: dict[str, int] = {}
        self.lights: dict[str, float] = {"clock": 0.0, "in": 0.0, "out": 0.0}  # until when
        self.seen = self.lit_now
        self.dropped, self.shown = 0, 0.0
        self.ends: list[float] = []  # when processes of the ports ended by themselves
        self.joining = QTimer(self)
        self.joining.setSingleShot(True)
        self.joining.setInterval(JOIN_AGAIN_MS)
        self.joining.timeout.connect(self._join_again)
        self.spare = SpareLink(self)
        self.steering: ClockFollower | None = None  # an outside clock is followed
        self.taking = QTimer(self)
        self.taking.setInterval(TAKEN_MS)
        self.taking.timeout.connect(self._take)
        self.reported.connect(self._heard)
        session.document.changed.connect(self._use)
        session.audition.changed.connect(self._use)
        session.held.changed.connect(self._hold)
        player.stopped.connect(self._settle)
        midi_io.filters = self.handle_clock

    @property
    def on(self) -> bool:
        """Whether the ports are wanted."""
        return self.link is not None

    @property
    def report(self) -> Report | None:
        """What the server said last."""
        return self.link.report if self.link is not None else None

    @property
    def kept(self) -> SyncSetup:
        """What the project remembers."""
        return self.session.project.sync

    # --- on and off ---

    def switch(self, on: bool) -> None:
        """Join JACK or PipeWire, or leave it."""
        self.session.settings.connect.use_jack = on
        if on and self.link is None:
            self.ends.clear()
            self._join()
        elif not on and self.link is not None:
            self._leave()
            self.spare.put(self.link)
            self.link = None
            self._use()
        self.changed.emit()

    def _join(self) -> None:
        self.link = self.spare.take(self.reported.emit)
        self.sent = ()
        self._use()

    def _join_again(self) -> None:
        """Have a process for the ports again after one ended by itself; what is connected comes back by name."""
        if self.link is not None and self.link.report.ended:
            self.link.close()
            self._join()
            self.session.notices.say("The JACK process ended, and was started again.")
            self.changed.emit()

    def _heard(self, report: Report) -> None:
        if self.link is None:
            return
        if report.ended and report is self.link.report:
            self.ends = with_end(self.ends, time.monotonic())
            if len(self.ends) <= MOST_ENDS:
                self.joining.start()
            else:
                self.session.notices.say(KEEPS_ENDING)
        if not report.state:
            was, beat = self.player.playing and self.through is not None, self.session.playhead.beat
            self._leave()
            if was:  # it goes on by itself
                self.session.notices.say(report.trouble)
                self.session.playhead.go(beat)
                self.player.play()
        self._settle()
        self.changed.emit()

    def _settle(self) -> None:
        """Go through the ports once there is a server, but not in the middle of playing."""
        if self.link is None or not self.link.there or self.player.playing or self.through:
            return

        def made(playback: Playback) -> JackTransport:
            from zolvek.sync.jack.jack_transport import JackTransport

            assert self.link is not None
            self.through = JackTransport(playback, self.link)
            self.through.use(self.kept)
            return self.through

        self.player.go_through(made)

    def _leave(self) -> None:
        if self.through is not None:
            self.through = None
            self.player.go_through(None)

    # --- what is given ---

    def _use(self) -> None:
        """Say the ports what has changed of the project."""
        if self.link is not None or self.follows_clock:
            self.taking.start()
        elif self.steering is None:
            self.taking.stop()
        self.player.watch(self.follows_clock)
        if self.link is None:
            return
        project, settings = self.session.project, self.session.settings
        kept, listening = project.sync, self.session.audition.listening
        resolution = settings.midi.resolution
        state = (project, resolution, listening, kept, edits.named(project, kept.connections))
        before, self.sent = self.sent, state
        if not before or before[0] is not project or before[1:3] != state[1:3]:
            self.link.use(heard(project, listening), resolution)
        if before and before[3:] == state[3:]:
            return
        self.link.send(messages.UseTime(kept.together, kept.role == Role.LEAD))
        self.link.send(messages.SendClock(kept.clock, kept.code))
        if not before:
            self._hold()
        if not before or before[4] != state[4]:
            self.link.send(messages.UseConnections(state[4]))
        if self.through is not None:
            self.through.use(kept)
        self.changed.emit()

    def _hold(self) -> None:
        """What a hand holds goes out at once."""
        if self.link is not None:
            self.link.hold(self.session.held.values)

    def edit(self, label: str, change: Callable[[Project], Project]) -> None:
        """Change the project's sync setup, as one step."""
        self.session.document.edit(label, change(self.session.project))

    def set(self, label: str, **what: object) -> None:
        """Change what the project remembers."""
        self.edit(label, lambda project: replace(project, sync=replace(project.sync, **what)))

    def take_away(self, key: str, other: str) -> None:
        """Take a connection away, whether the project remembers it or it was made elsewhere."""
        names = {port.key: port.name for port in edits.ports_of(self.session.project)}
        if (key, other) in self.kept.connections:
            self.edit(
                f"Disconnect {names.get(key, key)}",
                lambda project: edits.disconnected(project, key, other),
            )
        elif self.link is not None and key in names:
            self.link.send(messages.Disconnect(names[key], other))

    # --- an outside clock ---

    @property
    def follows_clock(self) -> bool:
        """Whether an external clock is followed."""
        return self.kept.role == Role.FOLLOW and self.kept.source != Source.TRANSPORT

    @property
    def following(self) -> str:
        """How well an outside clock is followed, in words; "" where none is."""
        if self.steering is None:
            return ""
        differs, steered = self.tempo_offered, self.steering.transport.steered
        if not differs:
            return self.steering.status
        bpm = float(self.session.project.tempo.bpm(self.session.playhead.beat))
        how = f"its pitch is {'higher' if differs > bpm else 'lower'}" if steered else "it is relocated"
        return f"{self.steering.status} The song has another tempo: {how}."

    @property
    def tempo_offered(self) -> float:
        """The tempo of a clock that is followed, where the song has another; else 0."""
        return self.steering.differs(self.session.playhead.beat) if self.steering else 0.0

    def use_tempo(self) -> None:
        """Give the song the tempo of the clock that is followed."""
        bpm = round(self.tempo_offered, 2)
        if bpm:
            tempo = TempoMap((TempoPoint(0.0, bpm),))
            self.edit(f"The clock's tempo, {bpm:g} BPM", lambda project: replace(project, tempo=tempo))

    def handle_clock(self, message: bytes, seconds: float) -> bool:
        """Whether a message was of a clock; one that is followed is listened to."""
        kind = message[0]
        timed = kind >= 0xF8 or kind in (0xF1, 0xF2) or message[:5] == b"\xf0\x7f\x7f\x01\x01"
        if timed and self.follows_clock:
            self._steer()
            assert self.steering is not None
            if self.steering.follower.take(message, seconds):
                self.lights["clock"] = time.monotonic() + LIT_MS / 1000.0
        return timed

    def _steer(self) -> None:
        """Follow what the project says, through what there is now."""
        from zolvek.sync.clocks.clock_follower import ClockFollower
        from zolvek.sync.clocks.clock_reader import Follower

        self.player.ready()
        out, source = self.player.out, self.kept.source
        assert out is not None
        steering = self.steering
        if steering is not None and steering.transport is out and steering.follower.source == source:
            return
        self.steering = ClockFollower(Follower(source), out, lambda: self.session.project)

    @property
    def late(self) -> str:
        """What went wrong on the way, counted; "" for nothing."""
        return counted_faults(self.link.words, self.dropped) if self.link is not None else ""

    def panic(self) -> None:
        """All notes and all sound off, on every port."""
        if self.link is not None:
            self.link.send(messages.Panic())
        self.midi_io.panic()
        self.session.notices.say("All notes off.")

    # --- what comes ---

    def _take(self) -> None:
        if self.follows_clock:
            self._steer()
            assert self.steering is not None
            now = time.perf_counter()
            self.steering.tick(now)
            if now - self.shown > REPORT_INTERVAL_S:
                self.shown = now
                self.lit.emit()
        elif self.steering is not None:
            self.steering.transport.set_speed(1.0)
            self.steering = None
        if self.through is not None:
            self.through.tick()
        if self.link is None:
            return
        taken = self.link.take()
        if not self.session.passes.recording:  # a pass takes them all
            kept = newest(taken)
            self.dropped += len(taken) - len(kept)
            taken = kept
        for message, seconds in taken:
            self.midi_io.heard(tuple(message), seconds)
        self._light()

    def _light(self) -> None:
        """Lights are lit by what the callbacks count."""
        from zolvek.sync.jack import shared_layout

        assert self.link is not None
        words, now = self.link.words, time.monotonic()
        for light, word in (
            ("clock", shared_layout.CLOCKED),
            ("in", shared_layout.CAME),
            ("out", shared_layout.SENT),
        ):
            count = int(words[word])
            if count != self.counted.get(light, count):
                self.lights[light] = now + LIT_MS / 1000.0
            self.counted[light] = count
        if self.kept.together and self.link.state == shared_layout.ROLLING:
            self.lights["clock"] = now + LIT_MS / 1000.0
        if self.lit_now != self.seen:
            self.seen = self.lit_now
            self.lit.emit()

    @property
    def lit_now(self) -> tuple[bool, ...]:
        """Whether each of the lights is lit."""
        now = time.monotonic()
        return tuple(until > now for until in self.lights.values())

    def close(self) -> None:
        """Leave the server."""
        self.taking.stop()
        self.joining.stop()
        self.spare.close()
        if self.link is not None:
            self._leave()
            self.link.close()
            self.link = None


def with_end(ends: list[float], now: float) -> list[float]:
    """The times at which processes have ended lately, and now."""
    return [*(end for end in ends if now - end < ENDS_WITHIN_S), now]


def counted_faults(words: Ints, dropped: int) -> str:
    """What the shared words count of what went wrong, and of moves that were dropped here; "" for nothing."""
    from zolvek.sync.jack import shared_layout

    rows = (
        (int(words[shared_layout.XRUNS]), "late cycle", "late cycles"),
        (int(words[shared_layout.FULL]), "message dropped", "messages dropped"),
        (
            int(words[shared_layout.FREE_MISSING]),
            "frame without sound faster than real time",
            "frames without sound faster than real time",
        ),
        (int(words[shared_layout.HEARD_LOST]) + dropped, "message skipped", "messages skipped"),
    )
    reported = [f"{count:,} {one if count == 1 else more}" for count, one, more in rows if count]
    return f" {', '.join(reported).capitalize()}." if reported else ""
