# SPDX-License-Identifier: GPL-3.0-or-later
"""OSC: addresses, what lanes send and when, and what is no packet."""

from __future__ import annotations

import struct
import time
import unittest
from itertools import pairwise
from unittest import mock

import numpy as np
from pythonosc.osc_bundle import OscBundle
from pythonosc.osc_message_builder import OscMessageBuilder

from zolvek.core.curve.construction import curve, lines
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.replacement import add_lane, with_curve
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.demo.night_regatta import build
from zolvek.sync.ports.message_streams import OscStream
from zolvek.sync.timeline import osc_messages

NTP = 2_208_988_800  # seconds from 1900 to 1970 (RFC 5905, figure 4)


class Osc(unittest.TestCase):
    def project(self) -> tuple[Project, str, str]:
        tempo = TempoMap((TempoPoint(0.0, 90.0, True), TempoPoint(16.0, 150.0)))
        project, track = add_track(Project(length=16.0, tempo=tempo), "My #1 track")
        project, device = add_device(project, track, DEVICE_KINDS["filter"])
        project, lane = add_lane(project, device, "cutoff")
        way = curve([(0.0, 0.2), (4.0, 0.8), (4.0, 0.1, "bend", 0.5), (8.0, 0.9), (16.0, 0.9)])
        return with_curve(project, lane, way), lane, device

    def test_addresses_are_plain_and_no_two_alike(self) -> None:
        project, _, device = self.project()
        project, _ = add_track(project, "My_#1_track")
        found = osc_messages.addresses(project)
        name = next(d.name for d in project.tracks[0].devices if d.id == device)
        self.assertEqual(found[f"/zolvek/My__1_track/{name.replace(' ', '_')}/Cutoff"], (device, "cutoff"))
        self.assertTrue(any(address.startswith("/zolvek/My__1_track-2/") for address in found))
        every = [d.parameters for track in project.tracks for d in track.devices]
        self.assertEqual(len(set(found.values())), sum(map(len, every)))

    def test_what_is_sent_is_what_plays_on_a_grid_of_the_song_and_at_jumps(self) -> None:
        for project in (self.project()[0], build()):
            whole = osc_messages.between(project, 0.0, project.length, 60.0)
            cuts = np.linspace(0.0, project.length, 41)
            parts = [osc_messages.between(project, a, b, 60.0) for a, b in pairwise(cuts)]
            self.assertEqual(whole, [row for part in parts for row in part])
            lanes = {
                address: lane
                for lane in project.lanes()
                for address, target in osc_messages.addresses(project).items()
                if target == (lane.device, lane.parameter)
            }
            for address, lane in lanes.items():
                rows = [row for row in whole if row.address == address]
                heard, parameter = played(lane, project), project.parameter_of(lane.id)
                beats = np.array([row.beat for row in rows])
                if not rows:
                    continue
                np.testing.assert_array_equal([row.position for row in rows], heard.at(beats))
                values = np.maximum(parameter.value(heard.at(beats)), -1e30)
                np.testing.assert_array_equal([row.value for row in rows], values)
                ticks = project.tempo.seconds(beats) * 60.0
                off = np.abs(ticks - np.round(ticks)) > 1e-6
                self.assertLessEqual(set(beats[off]), set(heard.leaps))
        project, lane_id, _ = self.project()
        rows = osc_messages.between(project, 0.0, 16.0, 60.0)
        self.assertEqual([row.position for row in rows if row.beat == 4.0], [0.1])
        self.assertLessEqual(max(row.beat for row in rows), 8.1)  # what stays is not sent again
        still = with_curve(project, lane_id, lines([0.0, 16.0], [0.5, 0.5]))
        self.assertEqual(osc_messages.between(still, 1.0, 16.0, 60.0), [])
        (first,) = osc_messages.at(still, 3.0)
        self.assertEqual(first.position, 0.5)

    def test_time_tags_are_the_song_s_to_a_millionth(self) -> None:
        """As bytes: eight of "#bundle", a time tag of NTP's 32.32 bits, then sized messages (OSC 1.0)."""
        project, *_ = self.project()
        rows = osc_messages.between(project, 3.0, 5.0, 60.0)
        begin = 1_800_000_000.25
        moment = {row.beat: begin + float(project.tempo.seconds(row.beat)) for row in rows}
        packets = osc_messages.bundles(rows, moment)
        self.assertEqual(len(packets), len(rows))
        for packet, row in zip(packets, rows, strict=True):
            self.assertEqual(packet[:8], b"#bundle\0")
            whole, part = struct.unpack(">II", packet[8:16])
            reported = (whole - NTP - 1_800_000_000) + part / 2**32
            self.assertAlmostEqual(reported, 0.25 + float(project.tempo.seconds(row.beat)), 6)
            self.assertEqual(packet[-8:], struct.pack(">ff", row.position, row.value))
            self.assertEqual(len(OscBundle(packet).content(0).params), 2)
        many = [osc_messages.OscValue(1.0, f"/zolvek/{'x' * 60}/{n}", 0.5, 1.0) for n in range(200)]
        made = osc_messages.bundles(many, {1.0: begin})
        self.assertLessEqual(max(map(len, made)), osc_messages.MOST_BYTES)
        self.assertEqual([osc_messages.read(p) for p in made].count([]), 0)
        self.assertEqual(sum(len(osc_messages.read(p)) for p in made), 200)

    def test_packets_are_read_and_what_is_none_is_refused(self) -> None:
        """The first is the example of the specification (OSC 1.0 examples: 440.0 for an oscillator)."""
        example = b"/oscillator/4/frequency\0,f\0\0\x43\xdc\0\0"
        self.assertEqual(osc_messages.read(example), [("/oscillator/4/frequency", 440.0)])
        for number in (
            b"\x7f\xc0\0\0",
            b"\x7f\x80\0\0",
            b"\xff\x80\0\0",
        ):  # NaN, and both infinities
            self.assertEqual(osc_messages.read(example[:-4] + number), [])
        # A bundle's element of negative size, of one beyond its end, and bundles in bundles without end: a reader
        # that trusts the size never comes to an end.
        head = b"#bundle\0" + bytes(8)
        deep = example
        for _ in range(40):
            deep = head + struct.pack(">i", len(deep)) + deep
        hostile = (
            head + struct.pack(">i", -4) + bytes(8),
            head + struct.pack(">i", 400) + example,
            head + bytes(4),
            deep,
        )
        for packet in hostile:
            with self.assertRaises(ZolvekError):
                osc_messages.read(packet)
        self.assertEqual(
            osc_messages.read(head + struct.pack(">i", len(example)) + example),
            osc_messages.read(example),
        )
        rng = np.random.default_rng(4)
        bad = [b"", b"x", b"#bundle\0", example[:-2], *(rng.bytes(int(n)) for n in range(1, 300))]
        for index in range(8, len(example)):
            mangled = bytearray(example)
            mangled[index] ^= 0xFF
            bad.append(bytes(mangled))
        refused = 0
        for packet in bad:
            try:
                osc_messages.read(packet)
            except ZolvekError:
                refused += 1
        self.assertGreater(refused, 250)
        self.assertEqual(osc_messages.place(" studio.local:9000 "), ("studio.local", 9_000))
        self.assertEqual(osc_messages.place("[::1]:9"), ("::1", 9))
        for text in ("", "9000", "a:", ":9", "a:0", "a:70000", "a:x", "a:²"):
            with self.assertRaises(ZolvekError, msg=text):
                osc_messages.place(text)

    def test_of_two_edits_between_two_looks_both_go_out(self) -> None:
        project, lane, _ = self.project()
        stream = OscStream(mock.Mock())
        stream.use(project, 60.0)
        stream.at(1.0)
        one = with_curve(project, lane, lines([0.0, 16.0], [0.3, 0.3]))
        stream.use(one, 60.0)
        stream.use(replace(one, name="Another"), 60.0)  # another edit, before anybody has looked
        self.assertEqual([row.position for row in stream.changed(1.0)], [0.3])
        self.assertEqual(stream.changed(1.0), [])

    def test_a_bypassed_lane_stands_where_its_control_does(self) -> None:
        project, lane, _ = self.project()
        own = project.lane(lane)
        track = project.track_of(lane)
        quiet = replace(project, tracks=(replace(track, lanes=(replace(own, bypassed=True, reach=(0.9, 1.0)),)),))
        self.assertEqual(osc_messages.between(quiet, 0.0, 16.0, 60.0), [])
        (row,) = osc_messages.at(quiet, 3.0)
        self.assertAlmostEqual(row.position, track.device(own.device).position(own.parameter))

    def test_times_of_packets_are_those_of_their_bundles(self) -> None:
        """OSC 1.0, Temporal Semantics; one that means at once, or is of another clock, counts when it came."""
        rows = [osc_messages.OscValue(0.0, "/a", 0.25, 0.5), osc_messages.OscValue(0.0, "/b", 0.75, 0.5)]
        for off, wanted in ((0.3, 0.3), (-0.2, -0.2), (7_200.0, 0.0)):
            (packet,) = osc_messages.bundles(rows, {0.0: time.time() + off})
            came = time.perf_counter()
            timed = osc_messages.read_timed(packet, came)
            self.assertEqual([row[:2] for row in timed], [("/a", 0.25), ("/b", 0.75)])
            for row in timed:
                self.assertAlmostEqual(row[2] - came, wanted, delta=0.02)
        plain = OscMessageBuilder("/a")
        plain.add_arg(0.5, "f")
        self.assertEqual(osc_messages.read_timed(plain.build().dgram, 7.0), [("/a", 0.5, 7.0)])


if __name__ == "__main__":
    unittest.main()
