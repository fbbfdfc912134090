# SPDX-License-Identifier: GPL-3.0-or-later
"""LV2 plugins keep time with the song: tempo, meter, loops. A plugin that plays what it was given of it (time extension
1.6), against the song's own tempo and meter."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from benchmarks.evil_plugins import HEAD, PORT, RANGE, SEE
from zolvek.core.edits import plugins
from zolvek.core.edits.chains import add_track
from zolvek.core.edits.new_project import timed
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.sound.engine.offline import render
from zolvek.sound.engine.renderer import RATE, Renderer
from zolvek.sound.jobs.plugin_description import describe_in_process
from zolvek.sound.signal.song_position import position_at

URI = "urn:zolvek:test:timed"
TIME = "http://lv2plug.in/ns/ext/time#"
ATOM = "http://lv2plug.in/ns/ext/atom#"
DESIGNATED = f"; lv2:designation <{TIME}beatsPerMinute> "


def bundle(folder: Path) -> None:
    place = folder / "timed.lv2"
    place.mkdir()
    source = Path(__file__).with_name("timed.c")
    command = ["cc", "-w", "-shared", "-fPIC", f'-DURI="{URI}"', str(source), "-o", str(place / "e.so")]
    subprocess.run(command, check=True)
    (place / "manifest.ttl").write_text(f"{HEAD}<{URI}> a lv2:Plugin ; lv2:binary <e.so> ; {SEE} <e.ttl> .\n")
    takes = f"; <{ATOM}bufferType> <{ATOM}Sequence> ; <{ATOM}supports> <{TIME}Position> "
    ports = " ; ".join((
        PORT.format(kinds=f"InputPort, <{ATOM}AtomPort>", n=0, s="time", more=takes),
        PORT.format(kinds="AudioPort, lv2:OutputPort", n=1, s="beat", more=""),
        PORT.format(kinds="AudioPort, lv2:OutputPort", n=2, s="tempo", more=""),
        PORT.format(kinds="ControlPort, lv2:InputPort", n=3, s="host_tempo", more=RANGE + DESIGNATED),
        PORT.format(kinds="ControlPort, lv2:InputPort", n=4, s="free", more=RANGE),
    ))  # fmt: skip
    (place / "e.ttl").write_text(f'{HEAD}<{URI}> a lv2:Plugin ; doap:name "Timed" ; {ports} .\n')


@unittest.skipUnless(shutil.which("cc"), "no C compiler is installed")
class InTime(unittest.TestCase):
    kind: DeviceKind

    @classmethod
    def setUpClass(cls) -> None:
        temporary = tempfile.TemporaryDirectory()
        cls.addClassCleanup(temporary.cleanup)
        names = ("LV2_PATH", "XDG_CACHE_HOME", "XDG_CONFIG_HOME")
        place = mock.patch.dict(os.environ, dict.fromkeys(names, temporary.name))
        place.start()
        cls.addClassCleanup(place.stop)
        bundle(Path(temporary.name))
        cls.kind = describe_in_process(URI)

    def project(self) -> Project:
        """A tempo that rises, and a bar of 6/8 after two of 4/4."""
        project, track = add_track(timed(bars=16), "Timed")
        project, _ = plugins.added(project, track, self.kind)
        tempo = TempoMap((TempoPoint(0.0, 100.0, ramp=True), TempoPoint(16.0, 140.0)))
        meter = MeterMap((MeterPoint(1, 4, 4), MeterPoint(3, 6, 8), MeterPoint(4, 4, 4)))
        return replace(project, tempo=tempo, meter=meter)

    def check(self, project: Project, sound: np.ndarray, first: float) -> None:
        frames = np.arange(0, sound.shape[1], 997)
        start = float(project.tempo.seconds(first))
        for frame in frames.tolist():
            beat = float(project.tempo.beats(start + frame / RATE))
            wanted = position_at(0, 0, beat, project.tempo, project.meter)
            # Between positions the plugin counts on at the tempo it was given, up to a tenth of a second.
            self.assertAlmostEqual(float(sound[0, frame]) * 1_000, wanted.beat, delta=0.004, msg=str(beat))
            bar, bpm = divmod(float(sound[1, frame]), 1.0)
            line = project.meter.bar_beat(wanted.bar + 1)
            if beat - line > 0.25:
                self.assertEqual(int(bar), wanted.bar, beat)
                self.assertAlmostEqual(bpm * 1_000, wanted.bpm, delta=1.2, msg=str(beat))

    def test_tempo_meter_and_bars_arrive(self) -> None:
        project = self.project()
        self.assertNotIn("host_tempo", {parameter.id for parameter in self.kind.parameters}, "the host sets it")
        self.assertIn("free", {parameter.id for parameter in self.kind.parameters})
        for first, last in ((0.0, 15.0), (6.3, 12.0)):
            self.check(project, render(project, first, last), first)

    def test_a_loop_goes_back_in_time(self) -> None:
        project = self.project()
        renderer = Renderer(project, RATE)
        renderer.seek(4.0)
        renderer.render(9_600)
        renderer.seek(1.0, goes_on=True)
        self.check(project, renderer.render(9_600), 1.0)

    def test_beats_count_on_through_meters(self) -> None:
        """By hand: two bars of 4/4, one of 6/8 (three quarter notes, six eighths), then 4/4."""
        meter = self.project().meter
        rows = {0.0: (0, 0.0, 0.0), 5.5: (1, 1.5, 5.5), 8.0: (2, 0.0, 8.0), 9.5: (2, 3.0, 11.0), 12.0: (3, 1.0, 15.0)}
        for beat, wanted in rows.items():
            position = position_at(0, 0, beat, TempoMap(), meter)
            self.assertEqual((position.bar, position.bar_beat, position.beat), wanted, beat)
        self.assertEqual(position_at(0, 0, 9.0, TempoMap(), meter).bpm, 240.0, "eighths a minute at 120")


if __name__ == "__main__":
    unittest.main()
