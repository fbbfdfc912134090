# SPDX-License-Identifier: GPL-3.0-or-later
"""One set of functions emits messages for JACK's callback and for the thread: compiled they say what they say plain."""

from __future__ import annotations

import ctypes
import time
import unittest
from typing import Any

import numpy as np

from tests.sync import wire
from zolvek.core.curve.construction import flat
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model.project import MidiTarget, Note, Project, Track
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.native import building
from zolvek.sync.emission import message_emission
from zolvek.sync.jack import audio_server
from zolvek.sync.ports.message_streams import RATE, Emission, MidiStream, StreamRequest
from zolvek.sync.ports.scheduler import Live
from zolvek.sync.timeline.clock_messages import CONTINUE, RATES, START, STOP

Sent = list[tuple[int, tuple[str, bytes]]]


def built() -> dict[str, Any]:
    """The functions of emission.c, called with arrays as the plain ones are."""
    loaded = building.library("emission", ("emission.c",), audio_server.header())

    def native(name: str) -> Any:
        function = getattr(loaded, f"zolvek_{name}")
        function.restype = None

        def call(*arguments: Any) -> None:
            kinds = (ctypes.c_double if isinstance(a, float) else ctypes.c_int64 for a in arguments)
            plain = (a.ctypes.data if isinstance(a, np.ndarray) else a for a in arguments)
            function(*(kind(value) for kind, value in zip(kinds, plain, strict=True)))

        return call

    names = ("send_position", "chase_changed", "emit_messages", "stop_messages", "send_rest", "hush")
    return {name: native(name) for name in names}


def request(project: Project, code: str = "29.97 drop") -> StreamRequest:
    return StreamRequest(project, Resolution(), True, code)


def busy() -> tuple[Project, Project]:
    """The demo with a port of its own, a fine controller and a parameter by number; and the same, edited."""
    project = build()
    first, second, *_ = project.lanes()
    project = with_lane(project, replace(first, midi=replace(first.midi, port="Desk")))
    project = with_lane(project, replace(second, midi=MidiTarget(3, 260, "nrpn")))
    return project, with_lane(project, replace(project.lane(second.id), curve=flat(0.31)))


def journey(emission: Emission, own: Any, edited: StreamRequest, seed: int) -> Sent:
    """Starts, blocks of all lengths and speeds, an edit and stops, at random places."""
    rng = np.random.default_rng(seed)
    last = round(float(emission.request.project.tempo.seconds(emission.request.project.length)) * RATE)
    h, sent, song, number = emission.words, [], 0.0, 0
    for number in range(60):
        if number % 20 == 0:
            song = float(rng.integers(0, last))
            own["send_position"](h, emission.table, int(song), int(rng.integers(0, 64)))
        if number == 35:
            table, tables = emission.table, emission.tables
            emission.use(edited)
            own["chase_changed"](h, emission.table, int(np.ceil(song)), table, int(np.ceil(song)), 0)
            del tables
        speed = float(rng.choice([1.0, 0.75, 1.5]))
        end = song + int(rng.integers(64, 24_000)) * speed
        own["emit_messages"](h, emission.table, song, int(np.ceil(song)), end, 0, speed)
        song = end
        if number % 20 == 19:
            own["stop_messages"](h, 5)
            own["send_rest"](h, emission.table, int(song), 0, number == 39)
        sent += emission.taken()
    own["hush"](h, 0)
    return sent + emission.taken()


class OneEmission(unittest.TestCase):
    def test_the_callbacks_say_what_the_thread_says(self) -> None:
        """Emission in C, as the server's callbacks have it, and plain: the same messages at the same frames."""
        machine = built()
        project, edited = busy()
        for seed in range(4):
            plain, native = (
                journey(Emission(request(project)), own, request(edited), seed)
                for own in (vars(message_emission), machine)
            )
            self.assertEqual(plain, native)
            self.assertGreater(len(plain), 500)
            ports = {name for _, (name, _) in plain}
            self.assertEqual(ports, {"", "Desk"})
            realtime = [data[0] for _, (_, data) in plain if data[0] in (START, CONTINUE, STOP)]
            self.assertEqual(len([kind for kind in realtime if kind == STOP]), 3, realtime)

    def test_another_port_is_a_change_and_full_frames_are_the_standards(self) -> None:
        project, _ = busy()
        lane = next(lane for lane in project.lanes() if lane.midi.port == "Desk")
        other = next(item for item in project.lanes() if item.id != lane.id)
        with_two = with_lane(project, replace(other, midi=replace(other.midi, port="Rack")))
        to_rack = with_lane(with_two, replace(lane, midi=replace(lane.midi, port="Rack")))
        still_both = with_lane(to_rack, replace(other, midi=replace(other.midi, port="Desk")))
        emission = Emission(request(with_two, ""))
        table, tables = emission.table, emission.tables
        emission.use(request(still_both, "")._replace(clock=False))
        message_emission.chase_changed(emission.words, emission.table, 400_000, table, 400_000, 0)
        del tables
        self.assertIn("Rack", {name for _, (name, _) in emission.taken()})
        for code, rate in RATES.items():
            emission = Emission(request(project, code))
            for frame in (0, 1, 48_000 * 61 + 7, 48_000 * 70 - 1):
                message_emission.send_full_frame(emission.words, emission.table, frame, 0)
                [(_, (_, data))] = emission.taken()
                self.assertEqual(data, wire.full_frame(frame / RATE, rate), code)

    def test_every_note_ends_and_events_beyond_room_are_counted(self) -> None:
        project, _ = busy()
        emission = Emission(request(project, ""))
        h = emission.words
        end = round(float(project.tempo.seconds(project.length / 2)) * RATE)
        on: set[tuple[str, int, int]] = set()
        message_emission.send_position(h, emission.table, 0, 0)
        for begin in range(0, end, 4_800):
            message_emission.emit_messages(h, emission.table, begin, begin, begin + 4_800, 0, 1.0)
        rows = [row for _, row in emission.taken()]
        message_emission.stop_messages(h, 0)
        for name, data in rows + [row for _, row in emission.taken()]:
            key = name, data[0] & 15, data[1] if len(data) > 1 else 0
            if data[0] >> 4 == 9 and data[2]:
                on.add(key)
            elif data[0] >> 4 in (8, 9):
                on.discard(key)
        self.assertEqual(on, set())
        h[message_emission.EVENT_COUNT] = message_emission.EVENTS_HELD - 1
        message_emission.write_three(h, 0, 0, 0xB0, 7, 1, 3)
        message_emission.write_three(h, 0, 0, 0xB0, 7, 1, 3)
        self.assertEqual((h[message_emission.EVENT_COUNT], h[message_emission.FULL]), (message_emission.EVENTS_HELD, 1))

    def test_an_edit_ends_the_notes_it_removes_and_no_others(self) -> None:
        def sent(emission: Emission) -> list[tuple[int, int]]:
            return [(data[0] >> 4, data[1]) for _, (_, data) in emission.taken() if data[0] >> 4 in (8, 9)]

        track = Track("t", "Hull", notes=(Note(0.0, 8.0, 48), Note(0.0, 8.0, 52)))
        emission = Emission(request(Project(tracks=(track,)), ""))
        message_emission.send_position(emission.words, emission.table, 0, 0)
        message_emission.emit_messages(emission.words, emission.table, 0, 0, RATE, 0, 1.0)
        self.assertEqual(sorted(sent(emission)), [(9, 48), (9, 52)])
        table, tables = emission.table, emission.tables
        longer = replace(track.notes[1], length=12.0)
        emission.use(request(Project(tracks=(replace(track, notes=(longer,)),)), ""))
        message_emission.chase_changed(emission.words, emission.table, RATE, table, RATE, 0)
        del tables
        self.assertEqual(sent(emission), [(8, 48)])
        message_emission.stop_messages(emission.words, 0)
        self.assertEqual(sent(emission), [(8, 52)])

    def test_a_stopped_song_that_is_moved_is_sent_where_it_is(self) -> None:
        class Port:
            def __init__(self) -> None:
                self.sent: list[bytes] = []

            def send(self, message: bytes) -> None:
                self.sent.append(message)

        port, beat = Port(), [0.0]
        project = build()
        stream = MidiStream(lambda _: port)
        stream.use(project, Resolution(), clock=True, code="25")
        live = Live(stream, lambda: None, lambda at: float(project.tempo.seconds(at)), lambda: beat[0])
        try:
            beat[0] = 32.0
            for _ in range(500):
                if len(port.sent) > 2:
                    break
                time.sleep(0.02)
        finally:
            live.close()
        emission = Emission(stream.wanted or request(project))
        frame = round(float(project.tempo.seconds(32.0)) * RATE)
        message_emission.send_rest(emission.words, emission.table, frame, 0, True)
        self.assertEqual(port.sent, [data for _, (_, data) in emission.taken()])
        self.assertIn(bytes((0xF2, 0, 1)), port.sent)  # 128 sixteenths


if __name__ == "__main__":
    unittest.main()
