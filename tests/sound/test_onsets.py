# SPDX-License-Identifier: GPL-3.0-or-later
"""Hits and tempo of sounds, against known times and against a reference library; blocks and rates."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from zolvek.core.curve.construction import flat, lines
from zolvek.core.edits import clips as blocks
from zolvek.core.edits import hits
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Clip, Device, Note, Project, Track
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.formats.audio.streams import Stream
from zolvek.sound.analysis.onsets import RATE, found, hits_of, tempo_of
from zolvek.sound.engine import clip_playback
from zolvek.sound.signal.automation import Block


def clicks(times: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    sound = np.zeros(round((times[-1] + 1.0) * RATE))
    for at in times:
        sound[round(at * RATE) :][:60] += rng.choice([1.0, 0.7, 0.5]) * np.exp(-np.arange(60) / 12.0)
    return sound


def drums(bpm: float, bars: int, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """A kick, a snare and a hi-hat, and when each strikes."""
    age = np.arange(round(0.25 * RATE)) / RATE
    noise = lambda: rng.normal(0.0, 0.35, age.size)  # noqa: E731
    kick = lambda: np.sin(2 * np.pi * (50 * age + 12 * (1 - np.exp(-30 * age)))) * np.exp(-14 * age)  # noqa: E731
    snare = lambda: (0.5 * np.sin(2 * np.pi * 190 * age) + noise()) * np.exp(-22 * age)  # noqa: E731
    hat = lambda: 0.6 * np.diff(noise(), append=0.0) * np.exp(-70 * age)  # noqa: E731
    beat, first = 60.0 / bpm, 0.37
    sound = rng.normal(0.0, 0.0005, round((first + bars * 4 * beat + 1.0) * RATE))
    times = set()
    for bar in range(bars):
        rows = [(hat, step / 2) for step in range(8)] + [
            (kick, 0),
            (kick, 2),
            (snare, 1),
            (snare, 3),
        ]
        rows += [(kick, 2.75)] if bar % 2 else []
        for make, place in rows:
            at = first + (4 * bar + place) * beat
            sound[round(at * RATE) :][: age.size] += make()
            times.add(round(at, 6))
    return sound, np.array(sorted(times))


def scored(times: np.ndarray, reported: np.ndarray, within: float) -> tuple[float, float]:
    """The share of times that were found, and of those given that are none, each counted once."""
    free = list(reported)
    right = 0
    for at in times:
        near = min(free, key=lambda each: abs(each - at), default=np.inf)
        if abs(near - at) <= within:
            free.remove(near)
            right += 1
    return right / len(times), 1.0 - right / max(len(reported), 1)


def known_sounds() -> list[tuple[np.ndarray, np.ndarray, float]]:
    """Sounds, when each is struck, and their tempo (0 for none). librosa 0.11.0's onset strength and tempo of them are
    in data/onsets.json (benchmarks.onset_fixture makes it again)."""
    rng = np.random.default_rng(3)
    times = np.cumsum(rng.uniform(0.08, 0.6, 60))
    rows = [(clicks(times, rng), times, 0.0)]
    return rows + [(*drums(bpm, 8, rng), bpm) for bpm in (90.0, 124.7)]


class Onsets(unittest.TestCase):
    def test_known_hits_are_found_to_five_milliseconds_and_nearer_than_by_the_library(self) -> None:
        said = json.loads((Path(__file__).parent / "data" / "onsets.json").read_text())["sounds"]
        for (sound, known, bpm), theirs in zip(known_sounds(), said, strict=True):
            made = found(np.array_split(sound, 7))
            right, false = scored(known, made.seconds, 0.005)
            self.assertGreaterEqual(right, 0.95, bpm)
            self.assertLess(false, 0.02, bpm)
            self.assertGreaterEqual(right, scored(known, np.array(theirs["onsets"]), 0.005)[0])
            if bpm:
                ours = tempo_of(made)
                self.assertLess(abs(ours.bpm - bpm), 0.01)
                self.assertLessEqual(abs(ours.bpm - bpm), abs(theirs["tempo"] - bpm))
                self.assertLess(abs(ours.first - 0.37), 0.005)

    def test_pieces_say_what_the_whole_does_and_too_little_is_said(self) -> None:
        sound, _ = drums(112.0, 4, np.random.default_rng(1))
        whole, cut = found([sound]), found(np.array_split(sound, 41))
        np.testing.assert_array_equal(whole.seconds, cut.seconds)
        for poor in ([], [np.zeros(40)], [np.zeros(RATE * 4)]):
            self.assertEqual(found(poor).seconds.size, 0)
            with self.assertRaises(ZolvekError):
                tempo_of(found(poor))

    def test_a_strike_at_the_very_start_and_even_eighths(self) -> None:
        """A file that begins with its kick; and eighths that are all alike at every tempo from 74 to 168, which two
        thirds of it fit as well."""
        rng = np.random.default_rng(5)
        sound, times = drums(120.0, 4, rng)
        begins = sound[round(times[0] * RATE) :]
        made = found([begins])
        self.assertLess(made.seconds[0], 0.005)
        self.assertGreaterEqual(scored(times - times[0], made.seconds, 0.005)[0], 0.95)
        for bpm in range(74, 169, 4):
            at = 0.2 + np.arange(64) * 30.0 / bpm
            reported = tempo_of(found([clicks(at, rng)])).bpm
            self.assertLess(min(abs(reported - bpm * part) for part in (0.5, 1.0, 2.0)), 0.05, (bpm, reported))

    def test_bands_distinguish_the_kick_from_the_hats(self) -> None:
        """By construction: a duck on the kick leaves the hats alone, also where both strike together."""
        for bpm in (90.0, 124.0, 150.0):
            sound, _ = drums(bpm, 8, np.random.default_rng(int(bpm)))
            result = found([sound])
            beat = 60.0 / bpm
            kicks = 0.37 + beat * np.array([4 * bar + at for bar in range(8) for at in (0, 2, *([2.75] * (bar % 2)))])
            hats = 0.37 + beat * np.arange(0, 32, 0.5)
            low = result.seconds[result.bands[:, 0] >= hits.LEAST_IN_BAND]
            self.assertEqual(scored(kicks, low, 0.03)[0], 1.0, bpm)
            alone = 0.37 + beat * (np.arange(32) + 0.5)  # hats without another drum
            self.assertEqual(scored(alone, low, 0.03)[0], 0.0, bpm)
            snares = 0.37 + beat * (1 + 2 * np.arange(16))  # whose noise is in every band
            self.assertEqual(scored(snares, low, 0.03)[0], 0.0, bpm)
            high = result.seconds[result.bands[:, 2] >= hits.LEAST_IN_BAND]
            self.assertGreater(scored(hats, high, 0.03)[0], 0.9, bpm)

    def test_hits_of_a_track_are_its_notes_and_what_its_blocks_play(self) -> None:
        tempo = TempoMap((TempoPoint(0.0, 60.0),))
        played = (
            Clip(4.0, "x", start=1.0, seconds=2.0),
            Clip(8.0, "x", loop_until=16.0, seconds=4.0),
        )
        track = Track("t", "T", notes=(Note(1.0, 1.0, 60), Note(4.25, 1.0, 60)), clips=played)
        project = Project(tempo=tempo, length=32.0, tracks=(track,))
        onsets = {"x": np.array([[0.5, 1.0, 0.0, 0.2], [1.25, 0.0, 0.0, 0.9], [3.5, 0.1, 0.5, 0.1]])}
        every = hits.hits_of(project, track, onsets, {"x": 5.0})
        reported = every.beats
        np.testing.assert_allclose(reported, [1.0, 4.25, 8.5, 9.25, 11.5, 12.5, 13.25, 15.5])
        self.assertEqual(hits.next_hit(reported, 8.5), 9.25)
        # One that repeats the whole of its file: as long as that is, which only its length says.
        whole = replace(track, notes=(), clips=(Clip(0.0, "x", loop_until=9.0),))
        again = hits.hits_of(project, whole, onsets, {"x": 4.0}).beats
        np.testing.assert_allclose(again, [0.5, 1.25, 3.5, 4.5, 5.25, 7.5, 8.5])
        self.assertEqual(hits.hits_of(project, whole, onsets, {}).beats.size, 0)
        np.testing.assert_allclose(hits.chosen(every, hits.Band.LOW), [8.5, 12.5])
        np.testing.assert_allclose(hits.chosen(every, hits.Band.MIDDLE), [1.0, 4.25, 11.5, 15.5])
        np.testing.assert_allclose(hits.chosen(every, hits.Band.MIDDLE, 0.7), [1.0, 4.25])
        np.testing.assert_allclose(hits.chosen(every, hits.Band.HIGH), [4.25, 9.25, 13.25])
        kit = replace(track, devices=(Device("d", "drums", "Drums"),), clips=(),
                      notes=tuple(Note(float(n), 0.25, key) for n, key in enumerate((36, 42, 38, 42))))  # fmt: skip
        drums = hits.hits_of(project, kit, {}, {})
        self.assertEqual(hits.chosen(drums, hits.Band.LOW).tolist(), [0.0])
        self.assertEqual(hits.chosen(drums, hits.Band.HIGH).tolist(), [1.0, 3.0])
        base = lines([0.0, 32.0], [0.8, 0.8])
        ducked, count = hits.stamped_on(base, reported, 8.0, 12.0, "duck", 0.5, 0.5, hold=0.4)
        self.assertEqual(count, 3)
        np.testing.assert_allclose(ducked.at([8.49, 8.5, 8.69, 9.0, 9.25, 12.5]), [0.8, 0.4, 0.4, 0.8, 0.4, 0.8])
        with self.assertRaises(ZolvekError):
            hits.stamped_on(flat(0.5), reported, 20.0, 24.0, "duck", 0.5, None)


class Sounding(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.tempo = TempoMap((TempoPoint(0.0, 120.0),))

    def sound(self, data: np.ndarray, rate: int = 48_000) -> str:
        path = self.folder / f"{rate}-{len(list(self.folder.iterdir()))}.wav"
        soundfile.write(path, data, rate, subtype="FLOAT")
        return str(path)

    def played(self, rows: tuple[Clip, ...], frames: int) -> np.ndarray:
        """In stretches of an odd length."""
        out = []
        for first in range(0, frames, 7_001):
            at = np.arange(first, min(first + 7_001, frames)) / 48_000
            out.append(clip_playback.play(rows, self.tempo, Block(self.tempo.beats(at), 48_000, first)))
        return np.concatenate(out, axis=1)

    def test_a_block_that_is_split_sounds_as_before_and_its_edges_do_not_click(self) -> None:
        tone = 0.5 * np.sin(2 * np.pi * 97.0 * np.arange(96_000) / 48_000)
        file = self.sound(tone)
        track = Track("t", "T", clips=(Clip(1.0, file),))
        project = Project(tempo=self.tempo, length=16.0, tracks=(track,))
        whole = self.played(track.clips, 150_000)
        two = blocks.split(project, blocks.Block("t", 0), 2.3, 2.0)
        np.testing.assert_allclose(self.played(two.tracks[0].clips, 150_000), whole, atol=1e-12)
        loop = blocks.looped(project, blocks.Block("t", 0), 9.0)
        cut = blocks.split(loop, blocks.Block("t", 0), 6.1, 2.0)
        looped = self.played(loop.tracks[0].clips, 250_000)
        np.testing.assert_allclose(self.played(cut.tracks[0].clips, 250_000), looped, atol=1e-12)
        steepest = np.abs(np.diff(whole)).max()
        inside = (
            Clip(1.0, file, start=0.1234, seconds=0.8),
            Clip(5.0, file, start=0.05, fade_in=0.2, fade_out=0.3),
        )
        self.assertLess(np.abs(np.diff(self.played(inside, 200_000))).max(), 3.0 * steepest)
        faded = self.played((Clip(0.0, file, fade_in=1.0, fade_out=0.5),), 96_000)[0]
        window = np.ones(96_000)
        window[:48_000] = 0.5 - 0.5 * np.cos(np.pi * np.arange(48_000) / 48_000)
        window[72_000:] = 0.5 - 0.5 * np.cos(np.pi * np.arange(24_000, 0, -1) / 24_000)
        np.testing.assert_allclose(faded, tone.astype(np.float32) * window, atol=1e-7)

    def test_other_rates_are_converted_without_images(self) -> None:
        """Against scipy's polyphase resampler with a long Kaiser filter."""
        from scipy.signal import chirp, firwin, get_window, resample_poly

        for rate, up, down in ((44_100, 160, 147), (96_000, 1, 2), (22_050, 320, 147)):
            at = np.arange(2 * rate) / rate
            sweep = 0.9 * chirp(at, 20.0, 2.0, min(rate, 48_000) * 0.4)
            stream = Stream(self.sound(sweep, rate), 48_000)
            taps = firwin(2 * 200 * max(up, down) + 1, 1.0 / max(up, down), window=("kaiser", 12.0))
            theirs = resample_poly(sweep, up, down, window=taps)
            ours = stream.read(0, stream.frames)[0]
            middle = slice(4_000, min(len(ours), len(theirs)) - 4_000)
            self.assertLess(np.abs(ours[middle] - theirs[middle]).max(), 1e-4, rate)
            tone = (
                0.9 * np.sin(2 * np.pi * 0.31 * rate * at) if rate < 48_000 else 0.9 * np.sin(2 * np.pi * 30_000 * at)
            )
            heard = Stream(self.sound(tone, rate), 48_000).read(16_000, 65_536)[0]
            if rate > 48_000:  # above what 48 kHz can hold
                self.assertLess(20 * np.log10(np.abs(heard).max()), -90.0)
                continue
            level = 20 * np.log10(np.abs(np.fft.rfft(heard * get_window(("kaiser", 22.0), 65_536))) + 1e-12)
            peak = int(level.argmax())
            level[peak - 40 : peak + 40] -= 400.0
            self.assertLess(level.max() - level[peak] - 400.0, -90.0, rate)

    def test_files_that_are_no_sound_are_reported(self) -> None:
        bad = self.folder / "bad.wav"
        bad.write_bytes(b"no")
        for name in (str(bad), self.sound(np.full(9_000, np.nan)), str(self.folder / "gone.wav")):
            with self.assertRaises(ZolvekError) as reported:
                hits_of(name)
            self.assertIn(name, reported.exception.where)


if __name__ == "__main__":
    unittest.main()
