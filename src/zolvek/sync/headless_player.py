# SPDX-License-Identifier: GPL-3.0-or-later
"""Plays a project without a window: sound and messages to the chosen outputs, in the chosen sync role."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import NamedTuple, Protocol

from zolvek.core.edits.connections import named
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.model.sync_setup import Role
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.records import replace
from zolvek.sound.playback.internal_transport import SilentTransport
from zolvek.sound.playback.playback import Playback
from zolvek.sound.playback.transport import Transport
from zolvek.sync.clocks.clock_follower import ClockFollower
from zolvek.sync.clocks.clock_reader import Follower
from zolvek.sync.jack import link_messages as messages
from zolvek.sync.ports.message_streams import MidiStream, OscStream
from zolvek.sync.ports.scheduler import Live

OUTS = ("jack", "alsa", "silent")
REPORT_EVERY_S = 0.1  # seconds between lines of progress
NEAR_BEATS = 2.0  # beats within which it has come to where it is to begin
READY_NOTICE_S = 4.0  # seconds after which a user wonders what it is doing
STEERED = 0.008
START_TIMEOUT_S = 10.0  # seconds that playing may take to begin
SERVER_TIMEOUT_S = 5.0  # seconds in which a server may still come up
AT_END_BEATS = 1e-6
OSC_RATE = 60.0  # times a second


class Closed(Protocol):
    def close(self) -> None:
        """Release what is held."""
        ...


class PlayReport(NamedTuple):
    """Where it is: the beat, whether it plays, and what there is to say of the ports."""

    beat: float
    playing: bool
    ports: str


class Performance:
    """Raises ZolvekError where what is wanted can't be had. Closed by who made it."""

    def __init__(
        self,
        project: Project,
        out: str,
        clock: str,
        osc: tuple[str, int] | None = None,
        waiting: Callable[[str], object] = lambda why: None,
    ) -> None:
        """`waiting` is given why there is no server yet."""
        self.waiting = waiting
        setup = replace(project.sync, role=clock)
        self.project = replace(project, sync=setup)
        if out != "jack" and setup.together:
            raise ZolvekError(f"Sync “{clock}” needs JACK or PipeWire.", "--clock", "Use --out jack.")
        self.setup = setup
        self.live: list[Live] = []
        self.closing: list[Closed] = []
        self.loop: tuple[float, float] | None = None
        self.steering: ClockFollower | None = None
        self.said_missing = False
        self.playback = Playback(self.project)
        self.lost: list[str] = []  # what is not played that should be
        self.playback.on_loss = lambda error, _: self._lose(str(error))
        self.closing.append(self.playback)
        try:
            self.transport = self._transport(out)
            if out == "alsa":
                self._send_midi()
            if osc is not None:
                self._send_osc(*osc)
        except BaseException:
            self.close()
            raise

    def _lose(self, why: str) -> None:
        self.lost.append(why)
        self.waiting(why)

    def _transport(self, out: str) -> Transport:
        if out == "jack":
            from zolvek.sync.jack import library
            from zolvek.sync.jack.jack_transport import JackTransport
            from zolvek.sync.jack.link import Link

            library.library()
            self.link: Link | None = Link(lambda _: None)
            self.closing.append(self.link)
            through = JackTransport(self.playback, self.link)
            self.closing.append(through)
            self.link.use(self.project, Resolution())
            self.link.send(messages.UseTime(self.setup.together, self.setup.role == Role.LEAD))
            self.link.send(messages.SendClock(self.setup.clock, self.setup.code))
            self.link.send(messages.UseConnections(named(self.project, self.setup.connections)))
            through.use(self.setup)
            return through
        self.link = None
        silent = SilentTransport(self.playback)
        self.closing.append(silent)
        return silent

    def _send_midi(self) -> None:
        from zolvek.sync.ports import midi_ports as ports

        if not ports.outputs():
            raise ZolvekError("This machine has no MIDI ports.", "alsa", "Use --out jack or silent.")
        output = ports.Output(ports.VIRTUAL)
        self.closing.append(output)
        stream = MidiStream(lambda name: output)
        stream.use(self.project, Resolution(), self.setup.clock, self.setup.code)
        self._follow(stream)

    def _send_osc(self, host: str, port: int) -> None:
        from zolvek.sync.ports.osc_ports import Output

        output = Output(host, port)
        self.closing.append(output)
        stream = OscStream(output)
        stream.use(self.project, OSC_RATE)
        self._follow(stream)

    def _follow(self, stream: MidiStream | OscStream) -> None:
        tempo = self.project.tempo
        transport = self.transport
        self.live.append(
            Live(stream, lambda: transport.clock, lambda beat: float(tempo.seconds(beat)), lambda: transport.clock.beat)
        )

    def play(self, first: float, loop: tuple[float, float] | None) -> Iterator[PlayReport]:
        """Play from a beat on, and say every now and then where it is, until the end of the song; where another clock
        is followed, until nobody listens any more. Leading, it goes on after a stop of others. Raises Failure where
        there is no server, or where ports or server are lost on the way."""
        self.loop = loop
        self._wait()
        self.transport.set_loop(loop)
        follows = self.setup.role == Role.FOLLOW
        if not follows:
            self.transport.start(first)
        elif not self.setup.together:
            self._steer()
        reported, asked, began, there = 0.0, time.monotonic(), False, False
        leads = self.setup.role == Role.LEAD
        while True:
            now = time.monotonic()
            self._need_ports()
            if self.steering is not None:
                self._take_clock()
            playing = self.transport.clock.playing
            began = began or playing
            ended = began and loop is None and self.transport.clock.beat >= self.project.length - AT_END_BEATS
            if leads and ended and playing:  # the transport of others knows no end
                self.transport.stop()
            if now - reported >= REPORT_EVERY_S:
                reported = now
                beat = self.transport.clock.beat
                there = there or follows or abs(beat - first) < NEAR_BEATS
                yield PlayReport(beat if there else first, playing, self._ports())
            if not follows and not playing and (ended if leads else began):
                return
            if not follows and not began and now - asked > START_TIMEOUT_S:
                raise Failure("Playback does not start.", "play", "Check the server, or use --out silent.")
            time.sleep(STEERED)

    def _need_ports(self) -> None:
        """Raises Failure where ports that have been there are gone."""
        if self.link is not None and not self.link.there:
            why = self.link.report.trouble.split(".")[0] or "The ports are gone"
            raise Failure(f"{why}. Playback has ended.", "--out jack", "Start the server, then play again.")

    def _wait(self) -> None:
        """Until the ports stand. Raises Failure where there is no server for a while."""
        from zolvek.sync.jack import shared_layout

        self.playback.warm_up()
        said, begun = {""}, time.monotonic()
        while self.link is not None and not (self.link.there and self.link.words[shared_layout.TABLE]):
            time.sleep(0.02)
            why = self.link.report.trouble
            if why and time.monotonic() - begun > SERVER_TIMEOUT_S:
                raise Failure(why.split(".")[0] + ".", "--out jack", "Start one, or use --out silent.")
            if not why and time.monotonic() - begun > READY_NOTICE_S:
                why = "Getting ready."
            if why not in said:
                said.add(why)
                self.waiting(why)

    def _steer(self) -> None:
        self.steering = ClockFollower(Follower(self.setup.source), self.transport, lambda: self.project)

    def _take_clock(self) -> None:
        steering = self.steering
        assert steering is not None
        for message, moment in self.link.take() if self.link is not None else ():
            steering.follower.take(message, moment)
        steering.tick(time.perf_counter())

    def _ports(self) -> str:
        from zolvek.sync.jack import shared_layout

        if self.link is None:
            return ""
        report = self.link.report
        if not report.state:
            return report.trouble
        missed = int(self.link.words[shared_layout.XRUNS])
        silent = int(self.link.words[shared_layout.FREE_MISSING])
        if silent and not self.said_missing:
            self.said_missing = True
            self._lose("Sound came too late for a program that renders faster than real time. Render it again.")
        unsent = int(self.link.words[shared_layout.FULL])
        full = f", {unsent} messages dropped" if unsent else ""
        return f"{report.state} {report.rate / 1000:g} kHz, {missed} late{full}"

    def close(self) -> None:
        """Release ports, threads and processes."""
        for live in self.live:
            live.close()
        for item in reversed(self.closing):
            item.close()
