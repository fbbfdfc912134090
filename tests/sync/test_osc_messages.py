# SPDX-License-Identifier: GPL-3.0-or-later
"""OSC: addresses, what lanes send and when, and what is no packet."""

from __future__ import annotations

import re
import struct
import time
import unittest
from itertools import pairwise
from pathlib import Path
from unittest import mock

import numpy as np
from pythonosc.osc_bundle import OscBundle

from tests.sync.osc_packets import message, packet, rows_of
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
from zolvek.sync.ports.scheduler import Live
from zolvek.sync.timeline import osc_messages
from zolvek.sync.timeline.osc_lanes import OscLanes, bundle

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

    def test_the_page_on_osc_names_addresses_that_there_are(self) -> None:
        page = (Path(__file__).parents[2] / "docs" / "osc.md").read_text(encoding="utf-8")
        named = [name for name in re.findall(r"`(/zolvek/[^`]+)`", page) if "TRACK" not in name]
        self.assertGreater(len(named), 2)
        self.assertLessEqual(set(named), set(osc_messages.addresses(build())))
        self.assertIn(f"{osc_messages.MOST_BYTES:,} bytes", page)
        self.assertIn(f"{osc_messages.RATES[0]:g} to {osc_messages.RATES[-1]:g} times", page)

    def test_what_is_sent_is_what_plays_on_a_grid_of_the_song_and_at_jumps(self) -> None:
        for project in (self.project()[0], build()):
            lanes = OscLanes(project, 60.0)
            end = float(project.tempo.seconds(project.length))
            whole = rows_of(lanes, lanes.between(0.0, end))
            cuts = np.linspace(0.0, end, 41)
            parts = [row for a, b in pairwise(cuts) for row in rows_of(lanes, lanes.between(a, b))]
            self.assertEqual(whole, parts)
            self.assertEqual(
                whole, rows_of(lanes, OscLanes(project, 60.0).between(0.0, end)), "evaluated once or again"
            )
            targets = osc_messages.addresses(project)
            ticks = np.arange(int(np.ceil(end * 60.0))) / 60.0
            for lane in project.lanes():
                address = next(a for a, target in targets.items() if target == (lane.device, lane.parameter))
                rows = [row for row in whole if row.address == address]
                heard, parameter = played(lane, project), project.parameter_of(lane.id)
                seconds = np.array([row.seconds for row in rows])
                beats = project.tempo.beats(seconds)
                off = np.abs(seconds * 60.0 - np.round(seconds * 60.0)) > 1e-6
                leaps = project.tempo.seconds(heard.leaps)
                self.assertTrue(all(np.abs(leaps - at).min() < 1e-9 for at in seconds[off]))
                near = ~off & (np.abs(seconds[:, None] - leaps[None, :]).min(axis=1, initial=1.0) > 1e-9)
                positions = np.array([row.position for row in rows])
                np.testing.assert_array_equal(positions[near], heard.at(beats[near]))
                values = np.maximum(parameter.value(positions), -1e30)
                np.testing.assert_array_equal([row.value for row in rows], values)
                # A receiver holds at each tick what the lane has there.
                at = np.searchsorted(seconds, ticks + 1e-9) - 1
                held = np.where(at >= 0, positions[at] if len(positions) else 0.0, heard.at(np.zeros(1))[0])
                clear = np.abs(ticks[:, None] - leaps[None, :]).min(axis=1, initial=1.0) > 1e-6
                np.testing.assert_array_equal(held[clear], heard.at(project.tempo.beats(ticks))[clear])
        project, lane_id, _ = self.project()
        lanes = OscLanes(project, 60.0)
        jump = float(project.tempo.seconds(4.0))
        rows = rows_of(lanes, lanes.between(0.0, float(project.tempo.seconds(16.0))))
        self.assertEqual([row.position for row in rows if abs(row.seconds - jump) < 1e-9], [0.1])
        self.assertLessEqual(max(row.seconds for row in rows), float(project.tempo.seconds(8.1)))  # what stays is not
        still = OscLanes(with_curve(project, lane_id, lines([0.0, 16.0], [0.5, 0.5])), 60.0, lanes)
        self.assertEqual(rows_of(still, still.between(0.5, 9.0)), [])
        (first,) = rows_of(still, still.at(3.0))
        self.assertEqual(first.position, 0.5)

    def test_time_tags_are_the_song_s_to_a_millionth(self) -> None:
        """As bytes: eight of "#bundle", a time tag of NTP's 32.32 bits, then sized messages (OSC 1.0)."""
        project, *_ = self.project()
        lanes = OscLanes(project, 60.0)
        values = lanes.between(2.0, 3.0)
        begin = 1_800_000_000.25
        packets = [bundle(data, begin + seconds) for seconds, data in lanes.encoded(values)]
        self.assertEqual(len(packets), len(values.seconds))
        self.assertGreater(len(packets), 50)
        for sent, row in zip(packets, rows_of(lanes, values), strict=True):
            self.assertEqual(sent[:8], b"#bundle\0")
            whole, part = struct.unpack(">II", sent[8:16])
            reported = (whole - NTP - 1_800_000_000) + part / 2**32
            self.assertAlmostEqual(reported, 0.25 + row.seconds, 6)
            self.assertEqual(sent[-8:], struct.pack(">ff", row.position, row.value))
            self.assertEqual(len(OscBundle(sent).content(0).params), 2)

    def test_the_bytes_of_many_lanes_are_those_of_a_library(self) -> None:
        """Messages by python-osc; as many in a packet as go through any network in one piece, those of one moment
        together, and none that is too long."""
        demo = build()
        names = [f"{'y' * (n % 9)}{n}" for n in range(40)]
        for name in names:
            demo, track = add_track(demo, name)
            demo, device = add_device(demo, track, DEVICE_KINDS["filter"])
            for parameter in ("cutoff", "resonance"):
                demo, lane = add_lane(demo, device, parameter)
                demo = with_curve(demo, lane, lines([0.0, 60.0], [0.1, 0.9]))
        lanes = OscLanes(demo, 60.0)
        values = lanes.between(3.0, 3.5)
        rows = rows_of(lanes, values)
        packets = lanes.encoded(values)
        self.assertEqual(len(rows) > 2_400, True)
        self.assertLessEqual(max(len(bundle(data, 1.0)) for _, data in packets), osc_messages.MOST_BYTES)
        written = b""
        for row in rows:
            built = message(row.address, row.position, row.value).dgram
            written += struct.pack(">i", len(built)) + built
        self.assertEqual(b"".join(data for _, data in packets), written)
        read = [pair for seconds, data in packets for pair in osc_messages.read(bundle(data, seconds))]
        self.assertEqual([address for address, _ in read], [row.address for row in rows])
        moments = [seconds for seconds, _ in packets]
        self.assertEqual(moments, sorted(moments))
        self.assertLess(len(packets), len(rows) / 15)

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
        for wrong in hostile:
            with self.assertRaises(ZolvekError):
                osc_messages.read(wrong)
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
        for wrong in bad:
            try:
                osc_messages.read(wrong)
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
        self.assertTrue(stream.outdated)
        (sent,) = stream.changed(1.0, 1.0)
        self.assertAlmostEqual(osc_messages.read(bundle(sent, 1.0))[0][1], 0.3, 6)
        self.assertEqual(stream.changed(1.0, 1.0), [])
        self.assertFalse(stream.outdated)
        self.assertEqual(stream.between(1.0, 4.0), [], "nothing that was looked up before the edit is kept")
        slower = replace(one, tempo=TempoMap((TempoPoint(0.0, 30.0),)))
        stream.use(with_curve(slower, lane, project.lane(lane).curve), 60.0)
        stream.changed(1.0, 1.0)
        fresh = OscLanes(stream.project, 60.0)
        self.assertEqual(stream.between(0.0, 9.0), fresh.encoded(fresh.between(0.0, 9.0)), "another tempo, other times")

    def test_a_lead_and_a_tempo_edit_while_it_plays(self) -> None:
        """Packets come that much before the moment they name; after the tempo is changed the song goes on from where
        it is, and its value with it."""
        project, lane, _ = self.project()
        project = with_curve(project, lane, lines([0.0, 64.0], [0.0, 1.0]))
        sent: list[tuple[float, float, float]] = []
        output = mock.Mock()

        def take(packets: list[bytes]) -> None:
            for data in packets:
                due = int.from_bytes(data[8:16], "big") / 2**32 - osc_messages.NTP_EPOCH_S
                sent.append((time.time(), due, osc_messages.read(data)[0][1]))

        output.send = take
        stream = OscStream(output)
        stream.use(project, 60.0, 0.1)
        tempos = [project.tempo]
        began = time.perf_counter()
        clock = mock.Mock(playing=True)
        clock.beat_at = lambda now: beats(now)
        changed: list[tuple[float, float]] = [(began, 0.0)]  # when, and the beat then

        def beats(now: float) -> float:
            since, beat = changed[-1]
            return beat + (now - since) * float(tempos[-1].bpm(0.0)) / 60.0

        live = Live(stream, lambda: clock, lambda beat: float(tempos[-1].seconds(beat)), lambda: 0.0)
        self.addCleanup(live.close)
        time.sleep(0.6)
        now = time.perf_counter()
        changed.append((now, beats(now)))
        tempos.append(TempoMap((TempoPoint(0.0, 60.0),)))
        stream.use(replace(project, tempo=tempos[-1]), 60.0, 0.1)
        time.sleep(0.6)
        rows = np.array(sent)
        early = rows[5:, 1] - rows[5:, 0]
        self.assertGreater(float(np.median(early)), 0.05)
        self.assertLess(float(early.max()), 0.15)
        values = rows[:, 2]
        self.assertLess(float(np.abs(np.diff(values)).max()), 0.02, "no value from another place")
        self.assertGreater(len(rows), 40)

    def test_a_bypassed_lane_stands_where_its_control_does(self) -> None:
        project, lane, _ = self.project()
        own = project.lane(lane)
        track = project.track_of(lane)
        quiet = replace(project, tracks=(replace(track, lanes=(replace(own, bypassed=True, reach=(0.9, 1.0)),)),))
        lanes = OscLanes(quiet, 60.0)
        self.assertEqual(rows_of(lanes, lanes.between(0.0, 9.0)), [])
        (row,) = rows_of(lanes, lanes.at(3.0))
        self.assertAlmostEqual(row.position, track.device(own.device).position(own.parameter))

    def test_times_of_packets_are_those_of_their_bundles(self) -> None:
        """OSC 1.0, Temporal Semantics; one that means at once, or is of another clock, counts when it came."""
        for off, wanted in ((0.3, 0.3), (-0.2, -0.2), (7_200.0, 0.0)):
            sent = packet((("/a", 0.25), ("/b", 0.75)), time.time() + off)
            came = time.perf_counter()
            timed = osc_messages.read_timed(sent, came)
            self.assertEqual([row[:2] for row in timed], [("/a", 0.25), ("/b", 0.75)])
            for row in timed:
                self.assertAlmostEqual(row[2] - came, wanted, delta=0.02)
        self.assertEqual(osc_messages.read_timed(message("/a", 0.5).dgram, 7.0), [("/a", 0.5, 7.0)])


if __name__ == "__main__":
    unittest.main()
