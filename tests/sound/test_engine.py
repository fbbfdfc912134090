# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound: pitch, filter and timing against theory; rendering and playback as promised."""

from __future__ import annotations

import io
import time
import unittest
from typing import Any
from unittest import mock

import numpy as np
from scipy import signal

from zolvek.core.curve.construction import curve, flat
from zolvek.core.edits.replacement import with_curve
from zolvek.core.model.project import Clip, Device, Lane, Note, Project, Track
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.demo.night_regatta import build
from zolvek.formats.audio.streams import stream
from zolvek.sound.engine.offline import render
from zolvek.sound.engine.renderer import RATE, Renderer
from zolvek.sound.instruments.voices import pitch_hz
from zolvek.sound.playback.playback import Playback
from zolvek.sound.playback.silent_clock import SilentClock
from zolvek.sound.processes import sound_ring
from zolvek.sound.processes.framing import MOST_BYTES, Receiver, Sender
from zolvek.sound.processes.render_worker import RING_CHUNK_FRAMES
from zolvek.sound.processes.sound_ring import SoundReader, SoundRing, SoundWriter
from zolvek.sound.signal.filters import damping, low_pass, svf

STEADY = {"sustain": 1.0, "attack": 0.0, "cutoff": 1.0, "level": 0.8}


A4 = (Note(0.0, 16.0, 69),)


def synth(notes: Any = A4, lanes: Any = (), chain: Any = (), tempo: Any = None, **values: float) -> Project:
    device = Device("s", "synth", "S", {**STEADY, **values})
    track = Track("t", "T", (device, *chain), tuple(lanes), tuple(notes))
    return Project(tempo=tempo or TempoMap(), length=16.0, tracks=(track,))


class Theory(unittest.TestCase):
    def test_equal_temperament(self) -> None:
        """ISO 16: A4 is 440 Hz; a semitone is the twelfth root of 2."""
        np.testing.assert_allclose(pitch_hz([69, 81, 57, 60]), [440, 880, 220, 440 * 2 ** (-9 / 12)])
        for semitones, hz in ((0, 440.0), (7, 440 * 2 ** (7 / 12))):
            sound = render(synth(transpose=(semitones + 24) / 48), 0.0, 4.0)[0]
            spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound))))
            self.assertAlmostEqual(np.argmax(spectrum) * RATE / len(sound), hz, delta=0.6)

    def test_the_saw_is_band_limited(self) -> None:
        """What lies between the harmonics of a high note is aliasing: 40 dB down at least."""
        sound = render(synth((Note(0.0, 16.0, 93),)), 1.0, 5.0)[0]
        spectrum = np.abs(np.fft.rfft(sound * signal.windows.blackmanharris(len(sound))))
        f = np.fft.rfftfreq(len(sound), 1 / RATE)
        away = np.abs(f / 1760.0 - np.round(f / 1760.0)) * 1760.0 > 25.0
        below = f < 8_000
        self.assertLess(spectrum[away & below].max(), spectrum.max() / 100.0)

    def test_the_filter_is_3_db_down_at_its_cutoff(self) -> None:
        """At resonance 0 it is scipy's bilinear Butterworth, so −3.01 dB at the cutoff."""
        x = np.zeros(8_192)
        x[0] = 1.0
        k = damping(np.zeros(1))
        for hz in (100.0, 1_000.0, 9_000.0):
            g = np.full(1, np.tan(np.pi * hz / RATE))
            ours = svf(x[None], low_pass(g, k), np.zeros((1, 2)))[0][0]
            b, a = signal.butter(2, hz, fs=RATE)
            np.testing.assert_allclose(ours, signal.lfilter(b, a, x), atol=1e-10)
            _, response = signal.freqz(ours, worN=[hz], fs=RATE)
            self.assertAlmostEqual(20 * np.log10(abs(response[0])), -3.01, delta=0.05)

    def test_the_filter_goes_on_where_it_stopped(self) -> None:
        rng = np.random.default_rng(1)
        x, g = rng.standard_normal(4_000), np.geomspace(0.002, 0.8, 4_000)
        k = damping(np.full(1, 0.6))
        whole = svf(x[None], low_pass(g, k), np.zeros((1, 2)))[0][0]
        state, parts = np.zeros((1, 2)), []
        for part in np.split(np.arange(4_000), [1, 700, 1_024, 3_999]):
            out, state = svf(x[None, part], low_pass(g[part], k), state)
            parts.append(out[0])
        np.testing.assert_allclose(np.concatenate(parts), whole, atol=1e-12)

    def test_echoes_come_at_the_beat(self) -> None:
        """An echo of a quarter note is 60/BPM seconds after its sound."""
        seconds = 60.0 / 112.0
        kinds = Device("e", "delay", "E")
        values = {
            "time": kinds.parameter("time").parse(f"{seconds} s"),
            "mix": 0.5,
            "feedback": 0.3,
        }
        echo = replace(kinds, values=values)
        project = synth(
            (Note(0.0, 0.01, 69),),
            chain=(echo,),
            wave=0.625,
            sustain=0.0,
            decay=0.05,
            tempo=TempoMap((TempoPoint(0.0, 112.0),)),
        )
        sound = np.abs(render(project, 0.0, 4.0)[0])
        first, second = np.argmax(sound[:10_000]), 12_000 + np.argmax(sound[12_000:36_000])
        self.assertAlmostEqual((second - first) / RATE, seconds, delta=0.002)


class Rendering(unittest.TestCase):
    def test_two_renders_are_the_same_bits_and_bypass_differs(self) -> None:
        demo = build()
        one, two = render(demo, 60.0, 66.0), render(demo, 60.0, 66.0)
        np.testing.assert_array_equal(one, two)
        self.assertFalse(np.array_equal(one, render(demo, 60.0, 66.0, bypass=True)))
        self.assertGreater(np.abs(one).max(), 0.02)
        self.assertLess(np.abs(render(demo, 0.0, 194.0)).max(), 1.0, "the demo never clips")

    def test_a_jump_is_heard_at_its_frame(self) -> None:
        mute = Lane("m", "s", "mute", curve([(0.0, 0.0, "hold"), (1.0003, 1.0, "hold"), (3.0, 0.0)]))
        sound = render(synth(lanes=(mute,)), 0.0, 4.0)[0]
        at = round(1.0003 * 0.5 * RATE)
        self.assertGreater(np.abs(sound[at - 300 : at]).max(), 0.1)
        self.assertLess(np.abs(sound[at + 12 * 72 : at + 8_000]).max(), 1e-4)

    def test_the_effect_follows_its_lane_and_keeps_its_state(self) -> None:
        sweep = Lane("c", "f", "cutoff", curve([(0.0, 0.2), (8.0, 1.0)]))
        project = synth(chain=(Device("f", "filter", "F"),), lanes=(sweep,), wave=0.875, noise=1.0)
        sound = render(project, 0.0, 8.0)[0]
        bright = [np.abs(np.diff(part)).mean() / np.abs(part).mean() for part in np.split(sound, 8)]
        self.assertTrue((np.diff(bright) > 0).all(), bright)
        # Rendered in other pieces it is the same sound: no seam, whatever the pieces.
        pieces = Renderer(project)
        other = np.concatenate([pieces.render(n)[0] for n in (64, 1_000, 37, 12_345)])
        self.assertLess(np.abs(other - sound[: len(other)]).max(), 0.02)

    def test_a_lane_at_the_present_value_changes_nothing(self) -> None:
        plain = synth()
        track = plain.tracks[0]
        lane = Lane("p", "s", "pan", flat(track.devices[0].position("pan")))
        held = replace(plain, tracks=(replace(track, lanes=(lane,)),))
        np.testing.assert_allclose(render(held, 0.0, 2.0), render(plain, 0.0, 2.0), atol=1e-6)

    def test_pan_is_constant_power(self) -> None:
        """The sine–cosine law: −3 dB each in the middle, the sum of squares always the same."""
        for position in (0.0, 0.3, 0.5, 1.0):
            left, right = render(synth(pan=position), 1.0, 3.0)
            power = (left**2).mean() + (right**2).mean()
            middle = (render(synth(), 1.0, 3.0) ** 2).mean(axis=1).sum()
            self.assertAlmostEqual(power / middle, 1.0, places=3)

    def test_clips_play_at_their_beat_and_a_missing_one_is_silent(self) -> None:
        track = Track("t", "T", clips=(Clip(2.0, "shipped:fog.flac", loop_until=8.0), Clip(0.0, "gone.wav")))
        sound = render(Project(length=16.0, tracks=(track,)), 0.0, 16.0)
        self.assertEqual(np.abs(sound[:, : RATE - 1]).max(), 0.0)
        source = stream("shipped:fog.flac", RATE).read(0, 4_000)
        np.testing.assert_allclose(sound[:, RATE : RATE + 4_000], source, atol=1e-6)
        self.assertEqual(np.abs(sound[:, 4 * RATE + 80 :]).max(), 0.0)


class PlayingBack(unittest.TestCase):
    def setUp(self) -> None:
        self.playback = Playback(synth())
        self.addCleanup(self.playback.close)

    def pull(self, frames: int) -> np.ndarray:
        """Take what is played without hurrying the renderer."""
        for _ in range(5_000):
            words = self.playback.ring.words
            if self.playback.begun and words[sound_ring.WRITTEN] - words[sound_ring.READ] >= frames:
                break
            time.sleep(0.002)
        return self.playback.pull(frames)

    def test_a_loop_has_no_gap_and_holds(self) -> None:
        self.playback.set_loop((0.0, 0.5))
        self.playback.play(0.0)
        sound, beats = [], []
        for _ in range(60):
            sound.append(self.pull(512))
            beats.append(self.playback.beat)
        loud = np.abs(np.concatenate(sound)).reshape(-1, 256, 2).max(axis=(1, 2))
        self.assertGreater(loud.min(), 0.02)
        self.assertLessEqual(max(beats), 0.5 + 1e-9)
        self.assertEqual(self.playback.dry, 0)

    def test_where_sound_runs_dry_more_is_kept_ready(self) -> None:
        """More from then on, and no end of it; after a calm while less again."""
        words = self.playback.ring.words
        self.playback.play(0.0)
        self.pull(512)
        before = int(words[sound_ring.AHEAD])
        for _ in range(3):
            self.playback.pull(RATE)  # more than there ever is
        self.assertEqual(self.playback.dry, 3)
        for _ in range(12):
            self.pull(480)
        self.assertGreater(int(words[sound_ring.AHEAD]), before)
        for _ in range(40):
            self.playback.pull(RATE)
            self.pull(480)
        self.assertEqual(int(words[sound_ring.AHEAD]), sound_ring.MOST_AHEAD)
        with mock.patch.multiple(sound_ring, CALM_S=0.0, SETTLED_S=0.0):
            writer = SoundWriter(self.playback.ring)
            writer.begin(self.playback.number)
            for _ in range(40):
                writer.write(0.0, 0.0, np.zeros((sound_ring.MOST_AHEAD // 3, 2), np.float32))
        self.assertEqual(int(words[sound_ring.AHEAD]), sound_ring.AHEAD_FRAMES)

    def test_frames_come_out_as_they_went_in(self) -> None:
        """Through any lengths of writes and pulls, round the ring's end, with plays that are left out between."""
        rng = np.random.default_rng(4)
        ring = SoundRing.create()
        self.addCleanup(ring.remove)
        writer, reader = SoundWriter(ring), SoundReader(ring)
        for serial in range(1, 6):
            ring.words[sound_ring.SERIAL] = serial
            ring.words[sound_ring.PLAYING] = 1
            writer.begin(serial)
            sent: list[np.ndarray] = []
            came: list[np.ndarray] = []
            while sum(len(part) for part in sent) < 90_000:
                while writer.room:
                    sound = rng.normal(size=(int(rng.integers(1, 700)), 2)).astype(np.float32)
                    writer.write(len(sent), len(sent) + 1.0, sound)
                    sent.append(sound)
                writer.update(False)
                if serial % 2:  # the sound of every second play is never wanted
                    came.append(reader.pull(int(rng.integers(1, 600))))
                elif sum(len(part) for part in sent) > 500:
                    break
            heard, wanted = np.concatenate([*came, np.zeros((0, 2))]), np.concatenate(sent)
            np.testing.assert_array_equal(heard, wanted[: len(heard)])
        self.assertEqual(ring.words[sound_ring.DRY], 0)

    def test_an_edit_is_heard_after_what_was_ready(self) -> None:
        """However long it takes to come: 42 ms at most where the machine keeps up, and the way down to silence."""
        self.playback.play(0.0)
        self.pull(512)
        self.playback.use(synth(mute=1.0))
        time.sleep(0.5)  # more than enough to come
        taken = 0
        while np.abs(self.pull(256)[-8:]).max() > 1e-3:
            taken += 256
            self.assertLess(taken, int(self.playback.ring.words[sound_ring.AHEAD]) + RING_CHUNK_FRAMES + 1_024)

    def test_what_is_sent_is_the_project_alone(self) -> None:
        """Whatever is worked out while another thread sends it neither goes along nor disturbs."""
        project = build()
        before = io.BytesIO()
        Sender(before).send(project)
        for lane in project.lanes():
            played(lane, project).at(np.arange(0.0, 64.0))
        after = io.BytesIO()
        Sender(after).send(project)
        self.assertEqual(len(before.getvalue()), len(after.getvalue()))
        after.seek(0)
        self.assertEqual(Receiver(after).receive(), project)

    def test_what_was_sent_before_is_not_sent_again(self) -> None:
        """Of an edited project one lane is new; after a while both sides forget and go on."""
        pipe = io.BytesIO()
        sender, receiver = Sender(pipe), Receiver(pipe)

        def sent(project: Project) -> tuple[Project, int]:
            place = pipe.tell()
            sender.send(project)
            end = pipe.tell()
            pipe.seek(place)
            got = receiver.receive()
            self.assertEqual((pipe.tell(), got), (end, project))
            return got, end - place

        project = build()
        first, whole = sent(project)
        lane = next(lane for lane in project.lanes() if lane.layers)
        for forgotten in (False, True):
            project = with_curve(project, lane.id, flat(0.25 + 0.5 * forgotten))
            sender.held = MOST_BYTES + 1 if forgotten else 0
            second, part = sent(project)
            same = [a is b for a, b in zip(first.lanes(), second.lanes(), strict=True)]
            self.assertEqual(same.count(True), 0 if forgotten else len(same) - 1)
            self.assertEqual(part > whole / 4, forgotten)
            own = second.lane(lane.id).layers[0], first.lane(lane.id).layers[0]
            self.assertEqual(own[0] is own[1], not forgotten)

    def test_the_silent_clock_keeps_time_and_stops_at_the_end(self) -> None:
        clock = SilentClock(self.playback)
        clock.start()
        self.addCleanup(clock.close)
        self.playback.play(1.0)
        for _ in range(6_000):
            time.sleep(0.01)
            if self.playback.begun:
                break
        began = time.monotonic()
        time.sleep(0.5)
        # Two beats a second; on a busy machine it may be late, but never ahead.
        while self.playback.beat <= 1.3:
            self.assertLess(time.monotonic() - began, 60.0)
            time.sleep(0.01)
        self.assertLess(self.playback.beat, 1.35 + 2.0 * (time.monotonic() - began))
        self.playback.play(15.9)
        for _ in range(400):
            time.sleep(0.02)
            if not self.playback.playing:
                break
        self.assertFalse(self.playback.playing)
        self.assertAlmostEqual(self.playback.beat, 16.0, delta=0.01)
