# SPDX-License-Identifier: GPL-3.0-or-later
"""Next to a real server: every message, click and beat at its frame, seen by an independent client of it."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from tests.sync.jack_server import Capture, Jack, PipeWire
from zolvek.core.curve.construction import curve, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.edits import connections
from zolvek.core.edits.chains import add_track
from zolvek.core.edits.replacement import with_track
from zolvek.core.model.project import Clip, Device, Lane, Note, Project
from zolvek.core.model.sync_setup import SyncSetup
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.sound.playback.playback import Playback
from zolvek.sync.jack import link_messages as messages
from zolvek.sync.jack import shared_layout
from zolvek.sync.jack.jack_transport import JackTransport
from zolvek.sync.jack.link import Link
from zolvek.sync.timeline import clock_messages, song_timeline

RATE = 48_000
FONT = Path("/usr/share/sounds/sf2/TimGM6mb.sf2")
DRAWBAR_ORGAN = 16  # a steady tone (General MIDI sound set, number 17)
CLICKS = np.arange(1.0, 59.0, 0.25)  # seconds
PATIENCE = 90.0  # seconds: the callbacks may have to be compiled first


def piece(folder: Path) -> Project:
    """Sixty seconds and more: a tempo that rises, a bar of another meter, lanes of three kinds of message, notes, and
    a sound of single clicks without any device."""
    sound = np.zeros(60 * RATE, np.float32)
    sound[np.round(CLICKS * RATE).astype(int)] = 0.5
    soundfile.write(folder / "clicks.wav", sound, RATE, subtype="FLOAT")
    tempo = TempoMap((TempoPoint(0.0, 100.0, True), TempoPoint(64.0, 140.0)))
    meter = MeterMap((MeterPoint(1, 4, 4), MeterPoint(9, 6, 8), MeterPoint(13, 4, 4)))
    project = Project(name="Beside", length=128.0, tempo=tempo, meter=meter)
    project, first = add_track(project, "Clicks")
    project, second = add_track(project, "Swell: one")
    rng = np.random.default_rng(5)
    beats = np.arange(0.0, 128.0, 4.0)
    lanes = []
    device = Device("d", "midi", "Controls")
    for key, kind, number in (("free-1", "cc", 7), ("bend", "bend", 0), ("free-2", "cc14", 12)):
        lane = Lane(f"d.{key}", "d", key, lines(beats, rng.uniform(0.0, 1.0, len(beats))))
        lanes.append(replace(lane, midi=replace(lane.midi, kind=kind, controller=number)))
    by_id = {track.id: track for track in project.tracks}
    project = with_track(project, replace(by_id[first], clips=(Clip(0.0, str(folder / "clicks.wav")),)))
    notes = tuple(Note(float(b), 0.5, 60 + int(b) % 12, 0.7) for b in range(0, 126, 2))
    return with_track(project, replace(by_id[second], devices=(device,), lanes=tuple(lanes), notes=notes))


class Ports(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.project = piece(Path(folder.name))

    def until(self, true: Callable[[], object], seconds: float = PATIENCE) -> None:
        end = time.monotonic() + seconds
        while not true():
            self.assertLess(time.monotonic(), end, "it did not come to be")
            time.sleep(0.005)

    def join(self, server: Jack | PipeWire, kept: SyncSetup, project: Project | None = None) -> None:
        """Take part at the server."""
        self.project = project or self.project
        with mock.patch.dict(os.environ, server.environment):
            self.link = Link(lambda _: None)
        self.addCleanup(self.link.close)
        self.playback = Playback(self.project)
        self.addCleanup(self.playback.close)
        self.transport = JackTransport(self.playback, self.link)
        self.addCleanup(self.transport.close)
        self.link.use(self.project, Resolution())
        self.link.send(messages.UseTime(kept.together, kept.role == "lead"))
        self.link.send(messages.SendClock(kept.clock, kept.code))
        self.transport.use(kept)
        self.playback.warm_up()
        self.until(lambda: self.link.there and self.link.words[shared_layout.TABLE])

    def listen(self, server: Jack | PipeWire, *ports: tuple[str, str]) -> Capture:
        capture = Capture(self, server)
        for own, its in ports:
            capture.ask("connect", f"Zolvek:{own}", f"capture:{its}")
        self.until(lambda: self.link.words[shared_layout.SOUND_WANTED] or "Mix left" not in dict(ports))
        time.sleep(0.2)
        return capture

    def rolls(self) -> bool:
        return self.link.state == shared_layout.ROLLING

    # --- what is wanted ---

    def wanted(self) -> dict[int, list[bytes]]:
        found = song_timeline.sending(self.project, RATE, connections.ports_of(self.project))
        wanted: dict[int, list[bytes]] = {}
        for frame, data, size in zip(found.frame.tolist(), found.data, found.size, strict=True):
            wanted.setdefault(frame, []).append(data[:size].tobytes())
        return wanted

    def check(self, kept: dict[str, np.ndarray], least: int) -> None:
        """In every stretch that was heard without a gap each message came at its frame, and where nothing had jumped
        none came besides."""
        wanted, stretches = self.wanted(), stretches_of(kept)
        came: dict[int, list[bytes]] = {}
        midi = (kept["port"] == 0) & (kept["song"] >= 0)
        for at, song, data in zip(kept["at"][midi], kept["song"][midi], kept["data"][midi], strict=True):
            came.setdefault(int(at), []).append(bytes.fromhex(str(data)))
            self.assertGreaterEqual(song, 0)
        seen, elsewhere = 0, []
        for at, song, length in stretches:
            for frame in range(song, song + length):
                own, there = wanted.get(frame, []), came.get(at + frame - song, [])
                if not own and not there:
                    continue
                # Where it begins lanes are put there too.
                right = set(own) <= set(there) if frame - song < 2 else sorted(own) == sorted(there)
                if not right:
                    elsewhere.append((frame, own, there))
                seen += len(own)
        blocks = {frame // len(kept["block_sound"][0]) for frame, _, _ in elsewhere}
        self.assertLessEqual(len(blocks), self.left_out(kept), elsewhere[:5])
        self.assertGreater(seen, least)

    def left_out(self, kept: dict[str, np.ndarray]) -> int:
        """Blocks that may not be whole: on a busy machine the server goes on without a client that had no time, which
        sends what it missed in its next cycle."""
        words = self.link.words
        missed = 2 * int(words[shared_layout.LEFT_OUT] + words[shared_layout.XRUNS])
        return min(missed, len(kept["block_at"]) // 10)

    def check_clock(self, kept: dict[str, np.ndarray], code: str) -> None:
        frames = set(song_timeline.clock_frames(self.project, RATE).tolist())
        quarters = dict(
            zip(
                *(x.tolist() for x in song_timeline.code_frames(self.project, RATE, clock_messages.RATES[code])),
                strict=True,
            )
        )
        mine = (kept["port"] == 1) & (kept["song"] >= 0)
        clocks, wrong = 0, set()
        block = len(kept["block_sound"][0])
        for song, text in zip(kept["song"][mine].tolist(), kept["data"][mine], strict=True):
            data = bytes.fromhex(str(text))
            right = True
            if data[0] == clock_messages.CLOCK:
                right = song in frames
                clocks += 1
            elif data[0] == clock_messages.QUARTER_FRAME:
                right = quarters.get(song) == data[1]
            elif data[0] == clock_messages.SONG_POSITION:
                position = (data[1] | data[2] << 7) * clock_messages.POSITION_BEATS
                beat = float(self.project.tempo.beats(song / RATE))
                right = beat - 1e-4 <= position < beat + 0.25 + 1e-4
            if not right:
                wrong.add(song // block)
        self.assertLessEqual(len(wrong), self.left_out(kept), wrong)
        self.assertGreater(clocks, 60)
        # All of them, time code or not: it goes on at the next sixteenth, six clocks away at most.
        whole = sum(sum(song <= f < song + length for f in frames) for _, song, length in stretches_of(kept))
        lost = whole - clocks - 6 * len(stretches_of(kept))
        self.assertLessEqual(lost, 6 * self.left_out(kept))

    def check_clicks(self, kept: dict[str, np.ndarray], least: int) -> None:
        """Each click of the sound at its song frame, and nowhere else."""
        wanted = set(np.round(CLICKS * RATE).astype(int).tolist())
        found = 0
        sounds = dict(zip(kept["block_at"].tolist(), kept["block_sound"], strict=True))
        block = len(kept["block_sound"][0])
        for at, song, length in stretches_of(kept):
            whole = np.concatenate([sounds[at + n] for n in range(0, length, block)])
            places = (np.flatnonzero(np.abs(whole) > 0.25) + song).tolist()
            self.assertEqual(set(places) - wanted, set())
            # Sound that could not be ready after a jump in the middle of rolling is missing, not elsewhere.
            found += len(places)
        self.assertGreater(found, least)

    def check_bars(self, kept: dict[str, np.ndarray]) -> None:
        frames, bar, beat, _, tick, bpm = kept["bars"].T
        self.assertGreater(len(frames), 50)
        project = self.project
        wrong = []
        for f, b, q, t, tempo in zip(frames, bar, beat, tick, bpm, strict=True):
            at = float(project.tempo.beats(f / RATE))
            start = project.meter.bar_beat(int(b))
            unit = project.meter.meter_at(start + 1e-6).unit
            reported = start + (q - 1 + t / 960.0) * 4.0 / unit
            if max(abs(reported - at), abs(tempo - float(project.tempo.bpm(at)) * unit / 4.0)) > 1e-6:
                wrong.append((f, reported, at))
        self.assertLessEqual(len(wrong), self.left_out(kept), wrong[:5])

    # --- tests ---

    def test_leading_through_start_relocations_stop_and_loop(self) -> None:
        server = Jack(self)
        kept = SyncSetup(role="lead", clock=True, code="29.97 drop")
        self.join(server, kept)
        capture = self.listen(server, ("All tracks", "midi"), ("Clock", "clock"), ("Mix left", "sound"))
        self.transport.start(3.0)
        self.until(self.rolls)
        time.sleep(1.2)
        capture.ask("locate", 1_000_000)  # the other one, in the middle of it
        time.sleep(1.2)
        self.transport.locate(40.0)
        time.sleep(1.0)
        capture.ask("stop")
        self.until(lambda: not self.link.playing)
        time.sleep(0.1)
        resting = float(self.project.tempo.seconds(self.link.beat)) * RATE
        self.assertAlmostEqual(resting, capture_state(capture)[1], delta=2)
        capture.ask("start")
        self.until(self.rolls)
        time.sleep(1.0)
        self.transport.set_loop((20.0, 23.0))
        self.transport.locate(19.0)
        time.sleep(3.0)
        self.transport.stop()
        self.until(lambda: not self.link.playing)
        found = capture.kept()
        self.assertGreater(len(stretches_of(found)), 5)
        self.check(found, 250)
        self.check_clock(found, "29.97 drop")
        self.check_clicks(found, 12)
        self.check_bars(found)
        self.assertEqual(self.link.words[shared_layout.FULL], 0)

    def test_alone_loops_to_the_frame_and_another_speed_goes_with_it(self) -> None:
        """By itself a loop is exact within a cycle, whatever the server's transport does; a song that goes faster
        sends everything sooner."""
        server = Jack(self)
        self.join(server, SyncSetup())
        capture = self.listen(server, ("All tracks", "midi"), ("Mix left", "sound"))
        self.transport.set_loop((8.0, 9.0))
        self.transport.start(8.6)
        self.until(self.rolls)
        time.sleep(2.2)
        self.transport.stop()
        self.until(lambda: not self.link.playing)
        self.transport.set_loop(None)
        self.transport.set_speed(1.25)
        time.sleep(0.2)
        self.transport.start(40.0)
        self.until(self.rolls)
        time.sleep(1.5)
        self.transport.stop()
        self.until(lambda: not self.link.playing)
        self.transport.set_speed(1.0)
        self.transport.start(10.25)  # where a note is on already
        self.until(self.rolls)
        time.sleep(0.4)
        self.transport.stop()
        self.until(lambda: not self.link.playing)
        found = capture.kept()
        tempo = self.project.tempo
        first, last = (round(float(tempo.seconds(b)) * RATE) for b in (8.0, 9.0))
        notes = [
            (int(at), bytes.fromhex(str(data)))
            for at, data in zip(found["at"], found["data"], strict=True)
            if str(data).startswith("9")
        ]
        ons = [at for at, data in notes if data[1] == 60 + 8]
        self.assertGreater(len(ons), 2)
        # A cycle that the server had no time for is in its count of frames, not in the song: a block longer then.
        rounds = np.diff(ons) - (last - first)
        self.assertTrue(set((rounds % 1024).tolist()) == {0} and rounds.min() >= 0, rounds)
        self.assertLess(int(np.sum(rounds > 0)), max(len(rounds), 2))
        self.assertEqual(sum(data[1] == 60 + 10 for _, data in notes), 1)
        faster = [at for at, data in notes if data[1] in (60 + 40 % 12, 60 + 42 % 12)][-2:]
        true = [round(float(tempo.seconds(b)) * RATE) for b in (40.0, 42.0)]
        sooner = (faster[1] - faster[0] - (true[1] - true[0]) / 1.25) % 1024
        self.assertLess(min(sooner, 1024 - sooner), 1.5)

    def test_faster_than_real_time(self) -> None:
        """Freewheeling: the sound, here of one track by itself, is waited for, and every message is there."""
        server = Jack(self)
        self.join(server, SyncSetup(role="lead"))
        capture = self.listen(server, ("All tracks", "midi"), ("Clicks left", "sound"))
        self.until(lambda: self.link.words[shared_layout.SOUND_APART])
        capture.ask("free", 1)
        self.transport.start(0.0)
        self.until(lambda: self.link.frame_at(time.perf_counter()) > 20 * RATE)
        capture.ask("free", 0)
        self.transport.stop()
        found = capture.kept()
        self.check(found, 800)
        self.check_clicks(found, 60)

    def test_a_lane_as_a_control_voltage(self) -> None:
        """For every frame within 1e-4 of the lane, a jump at its own frame, and while stopped the value there; the
        port says what it is (JACK metadata, signal type)."""
        server = Jack(self, 256)
        self.project = self.with_voltage("bend", "bipolar", joined_steps())
        self.join(server, SyncSetup(role="lead"))
        port = "Zolvek:" + next(p.name for p in connections.ports_of(self.project) if p.kind == "voltage")
        self.assertEqual(port, "Zolvek:Swell- one Pitch bend CV")
        capture = Capture(self, server)
        capture.ask("connect", port, "capture:sound")
        for side in ("left", "right"):  # which go to the machine's own at first
            number = 1 + ("left", "right").index(side)
            self.link.send(messages.Disconnect(f"Mix {side}", f"system:playback_{number}"))
        self.until(lambda: not self.link.words[shared_layout.SOUND_WANTED])
        time.sleep(0.2)
        written = int(self.link.words[shared_layout.SEGMENT_WRITTEN])
        signal = json.loads(capture.ask("property", port, "http://jackaudio.org/metadata/signal-type"))
        self.assertEqual(signal, "CV")
        self.transport.start(7.0)
        self.until(self.rolls)
        self.until(lambda: self.link.beat > 17.0)
        self.transport.stop()
        self.until(lambda: not self.link.playing)
        self.transport.locate(10.0)
        time.sleep(0.3)
        found = capture.kept()
        curve = self.project.lane("d.bend").curve
        jump = round(float(self.project.tempo.seconds(8.0)) * RATE)
        checked = strayed = blocks = 0
        for song, values in zip(found["block_song"].tolist(), found["block_sound"], strict=True):
            if song < 0 or song < round(float(self.project.tempo.seconds(7.0)) * RATE):
                continue
            frames = song + np.arange(len(values))
            beats = self.project.tempo.beats(frames / RATE)
            beats = np.where(frames >= jump, np.maximum(beats, 8.0), np.minimum(beats, np.nextafter(8.0, 0.0)))
            strayed += float(np.abs(values - (2.0 * curve.at(beats) - 1.0)).max()) > 2e-4 + 1e-6
            checked += int(jump in frames)
            blocks += 1
        gaps = int(np.sum(np.diff(found["block_at"]) != 256))  # cycles that the client had no time for
        self.assertTrue(checked == 1 or gaps, "the jump was recorded")
        self.assertLessEqual(strayed, self.left_out(found))
        self.assertGreater(blocks, 500)
        self.assertEqual(int(self.link.words[shared_layout.SEGMENT_WRITTEN]), written, "nobody listens")
        still = float(2.0 * curve.at(np.array([10.0]))[0] - 1.0)
        np.testing.assert_allclose(found["block_sound"][-30], still, atol=2e-4)

    def test_a_tempo_edit_while_it_plays_breaks_nothing_off(self) -> None:
        """The song goes on at the same beat: every note and clock comes once, at the new pace, no stop among them."""
        server = Jack(self)
        self.project = replace(self.project, tempo=TempoMap((TempoPoint(0.0, 120.0),)))
        self.join(server, SyncSetup(clock=True))
        capture = self.listen(server, ("All tracks", "midi"), ("Clock", "clock"), ("Mix left", "sound"))
        self.transport.start(8.0)
        self.until(lambda: self.link.beat > 11.3)
        seen = [self.link.beat]
        for bpm in (150.0, 90.0):
            changed = replace(self.project, tempo=TempoMap((TempoPoint(0.0, bpm),)))
            self.link.use(changed, Resolution())
            self.playback.use(changed)
            self.transport.edited()
            end = time.monotonic() + 1.5
            while time.monotonic() < end:
                seen.append(self.link.beat)
                time.sleep(0.005)
        self.transport.stop()
        self.until(lambda: not self.link.playing)
        steps = np.diff(seen)
        self.assertGreater(float(steps.min()), -0.3, "the playhead stays where it was in beats")
        self.assertLess(float(steps.max()), 0.5)
        found = capture.kept()
        clock = [bytes.fromhex(str(d)) for d, p in zip(found["data"], found["port"], strict=True) if p == 1]
        self.assertEqual(
            [d[0] for d in clock if d[0] in (0xFA, 0xFB, 0xFC)], [0xFB, 0xFC], "continued once, stopped once"
        )
        rows = [
            (int(a), bytes.fromhex(str(d)))
            for a, d, p in zip(found["at"], found["data"], found["port"], strict=True)
            if p == 0
        ]
        on = [(at, data[1]) for at, data in rows if data[0] & 0xF0 == 0x90]
        self.assertEqual([pitch for _, pitch in on], [60 + b % 12 for b in range(8, 8 + 2 * len(on), 2)])
        paces = 2.0 * 60.0 * RATE / np.diff([at for at, _ in on])  # a note every two beats
        self.assertAlmostEqual(float(paces[0]), 120.0, delta=1.5)
        self.assertTrue(np.any(np.abs(paces - 150.0) < 2.0), paces)
        ticks = np.array(
            [
                int(a)
                for a, d, p in zip(found["at"], found["data"], found["port"], strict=True)
                if p == 1 and str(d) == "f8"
            ]
        )
        missed = int(np.sum(np.diff(found["block_at"]) != 1024))  # cycles that the client itself had no time for
        self.assertLessEqual(int(np.sum(np.diff(ticks) > RATE * 60 / 90 / 24 + 2)), missed, "no clock is missing")
        self.assertEqual(self.link.words[shared_layout.FULL], 0)

    def with_voltage(self, key: str, voltage: str, drawn: Curve) -> Project:
        track = next(t for t in self.project.tracks if t.lanes)
        lanes = tuple(
            replace(lane, curve=drawn, voltage=voltage) if lane.parameter == key else lane for lane in track.lanes
        )
        return with_track(self.project, replace(track, lanes=lanes))

    def test_what_comes_in_is_where_it_was_played(self) -> None:
        """A lane goes out, and comes back as a controller: read at its moments it is the lane within one step."""
        server = Jack(self, 256)
        self.join(server, SyncSetup())
        self.link.send(messages.UseConnections((("Swell- one MIDI", "Zolvek:Control"),)))
        time.sleep(0.5)
        self.link.take()
        self.transport.start(2.0)
        self.until(lambda: self.link.beat > 9.0)
        self.transport.stop()
        rows = [
            (self.link.beat_at(moment), message[2])
            for message, moment in self.link.take()
            if message[0] == 0xB0 and message[1] == 7
        ]
        lane = next(x for x in self.project.lanes() if x.midi.kind == "cc")
        self.assertGreater(len(rows), 35)
        block = 256 / RATE * 140 / 60  # beats; what a client sends itself comes a cycle later
        steps = next(
            s
            for h, s, _ in song_timeline.lane_messages(self.project, song_timeline.exported_lanes(self.project))
            if h.lane.id == lane.id
        )
        ticks = steps.tick / 960.0
        for beat, value in rows[3:]:
            near = steps.value[(ticks > beat - 2.5 * block) & (ticks <= beat + block / 4)]
            place = max(int(np.searchsorted(ticks, beat, side="right")) - 1, 0)
            self.assertIn(value, {*near.tolist(), int(steps.value[place])})
            self.assertLessEqual(abs(value - 127 * float(lane.curve.at(np.array([beat]))[0])), 2.0)

    @unittest.skipUnless(shutil.which("fluidsynth") and FONT.is_file(), "FluidSynth is not installed")
    def test_a_synth_beside_follows_a_level_lane(self) -> None:
        """FluidSynth as another client, driven live: as loud as General MIDI says (controller 7 at v is
        40·log10(v/127) dB; MMA, GM developer guidelines), and where the lane is, to the block that it works in."""
        server = Jack(self, 256)
        synth = subprocess.Popen(
            ["fluidsynth", "-a", "jack", "-m", "jack", "-i", "-s", "-q", "-R", "0", "-C", "0", "-g", "0.4", "-o",
             "audio.jack.id=fluid", "-o", "midi.jack.id=fluid", "-o", "shell.port=9871", str(FONT)],
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=os.environ | server.environment,
        )  # fmt: skip
        self.addCleanup(synth.wait)
        self.addCleanup(synth.terminate)
        project, _ = add_track(Project(length=64.0), "Organ")
        shape = joined_steps()
        lane = Lane("d.free-1", "d", "free-1", shape)
        lane = replace(lane, midi=replace(lane.midi, controller=7))
        own = replace(
            project.tracks[0],
            devices=(Device("d", "midi", "Controls"),),
            lanes=(lane,),
            notes=(Note(0.25, 60.0, 60, 0.8),),
        )
        self.join(server, SyncSetup(role="lead"), with_track(project, own))
        self.until(lambda: any(n == "fluid:midi_00" for n, *_ in self.link.report.others), 20.0)
        self.link.send(messages.UseConnections((("Organ MIDI", "fluid:midi_00"),)))
        capture = Capture(self, server)
        capture.ask("connect", "fluid:left", "capture:sound")
        capture.ask("connect", "capture:out", "fluid:midi_00")
        for _ in range(3):  # a connection that has just been made may not carry the first one
            time.sleep(0.3)
            capture.ask("send", 256, [[0xC0, DRAWBAR_ORGAN]])
        time.sleep(0.3)
        capture.ask("free", 1)  # the server waits for the synth, however busy the machine is
        self.transport.start(0.0)
        self.until(lambda: self.link.frame_at(time.perf_counter()) > 7.5 * RATE, 60.0)
        capture.ask("free", 0)
        self.transport.stop()
        found = capture.kept()
        rolled = found["block_song"] >= 0
        sound = np.zeros(10 * RATE, np.float32)
        there = np.zeros(10 * RATE, bool)
        for song, block in zip(found["block_song"][rolled].tolist(), found["block_sound"][rolled], strict=True):
            if song + 256 <= len(sound):
                sound[song : song + 256], there[song : song + 256] = block, True
        wide, beats = 2_400, np.arange(1.0, 14.0, 0.25) + 0.1
        starts = (beats * 0.5 * RATE).astype(int) - wide // 2
        whole = np.array([there[s : s + wide].all() for s in starts])
        value = np.array(
            [np.mean(np.maximum(127 * shape.at(np.linspace(b - 0.05, b + 0.05, 9)), 1.0) ** 4) ** 0.25 for b in beats]
        )
        heard = np.array([10 * np.log10(np.mean(sound[s : s + wide] ** 2) + 1e-12) for s in starts])
        law = 40 * np.log10(value / 127)
        off = (heard - law)[whole]
        self.assertGreater(int(whole.sum()), 30)
        far = np.sort(np.abs(off - np.median(off)))
        self.assertLess(float(far[len(far) * 4 // 5]), 1.5)
        jump = RATE * 4  # beat 8: from full to a fifth
        period = round(RATE / 261.63)
        tops = np.array([np.abs(sound[at : at + period]).max() for at in range(jump - 2_000, jump + 2_000)])
        falls = int(np.flatnonzero(tops > np.sqrt(tops[0] * tops[-1]))[-1]) + jump - 2_000
        self.assertLess(abs(falls - jump), 256 + period)

    def test_servers_come_and_go(self) -> None:
        """No server, one that ends, comes back with another rate and block: what is so is said, and goes on."""
        server = Jack(self)
        server.stop()
        with mock.patch.dict(os.environ, server.environment):
            link = Link(lambda _: None)
        self.addCleanup(link.close)
        link.use(self.project, Resolution())
        link.send(messages.UseConnections((("Mix left", "system:playback_1"),)))
        self.until(lambda: link.report.trouble)
        self.assertFalse(link.playing)
        server.start()
        self.until(lambda: link.there and link.words[shared_layout.TABLE])
        self.until(lambda: ("Mix left", "system:playback_1") in link.report.connections, 5.0)
        server.stop()
        self.until(lambda: not link.there, 10.0)
        self.assertIn("ended", link.report.trouble)
        server.rate, server.block = 44_100, 512
        server.start()
        self.until(lambda: link.there and link.words[shared_layout.TABLE])
        self.assertEqual((link.report.rate, link.report.block), (44_100, 512))
        self.until(lambda: ("Mix left", "system:playback_1") in link.report.connections, 5.0)
        link.process.kill()
        self.until(lambda: not link.there, 5.0)
        self.assertTrue(link.report.trouble)

    def test_what_makes_the_sound_may_die(self) -> None:
        """Ports and transport stand, messages go on, and sound comes again by itself."""
        server = Jack(self)
        self.join(server, SyncSetup(role="lead"))
        reported: list[bool] = []
        self.playback.on_loss = lambda _, goes_on: reported.append(goes_on)
        self.until(lambda: self.link.words[shared_layout.SOUND_WANTED])
        self.transport.start(3.0)
        self.until(lambda: self.link.beat > 4.0)
        words = self.link.words
        sent, cycles = int(words[shared_layout.SENT]), int(words[shared_layout.CYCLES])
        assert self.playback.worker is not None
        self.playback.worker.process.kill()
        self.until(lambda: reported)
        written = int(words[shared_layout.SEGMENT_WRITTEN])
        self.until(lambda: words[shared_layout.SEGMENT_WRITTEN] > written + 20)
        self.assertTrue(self.rolls())
        self.assertEqual(reported, [True])
        self.assertGreater(int(words[shared_layout.SENT]), sent)
        self.assertGreater(int(words[shared_layout.CYCLES]), cycles)
        self.transport.stop()

    def test_pipewire_in_its_place(self) -> None:
        server = PipeWire(self)
        self.join(server, SyncSetup(role="lead", clock=True))
        self.assertEqual(self.link.report.state, "PipeWire")
        capture = self.listen(server, ("All tracks", "midi"), ("Clock", "clock"), ("Mix left", "sound"))
        self.transport.start(3.0)
        self.until(self.rolls)
        time.sleep(2.0)
        self.transport.stop()
        self.until(lambda: not self.link.playing)
        found = capture.kept()
        self.check(found, 40)


def joined_steps() -> Curve:
    """Full, a fall to a fifth at once in its midst, a slow rise, and a bend down."""
    return curve([(0.0, 1.0, "hold"), (8.0, 0.2), (12.0, 0.9, "bend", 0.3), (16.0, 0.3)])


def capture_state(capture: Capture) -> tuple[bool, int]:
    import json

    rolling, frame = json.loads(capture.ask("state"))
    return bool(rolling), int(frame)


def stretches_of(kept: dict[str, np.ndarray]) -> list[tuple[int, int, int]]:
    """Stretches in which the transport rolled without a gap: the server's frame, the song's, and how many."""
    at, song = kept["block_at"], kept["block_song"]
    block = len(kept["block_sound"][0])
    result: list[tuple[int, int, int]] = []
    for here, there in zip(at.tolist(), song.tolist(), strict=True):
        if there < 0:
            continue
        if result and result[-1][0] + result[-1][2] == here and result[-1][1] + result[-1][2] == there:
            result[-1] = (*result[-1][:2], result[-1][2] + block)
        else:
            result.append((here, there, block))
    return result
