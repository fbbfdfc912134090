# SPDX-License-Identifier: GPL-3.0-or-later
"""MIDI in and out: the controller, the machine's ports, and the lanes' messages."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from zolvek.core.edits import controller_mappings
from zolvek.core.edits.controller_reader import ControllerReader
from zolvek.studio.services.io.incoming import Incoming
from zolvek.studio.services.playback.player import Player
from zolvek.studio.session.control_moves import turn_all
from zolvek.studio.session.session import Session

if TYPE_CHECKING:
    from zolvek.sync.ports.message_streams import MidiStream
    from zolvek.sync.ports.midi_ports import Input, Output
    from zolvek.sync.ports.scheduler import Live
    from zolvek.sync.timeline.lane_messages import SentMessage

MOST_ROWS = 2_000  # messages remembered
ALL_OFF = (123, 120)  # controllers: all notes off, all sound off (MIDI 1.0)
GESTURE_MS = 400  # moves of a control closer than this are one step


class MidiIO(QObject):
    """Turns mapped controls into moves of parameters, and playing lanes into messages."""

    sent = pyqtSignal(list)  # of Sent
    came = pyqtSignal(tuple, float)  # a message's bytes and its time, from a port's thread
    control_moved = pyqtSignal(str)
    key_moved = pyqtSignal(int, float, float)  # pitch, strength (0: up), and when

    def __init__(self, session: Session, player: Player) -> None:
        super().__init__()
        self.session, self.player = session, player
        self.rows: deque[SentMessage] = deque(maxlen=MOST_ROWS)
        self.watched = False  # a user looks at the messages
        self.reader = ControllerReader()
        self.last_control = ""
        self.gesture: object = None
        self.moving: set[tuple[str, str]] = set()  # what is being moved: devices, parameters
        self.over = QTimer(self)
        self.over.setSingleShot(True)
        self.over.setInterval(GESTURE_MS)
        self.over.timeout.connect(self._gesture_over)
        self.input: Input | None = None
        self.output: Output | None = None
        self.stream: MidiStream | None = None
        self.live: Live | None = None  # sends it
        self.named: dict[str, Output | None] = {}  # ports that lanes name
        # What is asked first whether a message is its own: that of a clock is no control.
        self.filters: Callable[[bytes, float], bool] = lambda _message, _seconds: False
        self.came.connect(self.heard)
        self.incoming = Incoming()
        self.incoming.arrived.connect(self._take, type=Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]  # the stubs lack it
        session.shown.changed.connect(self._learn)
        for part in (session.document, session.audition, session.held):
            part.changed.connect(self._send_state)
        player.passed.connect(self._passed)
        player.begun.connect(self._begun)

    # --- in ---

    def move(self, which: str, position: float, seconds: float | None = None) -> None:
        """A control stands at `position` 0..1 now: it is learned, or moves what it is mapped to."""
        self.last_control = which
        self.control_moved.emit(which)
        if self.session.passes.learning == "controls":
            self._learn()
            return
        target = controller_mappings.target_of(self.session.project, which)
        if target is None:
            self.session.notices.say(f"{controller_mappings.control_name(which)} is not mapped yet.")
            return
        self.turned(target, position, seconds)

    def record_moves(self, rows: list[tuple[tuple[str, str], float, float]]) -> None:
        """Moves with their times, in a pass: each of them, none thinned."""
        for target, position, seconds in rows:
            self.move_controls({target: position}, seconds)

    def turned(self, target: tuple[str, str], position: float, seconds: float | None = None) -> None:
        """A hand outside, on a controller or in a plugin's own window, moves a device's parameter: it comes up
        as touched. Moves that follow each other closely are one step."""
        self.move_controls({target: position}, seconds)

    def move_controls(self, moves: dict[tuple[str, str], float], seconds: float | None = None) -> None:
        """Several at once: one edit; the first comes up."""
        self.moving |= moves.keys()
        if self.gesture is None:
            self.gesture = object()
            if self.session.passes.hands is None or not self.session.passes.hands.recording:
                self.session.touch(*next(iter(moves)))
        self.session.notices.attempt(lambda: turn_all(self.session, moves, self.gesture, seconds))
        self.over.start()

    def forget_control(self) -> None:
        """No control counts as moved: the next one that moves is what is learned."""
        self.last_control = ""

    def _gesture_over(self) -> None:
        """No control has moved for a while: hands are off them."""
        self.gesture = None
        for target in self.moving:
            if self.session.passes.hands is not None:
                self.session.passes.hands.release(*target, None)
        self.moving.clear()
        self.session.document.end_gesture()

    def _learn(self) -> None:
        """While controls are learned: the last moved control moves the last touched parameter."""
        session = self.session
        if session.passes.learning != "controls" or not self.last_control or not session.shown.control:
            return
        device, key = session.shown.control
        name = session.project.device_track(device).device(device).parameter(key).name
        moved = controller_mappings.control_name(self.last_control)
        session.document.edit(
            f"{moved} moves {name}",
            controller_mappings.mapped(session.project, self.last_control, device, key),
        )
        session.notices.say(f"{moved} now moves {name}.")
        self.last_control = ""
        session.shown.release()
        session.passes.learn("")

    def heard(self, message: tuple[int, ...], seconds: float) -> None:
        """A message has come at a time of time.perf_counter."""
        if self.filters(bytes(message), seconds):
            return
        key = controller_mappings.read_key(message)
        if key is not None:
            self.key_moved.emit(*key, seconds)
            return
        result = self.reader.read(message)
        if result is not None:
            self.move(*result, seconds)

    def _take(self) -> None:
        """What has come at the port: in a pass all of it."""
        for message, seconds in self.incoming.take(self.session.passes.recording):
            self.heard(tuple(message), seconds)

    def listen_to(self, name: str | None) -> None:
        """Listen to a real port; None to none. Raises ZolvekError when it can't be opened."""
        from zolvek.sync.ports.midi_ports import Input

        if self.input is not None:
            self.input.close()
            self.input = None
        if name:
            self.input = Input(name, self.incoming.put)

    # --- out ---

    def send_to(self, name: str | None) -> None:
        """Send what the song plays to a real port; None to none. Raises ZolvekError as above."""
        from zolvek.sync.ports.midi_ports import Output

        self._close_outputs()
        if name:
            from zolvek.sync.ports.message_streams import MidiStream
            from zolvek.sync.ports.scheduler import Live

            self.output = Output(name)
            self._open_named()
            self.stream = MidiStream(self._port_of)
            self._send_state()
            self.live = Live(
                self.stream,
                lambda: self.player.clock,
                lambda beat: float(self.session.project.tempo.seconds(beat)),
                lambda: self.session.playhead.beat,
            )

    def _close_outputs(self) -> None:
        if self.live is not None:
            self.live.close()
        for port in (self.output, *self.named.values()):
            if port is not None:
                port.close()
        self.output, self.named, self.live, self.stream = None, {}, None, None

    def _send_state(self) -> None:
        """The song as it is now is what is sent."""
        if self.stream is not None:
            kept = self.session.project.sync
            self._open_named()
            self.stream.use(self.session.audible, self.session.settings.midi.resolution, kept.clock, kept.code)

    def _open_named(self) -> None:
        """The ports that lanes name, where the machine has them."""
        from zolvek.sync.ports import midi_ports as ports

        wanted = {lane.midi.port for lane in self.session.project.lanes() if lane.midi.port}
        for name in wanted - set(self.named):
            self.named[name] = None  # said once, if it can't be opened
            if name in ports.outputs():
                self.session.notices.run_guarded(partial(self._open, name))

    def _open(self, name: str) -> None:
        from zolvek.sync.ports.midi_ports import Output

        self.named[name] = Output(name)

    def _port_of(self, name: str) -> Output | None:
        """Where messages for the port of a name go: that one, where the machine has it, else the chosen one."""
        return self.named.get(name) or self.output

    @property
    def needed(self) -> bool:
        """Whether messages have to be prepared."""
        return self.watched

    def _begun(self, beat: float) -> None:
        if self.needed:
            from zolvek.sync.timeline import lane_messages

            self._show(lane_messages.at(self.session.project, beat, self.session.settings.midi.resolution))

    def _passed(self, first: float, last: float) -> None:
        if self.needed:
            from zolvek.sync.timeline import lane_messages

            self._show(lane_messages.between(self.session.project, first, last, self.session.settings.midi.resolution))

    def _show(self, rows: list[SentMessage]) -> None:
        if rows:
            self.rows.extend(rows)
            self.sent.emit(rows)

    def panic(self) -> None:
        """All notes and all sound off on every channel of the ports that are open."""
        for port in dict.fromkeys((self.output, *self.named.values())):
            if port is None:
                continue
            for channel in range(16):
                for controller in ALL_OFF:
                    port.send(bytes((0xB0 | channel, controller, 0)))

    def close(self) -> None:
        """Close the ports."""
        if self.input is not None:
            self.input.close()
            self.input = None
        self._close_outputs()
