# SPDX-License-Identifier: GPL-3.0-or-later
"""All kinds of messages, out and in again, against MIDI 1.0, SMF 1.0, mido and symusic."""

from __future__ import annotations

import io
import itertools
import tempfile
import unittest
from pathlib import Path
from typing import Any

import mido
import numpy as np
import symusic

from zolvek.core.curve.construction import curve
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model.messages import MESSAGES, MidiTarget
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.evaluation.quantised_steps import Resolution, covered, from_steps
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.formats.midi import file_in as midi_in
from zolvek.formats.midi import file_out as midi_out
from zolvek.formats.midi import report as midi_report
from zolvek.formats.midi import step_streams
from zolvek.formats.midi.encode import messages

DEMO = build()
TICKS = np.arange(int(DEMO.length * 960))


def sent_as(kind: str) -> Project:
    project = DEMO
    for number, lane in enumerate(DEMO.lanes()):
        which = 1 + number if MESSAGES[kind].numbers else 0
        target = MidiTarget(number % 16 + 1, which, kind, 12.0)
        project = with_lane(project, replace(lane, midi=target))
    return project


def wire(kind: str, number: int, values: list[int], shared: bool = False) -> list[str]:
    target = MidiTarget(1, number, kind, 12.5)
    found = messages(target, np.arange(len(values)) * 10, np.array(values), shared)
    rows = zip(found.data, found.size, strict=True)
    return [bytes(data[:size]).hex(" ") for data, size in rows]


class Wire(unittest.TestCase):
    def test_bytes_are_those_of_midi_1_0(self) -> None:
        """MIDI 1.0: pairs are n and n + 32; the bend's centre is 8192, low bits first; RPN 0 sets
        its range in semitones and cents; NRPN are selected by 99 and 98, RPN by 101 and 100, and
        set by data entry 6 and 38."""
        self.assertEqual(wire("program", 0, [5, 127]), ["c0 05", "c0 7f"])
        self.assertEqual(wire("cc14", 1, [8_192, 8_193]), ["b0 01 40", "b0 21 00", "b0 21 01"])
        self.assertEqual(
            wire("bend", 0, [8_192, 16_383]),
            [
                "b0 65 00",
                "b0 64 00",
                "b0 06 0c",
                "b0 26 32",
                "b0 65 7f",
                "b0 64 7f",
                "e0 00 40",
                "e0 7f 7f",
            ],
        )
        self.assertEqual(wire("pressure", 0, [5]), ["d0 05"])
        entry = ["b0 06 01", "b0 26 05"]
        null = ["b0 63 7f", "b0 62 7f"]
        self.assertEqual(wire("nrpn", 260, [133]), ["b0 63 02", "b0 62 04", *entry, *null])
        null = ["b0 65 7f", "b0 64 7f"]
        self.assertEqual(wire("rpn", 5, [133]), ["b0 65 00", "b0 64 05", *entry, *null])
        again = wire("nrpn", 260, [133, 134], shared=True)
        self.assertEqual(again[4:-2], ["b0 63 02", "b0 62 04", "b0 26 06"])

    def test_variable_length_quantities_are_those_of_the_standard(self) -> None:
        """SMF 1.0, the table of examples."""
        rows = {
            0x00: "00", 0x40: "40", 0x7F: "7f", 0x80: "81 00", 0x2000: "c0 00", 0x3FFF: "ff 7f",
            0x4000: "81 80 00", 0x100000: "c0 80 00", 0x1FFFFF: "ff ff 7f",
            0x200000: "81 80 80 00", 0x8000000: "c0 80 80 00", 0xFFFFFFF: "ff ff ff 7f",
        }  # fmt: skip
        for value, reported in rows.items():
            self.assertEqual(midi_out.quantity(value).hex(" "), reported)

    def test_no_stream_of_fewer_steps_would_do(self) -> None:
        """Compared with the shortest of all, found by trying every value at every place."""
        rng = np.random.default_rng(5)
        for _ in range(40):
            low = rng.integers(0, 6, 30)
            high = np.maximum(low, low + rng.integers(-1, 4, 30))
            place, value = covered(low, high)
            held = np.repeat(value, np.diff(np.append(place, 30)))
            self.assertTrue(((low <= held) & (held <= high)).all())
            cost = {v: 1.0 if low[0] <= v <= high[0] else np.inf for v in range(10)}
            for a, b in zip(low[1:], high[1:], strict=True):
                least = min(cost.values()) + 1
                cost = {v: min(c, least) if a <= v <= b else np.inf for v, c in cost.items()}
            self.assertEqual(len(place), min(cost.values()))


class RoundTrip(unittest.TestCase):
    def test_programs_are_choices_that_hold_until_the_next(self) -> None:
        """MIDI 1.0 counts programs from 0; people count them from 1 (common practice, no source)."""
        numbers = [4, 127, 0, 64]
        file = mido.MidiFile(ticks_per_beat=480)
        file.tracks.append(
            mido.MidiTrack([mido.Message("program_change", program=n, channel=2, time=480) for n in numbers])
        )
        out = io.BytesIO()
        file.save(file=out)
        project = replace(midi_in.as_project(midi_in.decode(out.getvalue())), length=32.0)
        (lane,) = project.lanes()
        parameter = project.parameter_of(lane.id)
        beats = np.array([1.0, 1.9, 2.0, 2.9, 3.0, 3.9, 4.0, 9.0])
        heard = played(lane, project).at(beats)
        self.assertEqual([parameter.text(at) for at in heard], ["5", "5", "128", "128", "1", "1", "65", "65"])
        self.assertEqual((lane.midi.kind, lane.midi.channel), ("program", 3))
        read = mido.MidiFile(file=io.BytesIO(midi_out.encode(project)))
        sent = [message.program for message in mido.merge_tracks(read.tracks) if message.type == "program_change"]
        self.assertEqual(sent, numbers)
        every = parameter.position(np.arange(128.0))
        written = with_lane(project, replace(lane, curve=curve([(n / 8, at, "hold") for n, at in enumerate(every)])))
        read = mido.MidiFile(file=io.BytesIO(midi_out.encode(written)))
        sent = [message.program for message in mido.merge_tracks(read.tracks) if message.type == "program_change"]
        self.assertEqual(sent, list(range(128)), "each choice as it is drawn")

    def test_every_kind_comes_back_within_half_a_step(self) -> None:
        for kind in MESSAGES:
            project = replace(sent_as(kind), length=48.0)
            ticks = np.arange(48 * 960)
            highest = MESSAGES[kind].highest
            read = midi_in.as_project(midi_in.decode(midi_out.encode(project)), None)
            back = {lane.midi.address: lane for lane in read.lanes()}
            for lane in project.lanes():
                own = played(lane, project)
                found = back[lane.midi.address]
                self.assertEqual(found.midi.kind, kind)
                strays = np.abs(found.curve.at(ticks / 960) - own.curve.at(ticks / 960)) * highest
                stream = step_streams.stream(own, project)
                self.assertLessEqual(strays.max(), max(stream.strays, 0.5) + 1e-6, lane.id)
                # Where the curve does not run through more than a step in a tick: half a step.
                slow = np.abs(np.diff(own.curve.at(np.arange(len(ticks) + 1) / 960))) * highest < 0.4
                self.assertLessEqual(strays[slow].max(), 0.5 + 0.41)
            if kind == "bend":
                self.assertEqual({lane.midi.semitones for lane in read.lanes()}, {12.0})
            np.testing.assert_allclose(read.tempo.seconds(48.0), DEMO.tempo.seconds(48.0), atol=1e-3)

    def test_joined_steps_are_a_curve_near_the_one_that_was_sent(self) -> None:
        project = sent_as("cc")
        read = midi_in.as_project(midi_in.decode(midi_out.encode(project)), 0.002)
        np.testing.assert_allclose(read.tempo.seconds(192.0), DEMO.tempo.seconds(192.0), atol=1e-3)
        self.assertEqual((read.meter, read.sections), (DEMO.meter, DEMO.sections))
        back = {lane.midi.address: lane for lane in read.lanes()}
        points = 0
        for lane in project.lanes():
            found = back[lane.midi.address].curve
            far = np.abs(found.at(TICKS / 960) - played(lane, project).curve.at(TICKS / 960))
            self.assertLess(np.percentile(far, 99.9), 1.0 / 127.0, lane.id)
            points += len(found)
        self.assertLess(points, len(midi_out.encode(project)) / 20)
        sweep = from_steps(np.linspace(0.0, 31.75, 128), np.linspace(0.0, 1.0, 128), 1 / 127.0, 0.005)
        self.assertLess(len(sweep), 6, "a straight sweep is a line again")

    def test_two_parsers_see_the_same_fine_controllers(self) -> None:
        project = with_lane(DEMO, replace(DEMO.lane("horn.cutoff"), midi=MidiTarget(1, 3, "cc14")))
        data = midi_out.encode(project, tracks=())
        note = [mido.Message("note_on", note=60, time=0), mido.Message("note_off", note=60, time=1)]
        file = mido.MidiFile(file=io.BytesIO(data))
        file.tracks[1][0:0] = note  # symusic leaves out tracks without a note
        out = io.BytesIO()
        file.save(file=out)
        score: Any = symusic.Score.from_midi(out.getvalue())
        theirs = [(c.time, c.number, c.value) for c in score.tracks[0].controls]
        times = itertools.accumulate(m.time for m in file.tracks[1])
        ours = [
            (t, m.control, m.value) for t, m in zip(times, file.tracks[1], strict=True) if m.type == "control_change"
        ]
        self.assertEqual(theirs, ours)
        self.assertEqual({number for _, number, _ in ours}, {3, 35})

    def test_resolution_keeps_changes_apart_and_jumps_in_time(self) -> None:
        lane = Lane(
            "x",
            "d",
            "p",
            curve([(0.0, 0.0, "line"), (4.0, 0.5, "hold"), (6.013, 0.9)]),
            midi=MidiTarget(1, 1, "cc14"),
        )
        heard, project = played(lane, Project(length=8.0)), Project(length=8.0)
        fine = step_streams.stream(heard, project)
        apart = step_streams.stream(heard, project, Resolution(milliseconds=5.0))
        self.assertLess(len(apart.tick), len(fine.tick) / 5)
        gaps = np.diff(apart.tick) / 960 * 0.5
        self.assertGreaterEqual(np.sort(gaps)[1], 0.005 - 1e-9)
        self.assertEqual(apart.tick[-1], int(6.013 * 960), "a jump is sent at its own tick")
        loose = step_streams.stream(heard, project, Resolution(tolerance=0.01))
        self.assertLessEqual(loose.strays, 0.5 + 0.01 * 16_383 + 1)
        self.assertLess(len(loose.tick), 40)

    def test_files_by_track_and_by_lane(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for split, count in (("track", 4), ("lane", 16)):
                done = midi_out.save(DEMO, Path(folder) / "piece.mid", split=split)
                self.assertEqual(len(done), count)
                lanes = sum(midi_in.load(path).lanes for path in done)
                self.assertEqual(lanes, 16)

    def test_a_performance_reads_as_another_parser_reads_it(self) -> None:
        """Two thousand notes with pedal and tempo, written by mido 1.3 (running status, notes ended by velocity 0),
        read by symusic 0.6."""
        rng = np.random.default_rng(11)
        rows: list[tuple[int, mido.Message]] = []
        for at in np.sort(rng.integers(0, 400_000, 2_000)).tolist():
            pitch, length = int(rng.integers(30, 100)), int(rng.integers(20, 900))
            rows.append((at, mido.Message("note_on", note=pitch, velocity=int(rng.integers(1, 128)))))
            rows.append((at + length, mido.Message("note_on", note=pitch, velocity=0)))
        rows += [(at, mido.Message("control_change", control=64, value=at % 128)) for at in range(0, 400_000, 3_000)]
        track, now = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=432_100)]), 0
        for at, message in sorted(rows, key=lambda row: row[0]):
            track.append(message.copy(time=at - now))
            now = at
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "played.mid"
        file = mido.MidiFile(ticks_per_beat=480)
        file.tracks.append(track)
        file.save(path)
        theirs: Any = symusic.Score(path)
        score = midi_in.load(path)
        ours = {(round(n.beat * 960), n.pitch) for part in score.parts for n in part.notes}
        wanted = {(round(n.time * 960 / theirs.ticks_per_quarter), n.pitch) for t in theirs.tracks for n in t.notes}
        self.assertGreater(len(wanted), 500)
        # A key struck again while it is down is two notes here, and one there.
        self.assertEqual(len(wanted - ours), 0)
        struck = sum(m.type == "note_on" and m.velocity > 0 for t in mido.MidiFile(path).tracks for m in t)
        self.assertEqual(sum(len(part.notes) for part in score.parts), struck)
        self.assertTrue(midi_in.as_project(score).tracks[0].notes)


class Report(unittest.TestCase):
    def test_a_cable_carries_3125_bytes_a_second(self) -> None:
        """MIDI 1.0: 31,250 baud, ten bits a byte."""
        sizes = np.full(1_000, 3)
        self.assertAlmostEqual(midi_report.delays(np.zeros(1_000), sizes).max(), 0.96)
        slow = np.linspace(0.0, 0.95904, 1_000)
        self.assertAlmostEqual(midi_report.delays(slow, sizes).max(), 0.00096)

    def test_it_names_loads_errors_and_lanes_alike(self) -> None:
        same = with_lane(DEMO, replace(DEMO.lane("horn.drive"), midi=MidiTarget(1, 42)))
        same = with_lane(same, replace(same.lane("horn.cutoff"), midi=MidiTarget(1, 10, "cc14")))
        found = midi_report.report(same)
        self.assertEqual(len(found.alike), 1, "the pair's lower half is controller 42")
        self.assertEqual(midi_report.report(DEMO).alike, ())
        same = with_lane(same, replace(same.lane("horn.drive"), midi=same.lane("horn.cutoff").midi))
        found = midi_report.report(same)
        self.assertEqual(len(found.alike), 1)
        self.assertTrue(any("another number" in line for line in found.advice))
        row = next(row for row in found.lanes if row.lane == "horn.resonance")
        self.assertEqual(row.stray, "±0.40 %", "half of 1/127 of 100 %")
        data = midi_out.encode(same)
        counted = sum(m.type == "control_change" for t in mido.MidiFile(file=io.BytesIO(data)).tracks for m in t)
        self.assertEqual(found.messages, counted)
        self.assertGreater(found.messages_a_second, 175)
        lanes = list(DEMO.lanes())[:9]
        crowd = DEMO
        for number, lane in enumerate(lanes):
            jump = curve([(0.0, 0.2, "hold"), (64.0, 0.8)])
            sent = MidiTarget(1, number, "nrpn")
            crowd = with_lane(crowd, replace(lane, curve=jump, midi=sent, layers=()))
        (reported,) = midi_report.report(crowd).advice
        self.assertIn("jump together", reported)
        self.assertTrue(reported.startswith(("At 1.1.0", "At 17.1.0")), reported)
        # A status is sent once for all that follow with the same (running status, MIDI 1.0).
        rows = [
            row
            for lane in step_streams.lane_messages(same, step_streams.exported_lanes(same))
            for row in zip(lane[2].tick.tolist(), lane[2].data[:, 0].tolist(), strict=True)
        ]
        status = [each for _, each in sorted(rows, key=lambda row: row[0])]
        same_again = sum(a == b for a, b in itertools.pairwise(status))
        self.assertGreater(same_again, 1_000)
        self.assertEqual(found.bytes, 3 * counted - same_again)


if __name__ == "__main__":
    unittest.main()
