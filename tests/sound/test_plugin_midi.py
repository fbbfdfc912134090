# SPDX-License-Identifier: GPL-3.0-or-later
"""What goes into and out of LV2 plugins beyond left, right and notes: controllers, MIDI plugins, files, further
outputs. Plugins: those of the LV2 specification (lv2-examples) and mda-lv2, from Debian, and one of our own."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.evil_plugins import HEAD, PORT, SEE
from zolvek.core.curve.construction import curve
from zolvek.core.edits import plugins
from zolvek.core.edits.chains import add_device, add_track, move_device, remove_device, sound_files, with_device
from zolvek.core.edits.replacement import add_lane, set_dial, with_curve, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Note, Project
from zolvek.core.model.source import Clip
from zolvek.core.records import replace
from zolvek.formats.project import project_file
from zolvek.sound.engine.device_registry import notes_of
from zolvek.sound.engine.offline import render
from zolvek.sound.hosting.lv2 import event_buffers
from zolvek.sound.processes.job_messages import Job
from zolvek.sound.processes.job_process import run_in_process

EXAMPLES, MDA = "http://lv2plug.in/plugins/eg-", "http://drobilla.net/plugins/mda/"
RATE = 48_000
THERE = all(Path(f"/usr/lib/lv2/{name}.lv2").is_dir() for name in ("mda", "eg-fifths", "eg-midigate", "eg-sampler"))


def kind_of(uri: str) -> DeviceKind:
    from zolvek.sound.hosting.catalogue import loading

    return loading.kind_of(uri)


def playing(*kinds: DeviceKind, notes: tuple[Note, ...], length: float = 4.0) -> tuple[Project, list[str]]:
    """A track with notes through devices, and the devices' ids."""
    project, track = add_track(Project(length=length), "T")
    keys = []
    for kind in kinds:
        project, key = add_device(project, track, kind)
        keys.append(key)
    return with_track(project, replace(project.tracks[0], notes=notes)), keys


def pitch_of(sound: np.ndarray) -> float:
    """The frequency in Hz of the strongest partial, by a parabola through its neighbours."""
    size = np.log(np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) + 1e-12)
    top = int(np.argmax(size[20:])) + 20
    a, b, c = size[top - 1 : top + 2]
    return float((top + 0.5 * (a - c) / (a - 2 * b + c)) * RATE / len(sound))


@unittest.skipUnless(THERE, "mda-lv2 or lv2-examples is not installed")
class InAndOut(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_notes_through_a_midi_plugin_before_a_synth(self) -> None:
        """Each note with the fifth above, as if it had been written so; bypassed, as it was."""
        notes = tuple(Note(float(b), 0.8, 48 + b, 0.8) for b in range(4))
        fifths, synth = kind_of(f"{EXAMPLES}fifths"), DEVICE_KINDS["synth"]
        self.assertEqual(fifths.role, "midi")
        project, (device, instrument) = playing(fifths, synth, notes=notes)
        written, _ = playing(
            synth, notes=tuple(n for note in notes for n in (note, replace(note, pitch=note.pitch + 7)))
        )
        track = written.tracks[0]  # an instrument's noise goes by its id
        written = with_track(
            written, replace(track, devices=(replace(track.devices[0], id=instrument), track.devices[1]))
        )
        heard, wanted = render(project, 0.0, 4.0), render(written, 0.0, 4.0)
        error = float(np.sqrt(np.mean((heard - wanted) ** 2)) / np.sqrt(np.mean(wanted**2)))
        self.assertLess(error, 0.02)
        plain, _ = playing(synth, notes=notes)
        track = plain.tracks[0]
        plain = with_track(plain, replace(track, devices=(replace(track.devices[0], id=instrument), track.devices[1])))
        bypassed = set_dial(project, device, "bypass", 1.0)
        np.testing.assert_allclose(render(bypassed, 0.0, 4.0), render(plain, 0.0, 4.0), atol=1e-9)
        # Bypassed on the way: what it holds ends, and nothing hangs.
        long = with_track(project, replace(project.tracks[0], notes=(Note(0.0, 3.0, 60),)))
        long, lane = add_lane(long, device, "bypass")
        long = with_curve(long, lane, curve([(0.0, 0.0, "hold"), (1.0, 1.0, "hold"), (4.0, 1.0)]))
        sound = render(long, 0.0, 4.0)
        self.assertLess(float(np.abs(sound[:, 3 * RATE // 2 :]).max()), 1e-3)
        self.assertGreater(float(np.abs(sound[:, : RATE // 3]).max()), 1e-2)
        with self.assertRaisesRegex(ZolvekError, "MIDI plugins come first"):
            move_device(project, device, 1)

    def test_what_is_no_message_is_left_out_and_a_long_one_goes_on_whole(self) -> None:
        """A plugin may write anything into its output; what it gives is an input of the next one."""
        long = bytes((0xF0, *range(20), 0xF7))
        whole = [(0, bytes((0x90, 60, 100))), (3, long), (3, bytes((0xC0, 5))), (9, bytes((0xF8,)))]
        broken = [(0, bytes((0x90,))), (1, bytes((0x90, 60))), (1, bytes((0x90, 200, 1))), (2, bytes((60, 1, 2)))]
        buffer = np.zeros(64, np.int64)
        event_buffers.write(buffer, sorted([*whole, *broken], key=lambda row: row[0]), [])
        self.assertEqual(event_buffers.midi(buffer, 64), whole)
        event_buffers.write(buffer, event_buffers.midi(buffer, 64), [])
        self.assertEqual(event_buffers.midi(buffer, 64), whole)
        begun, ended = notes_of(whole, RATE)
        self.assertEqual(([note.note.pitch for note in begun], ended), ([60], []))

    def test_notes_reach_an_effect_at_their_frame(self) -> None:
        path = self.folder / "one.wav"
        soundfile.write(path, np.ones(3 * RATE), RATE, subtype="FLOAT")
        project, _ = playing(kind_of(f"{EXAMPLES}midigate"), notes=(Note(1.0, 1.0, 60), Note(3.0, 0.4, 64)))
        project = with_track(project, replace(project.tracks[0], clips=(Clip(0.0, str(path)),)))
        open_ = render(project, 0.0, 4.0)[0] > 0.5
        self.assertEqual(np.flatnonzero(np.diff(open_.astype(int))).tolist(), [23_999, 47_999, 71_999, 81_599])

    def test_a_lane_bends_a_hosted_instrument(self) -> None:
        """By the two semitones that a bend goes at first (General MIDI), and only where the lane says so; the
        modulation wheel moves nothing that it is not sent to."""
        project, (device,) = playing(kind_of(f"{MDA}JX10"), notes=(Note(0.0, 8.0, 69),), length=8.0)
        straight = render(project, 0.0, 8.0)[0]
        bent, lane = add_lane(project, device, "midi-bend")
        bent = with_curve(bent, lane, curve([(0.0, 0.5, "hold"), (4.0, 1.0, "hold"), (8.0, 1.0)]))
        sound = render(bent, 0.0, 8.0)[0]
        np.testing.assert_array_equal(sound[: 2 * RATE - 64], straight[: 2 * RATE - 64])
        low, high = pitch_of(sound[RATE : 2 * RATE]), pitch_of(sound[2 * RATE + RATE // 2 : 3 * RATE + RATE // 2])
        self.assertAlmostEqual(12.0 * np.log2(high / low), 2.0, delta=0.05)
        np.testing.assert_array_equal(sound, render(bent, 0.0, 8.0)[0])
        kept = project.device_track(device).device(device)
        self.assertEqual(kept.parameter("midi-cc-1").name, "Modulation wheel")
        self.assertEqual(kept.parameter("midi-program").text(0.0), "1")

    def test_a_sampler_plays_the_file_that_it_is_given(self) -> None:
        rng = np.random.default_rng(3)
        path = self.folder / "hit.wav"
        sample = rng.uniform(-0.5, 0.5, 9_600)
        soundfile.write(path, sample, RATE, subtype="FLOAT")
        kind = kind_of(f"{EXAMPLES}sampler")
        assert kind.plugin is not None
        (key,) = kind.plugin.files
        project, _ = playing(kind, notes=(Note(1.0, 2.0, 60, 1.0),))
        own = replace(project.tracks[0].devices[0], files={key: str(path)})
        project = with_device(project, own)
        self.assertEqual(sound_files(project), [str(path)])
        file = self.folder / "p.zolvek"
        project_file.save(project, file)
        self.assertIn('"hit.wav"', file.read_text())
        project = project_file.load(file)
        heard = render(project, 0.0, 4.0)[0][24_000 : 24_000 + 9_600]
        self.assertGreater(float(np.corrcoef(heard, sample)[0, 1]), 0.999)
        # A file that is no sound is not shown to it.
        secret = self.folder / "secret.wav"
        secret.write_text("nothing to hear")
        other = with_device(project, replace(own, files={key: str(secret)}))
        again = render(other, 0.0, 4.0)[0][24_000 : 24_000 + 9_600]
        self.assertLess(abs(float(np.nan_to_num(np.corrcoef(again, sample)[0, 1]))), 0.1)


@unittest.skipUnless(shutil.which("cc"), "there is no C compiler")
class Outputs(unittest.TestCase):
    folder: Path

    def kind(self, restless: int = 0) -> DeviceKind:
        uri = f"urn:zolvek:test:four{restless}"
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        bundle = self.folder / "four.lv2"
        bundle.mkdir()
        source = Path(__file__).with_name("four_outputs.c")
        subprocess.run(
            [
                "cc",
                "-w",
                "-shared",
                "-fPIC",
                f"-DRESTLESS={restless}",
                f'-DURI="{uri}"',
                str(source),
                "-o",
                str(bundle / "e.so"),
            ],
            check=True,
        )
        (bundle / "manifest.ttl").write_text(f"{HEAD}<{uri}> a lv2:Plugin ; lv2:binary <e.so> ; {SEE} <e.ttl> .\n")
        ports = [PORT.format(kinds="AudioPort, lv2:InputPort", n=0, s="in", more="")]
        ports += [PORT.format(kinds="AudioPort, lv2:OutputPort", n=n, s=f"out{n}", more="") for n in range(1, 5)]
        ports.append(
            PORT.format(kinds="ControlPort, lv2:OutputPort", n=5, s="late", more="; lv2:designation lv2:latency ")
        )
        (bundle / "e.ttl").write_text(f'{HEAD}<{uri}> a lv2:Plugin ; doap:name "Four" ; {" ; ".join(ports)} .\n')
        run_in_process(
            Job("zolvek.sound.hosting.catalogue.installed:add", (str(bundle / "manifest.ttl"),)), lambda *_: None
        )
        return kind_of(uri)

    def song(self, kind: DeviceKind) -> tuple[Project, str]:
        project, (device,) = playing(kind, notes=())
        path = self.folder / "clicks.wav"
        clicks = np.zeros(2 * RATE)
        clicks[::12_000] = 0.5
        soundfile.write(path, clicks, RATE, subtype="FLOAT")
        return with_track(project, replace(project.tracks[0], clips=(Clip(0.0, str(path)),))), device

    def test_further_outputs_are_tracks_and_in_time(self) -> None:
        kind = self.kind()
        assert kind.plugin is not None
        self.assertEqual(len(kind.plugin.outputs), 4)
        project, device = self.song(kind)
        project = plugins.with_output_tracks(project, device)
        self.assertEqual([t.name for t in project.tracks], ["T", "Four 3–4"])
        with self.assertRaisesRegex(ZolvekError, "no further outputs"):
            plugins.with_output_tracks(project, device)
        sound = render(project, 0.0, 4.0)
        strip = 0.5**0.0
        at = np.arange(0, 2 * RATE, 12_000)
        np.testing.assert_allclose(sound[0][at], 0.5 * (0.125 + 0.375) * strip, rtol=1e-5)
        np.testing.assert_allclose(sound[1][at], 0.5 * (0.25 + 0.5) * strip, rtol=1e-5)
        self.assertEqual(np.count_nonzero(np.abs(sound[0]) > 1e-6), len(at))
        track = project.tracks[1]
        turned = with_track(project, replace(track, muted=True))
        np.testing.assert_allclose(render(turned, 0.0, 4.0)[0][at[1:]], 0.5 * 0.125, rtol=1e-4)
        project_file.save(project, self.folder / "p.zolvek")
        loaded = project_file.load(self.folder / "p.zolvek")
        self.assertEqual([t.output for t in loaded.tracks], [t.output for t in project.tracks])
        gone = remove_device(project, device)
        self.assertIsNone(gone.tracks[1].output)
        self.assertGreater(float(np.abs(render(gone, 0.0, 4.0)).max()), 0.1)

    def test_a_latency_that_changes_with_every_block(self) -> None:
        """Sound goes on, finite and no louder; another track is heard whole."""
        project, _ = self.song(self.kind(restless=1))
        project, _ = add_track(project, "Other")
        steady = self.folder / "steady.wav"
        soundfile.write(steady, np.full(3 * RATE, 0.25), RATE, subtype="FLOAT")
        project = with_track(project, replace(project.tracks[1], clips=(Clip(0.0, str(steady)),)))
        sound = render(project, 0.0, 4.0)
        self.assertTrue(np.isfinite(sound).all())
        self.assertLess(float(np.abs(sound).max()), 0.25 + 0.5)
        np.testing.assert_array_less(0.2, sound[0][2_000:RATE])


if __name__ == "__main__":
    unittest.main()
