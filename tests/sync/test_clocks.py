# SPDX-License-Identifier: GPL-3.0-or-later
"""Time on the wire, and what is sent live: against mido's reading of the bytes, SMPTE's numbers, and the MIDI file."""

from __future__ import annotations

import io
import unittest
from itertools import pairwise

import mido
import numpy as np

from tests.sync import wire
from zolvek.core.curve.construction import flat
from zolvek.core.edits.connections import ports_of
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model.project import MidiTarget
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.formats.midi import file_out
from zolvek.sync.clocks.clock_reader import Follower
from zolvek.sync.ports.message_streams import RATE, MidiStream
from zolvek.sync.timeline import clock_messages, song_timeline


class OnTheWire(unittest.TestCase):
    def test_time_code(self) -> None:
        """SMPTE 12M: with dropped numbers 0:59;29 is followed by 1:00;02, ten minutes have 17,982 frames, and an hour
        is 3.6 ms off a clock's; from memory. The bytes as mido reads them."""
        drop = clock_messages.RATES["29.97 drop"]
        reported = np.stack(clock_messages.time_code([1_799, 1_800, 17_981, 17_982, 107_892], drop), axis=1)
        self.assertEqual(reported.tolist(), [[0, 0, 59, 29], [0, 1, 0, 2], [0, 9, 59, 29], [0, 10, 0, 0], [1, 0, 0, 0]])
        self.assertAlmostEqual(107_892 / drop.fps, 3_600.0, delta=0.0037)
        for name, rate in clock_messages.RATES.items():
            numbers = np.arange(0, 200_000, 331)
            fields = np.array(clock_messages.time_code(numbers, rate))
            back = [clock_messages.frames_of(h, m, s, f, rate) for h, m, s, f in fields.T.tolist()]
            self.assertEqual(back, numbers.tolist(), name)
            moments, data = clock_messages.quarter_frames(700.0, rate)
            at = 8 * 4_000
            parts = [mido.parse([0xF1, int(byte)]) for byte in data[at : at + 8]]
            self.assertEqual([part.frame_type for part in parts], list(range(8)))
            low = [part.frame_value for part in parts]
            read = low[6] | (low[7] & 1) << 4, low[4] | low[5] << 4, low[2] | low[3] << 4, low[0] | low[1] << 4
            true = [int(x[0]) for x in clock_messages.time_code([8_000], rate)]
            self.assertEqual((list(read), low[7] >> 1), (true, rate.code))
            self.assertAlmostEqual(moments[at], 8_000 / rate.fps, 9)
            whole = mido.parse(wire.full_frame(8_000 / rate.fps + 1e-3, rate))
            self.assertEqual(whole.data[4:8], (true[0] | rate.code << 5, *true[1:]))
        position = mido.parse(wire.song_position(wire.position_at(33.2)))
        self.assertEqual((position.type, position.pos), ("songpos", 133))

    def test_an_outside_clock_is_followed(self) -> None:
        """With a millisecond of jitter: after two quarter notes within a millisecond and a tenth of a percent; where
        it is put exactly; and where it ends without a word."""
        rng = np.random.default_rng(3)
        for bpm in (60.0, 112.5, 174.0):
            follower, step = Follower("clock"), 60.0 / bpm / clock_messages.CLOCKS
            follower.take(wire.song_position(8), 9.0)
            self.assertEqual(follower.beat_at(9.5), 2.0)
            follower.take(b"\xfb", 10.0)
            for number in range(24 * 12):
                at = 10.0 + number * step
                follower.take(b"\xf8", at + rng.uniform(-1e-3, 1e-3))
                if number >= 48:
                    off = follower.beat_at(at) - (2.0 + number / clock_messages.CLOCKS)
                    self.assertLess(abs(off) * 60.0 / bpm, 1e-3)
                    self.assertLess(abs(follower.bpm / bpm - 1.0), 1e-3)
            end = 10.0 + 24 * 12 * step
            follower.tick(end + 0.2)
            self.assertTrue(follower.running)
            place = follower.beat_at(end)
            follower.tick(end + 2.0)
            self.assertFalse(follower.running)
            # Clocks that we were late to listen to go on as if nothing had been.
            for number in range(24):
                follower.take(b"\xf8", end + number * step)
            self.assertAlmostEqual(follower.beat_at(end + 23 * step), place + 23 / 24, delta=2e-3)
        for rate in clock_messages.RATES.values():
            follower = Follower("code")
            for moment, byte in zip(*clock_messages.quarter_frames(200.0, rate), strict=True):
                if moment > 150.0:  # joined in the middle of it
                    follower.take(bytes((0xF1, int(byte))), 7.0 + moment + rng.uniform(-1e-3, 1e-3))
                if moment > 152.0:
                    self.assertAlmostEqual(follower.seconds_at(7.0 + moment), moment, delta=1e-3)
            follower.take(wire.full_frame(61.0, rate), 300.0)
            self.assertFalse(follower.running)
            self.assertAlmostEqual(follower.seconds_at(301.0), 61.0, delta=1.0 / rate.fps)
        odd = Follower("clock")
        for message in (b"\xf8", b"\xfc", b"\xfa", b"\xf8", b"\xf2\x00", b"\xf0\x7f", b"\x90\x40\x40"):  # fmt: skip
            odd.take(message, 1.0)
        self.assertTrue(odd.running)

    def test_live_is_the_file(self) -> None:
        """What the callbacks and the thread send is what the file holds, message by message at its tick, in its
        order, read there by mido; where a lane stands is what the last of them said."""
        project = build()
        lane = next(project.lanes())
        project = with_lane(project, replace(lane, midi=replace(lane.midi, port="Desk")))
        ports = ports_of(project)
        found = song_timeline.sending(project, RATE, ports)
        read = mido.MidiFile(file=io.BytesIO(file_out.encode(project)))
        wanted: dict[int, list[bytes]] = {}
        for track in read.tracks:
            tick = 0
            for message in track:
                tick += message.time
                if not message.is_meta:
                    frame = round(float(project.tempo.seconds(tick / read.ticks_per_beat)) * RATE)
                    wanted.setdefault(frame, []).append(bytes(message.bytes()))
        sent: dict[int, list[bytes]] = {}
        for frame, data, size in zip(found.frame.tolist(), found.data, found.size, strict=True):
            sent.setdefault(frame, []).append(data[:size].tobytes())
        self.assertEqual(sent, wanted)
        self.assertEqual({ports[n].key for n in found.port.tolist()} & {"named Desk"}, {"named Desk"})
        stream = MidiStream(lambda name: None)
        stream.use(project, Resolution(), True, "25")
        cuts = np.linspace(0.0, float(project.tempo.seconds(project.length)) + 1.0, 60).tolist()
        stream.at(0.0)
        rows = [row for a, b in pairwise(cuts) for row in stream.between(a, b)]
        plain = [data for _, (_, data) in rows if data[0] < 0xF0]
        self.assertEqual(len(plain), sum(map(len, wanted.values())))
        beats = float(project.tempo.beats(cuts[-1]))
        self.assertEqual(sum(data[0] == clock_messages.CLOCK for _, (_, data) in rows), int(24 * beats) + 1)
        stands = {data[:2] for _, data in stream.at(50.0) if data[0] < 0xF0}
        sounding = {
            (n.pitch, k)
            for k, t in enumerate(project.tracks)
            for n in t.notes
            if n.beat < float(project.tempo.beats(50.0)) < n.beat + n.length
        }
        self.assertEqual({(data[1], data[0] & 15) for _, data in stream.at(50.0) if data[0] >> 4 == 9}, sounding)
        reported = {data[:2] for when, (_, data) in rows if when < 50.0 and data[0] >> 4 == 0xB}
        self.assertTrue(reported <= stands)

    def test_starts_and_edits_send_whole_states(self) -> None:
        """By the thread as by the callbacks: all messages of a lane that an edit has moved, what lies just before a
        start, and no clock from where no song position can be said."""
        project = replace(build(), length=4_200.0)
        lane = next(project.lanes())
        project = with_lane(project, replace(lane, midi=MidiTarget(1, 260, "nrpn"), curve=flat(0.3)))
        edited = with_lane(project, replace(project.lane(lane.id), curve=flat(0.31)))
        stream, fresh = (MidiStream(lambda name: None) for _ in range(2))
        fresh.use(edited, Resolution())
        stream.use(project, Resolution(), True)
        before, after = stream.at(10.0), fresh.at(10.0)
        stream.use(edited, Resolution(), True)
        stream.made = 0.0
        sent = [data for _, data in stream.changed(10.0, 10.0)]
        self.assertEqual(sent[:2], [b"\xb0\x63\x02", b"\xb0\x62\x04"], "which one it is goes first")
        self.assertTrue(set(sent) <= {data for _, data in after})
        self.assertGreater(len(before), len(sent), "other lanes are left alone")
        placed = stream.between(0.0, 60.0)
        when, row = next((w, row) for w, row in placed if w > 5.0 and row[1][0] >> 4 == 0xB and len(row[1]) == 3)
        for off in (-0.3, 0.0, 0.3, 0.7):  # frames that it begins beside a message: it comes once
            begin = when + off / RATE
            later = [data for _, data in stream.between(begin, when + 2.0 / RATE)]
            self.assertEqual((stream.at(begin) + later).count(row), 1, off)
        late = float(project.tempo.seconds(4_150.0))
        self.assertNotIn(0xF2, [data[0] for _, data in stream.at(late)])
        self.assertEqual([data for _, (_, data) in stream.between(late, late + 5.0) if data[0] >= 0xF8], [])
