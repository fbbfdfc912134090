# SPDX-License-Identifier: GPL-3.0-or-later
"""OSC in the window: lanes are sent while they play, and what comes in moves controls."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.model.project import Project
from zolvek.studio.services.io.midi_io import MidiIO
from zolvek.studio.services.playback.player import Player
from zolvek.studio.session.session import Session

if TYPE_CHECKING:
    from zolvek.sync.ports.message_streams import OscStream
    from zolvek.sync.ports.osc_ports import Input, Output
    from zolvek.sync.ports.scheduler import Live

OUR_OWN = ("127.0.0.1", "::1", "0.0.0.0")
TAKEN_MS = 16  # how often what has come in is looked at


class OscLink(QObject):
    """`sends_to` and `port` say what is open, "" and 0 for nothing."""

    changed = pyqtSignal()

    def __init__(self, session: Session, player: Player, midi_io: MidiIO) -> None:
        super().__init__()
        self.session, self.player, self.midi_io = session, player, midi_io
        self.output: Output | None = None
        self.input: Input | None = None
        self.sends_to, self.port, self.anywhere = "", 0, False
        self.stream: OscStream | None = None
        self.live: Live | None = None  # sends it
        self.counted = 0, 0
        self.known: tuple[Project | None, dict[str, tuple[str, str]]] = (None, {})
        self.counted_own = 0
        self.strange = 0  # messages to addresses that there are not
        self.timer = QTimer(self)
        self.timer.setInterval(TAKEN_MS)
        self.timer.timeout.connect(self._take)
        for part in (session.document, session.audition, session.held):
            part.changed.connect(self.send_state)
        player.passed.connect(self._count)
        player.stopped.connect(self._count)

    # --- out ---

    def send_to(self, text: str) -> None:
        """Send to "host:port"; "" ends it. Raises ZolvekError for what is no address."""
        from zolvek.sync.ports.osc_ports import Output
        from zolvek.sync.timeline.osc_messages import place

        output = Output(*place(text)) if text.strip() else None
        self._end_output()
        self.output, self.sends_to = output, text.strip()
        if output is not None:
            from zolvek.sync.ports.message_streams import OscStream
            from zolvek.sync.ports.scheduler import Live

            self.stream = OscStream(output)
            self._know_ourselves()
            self.send_state()
            self.live = Live(
                self.stream,
                lambda: self.player.clock,
                lambda beat: float(self.session.project.tempo.seconds(beat)),
                lambda: self.session.playhead.beat,
            )
        self.changed.emit()

    def send_state(self) -> None:
        """The song as it is now is what is sent."""
        if self.stream is not None:
            settings = self.session.settings.connect
            self.stream.use(self.session.audible, settings.osc_rate, settings.osc_lead_ms / 1_000.0)

    def _count(self) -> None:
        if self.output is not None and (self.output.sent, self.output.refused) != self.counted:
            self.counted = self.output.sent, self.output.refused
            self.changed.emit()

    def _end_output(self) -> None:
        if self.live is not None:
            self.live.close()
        if self.output is not None:
            self.output.close()
        self.output = self.live = self.stream = None

    # --- in ---

    def listen_at(self, port: int, anywhere: bool = False) -> None:
        """Listen at a port, to this machine alone unless `anywhere`; 0 ends it. Raises ZolvekError where
        it is taken."""
        from zolvek.sync.ports.osc_ports import Input
        from zolvek.sync.timeline import osc_messages

        if self.input is not None:
            self.input.close()
            self.input, self.port = None, 0
        if port:
            self.input = Input(port, osc_messages.read, osc_messages.read_timed, osc_messages.address_of, anywhere)
            self._know_ourselves()
            self.port, self.anywhere = self.input.port, anywhere
            self.timer.start()
        else:
            self.timer.stop()
        self.changed.emit()

    def _take(self) -> None:
        if self.input is None:
            return
        ignored = self.input.own
        self._record()
        taken = self.input.take()
        if not taken:
            if ignored != self.counted_own:
                self.counted_own = ignored
                self.changed.emit()
            return
        targets = self._targets()
        moves: dict[tuple[str, str], float] = {}
        for address, number in taken.items():
            target = targets.get(address)
            if target is None:
                self.strange += 1
            else:
                moves[target] = min(max(number, 0.0), 1.0)
        if moves:
            self.midi_io.move_controls(moves)
        self.changed.emit()

    def _record(self) -> None:
        """In a pass every value counts, at its own time."""
        assert self.input is not None
        recording = self.session.passes.recording
        if recording or self.input.keeps_all:
            targets = self._targets()
            rows = [(targets.get(address), number, at) for address, number, at in self.input.take_all()]
            known = [(target, min(max(number, 0.0), 1.0), at) for target, number, at in rows if target is not None]
            self.strange += len(rows) - len(known)
            self.midi_io.record_moves(known)
        self.input.keep_all(recording)

    def _know_ourselves(self) -> None:
        """What we send ourselves to the port that we listen to is not taken, and said."""
        if self.input is None or self.output is None:
            return
        self.input.own_port = self.output.port
        host, port = self.output.to[:2]
        if port == self.input.port and host in OUR_OWN:
            self.session.notices.say("OSC is sent to the port that Zolvek listens to. Its own messages are ignored.")

    def _targets(self) -> dict[str, tuple[str, str]]:
        """Addresses of the project's parameters, kept while its tracks are the same."""
        from zolvek.sync.timeline.osc_messages import addresses

        project = self.session.project
        if self.known[0] is None or self.known[0].tracks != project.tracks:
            self.known = project, addresses(project)
        return self.known[1]

    def close(self) -> None:
        """Close the sockets."""
        self.timer.stop()
        self._end_output()
        if self.input is not None:
            self.input.close()
            self.input = None
