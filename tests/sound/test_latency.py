# SPDX-License-Identifier: GPL-3.0-or-later
"""Plugins that give their sound late: nothing shifts. A pure delay that says how late it is changes nothing, wherever
it stands, in what is rendered and in what is played through a loop."""

from __future__ import annotations

import io
import os
import subprocess
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from benchmarks.evil_plugins import HEAD, PORT, RANGE, SEE
from zolvek.core.curve.construction import lines
from zolvek.core.curve.curve import Curve
from zolvek.core.edits import plugins
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.replacement import add_lane, set_dial, with_curve, with_track
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.device_kind import BYPASS, DeviceKind
from zolvek.core.model.project import Clip, Note, Project
from zolvek.core.records import replace
from zolvek.sound.engine.offline import render
from zolvek.sound.engine.renderer import RATE, Renderer
from zolvek.sound.jobs.plugin_description import describe_in_process
from zolvek.sound.processes.render_worker import Worker

SOURCE = Path(__file__).resolve().parent


def late_bundle(folder: Path, name: str, **defines: int) -> str:
    """A bundle of late.c; its URI."""
    bundle, uri = folder / f"{name}.lv2", f"urn:zolvek:test:{name}"
    bundle.mkdir()
    words = [f"-D{key}={value}" for key, value in defines.items()]
    subprocess.run(
        ["cc", "-w", "-shared", "-fPIC", *words, f'-DURI="{uri}"', str(SOURCE / "late.c"), "-o", str(bundle / "e.so")],
        check=True,
    )
    (bundle / "manifest.ttl").write_text(f"{HEAD}<{uri}> a lv2:Plugin ; lv2:binary <e.so> ; {SEE} <e.ttl> .\n")
    says = "; lv2:portProperty lv2:reportsLatency "
    ports = " ; ".join((
        PORT.format(kinds="ControlPort, lv2:OutputPort", n=0, s="latency", more=says),
        PORT.format(kinds="AudioPort, lv2:InputPort", n=1, s="in", more=""),
        PORT.format(kinds="AudioPort, lv2:OutputPort", n=2, s="out", more=""),
        PORT.format(kinds="ControlPort, lv2:InputPort", n=3, s="more", more=RANGE),
    ))  # fmt: skip
    (bundle / "e.ttl").write_text(f'{HEAD}<{uri}> a lv2:Plugin ; doap:name "{name}" ; {ports} .\n')
    return uri


def jump(beat: float) -> Curve:
    return lines([0.0, beat, beat], [1.0, 1.0, 0.0])


class Late(unittest.TestCase):
    folder: Path
    late: DeviceKind
    later: DeviceKind
    noise: Path

    @classmethod
    def setUpClass(cls) -> None:
        temporary = tempfile.TemporaryDirectory()
        cls.addClassCleanup(temporary.cleanup)
        cls.folder = Path(temporary.name)
        own = {
            "LV2_PATH": temporary.name,
            "XDG_CACHE_HOME": temporary.name,
            "XDG_CONFIG_HOME": temporary.name,
        }
        place = mock.patch.dict(os.environ, own)
        place.start()
        cls.addClassCleanup(place.stop)
        cls.late = describe_in_process(late_bundle(cls.folder, "late", LATE=4_800))
        cls.later = describe_in_process(late_bundle(cls.folder, "later", LATE=240, MORE=4_096))
        rng = np.random.default_rng(1)
        cls.noise = cls.folder / "noise.wav"
        soundfile.write(cls.noise, 0.2 * rng.standard_normal(96_000), RATE, subtype="FLOAT")

    def tracks(self, *names: str) -> Project:
        project = Project(length=4.0)
        for name in names:
            project, track = add_track(project, name)
            own = next(t for t in project.tracks if t.id == track)
            project = with_track(project, replace(own, clips=(Clip(0.0, str(self.noise)),)))
        return project

    def with_late(self, project: Project, number: int, first: bool = True) -> Project:
        """The project with the pure delay in a track's chain, at its beginning or before its strip."""
        track = project.tracks[number]
        project, device = add_device(project, track.id, self.late)
        track = project.tracks[number]
        new = next(d for d in track.devices if d.id == device)
        rest = tuple(d for d in track.devices if d.id != device)
        order = (new, *rest) if first else (*rest[:-1], new, *rest[-1:])
        return with_track(project, replace(track, devices=order))

    def driven(self, project: Project, device: str, key: str, curve: Curve) -> Project:
        project, lane = add_lane(project, device, key)
        return with_curve(project, lane, curve)

    def filtered(self) -> Project:
        """Noise through a filter and a strip, both driven; every kind of thing that goes with the sound."""
        project = self.tracks("One", "Two")
        project, filter_ = add_device(project, project.tracks[0].id, DEVICE_KINDS["filter"])
        strip = next(d.id for d in project.tracks[0].devices if d.kind == "strip")
        project = self.driven(project, filter_, "cutoff", lines([0.0, 2.0, 2.0, 4.0], [0.2, 0.9, 0.1, 1.0]))
        project = self.driven(project, filter_, BYPASS.id, lines([0.0, 1.0, 1.0], [0.0, 0.0, 1.0]))
        return self.driven(project, strip, "level", jump(2.5))

    def sent(self) -> Project:
        """A track that sends to one with a clip and an effect of its own."""
        project = self.filtered()
        project, bus = add_track(project, "Bus")
        track = project.tracks[-1]
        project = with_track(project, replace(track, takes_sends=True, clips=(Clip(1.0, str(self.noise)),)))
        project, tremolo = add_device(project, bus, DEVICE_KINDS["tremolo"])
        strip = next(d.id for d in project.tracks[0].devices if d.kind == "strip")
        project = set_dial(project, strip, "send", 0.8)
        return self.driven(project, tremolo, "rate", lines([0.0, 4.0], [0.1, 0.9]))

    def test_a_pure_delay_that_says_so_changes_nothing(self) -> None:
        played = self.tracks("Keys")
        played, synth = add_device(played, played.tracks[0].id, DEVICE_KINDS["synth"])
        notes = tuple(Note(0.5 * n, 0.4, 50 + n) for n in range(8))
        played = with_track(played, replace(played.tracks[0], notes=notes))
        played = self.driven(played, synth, "cutoff", jump(1.75))
        for name, project, number, first in (
            ("before a filter", self.filtered(), 0, True), ("before the strip", self.filtered(), 0, False),
            ("on the other track", self.filtered(), 1, True), ("before what sends", self.sent(), 0, True),
            ("on what takes sends", self.sent(), 2, True), ("before an instrument", played, 0, True),
        ):  # fmt: skip
            with self.subTest(name):
                plain = render(project)
                moved = render(self.with_late(project, number, first))
                self.assertGreater(float(np.abs(plain).max()), 0.1)
                np.testing.assert_allclose(moved, plain, atol=1e-6)

    def test_a_side_chain_hears_what_goes_with_it(self) -> None:
        """The listener, its source, or both late: what comes in together stays together."""
        bundle = self.folder / "held.lv2"
        bundle.mkdir()
        clean = (SOURCE / "held.c").read_text().replace("malloc(", "calloc(1, ")
        (bundle / "e.c").write_text(clean)
        subprocess.run(
            ["cc", "-w", "-shared", "-fPIC", "-O1", str(bundle / "e.c"), "-o", str(bundle / "e.so")], check=True
        )
        uri = "http://zolvek.org/held"
        (bundle / "manifest.ttl").write_text(f"{HEAD}<{uri}> a lv2:Plugin ; lv2:binary <e.so> ; {SEE} <e.ttl> .\n")
        ports = " ; ".join(
            PORT.format(kinds=f"AudioPort, lv2:{kind}Port", n=n, s=s, more=more)
            for kind, n, s, more in (
                ("Input", 0, "in", ""),
                ("Output", 1, "out", ""),
                ("Input", 2, "side", "; lv2:portProperty lv2:isSideChain "),
            )
        )
        (bundle / "e.ttl").write_text(f'{HEAD}<{uri}> a lv2:Plugin ; doap:name "Held" ; {ports} .\n')
        project = self.filtered()
        project, device = add_device(project, project.tracks[1].id, describe_in_process(uri))
        project = plugins.listening(project, device, project.tracks[0].id)
        plain = render(project)
        for numbers in ((0,), (1,), (0, 1)):
            with self.subTest(numbers):
                made = project
                for number in numbers:
                    made = self.with_late(made, number)
                np.testing.assert_allclose(render(made), plain, atol=1e-6)

    def played(self, project: Project, seconds: float) -> tuple[np.ndarray, list[tuple[float, float]]]:
        """What a worker gives, looped from 1 to 2, and the beats it says it gives."""
        worker = Worker(io.BytesIO())
        worker.use(project)
        worker.set_loop((1.0, 2.0))
        worker.play(1, 1.0, RATE)
        parts: list[np.ndarray] = []
        beats: list[tuple[float, float]] = []
        while sum(map(len, parts)) < seconds * RATE:
            _, first, last, sound, _ = worker.chunk()
            parts.append(sound)
            beats.append((first, last))
        return np.concatenate(parts)[: int(seconds * RATE)].T, beats

    def test_nor_does_it_in_a_loop(self) -> None:
        project = self.filtered()
        plain, at = self.played(project, 2.0)
        moved, beats = self.played(self.with_late(project, 0), 2.0)
        settled = RATE // 4  # what rings in the filter before the loop is another sound
        np.testing.assert_allclose(moved[:, settled:], plain[:, settled:], atol=1e-4)
        for first, last in beats:
            self.assertTrue(1.0 <= first < last <= 2.0 + 1e-4, (first, last))
        self.assertAlmostEqual(beats[0][0], at[0][0], 9)

    def test_one_that_becomes_later_on_the_way_is_followed(self) -> None:
        """From 240 to 4,336 frames at beat 2, as a limiter's look-ahead is turned: within a tenth of a second all is
        together again, in its place."""
        project = self.tracks("One", "Two")
        plain = render(project)
        project, device = add_device(project, project.tracks[0].id, self.later)
        track = project.tracks[0]
        project = with_track(project, replace(track, devices=(track.devices[-1], *track.devices[:-1])))
        project = self.driven(project, device, "more", lines([0.0, 2.0, 2.0], [0.0, 0.0, 1.0]))
        renderer = Renderer(project)
        self.assertEqual(renderer.prepare(), 240)
        moved = render(project)
        self.assertEqual(moved.shape, plain.shape)
        change = RATE  # beat 2 at 120
        np.testing.assert_allclose(moved[:, : change - 2_000], plain[:, : change - 2_000], atol=1e-6)
        # The renderer looks at it once a stretch: what follows the stretch in which it changed is right.
        np.testing.assert_allclose(moved[:, change + 70_000 :], plain[:, change + 70_000 :], atol=1e-6)


if __name__ == "__main__":
    unittest.main()
