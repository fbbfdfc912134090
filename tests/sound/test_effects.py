# SPDX-License-Identifier: GPL-3.0-or-later
"""Every stand-in sounds as its controls say: against published formulas and by spectrum."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
import soundfile
from scipy import signal

from tests.present import present
from zolvek.core.curve.construction import curve
from zolvek.core.edits import chains
from zolvek.core.edits.replacement import add_lane, set_dial, with_curve
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.device_kind import BYPASS
from zolvek.core.model.project import Clip, Device, Lane, Note, Project, Track
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.demo.night_regatta import build
from zolvek.formats.audio.streams import examine
from zolvek.native import loops
from zolvek.sound.effects.processors import PROCESSORS
from zolvek.sound.engine import clip_playback
from zolvek.sound.engine.device_registry import MAKERS
from zolvek.sound.engine.metronome import clicks
from zolvek.sound.engine.offline import render
from zolvek.sound.engine.renderer import RATE, Renderer
from zolvek.sound.instruments import voices
from zolvek.sound.signal import filters, phases
from zolvek.sound.signal.automation import Block, Controls
from zolvek.sound.signal.mixing import pan_gains

T = np.arange(RATE) / RATE


def processed(kind: str, sound: np.ndarray, lanes: dict | None = None, **values: str) -> np.ndarray:
    """`sound` (2, frames) through an effect with its controls set as a person would write them."""
    bare = Device("d", kind, kind)
    at = {key.replace("_", "-"): text for key, text in values.items()}
    device = replace(bare, values={k: bare.parameter(k).parse(text) for k, text in at.items()})
    effect = PROCESSORS[kind](kind, RATE)
    stretch = Block(np.arange(sound.shape[1]) / RATE * 2.0, RATE)
    return effect.process(sound, Controls(device, lanes or {}, stretch, effect.spacing))


def impulse(frames: int = 16_384) -> np.ndarray:
    sound = np.zeros((2, frames))
    sound[:, 0] = 1.0
    return sound


def tone(hertz: float, level: float = 0.5) -> np.ndarray:
    return np.tile(level * np.sin(2 * np.pi * hertz * T), (2, 1))


def cookbook(kind: str, hertz: float, q: float, gain: float) -> tuple[np.ndarray, np.ndarray]:
    """R. Bristow-Johnson, Audio EQ Cookbook (W3C note, 2021): biquad coefficients."""
    w = 2 * np.pi * hertz / RATE
    cos, alpha, a = np.cos(w), np.sin(w) / (2 * q), 10 ** (gain / 40)
    root = 2 * np.sqrt(a) * alpha
    rows = {
        "low-pass": ([(1 - cos) / 2, 1 - cos, (1 - cos) / 2], [1 + alpha, -2 * cos, 1 - alpha]),
        "high-pass": ([(1 + cos) / 2, -1 - cos, (1 + cos) / 2], [1 + alpha, -2 * cos, 1 - alpha]),
        "band-pass": ([alpha, 0, -alpha], [1 + alpha, -2 * cos, 1 - alpha]),
        "mid": ([1 + alpha * a, -2 * cos, 1 - alpha * a], [1 + alpha / a, -2 * cos, 1 - alpha / a]),
        "low": ([a * (a + 1 - (a - 1) * cos + root), 2 * a * (a - 1 - (a + 1) * cos),
            a * (a + 1 - (a - 1) * cos - root)],
                [a + 1 + (a - 1) * cos + root, -2 * (a - 1 + (a + 1) * cos), a + 1 + (a - 1) * cos - root]),
        "high": ([a * (a + 1 + (a - 1) * cos + root), -2 * a * (a - 1 + (a + 1) * cos),
            a * (a + 1 + (a - 1) * cos - root)],
                 [a + 1 - (a - 1) * cos + root, 2 * (a - 1 - (a + 1) * cos), a + 1 - (a - 1) * cos - root]),
    }  # fmt: skip
    b, a_ = rows[kind]
    return np.array(b), np.array(a_)


class Formulas(unittest.TestCase):
    def test_filter_and_equaliser_follow_the_cookbook(self) -> None:
        freqs = np.geomspace(30, 18_000, 60)

        def response(sound: np.ndarray) -> np.ndarray:
            return np.abs(signal.freqz(sound[0], worN=freqs, fs=RATE)[1])

        for mode in ("low-pass", "high-pass", "band-pass"):
            ours = response(processed("filter", impulse(), mode=mode, cutoff="900 Hz"))
            _, wanted = signal.freqz(*cookbook(mode, 900, np.sqrt(0.5), 0), worN=freqs, fs=RATE)
            np.testing.assert_allclose(ours, np.abs(wanted), atol=2e-6)
        for band, hertz, gain in (("low", 200, 9), ("mid", 1_500, -12), ("high", 5_000, 6)):
            values: dict[str, Any] = {
                f"{band}_freq": f"{hertz} Hz",
                f"{band}_gain": f"{gain} dB",
                f"{band}_q": "1.3",
            }
            ours = response(processed("eq", impulse(), **values))
            _, wanted = signal.freqz(*cookbook(band, hertz, 1.3, gain), worN=freqs, fs=RATE)
            np.testing.assert_allclose(20 * np.log10(ours / np.abs(wanted)), 0.0, atol=1e-3)

    def test_constant_power_pan(self) -> None:
        """−3 dB at the centre, constant power throughout (Rumsey and McCormick, Sound and
        Recording: the sine–cosine pan law)."""
        left, right = pan_gains(np.linspace(-1, 1, 9))
        np.testing.assert_allclose(left**2 + right**2, 1.0)
        self.assertAlmostEqual(20 * np.log10(left[4]), -3.01, delta=0.01)

    def test_echoes_are_spaced_by_the_beat(self) -> None:
        """A delay of a quarter note at 120 BPM: 60/BPM = 0.5 s, each echo `feedback` of the last."""
        out = processed("delay", impulse(2 * RATE), time="500 ms", feedback="50 %", mix="50 %")[0]
        echoes = np.flatnonzero(np.abs(out) > 0.02)
        np.testing.assert_allclose(echoes[:4] / RATE, [0.0, 0.5, 1.0, 1.5], atol=2e-4)
        self.assertAlmostEqual(out[echoes[2]] / out[echoes[1]], 0.5, places=2)

    def test_a_delay_that_moves_reads_between_frames(self) -> None:
        """A sine as it was the delay's time ago, at each instant; a time that stands still to half a frame,
        whatever the stretches that it is made in."""
        drawn = curve([(0.0, 0.4, "cosine"), (1.5, 0.7), (1.7, 0.1), (2.0, 0.2)])
        lane = played(Lane("d.time", "d", "time", drawn), build())
        sound = tone(440.0)
        out = processed("delay", sound, {"time": lane}, feedback="0 %", mix="100 %")
        beats = T * 2.0
        at = T - Device("d", "delay", "D").parameter("time").value(lane.at(beats))
        wanted = np.where(at > 1e-3, 0.5 * np.sin(2 * np.pi * 440.0 * at), 0.0)
        inside = at > 2e-3
        np.testing.assert_allclose(out[0][inside], wanted[inside], atol=1e-5)
        for seconds in (0.01, 0.0123456, 1.99999):
            out = processed("delay", impulse(2 * RATE + 9), time=f"{seconds} s", mix="100 %")[0]
            self.assertLessEqual(abs(int(np.argmax(out)) - seconds * RATE), 0.5)
            self.assertEqual(out.max(), 1.0)

    def test_tremolo_depth_and_rate(self) -> None:
        out = processed("tremolo", np.ones((2, 4 * RATE)), rate="6 Hz", depth="60 %", sides="100 %")
        for side in out:
            self.assertAlmostEqual(side.min(), 0.4, places=3)
            self.assertAlmostEqual(side.max(), 1.0, places=3)
            spectrum = np.abs(np.fft.rfft(side - side.mean()))
            self.assertAlmostEqual(np.argmax(spectrum) / 4.0, 6.0, delta=0.26)
        self.assertLess(np.corrcoef(out)[0, 1], -0.99, "one side against the other")

    def test_width_drive_bits_and_rate(self) -> None:
        sound = np.stack((tone(300)[0], tone(500)[1]))
        np.testing.assert_allclose(processed("width", sound), sound, atol=1e-12)
        mono = processed("width", sound, width="0 %", gain="6 dB")
        np.testing.assert_allclose(mono[0], mono[1])
        np.testing.assert_allclose(mono[0], sound.mean(axis=0) * 10**0.3)
        crushed = processed("crush", tone(50, 0.9), bits="4")
        self.assertEqual(len(np.unique(np.round(crushed * 8, 9))), 15, "whole eighths, ±7")
        held = processed("crush", tone(50), rate="6 kHz", bits="16")[0]
        self.assertAlmostEqual(np.mean(np.diff(held) != 0.0), 1 / 8, delta=0.002)
        driven = processed("drive", tone(100, 1.0), drive="40 dB", mix="100 %")
        self.assertGreater(np.abs(driven).mean(), 0.95, "all but square")

    def test_library_effects_do_what_they_say(self) -> None:
        noise = np.random.default_rng(1).standard_normal((2, RATE)) * 0.1
        for kind in ("reverb", "chorus", "phaser", "delay"):
            np.testing.assert_allclose(processed(kind, noise, mix="0 %"), noise, atol=1e-7)
            self.assertGreater(np.abs(processed(kind, noise, mix="100 %") - noise).max(), 0.01)
        tails = [
            np.abs(processed("reverb", impulse(RATE), size=s, mix="100 %")[0, RATE // 2 :]).sum()
            for s in ("10 %", "90 %")
        ]
        self.assertGreater(tails[1], 3 * tails[0], "a larger room rings longer")

    def test_loops_in_c_do_what_the_plain_ones_do(self) -> None:
        """Within 1e-12 of the height, state and all, still and moving; and where they can't be built all sounds."""
        rng = np.random.default_rng(1)
        noise = rng.standard_normal((2, 3_000)) * 0.3
        ramp = np.geomspace(0.002, 0.9, 3_000)
        for g, k in ((np.array([0.05]), np.array([0.7])), (ramp, np.array([0.2])), (ramp, 0.05 + ramp[::-1])):
            for setting in (filters.low_pass(g, k), filters.high_pass(g, k), filters.bell(g, k, np.array([6.0]))):
                state = rng.standard_normal((2, 2)) * 0.1
                with patch.object(loops, "library", lambda: None):
                    wanted, ends = filters.svf(noise, setting, state)
                out, then = filters.svf(noise, setting, state)
                np.testing.assert_allclose(out, wanted, atol=1e-12)
                np.testing.assert_allclose(then, ends, atol=1e-12)
        phase = np.linspace(3.0, 91.0, 2_000) % 1.0
        step, width = np.geomspace(0.01, 0.3, 2_000), np.linspace(0.1, 0.9, 2_000)
        ticks = rng.uniform(0.0, 1.0, 200)
        for work in (
            lambda: voices.saw(phase, step, width),
            lambda: voices.pulse(phase, step, width),
            lambda: voices.joined(ticks, 16, slice(7, 2_007)),
            lambda: voices.mallet(
                np.linspace(0.0, 40.0, 2_000), 0.02, np.arange(200) / 300.0, 0.8, 16, slice(5, 2_005)
            ),
        ):
            with patch.object(loops, "library", lambda: None):
                wanted = work()
            np.testing.assert_allclose(work(), wanted, atol=1e-12)
        for seed, piece in ((3, 0), (2**63, 5), (77, -2)):
            np.testing.assert_array_equal(present(loops.noise(seed, piece, 1_023)), phases._plain(seed, piece)[:1_023])
        for kind in ("phaser", "delay", "filter", "equaliser", "flanger"):
            if kind not in PROCESSORS:
                continue
            with patch.object(loops, "library", lambda: None):
                wanted = processed(kind, noise)
            np.testing.assert_allclose(processed(kind, noise), wanted, atol=1e-12, err_msg=kind)

    def test_an_effect_moves_with_its_lane_and_is_the_same_in_any_pieces(self) -> None:
        own = Lane("l", "d", "cutoff", curve([(0.0, 0.3), (1.0, 0.9)]))
        lane = played(own, Project(length=4.0))
        noise = np.random.default_rng(2).standard_normal((2, RATE)) * 0.1
        out = processed("filter", noise, {"cutoff": lane})
        first, last = (signal.welch(part, RATE)[1][20:].sum() for part in (out[0, :4800], out[0, -24000:]))
        self.assertGreater(last, 20 * first)
        for kind in sorted(set(PROCESSORS) - {"strip"}):
            device = Device("d", kind, kind)
            whole, parts = PROCESSORS[kind](kind, RATE), PROCESSORS[kind](kind, RATE)
            cuts, pieces = [0, 64 * 100, 64 * 101, 64 * 400, RATE], []
            beats = np.arange(RATE) / RATE
            process = whole.process(noise, Controls(device, {}, Block(beats, RATE), whole.spacing))
            for a, b in itertools.pairwise(cuts):
                controls = Controls(device, {}, Block(beats[a:b], RATE, a), parts.spacing)
                pieces.append(parts.process(noise[:, a:b], controls))
            np.testing.assert_allclose(np.concatenate(pieces, axis=1), process, atol=1e-6, err_msg=kind)


class Instruments(unittest.TestCase):
    def test_each_drum_answers_to_its_own_controls(self) -> None:
        for pitch, voice in (
            (36, "kick"),
            (38, "snare"),
            (42, "closed"),
            (46, "open"),
            (39, "clap"),
            (45, "tom"),
        ):

            def hit(voice: str = voice, pitch: int = pitch, **values: float) -> np.ndarray:
                device = Device("k", "drums", "K", {f"{voice}-{k}": v for k, v in values.items()})
                track = Track("t", "T", (device,), (), (Note(0.0, 0.25, pitch),))
                return render(Project(length=4.0, tracks=(track,)))

            with self.subTest(voice):
                usual = hit()
                self.assertGreater(np.abs(usual).max(), 0.02)
                self.assertEqual(np.abs(hit(level=0.0)).max(), 0.0)
                self.assertEqual(np.abs(hit(pan=0.0)[1]).max(), 0.0)
                energy = [float((hit(decay=d) ** 2).sum()) for d in (0.2, 0.8)]
                self.assertGreater(energy[1], 1.5 * energy[0])
                self.assertGreater(np.abs(hit(tune=0.9) - usual).max(), 0.001)
                np.testing.assert_array_equal(hit(), usual)

    def test_sends_mutes_and_devices_outside(self) -> None:
        strip = Device("s", "strip", "S", {"send": 0.9})
        source = Track("a", "A", (Device("i", "synth", "I", {"noise": 1.0}), strip), (), (Note(0, 2, 60),))
        back = Track("b", "B", (Device("r", "width", "W", {"gain": 0.75}),), takes_sends=True)
        dry = render(Project(length=2.0, tracks=(source,)))
        wet = render(Project(length=2.0, tracks=(back, source)))
        self.assertGreater(np.abs(wet - dry).max(), 0.05, "what is sent is heard through the other track")
        muted = replace(source, muted=True)
        self.assertEqual(np.abs(render(Project(length=2.0, tracks=(muted, back)))).max(), 0.0)
        outside, _ = chains.add_device(Project(length=2.0, tracks=(source,)), "a", DEVICE_KINDS["midi"])
        np.testing.assert_array_equal(render(outside), dry)
        self.assertEqual(set(MAKERS) | {"midi"}, set(DEVICE_KINDS), "each sounds")

    def test_the_metronome_clicks_on_the_beat(self) -> None:
        tempo = TempoMap((TempoPoint(0.0, 90.0),))
        beats = np.arange(4 * RATE) / RATE * 1.5
        found = clicks(tempo, build().meter, Block(beats, RATE))
        onsets = np.flatnonzero((np.abs(found) > 1e-6) & (np.abs(np.roll(found, 2_000)) == 0.0))
        starts = onsets[np.append(True, np.diff(onsets) > RATE // 8)]
        np.testing.assert_allclose(starts / RATE, np.arange(6) * 60 / 90, atol=1e-3)


class Bypass(unittest.TestCase):
    def test_every_devices_bypass_is_a_control_that_goes_over_within_10_ms(self) -> None:
        """Off it changes no sample; on it is the project with the device bypassed, 10 ms after the switch."""
        demo = build()
        for row in DEVICE_KINDS.values():
            self.assertEqual(BYPASS in row.controls, row.role != "outside", row.key)
        plain = render(demo, 128.0, 136.0)
        project, lane = add_lane(demo, "echo", "bypass")
        np.testing.assert_array_equal(render(project, 128.0, 136.0), plain)
        on, off = BYPASS.position(np.array([1.0, 0.0])).tolist()
        switched = curve([(0.0, off, "hold"), (130.0, on, "hold"), (132.0, off)])
        heard = render(with_curve(project, lane, switched), 128.0, 136.0)
        gone = render(set_dial(demo, "echo", "bypass", on), 128.0, 136.0)
        start, stop = (round(float(demo.tempo.seconds(b) - demo.tempo.seconds(128.0)) * 48_000) for b in (130.0, 132.0))
        np.testing.assert_array_equal(heard[:, :start], plain[:, :start])
        settled = slice(start + 480, stop)
        self.assertLess(np.abs(heard - gone)[:, settled].max(), 2e-3 * np.abs(plain - gone).max())
        steps = [float(np.abs(np.diff(x[0])).max()) for x in (heard, plain, gone)]
        self.assertLess(steps[0], 1.5 * max(steps[1:]), "no click")


class SoundFiles(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_any_rate_and_format_is_played_at_ours(self) -> None:
        for name, rate, channels in (
            ("a.wav", 192_000, 1),
            ("b.flac", 8_000, 2),
            ("c.ogg", 44_100, 2),
            ("d.mp3", 44_100, 1),
        ):
            path = self.folder / name
            wave = 0.5 * np.sin(2 * np.pi * 440 * np.arange(rate) / rate)
            soundfile.write(path, np.repeat(wave[:, None], channels, axis=1), rate)
            self.assertAlmostEqual(examine(str(path)), 1.0, delta=0.06)
            track = Track("t", "T", clips=(Clip(0.0, str(path)),))
            sound = render(Project(length=1.0, tracks=(track,)))
            spectrum = np.abs(np.fft.rfft(sound[0]))
            self.assertAlmostEqual(np.argmax(spectrum) * RATE / sound.shape[1], 440, delta=3, msg=name)

    def test_bad_files_are_named(self) -> None:
        (self.folder / "text.wav").write_text("not sound")
        soundfile.write(self.folder / "empty.wav", np.zeros((0, 2)), 44_100)
        soundfile.write(self.folder / "nan.wav", np.full((100, 1), np.nan), 44_100, subtype="FLOAT")
        for name in ("text.wav", "empty.wav", "nan.wav", "gone.wav"):
            with self.assertRaises(ZolvekError) as caught:
                examine(str(self.folder / name))
            self.assertIn(name, str(caught.exception))
            self.assertTrue(caught.exception.remedy)
        track = Track("t", "T", clips=(Clip(0.0, str(self.folder / "gone.wav")),))
        project = Project(length=1.0, tracks=(track,))
        self.assertEqual(clip_playback.missing(project), [str(self.folder / "gone.wav")])
        self.assertEqual(np.abs(Renderer(project).render(64)).max(), 0.0, "the rest plays")


if __name__ == "__main__":
    unittest.main()
