"""OSC in the window: lanes are sent while they play, and what comes in moves controls."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.model.project import Project
from zolvek.studio.bench.player import Player
from zolvek.studio.outside import Outside
from zolvek.studio.session import Session

if TYPE_CHECKING:
    from zolvek.formats.osc import Timed
    from zolvek.sound.osc_ports import Input, Output

TAKEN_MS = 16  # how often what has come in is looked at
STRAYED = 0.02  # seconds that time tags may be away from the clock before they are set anew


class OscLink(QObject):
    """`sends_to` and `port` say what is open, "" and 0 for nothing."""

    changed = pyqtSignal()

    def __init__(self, session: Session, player: Player, outside: Outside) -> None:
        super().__init__()
        self.session, self.outside = session, outside
        self.output: Output | None = None
        self.input: Input | None = None
        self.sends_to, self.port, self.anywhere = "", 0, False
        self.zero: float | None = None  # when the song's second 0 was, since the epoch
        self.known: tuple[Project | None, dict[str, tuple[str, str]]] = (None, {})
        self.strange = 0  # messages to addresses that there are not
        self.timer = QTimer(self)
        self.timer.setInterval(TAKEN_MS)
        self.timer.timeout.connect(self._take)
        player.begun.connect(self._begun)
        player.passed.connect(self._passed)

    # --- out ---

    def send_to(self, text: str) -> None:
        """Send to "host:port"; "" ends it. Raises ZolvekError for what is no address."""
        from zolvek.formats.osc import place
        from zolvek.sound.osc_ports import Output

        made = Output(*place(text)) if text.strip() else None
        if self.output is not None:
            self.output.close()
        self.output, self.sends_to = made, text.strip()
        self.changed.emit()

    def _begun(self, beat: float) -> None:
        self.zero = None
        if self.output is not None:
            from zolvek.formats import osc

            self._send(osc.at(self.session.project, beat), beat)

    def _passed(self, first: float, last: float) -> None:
        if self.output is not None:
            from zolvek.formats import osc

            rate = self.session.settings.osc_rate
            self._send(osc.between(self.session.project, first, last, rate), last)

    def _send(self, rows: list[Timed], now: float) -> None:
        """Each with the moment at which its beat is heard: song seconds from one zero on, so that the time
        between two is exact however late either is sent."""
        from zolvek.formats import osc

        assert self.output is not None
        tempo = self.session.project.tempo
        zero = time.time() - float(tempo.seconds(now))
        if self.zero is None or abs(zero - self.zero) > STRAYED:
            self.zero = zero
        own = self.zero
        moment = {row.beat: own + float(tempo.seconds(row.beat)) for row in rows}
        before = self.output.sent, self.output.refused
        self.output.send(osc.bundles(rows, moment))
        if (self.output.sent, self.output.refused) != before:
            self.changed.emit()

    # --- in ---

    def listen_at(self, port: int, anywhere: bool = False) -> None:
        """Listen at a port, to this machine alone unless `anywhere`; 0 ends it. Raises ZolvekError where
        it is taken."""
        from zolvek.formats import osc
        from zolvek.sound.osc_ports import Input

        if self.input is not None:
            self.input.close()
            self.input, self.port = None, 0
        if port:
            self.input = Input(port, osc.read, anywhere)
            self.port, self.anywhere = self.input.port, anywhere
            self.timer.start()
        else:
            self.timer.stop()
        self.changed.emit()

    def _take(self) -> None:
        if self.input is None:
            return
        taken = self.input.take()
        if not taken:
            return
        targets = self._targets()
        for address, number in taken.items():
            target = targets.get(address)
            if target is None:
                self.strange += 1
            else:
                self.outside.turned(target, min(max(number, 0.0), 1.0))
        self.changed.emit()

    def _targets(self) -> dict[str, tuple[str, str]]:
        """Addresses of the project's parameters, kept while its tracks are the same."""
        from zolvek.formats.osc import addresses

        project = self.session.project
        if self.known[0] is None or self.known[0].tracks != project.tracks:
            self.known = project, addresses(project)
        return self.known[1]

    def close(self) -> None:
        self.timer.stop()
        for port in (self.output, self.input):
            if port is not None:
                port.close()
        self.output = self.input = None
