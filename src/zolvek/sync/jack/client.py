# SPDX-License-Identifier: GPL-3.0-or-later
"""The program as a client of the server: its ports, its callbacks, and what it sends, in the ports' process."""

from __future__ import annotations

import contextlib
import ctypes
from typing import Any

import numpy as np

from zolvek.core.edits.connections import MOST_NAMED, MOST_TRACKS, Port, PortKind
from zolvek.core.errors import ZolvekError
from zolvek.sync.emission.layout import EVENT_ROW, EVENTS_HELD, PORT_NOTES, SCRATCH_BYTES
from zolvek.sync.emission.tables import MessageTables, addresses_of
from zolvek.sync.jack import audio_server, library
from zolvek.sync.jack import shared_layout as s
from zolvek.sync.jack.link_messages import OtherPort
from zolvek.sync.jack.port_memory import PortMemory
from zolvek.sync.jack.shared_layout import ROWS
from zolvek.sync.timeline.control_voltages import voltage_key

NAME = "Zolvek"
PLAYS = library.IS_INPUT  # what takes sound or messages in is an input of its client
GIVES = library.IS_OUTPUT
UNKNOWN = 0  # a port that could not be registered


class Client:
    """Raises ZolvekError where there is no server, or it refuses."""

    def __init__(self, memory: PortMemory, ports: tuple[Port, ...]) -> None:
        self.memory, self.words = memory, memory.words
        self.library = library.library()
        self.callbacks = audio_server.addresses()
        status = ctypes.c_int(0)
        self.client = self.library.jack_client_open(NAME.encode(), library.NO_START, ctypes.byref(status))
        if not self.client:
            raise ZolvekError("No JACK server is running.", "JACK", "Start one, or PipeWire.")
        self.name = self.library.jack_get_client_name(self.client).decode()
        self.ports: tuple[Port, ...] = ()
        self.by_name: dict[str, tuple[Any, Port]] = {}
        self.tables: list[tuple[np.ndarray, MessageTables]] = []  # the last one, and the one before
        self._places()
        self._begin(ports)

    def _places(self) -> None:
        """Memory of the callbacks' own, next to what is shared."""
        words, memory = self.words, self.memory
        self.own: dict[int, np.ndarray] = {
            s.NOTES: np.zeros(PORT_NOTES * (MOST_TRACKS + MOST_NAMED + 2), np.uint8),
            s.EVENTS: np.zeros(EVENTS_HELD, EVENT_ROW).view(np.uint8),
            s.SCRATCH: np.zeros(SCRATCH_BYTES + 8 * ROWS, np.uint8),
            s.POSITION: np.zeros(2 * s.POSITION_BYTES, np.uint8),
            s.EVENT: np.zeros(64, np.uint8),
            s.CLOCK: np.zeros(16, np.uint8),
            s.SPREAD: np.zeros(ROWS * s.LARGEST_BLOCK_FRAMES, np.float32),
            s.PAST: memory.past,
            s.HEARD: memory.heard,
            s.SOUND: memory.sound,
            s.SEGMENTS: memory.segments,
        }
        for word, address in self.own.items():
            address[:] = 0 if word in (s.SPREAD, s.NOTES, s.EVENTS) else address  # touched: the system gives it now
            words[word] = address.ctypes.data
        words[s.CLIENT] = self.client
        words[s.TABLE] = words[s.OLD_TABLE] = words[s.TABLE_DONE] = words[s.TEMPO_KEY] = 0
        words[s.SHUT] = words[s.FREEWHEEL] = words[s.CLOCK_STATE] = words[s.STATE] = 0
        words[s.RATE] = self.library.jack_get_sample_rate(self.client)
        words[s.BLOCK] = self.library.jack_get_buffer_size(self.client)
        words[s.GO_DONE] = words[s.GO_SERIAL]

    def _begin(self, ports: tuple[Port, ...]) -> None:
        here = ctypes.c_void_p(self.words.ctypes.data)
        for name, callback in (
            ("jack_set_process_callback", "process"),
            ("jack_set_freewheel_callback", "freewheel"),
            ("jack_set_buffer_size_callback", "buffer_size"),
            ("jack_set_sample_rate_callback", "sample_rate"),
            ("jack_set_xrun_callback", "xrun"),
            ("jack_set_port_connect_callback", "connected"),
            ("jack_set_port_registration_callback", "registered"),
            ("jack_on_shutdown", "shutdown"),
        ):
            getattr(self.library, name)(self.client, ctypes.c_void_p(self.callbacks[callback]), here)
        self.use_ports(ports)
        if self.library.jack_activate(self.client) != 0:
            self.close()
            raise ZolvekError("The JACK server refuses Zolvek.", "JACK", "Restart the server.")

    # --- ports ---

    def _port(self, own: Port) -> int:
        """The port of this name, registered where it is not yet; 0 where the server has none left."""
        result = self.by_name.get(own.name)
        if result is None:
            kind = library.MIDI if own.kind == PortKind.MIDI else library.AUDIO
            IS_OUTPUT = library.IS_OUTPUT if own.out else library.IS_INPUT
            port = self.library.jack_port_register(self.client, own.name.encode()[:200], kind, IS_OUTPUT, 0)
            self.by_name[own.name] = result = port or UNKNOWN, own
            if port and own.kind == PortKind.VOLTAGE:
                library.mark_voltage(self.client, port)
        return int(result[0])

    def use_ports(self, ports: tuple[Port, ...]) -> None:
        """Have these ports, and no others. One whose track has another name now stays connected."""
        words, before = self.words, {port.key: port for port in self.ports}
        for port in ports:
            was = before.get(port.key)
            if was is not None and was.name != port.name and port.name not in self.by_name:
                address, _ = self.by_name.pop(was.name)
                self.library.jack_port_rename(self.client, address, port.name.encode()[:200])
                self.by_name[port.name] = address, port
        gone = set(self.by_name) - {port.name for port in ports}
        addresses = {port: self._port(port) for port in ports}
        midi = [addresses[port] for port in ports if port.kind == PortKind.MIDI and port.out]
        sound = [addresses[port] for port in ports if port.kind == PortKind.SOUND]
        voltages = [port for port in ports if port.kind == PortKind.VOLTAGE]
        words[s.MIDI_COUNT] = words[s.SOUND_COUNT] = words[s.VOLTAGE_COUNT] = 0  # none while they change
        for number, port in enumerate(voltages):
            words[s.FIRST_VOLTAGE + number] = addresses[port]
            words[s.FIRST_VOLTAGE_KEY + number] = voltage_key(port.key.partition(" ")[2])
        words[s.FIRST_MIDI : s.FIRST_MIDI + len(midi)] = midi
        words[s.FIRST_SOUND : s.FIRST_SOUND + len(sound)] = sound
        words[s.MIDI_IN] = addresses[ports[-1]]
        words[s.CLOCK_PORT] = len(midi) - 1
        words[s.NAMED_FROM] = 1 + sum(port.key.startswith("track ") for port in ports)
        words[s.MIDI_COUNT], words[s.SOUND_COUNT] = len(midi), len(sound)
        words[s.VOLTAGE_COUNT] = len(voltages)
        for name in gone:
            address, _ = self.by_name.pop(name)
            if address:
                self.library.jack_port_unregister(self.client, address)
        self.ports = ports

    def others(self) -> list[OtherPort]:
        """The ports of other programs."""
        other_ports = []
        for name in library.names(self.library.jack_get_ports(self.client, None, None, 0)):
            port = self.library.jack_port_by_name(self.client, name.encode())
            if not port or name.startswith(f"{self.name}:"):
                continue
            kind = self.library.jack_port_type(port)
            flags = self.library.jack_port_flags(port)
            if kind in (library.AUDIO, library.MIDI):
                word = PortKind.SOUND if kind == library.AUDIO else PortKind.MIDI
                other_ports.append(OtherPort(name, word, bool(flags & PLAYS), bool(flags & library.IS_PHYSICAL)))
        return other_ports

    def connections(self) -> list[tuple[str, str]]:
        """Each of our ports (by its own name) with each that it is connected to."""
        result = []
        for name, (port, _) in self.by_name.items():
            if port:
                there = self.library.jack_port_get_all_connections(self.client, port)
                result += [(name, other) for other in library.names(there)]
        return result

    def connect(self, port: str, other: str, on: bool = True) -> bool:
        """Whether a port of ours is connected to another now, or not any more."""
        result = self.by_name.get(port)
        if result is None or not result[0]:
            return False
        whole = f"{self.name}:{port}".encode()
        ends = (whole, other.encode()) if result[1].out else (other.encode(), whole)
        work = self.library.jack_connect if on else self.library.jack_disconnect
        return work(self.client, *ends) == 0

    def post_sound_request(self) -> None:
        """Whether any of the sound ports leads anywhere, and any of the tracks' own."""
        leading = {
            buffer.key
            for port, buffer in self.by_name.values()
            if buffer.kind == PortKind.SOUND and port and self.library.jack_port_connected(port)
        }
        self.words[s.SOUND_WANTED] = int(bool(leading))
        self.words[s.SOUND_APART] = int(any(not key.startswith("mix ") for key in leading))

    # --- what is sent ---

    def use(self, tables: MessageTables) -> None:
        """Send this from the next cycle on."""
        words = self.words
        table = addresses_of(tables)
        # What the callbacks have given of last stays, to be compared with: between two cycles more may have come.
        words[s.OLD_TABLE] = words[s.TABLE_DONE]
        held = {int(words[word]) for word in (s.OLD_TABLE, s.TABLE, s.TABLE_DONE)}
        self.tables = [row for row in self.tables if row[0].ctypes.data in held]
        self.tables.append((table, tables))
        words[s.TABLE] = table.ctypes.data

    # --- time ---

    def lead(self, on: bool) -> None:
        """Become the timebase master, which provides bars and beats, or stop being it."""
        if on:
            here = ctypes.c_void_p(self.words.ctypes.data)
            self.library.jack_set_timebase_callback(self.client, 0, ctypes.c_void_p(self.callbacks["timebase"]), here)
        else:
            self.library.jack_release_timebase(self.client)

    def together(self, on: bool) -> None:
        """Go with the server's transport; sound is waited for then."""
        here = ctypes.c_void_p(self.words.ctypes.data)
        callback = ctypes.c_void_p(self.callbacks["sync"] if on else None)
        self.words[s.MODE] = s.TOGETHER if on else s.ALONE
        self.library.jack_set_sync_callback(self.client, callback, here)

    def start(self) -> None:
        """Start JACK's transport."""
        self.library.jack_transport_start(self.client)

    def stop(self) -> None:
        """Stop JACK's transport."""
        self.library.jack_transport_stop(self.client)

    def locate(self, frame: int) -> None:
        """Move JACK's transport to a frame."""
        self.library.jack_transport_locate(self.client, max(frame, 0))

    def close(self) -> None:
        """Leave the server."""
        with contextlib.suppress(OSError):
            self.library.jack_client_close(self.client)
        self.words[s.STATE] = s.STOPPED
        self.words[s.TABLE] = self.words[s.SHUT] = 0
