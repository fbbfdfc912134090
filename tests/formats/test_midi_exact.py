# SPDX-License-Identifier: GPL-3.0-or-later
"""Notes, centres, halves, tempo and running status: against MIDI 1.0, mido and symusic."""

from __future__ import annotations

import io
import itertools
import unittest
from typing import Any

import mido
import numpy as np
import symusic
from hypothesis import given
from hypothesis import strategies as st

from tests import few
from zolvek.core.curve.construction import curve, flat
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model.messages import MESSAGES, MidiTarget
from zolvek.core.model.project import Note, Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.demo.night_regatta import build
from zolvek.formats.midi import encode, file_in, file_out, report, step_streams, tempo_events
from zolvek.formats.midi.decode import decode

DEMO = build()


class Notes(unittest.TestCase):
    def test_a_project_goes_out_and_comes_in_with_its_notes(self) -> None:
        data = file_out.encode(DEMO)
        theirs: Any = symusic.Score.from_midi(data)
        back = file_in.decode(data)
        for track in DEMO.tracks:
            if not track.notes:
                continue
            wanted = sorted(
                (round(n.beat * 960), round(n.length * 960), n.pitch, round(127 * n.strength)) for n in track.notes
            )
            part = next(p for p in back.parts if p.name == track.name and p.notes)
            got = sorted(
                (round(n.beat * 960), round(n.length * 960), n.pitch, round(127 * n.strength)) for n in part.notes
            )
            self.assertEqual(got, wanted)
            other = next(t for t in theirs.tracks if t.name == track.name)
            seen = sorted((n.time, n.duration, n.pitch, n.velocity) for n in other.notes)
            self.assertEqual(seen, wanted, "as symusic reads it")

    def test_tracks_on_one_channel_leave_each_others_notes_alone(self) -> None:
        """Two tracks hold the same key on one channel; a key struck again while it is down goes up
        first in, first out: a Note Off for each Note On (MIDI 1.0)."""
        file = mido.MidiFile(ticks_per_beat=480)
        long = [("note_on", 0), ("note_off", 4_800)]
        short = [("note_on", 480), ("note_on", 720), ("note_off", 960), ("note_off", 1_440)]
        for rows in (long, short):
            track, now = mido.MidiTrack(), 0
            for kind, tick in rows:
                track.append(mido.Message(kind, note=60, velocity=64, time=tick - now))
                now = tick
            file.tracks.append(track)
        out = io.BytesIO()
        file.save(file=out)
        parts = file_in.decode(out.getvalue()).parts
        found = [[(n.beat, n.length) for n in part.notes] for part in parts]
        self.assertEqual(found, [[(0.0, 10.0)], [(1.0, 1.0), (1.5, 1.5)]])

    @few
    @given(st.integers(0, 10_000))
    def test_any_notes_read_as_symusic_reads_them(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        file = mido.MidiFile(ticks_per_beat=480)
        for channel in (0, 0, 3):
            events = []
            for _ in range(40):
                begin = int(rng.integers(0, 9_600))
                events.append((begin, 1, int(rng.integers(50, 60))))
                events.append((begin + int(rng.integers(10, 2_000)), 0, events[-1][2]))
            track, now = mido.MidiTrack(), 0
            for tick, on, pitch in sorted(events):
                kind = "note_on" if on else "note_off"
                track.append(mido.Message(kind, note=pitch, velocity=64, channel=channel, time=tick - now))
                now = tick
            file.tracks.append(track)
        out = io.BytesIO()
        file.save(file=out)
        theirs: Any = symusic.Score.from_midi(out.getvalue())
        for part, other in zip(file_in.decode(out.getvalue()).parts, theirs.tracks, strict=True):
            self.assertEqual(
                sorted((round(n.beat * 480), round(n.length * 480), n.pitch) for n in part.notes),
                sorted((n.time, n.duration, n.pitch) for n in other.notes),
            )

    def test_what_has_no_place_is_counted_by_its_kind(self) -> None:
        file = mido.MidiFile()
        file.tracks.append(
            mido.MidiTrack(
                [
                    mido.Message("program_change", program=5),
                    mido.Message("polytouch", note=60, value=3),
                    mido.Message("sysex", data=(1, 2)),
                    mido.MetaMessage("lyrics", text="la"),
                    mido.Message("note_on", note=60, velocity=9),
                    mido.Message("note_off", note=60, time=10),
                ]
            )
        )
        out = io.BytesIO()
        file.save(file=out)
        found = file_in.decode(out.getvalue())
        self.assertEqual(found.left_out_text, "1 key pressures, 1 lyrics, 1 system messages")


class Centres(unittest.TestCase):
    def test_centres_are_exact_both_ways(self) -> None:
        """MIDI 1.0: the centre of a bend is 8192, that of pan and balance 64."""
        lane = next(DEMO.lanes())
        for target, centre in (
            (MidiTarget(1, 0, "bend"), 8_192),
            (MidiTarget(1, 10), 64),
            (MidiTarget(1, 8), 64),
            (MidiTarget(1, 10, "cc14"), 8_192),
            (MidiTarget(1, 74), 64),
            (MidiTarget(1, 5, "nrpn"), 8_192),
        ):
            middle = replace(lane, curve=flat(0.5), layers=(), midi=target, cycle=None, switches=())
            self.assertEqual(step_streams.stream(played(middle, DEMO), DEMO).value.tolist(), [centre])
            row = MESSAGES[target.kind]
            if row.centred is None or target.controller in row.centred:
                self.assertEqual(float(target.scale.values(centre)), 0.5)

    @given(st.sampled_from(list(MESSAGES)), st.floats(0.0, 1.0))
    def test_scales_are_their_own_inverse_and_reach_both_ends(self, kind: str, value: float) -> None:
        scale = MidiTarget(1, 10, kind).scale
        self.assertAlmostEqual(float(scale.values(scale.steps(value))), value, places=12)
        self.assertEqual(scale.values([0, scale.highest]).tolist(), [0.0, 1.0])


class Halves(unittest.TestCase):
    @given(st.lists(st.integers(0, 16_383), min_size=2, max_size=60))
    def test_both_kinds_of_receivers_end_right_and_stray_as_is_said(self, values: list[float]) -> None:
        """One takes the lower half for zero with each upper one (MIDI 1.0), the other keeps it."""
        value = np.array([v for v, _ in itertools.groupby(values)])
        if len(value) < 2:
            return
        found = encode.messages(MidiTarget(1, 1, "cc14"), np.arange(len(value)) * 10, value)
        said = encode.beyond(value)
        for keeps in (False, True):
            msb, lsb = 0, 0
            seen: dict[Any, Any] = {}
            for tick, (_, number, byte) in zip(found.tick, found.data.tolist(), strict=True):
                if number == 1:
                    msb, lsb = byte, lsb if keeps else 0
                else:
                    lsb = byte
                seen.setdefault(int(tick) // 10, []).append(msb * 128 + lsb)
            for index in range(1, len(value)):
                old, new = sorted((int(value[index - 1]), int(value[index])))
                self.assertEqual(seen[index][-1], value[index])
                strays = max(max(old - v, v - new, 0) for v in seen[index])
                self.assertLessEqual(strays, said[index - 1])

    def test_rising_changes_stray_half_as_far_as_the_plain_order(self) -> None:
        rng = np.random.default_rng(4)
        value = np.sort(rng.integers(0, 16_384, 4_000))
        value = value[np.append(True, np.diff(value) > 0)]
        plain = np.where(
            value[1:] >> 7 != value[:-1] >> 7,
            np.maximum((value[:-1] & 127) - (value[1:] & 127), 0),
            0,
        )
        self.assertLessEqual(encode.beyond(value).max(), (plain.max() + 1) // 2 + 1)


class Times(unittest.TestCase):
    def test_a_ramp_keeps_time_within_a_tenth_of_a_millisecond(self) -> None:
        for start, end, length in ((60.0, 180.0, 16.0), (112.0, 116.0, 192.0), (200.0, 40.0, 7.0)):
            tempo = TempoMap((TempoPoint(0.0, start, True), TempoPoint(length, end)))
            ticks, micros = tempo_events.tempo_messages(tempo, length + 8.0)
            at = np.arange(0, int((length + 8.0) * 960))
            owner = np.searchsorted(ticks, at, side="right") - 1
            begun = np.concatenate(([0.0], np.cumsum(np.diff(ticks) / 960 * micros[:-1] / 1e6)))
            reported = begun[owner] + (at - ticks[owner]) / 960 * micros[owner] / 1e6
            self.assertLess(np.abs(reported - tempo.seconds(at / 960)).max(), 1e-4)

    def test_steady_tempos_are_one_event_and_stray_as_the_report_says(self) -> None:
        """By mido's own arithmetic, from the file that is written."""
        tempo = TempoMap((TempoPoint(0.0, 113.0),))
        long = replace(DEMO, tempo=tempo, length=3_000.0)
        for exact, most, least, events in ((False, 1.4e-3, 1.3e-3, 1), (True, 1e-4, 0.0, 32)):
            read = mido.MidiFile(file=io.BytesIO(file_out.encode(long, exact_time=exact)))
            now, beat, worst, seen = 0.0, 0.0, 0.0, 0
            micros = 500_000
            for message in read.tracks[0]:
                now += mido.tick2second(message.time, read.ticks_per_beat, micros)
                beat += message.time / read.ticks_per_beat
                worst = max(worst, abs(now - float(tempo.seconds(beat))))
                if message.type == "set_tempo":
                    micros, seen = message.tempo, seen + 1
            self.assertEqual(beat, 3_000.0)
            self.assertEqual(seen, events)
            self.assertLess(worst, most)
            self.assertGreaterEqual(worst, least)
            self.assertAlmostEqual(report.report(long, exact_time=exact).time_stray, worst, delta=1e-7)

    def test_exact_time_holds_whatever_the_tempo_does(self) -> None:
        for seed in range(20):
            rng = np.random.default_rng(seed)
            beats = np.unique(np.append(0.0, rng.integers(1, 2_900, 6))).tolist()
            tempo = TempoMap(
                tuple(TempoPoint(beat, float(rng.uniform(50, 190)), bool(rng.random() < 0.4)) for beat in beats)
            )
            stray = tempo_events.time_stray(tempo, 3_000.0, True)
            self.assertLess(stray, 1e-4, seed)

    def test_running_status_reads_the_same(self) -> None:
        data = file_out.encode(DEMO)
        plain = sum(3 for t in mido.MidiFile(file=io.BytesIO(data)).tracks for m in t if not m.is_meta)
        self.assertLess(len(data), 2.2 * plain / 1.0)
        ours = step_streams.lane_messages(DEMO, step_streams.exported_lanes(DEMO))
        count = sum(len(sent.tick) for _, _, sent in ours)
        seen = sum(m.type == "control_change" for t in mido.MidiFile(file=io.BytesIO(data)).tracks for m in t)
        self.assertEqual(seen, count)

    def test_the_report_names_lanes_that_choose_by_another_lanes_controller(self) -> None:
        first, second, *_ = DEMO.lanes()
        for kind, number, other in (
            ("nrpn", 5, 98),
            ("nrpn", 5, 6),
            ("rpn", 3, 101),
            ("rpn", 3, 38),
        ):
            project = with_lane(DEMO, replace(first, midi=MidiTarget(9, number, kind)))
            project = with_lane(project, replace(second, midi=MidiTarget(9, other)))
            self.assertEqual(len(report.report(project).alike), 1, (kind, other))
        project = with_lane(DEMO, replace(first, midi=MidiTarget(9, 0, "rpn")))
        project = with_lane(project, replace(second, midi=MidiTarget(9, 0, "bend")))
        self.assertEqual(len(report.report(project).alike), 1)
        project = with_lane(DEMO, replace(first, midi=MidiTarget(9, 5, "nrpn")))
        project = with_lane(project, replace(second, midi=MidiTarget(9, 6, "nrpn")))
        self.assertEqual(report.report(project).alike, (), "each chooses again")

    def test_streams_are_computed_once(self) -> None:
        project = with_lane(DEMO, replace(next(DEMO.lanes()), curve=curve([(0.0, 0.1), (9.0, 0.9)])))
        one = step_streams.lane_messages(project, step_streams.exported_lanes(project))
        two = step_streams.lane_messages(project, step_streams.exported_lanes(project))
        for a, b in zip(one, two, strict=True):
            self.assertIs(a[2], b[2])

    def test_a_note_lasts_a_tick_at_least(self) -> None:
        track = replace(DEMO.tracks[0], notes=(Note(1.0, 1e-6, 60), Note(1.0, 1.0, 62)))
        project = replace(DEMO, tracks=(track, *DEMO.tracks[1:]))
        sent = file_out.note_messages(project, track)
        self.assertEqual(sent.tick.tolist(), [960, 960, 961, 1_920])


class Trips(unittest.TestCase):
    def names(self, project: Project) -> list[str]:
        read = mido.MidiFile(file=io.BytesIO(file_out.encode(project)))
        return [track.name for track in read.tracks[1:]]

    def test_names_stay_as_they_are_however_often_a_piece_goes_out_and_in(self) -> None:
        project = DEMO
        first = self.names(project)
        for _ in range(3):
            project = file_in.as_project(decode(file_out.encode(project)), None)
            self.assertEqual(sorted(self.names(project)), sorted(first))

    def test_a_track_with_notes_and_controllers_of_another_program(self) -> None:
        track = mido.MidiTrack([
            mido.MetaMessage("track_name", name="Bass"), mido.Message("note_on", note=40, velocity=90),
            mido.Message("control_change", control=1, value=9), mido.Message("control_change", control=74, value=9),
            mido.Message("note_off", note=40, time=480),
        ])  # fmt: skip
        out = io.BytesIO()
        mido.MidiFile(tracks=[track]).save(file=out)
        project = file_in.as_project(decode(out.getvalue()), None)
        first = self.names(project)
        self.assertEqual(first[0], "Bass")
        for _ in range(3):
            project = file_in.as_project(decode(file_out.encode(project)), None)
            self.assertEqual(self.names(project), first)

    def test_halves_of_a_controller_on_two_tracks_are_one_but_not_on_two_ports(self) -> None:
        for ports, wanted in (
            (("", ""), [("cc14", 7)]),
            (("A", "B"), [("cc", 7), ("cc", 39)]),
            (("A", "A"), [("cc14", 7)]),
        ):
            tracks = []
            for number, port in zip((7, 39), ports, strict=True):
                track = mido.MidiTrack([mido.MetaMessage("track_name", name=f"T{number}")])
                if port:
                    track.append(mido.MetaMessage("device_name", name=port))
                track.append(mido.Message("control_change", control=number, value=number))
                tracks.append(track)
            out = io.BytesIO()
            mido.MidiFile(tracks=tracks).save(file=out)
            score = decode(out.getvalue())
            self.assertEqual([key for part in score.parts for key in part.streams], wanted, ports)
            if wanted[0][0] == "cc14":
                self.assertEqual(score.parts[0].streams["cc14", 7][-1], (0, 7 << 7 | 39))


if __name__ == "__main__":
    unittest.main()
