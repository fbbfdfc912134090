# SPDX-License-Identifier: GPL-3.0-or-later
"""The process that has the ports: `python -m zolvek.sync.jack.ports_process FILE`, where FILE is the memory that
it shares with the program. A crash of whatever makes sound leaves ports and transport standing.

It reads commands (`link_messages`) from its standard input, and says a `Report` on its standard output whenever
something has changed. Where the server is gone it looks for one again.
"""

from __future__ import annotations

import contextlib
import gc
import os
import pickle
import queue
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

from msgspec.structs import astuple

from zolvek.core.edits.connections import MIX, SIDES, Port, PortKind, ports_of
from zolvek.core.edits.monitoring import Listening, heard
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.sound.processes.framing import Receiver
from zolvek.storage.python_process import own_output
from zolvek.sync.emission.tables import MessageTables, tables_of
from zolvek.sync.jack import link_messages as messages
from zolvek.sync.jack import port_query
from zolvek.sync.jack import shared_layout as s
from zolvek.sync.jack.link_messages import NEED_SERVER, NO_SERVER, Command, OtherPort, Report
from zolvek.sync.jack.port_memory import PortMemory
from zolvek.sync.jack.shared_layout import ROWS
from zolvek.sync.timeline.clock_messages import RATES

POLL_INTERVAL_S = 0.01  # seconds between looks at what the callbacks say
ORDER_TIMEOUT_S = 0.25  # seconds within which the callbacks take an order
# Seconds between tables, and how many times as long as one takes: while something is dragged or held not each change
# is worth one.
SHORTEST_APART_S, LONGEST_APART_S, SHARE_REST = 0.015, 0.3, 4.0
SERVER_INTERVAL_S = 1.0  # seconds between looks for a server
LISTENERS_INTERVAL_S = 0.5  # seconds between looks whether anything listens to the sound
FEWEST_ROWS = 18  # of the sound's, touched beforehand: a mix and eight tracks


class Built(NamedTuple):
    """Tables that have been made in the background (None: that failed), and of what."""

    tables: MessageTables | None
    project: Project
    ports: tuple[Port, ...]


class PortsProcess:
    """One client at a time, for as long as the program wants one."""

    def __init__(self, memory: PortMemory, out: BinaryIO) -> None:
        self.memory, self.words, self.out = memory, memory.words, out
        self.commands: queue.Queue[Command | Built] = queue.Queue()
        self.client: Any = None  # of sound.jack.client
        self.trouble = ""
        self.project, self.resolution = Project(), Resolution()
        self.together = self.leads = False
        self.code = ""
        self.loop: tuple[float, float] | None = None
        self.wanted: dict[tuple[str, str], None] = {}  # connections: a port of ours, one of others
        self.there: set[str] = set()  # ports of others, at the last look
        self.graph = self.rate = -1
        self.tried = self.counted = self.made = 0.0
        self.closing = self.greeted = False
        self.joins = True
        self.said: Report | None = None
        self.building: threading.Thread | None = None
        self.due = False  # tables are to be made again
        self.held: tuple[tuple[str, float], ...] = ()
        self.apart = SHORTEST_APART_S  # seconds between tables, by how long one takes
        memory.reals[s.SPEED] = 1.0

    # --- commands ---

    def use(self, project: Project, resolution: Resolution) -> None:
        """Use a project: its ports, its table of messages."""
        self.project, self.resolution = project, resolution
        self.due = True
        if self.client is not None:
            ports = ports_of(project)
            if ports != self.client.ports:
                self.client.use_ports(ports)
                self._connect_all()

    def hold(self, held: tuple[tuple[str, float], ...]) -> None:
        """Lanes that are held stand where they are held, and nowhere else."""
        self.held, self.due = held, True

    def use_time(self, together: bool, leads: bool) -> None:
        """Whether the song goes with the server's transport, and is the one that says bars and beats there."""
        self.together, self.leads = together, leads
        if self.client is not None:
            self.client.together(together)
            self.client.lead(leads)

    def start(self, beat: float, count_in: int, clicks: int, moment: float) -> None:
        """`count_in`: frames of a count-in before it, of so many clicks, and `moment` (time.perf_counter) when it is
        to begin or
        should have begun, 0 for at once: where the song moves by itself."""
        frame = self._frame(beat)
        if self.together:
            self.words[s.QUIET_UNTIL] = s.NOT_QUIET
            self.client.locate(frame)
            self.client.start()
        else:
            self.words[s.CLICKS] = clicks
            self._go(s.GO_START, frame - count_in, moment, frame if count_in else s.NOT_QUIET)

    def stop(self) -> None:
        """Stop the song."""
        if self.together:
            self.client.stop()
        else:
            self._go(s.GO_STOP, 0)

    def locate(self, beat: float) -> None:
        """Go to a beat."""
        frame = self._frame(beat)
        if self.together:
            self.client.locate(frame)
        else:
            self._go(s.GO_LOCATE, frame)

    def set_speed(self, speed: float) -> None:
        """Of a song that moves by itself: how fast, as a factor."""
        self.memory.reals[s.SPEED] = min(max(speed, 0.5), 2.0)

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        """Loop a span of beats, or None."""
        self.loop = loop
        self.words[s.LOOP] = 0
        if loop is not None:
            self.words[s.LOOP_FIRST], self.words[s.LOOP_LAST] = map(self._frame, loop)
            self.words[s.LOOP] = 1

    def send_clock(self, on: bool, code: str) -> None:
        """MIDI clock with the song position; and time code of a rate, "" for none."""
        self.words[s.CLOCK_ON], self.words[s.CODE_ON] = int(on), int(code in RATES)
        self.due = self.due or code != self.code
        self.code = code

    def use_connections(self, wanted: tuple[tuple[str, str], ...]) -> None:
        """Have these connections, and none of those that were wanted before and are not any more."""
        before, self.wanted = self.wanted, dict.fromkeys(wanted)
        if self.client is not None:
            for port, other in before:
                if (port, other) not in self.wanted:
                    self.client.connect(port, other, False)
            self._connect_all()

    def disconnect(self, port: str, other: str) -> None:
        """Remove a connection."""
        self.client.connect(port, other, False)

    def join(self, on: bool) -> None:
        """Be a client of the server, or leave it and wait: being there again takes no start of a process."""
        self.joins, self.tried = on, 0.0
        if not on and self.client is not None:
            self.client.close()
            self.client, self.trouble = None, ""

    def panic(self) -> None:
        """Send all notes off."""
        self.words[s.PANIC] += 1

    def close(self) -> None:
        """End."""
        self.closing = True

    def _go(self, what: int, frame: int, moment: float = 0.0, quiet_until: int = s.NOT_QUIET) -> None:
        words, end = self.words, time.monotonic() + ORDER_TIMEOUT_S
        while words[s.GO_DONE] != words[s.GO_SERIAL] and time.monotonic() < end:
            time.sleep(0.001)  # the order before has not been taken yet
        words[s.GO], words[s.GO_FRAME], words[s.QUIET_UNTIL] = what, frame, quiet_until
        self.memory.reals[s.GO_TIME] = moment * 1e6
        words[s.GO_SERIAL] += 1

    def _frame(self, beat: float) -> int:
        return round(float(self.project.tempo.seconds(beat)) * int(self.words[s.RATE]))

    # --- work ---

    def run(self) -> None:
        """Follow commands and watch the server until the program closes the pipe."""
        while not self.closing:
            with contextlib.suppress(queue.Empty):
                command = self.commands.get(timeout=POLL_INTERVAL_S)
                if isinstance(command, Built):
                    self._use_built(command)
                elif self.client or not isinstance(command, NEED_SERVER):
                    HANDLERS[type(command)](self, *astuple(command))
                if not self.commands.empty():
                    continue
            self._look()
        if self.client is not None:
            self.client.close()

    def _look(self) -> None:
        now = time.monotonic()
        if self.client is not None and self.words[s.SHUT]:
            self.client.close()
            self.client, self.trouble = None, "The JACK server has ended. Looking for it again."
            self.tried = now
        if self.client is None and self.joins and now - self.tried > SERVER_INTERVAL_S:
            self.tried = now
            self._join()
        if self.client is not None:
            self._follow(now)
        self._report()

    def _join(self) -> None:
        try:
            port_query.server()  # before anything is built
            from zolvek.sync.jack.client import Client

            self.client = Client(self.memory, ports_of(self.project))
        except ZolvekError as error:
            self.trouble = self.trouble or f"{error.what} {error.remedy}".strip()
            return
        self.trouble, self.there, self.graph, self.due = "", set(), -1, True
        self.greeted = False
        self.rate = int(self.words[s.RATE])
        self.use_time(self.together, self.leads)
        self.set_loop(self.loop)
        gc.collect()
        gc.freeze()

    def _follow(self, now: float) -> None:
        """What the callbacks have given."""
        words = self.words
        if int(words[s.RATE]) != self.rate:
            self.rate, self.due = int(words[s.RATE]), True
            self.set_loop(self.loop)
        if int(words[s.GRAPH]) != self.graph:
            self.graph = int(words[s.GRAPH])
            others = self.client.others()
            there = {port.name for port in others}
            if not self.greeted:
                self._greet(others)
            new, self.there = there - self.there, there
            for own, other in self.wanted:
                if other in new:
                    self.client.connect(own, other)
            self.counted = 0.0
        if now - self.counted > LISTENERS_INTERVAL_S:
            self.counted = now
            self.client.post_sound_request()
        if self.due and self.building is None and now - self.made > self.apart:
            self.due, self.made = False, now
            project = heard(self.project, Listening(held=self.held))
            work = (project, self.resolution, self.rate, self.client.ports, self.code)
            self.building = threading.Thread(target=self._build, args=work, daemon=True)
            self.building.start()

    def _greet(self, others: list[OtherPort]) -> None:
        """Where nothing is remembered of it, the mix goes where the machine's loudspeakers are."""
        takers = [port.name for port in others if port.kind == PortKind.SOUND and port.takes and port.hardware]
        if takers:
            self.greeted = True
            if not any(own.startswith(f"{MIX} ") for own, _ in self.wanted):
                for side, taker in zip(SIDES, (takers[0], takers[:2][-1]), strict=True):
                    self.client.connect(f"{MIX} {side}", taker)

    def _connect_all(self) -> None:
        for port, other in self.wanted:
            self.client.connect(port, other)

    def _build(
        self,
        project: Project,
        resolution: Resolution,
        rate: int,
        ports: tuple[Port, ...],
        code: str,
    ) -> None:
        tables, begun = None, time.monotonic()
        try:
            tables = tables_of(project, resolution, rate, ports, code)
        finally:
            took = time.monotonic() - begun
            self.apart = min(max(SHARE_REST * took, SHORTEST_APART_S), LONGEST_APART_S)
            self.commands.put(Built(tables, project, ports))

    def _use_built(self, built: Built) -> None:
        self.building = None
        if built.tables is None or self.client is None:
            return
        if built.ports != self.client.ports:  # they have changed meanwhile
            self.due = True
            return
        self.client.use(built.tables)
        self.set_loop(self.loop)

    def _report(self) -> None:
        words, client = self.words, self.client
        if client is None:
            report = Report(state=NO_SERVER, trouble=self.trouble)
        else:
            if (
                self.said is not None
                and self.said.seen == (self.graph, self.rate, int(words[s.BLOCK]))
                and self.said.name
            ):
                return
            from zolvek.sync.jack import library

            report = Report(
                "PipeWire" if library.is_pipewire() else "JACK",
                "",
                client.name,
                self.rate,
                int(words[s.BLOCK]),
                bool(client.library.jack_is_realtime(client.client)),
                tuple(client.others()),
                tuple(client.connections()),
                (self.graph, self.rate, int(words[s.BLOCK])),
            )
        if report != self.said:
            self.said = report
            self._give(report)

    def _give(self, report: Report) -> None:
        self.out.write(pickle.dumps(report, protocol=pickle.HIGHEST_PROTOCOL))
        self.out.flush()


# What is done for each command: its fields are the arguments.
HANDLERS: dict[type[Command], Callable[..., None]] = {
    messages.Use: PortsProcess.use,
    messages.Hold: PortsProcess.hold,
    messages.UseTime: PortsProcess.use_time,
    messages.Start: PortsProcess.start,
    messages.Stop: PortsProcess.stop,
    messages.Locate: PortsProcess.locate,
    messages.SetSpeed: PortsProcess.set_speed,
    messages.SetLoop: PortsProcess.set_loop,
    messages.Join: PortsProcess.join,
    messages.SendClock: PortsProcess.send_clock,
    messages.UseConnections: PortsProcess.use_connections,
    messages.Disconnect: PortsProcess.disconnect,
    messages.Panic: PortsProcess.panic,
    messages.Close: PortsProcess.close,
}


def main(path: str, source: BinaryIO, out: BinaryIO) -> None:
    """Run the process on a memory file, with commands from `source` and reports to `out`."""
    memory = PortMemory(Path(path))
    memory.touch(min(FEWEST_ROWS, ROWS))
    process = PortsProcess(memory, out)
    receiver = Receiver(source)

    def read() -> None:
        with contextlib.suppress(EOFError, OSError, pickle.UnpicklingError):
            while True:
                process.commands.put(receiver.receive())
        process.commands.put(messages.Close())

    threading.Thread(target=read, name="commands", daemon=True).start()
    process.run()


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt):
        main(sys.argv[1], sys.stdin.buffer, own_output())
    os._exit(0)  # at once: the thread that waits for the next command would hold the end up
