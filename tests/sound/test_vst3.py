# SPDX-License-Identifier: GPL-3.0-or-later
"""VST3 plugins: read by their texts, heard exactly, shown by their own windows, and outlived. The plugin under test
is compiled here against the standard's own interface headers (Debian: juce-modules-source-data)."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import tempfile
import time
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from click.testing import CliRunner

from tests.sound.test_lv2 import heard_on
from zolvek.cli import zolvek
from zolvek.core.curve.construction import lines
from zolvek.core.edits import plugins as hosted
from zolvek.core.edits import states as stored_states
from zolvek.core.edits.chains import add_device, add_track, apply_preset, with_device
from zolvek.core.edits.replacement import add_lane, set_dial, with_curve, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.morph import Course
from zolvek.core.model.plugin import reached, real
from zolvek.core.model.project import Device, Note, Project
from zolvek.core.model.source import Clip
from zolvek.core.model.state import StatePart
from zolvek.core.movement.morphing.morphs import chained
from zolvek.core.records import replace
from zolvek.core.value.reach import to_position
from zolvek.formats.project import project_file
from zolvek.sound.engine.offline import render
from zolvek.sound.hosting.catalogue import installed
from zolvek.sound.hosting.plugin.text_parameters import PLACES, ControlTexts, parameter_of
from zolvek.sound.hosting.windows.own_window import OwnWindow
from zolvek.sound.hosting.windows.window_messages import Closed, LastState, Moved, Report, WindowFailure
from zolvek.sound.jobs.plugin_description import describe_in_process

HEADERS = Path("/usr/share/juce/modules/juce_audio_processors/format_types/VST3_SDK")
SOURCE = Path(__file__).with_name("vst.cpp")
GAIN, TONE = "vst3:5A5A5A5A5A5A5A5A5A5A5A5A5A5A5A00", "vst3:5A5A5A5A5A5A5A5A5A5A5A5A5A5A5A01"
LATE = 100  # frames of the gain
CAN = HEADERS.is_dir() and shutil.which("c++")


def compiled(folder: Path) -> Path:
    """The bundle of the two plugins."""
    bundle = folder / "tests.vst3"
    inside = bundle / "Contents" / "x86_64-linux"
    inside.mkdir(parents=True)
    subprocess.run(
        [
            "c++",
            "-w",
            "-std=c++17",
            "-shared",
            "-fPIC",
            "-O1",
            "-DRELEASE",
            f"-I{HEADERS}",
            str(SOURCE),
            "-o",
            str(inside / "tests.so"),
            "-ldl",
        ],
        check=True,
    )
    return bundle


@contextmanager
def virtual_display() -> Iterator[None]:
    """An X server without a screen, for plugins' own windows."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-nolisten", "tcp"], pass_fds=(write,), stderr=subprocess.DEVNULL
    )
    os.close(write)
    try:
        with os.fdopen(read) as reported:
            display = f":{reported.readline().strip()}"
        with mock.patch.dict(os.environ, {"DISPLAY": display}):
            yield
    finally:
        server.terminate()
        server.wait()


class Read(unittest.TestCase):
    def test_texts_become_parameters(self) -> None:
        """What a control writes along its travel, its label, and where it stands -> taper, unit, lowest,
        highest, default as text; and every default comes back as the place it was."""
        n = np.linspace(0.0, 1.0, PLACES)
        cut = 20.0 * 1_000.0**n
        rows = (
            ([f"{v:.1f}" for v in -60 + 66 * n], "dB", 0.5, "linear", "dB", -60.0, 6.0, "−27.0 dB"),
            ([f"{v:.0f} Hz" if v < 1_000 else f"{v / 1_000:.2f} kHz" for v in cut], "", 0.5, "exponential", "Hz", 20.0,
                20_000.0, "632 Hz"),
            ([f"{v:.4f}" for v in 5 * (1_000**n - 1) / 999], "s", 0.5, "from-zero", "s", 0.0, 5.0, "153 ms"),
            (["-inf", *(f"{v:.2f}" for v in -90 + 90 * n[1:])], "dB", 1.0, "decibel", "dB", -88.59, 0.0, "0.0 dB"),
            ([f"{v:.2f}" for v in 2_000 * n**2], "ms", 0.5, "linear", "s", 0.0, 2.0, "500 ms"),
            ([f"{v:.0f} %" for v in 200 * n - 100], "", 0.25, "linear", "±%", -100.0, 100.0, "−50 %"),
            ([f"{v:.2f}" for v in 10 - 10 * n], "", 0.25, "linear", "", 0.0, 10.0, "7.5"),
            (["sharp", *("soft",) * (PLACES - 1)], "", 0.25, "linear", "%", 0.0, 100.0, "25 %"),
            ([f"{v:.0f} wobbles" for v in 100 * n], "", 0.5, "linear", "%", 0.0, 100.0, "50 %"),
        )  # fmt: skip
        for texts, label, default, taper, unit, low, high, shown in rows:
            reported = ControlTexts("X", 0, label, tuple(texts), default)
            parameter, binding = parameter_of(reported, "x")
            with self.subTest(texts[0] + texts[1]):
                self.assertEqual((parameter.taper, parameter.unit), (taper, unit))
                self.assertAlmostEqual(parameter.low, low, 1)
                self.assertAlmostEqual(parameter.high, high, 6)
                self.assertEqual(parameter.text(parameter.default_position), shown)
                value = parameter.value(parameter.default_position)
                self.assertAlmostEqual(float(reached(parameter, binding, value, 48e3)), default, 6)
                back = real(parameter, binding, default, 48e3)
                self.assertAlmostEqual(float(parameter.position(back)), parameter.default_position)
        switches: tuple[tuple[tuple[str, ...], str, tuple[str, ...]], ...] = (
            (("Off", "On"), "switch", ()),
            (("0.00", "1.00"), "switch", ()),
            (("Saw", "Sine"), "stepped", ("Saw", "Sine")),
            (("A", "A", ""), "stepped", ("A", "A 2", "…")),
        )
        for choice_texts, taper, choices in switches:
            parameter, binding = parameter_of(ControlTexts("X", 0, "", choice_texts, 1.0, len(choice_texts)), "x")
            self.assertEqual((parameter.taper, parameter.choices), (taper, choices))
            self.assertEqual(binding.values, tuple(np.linspace(0.0, 1.0, len(choice_texts))))


@unittest.skipUnless(CAN, "VST3's interface headers or a C++ compiler are not installed")
class Hosted(unittest.TestCase):
    made: tempfile.TemporaryDirectory[str]
    folder: Path
    bundle: Path
    kinds: dict[str, DeviceKind]

    @classmethod
    def setUpClass(cls) -> None:
        cls.made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.made.cleanup)
        cls.folder = Path(cls.made.name)
        cls.bundle = compiled(cls.folder / "here")
        place = mock.patch.dict(
            os.environ,
            {
                "VST3_PATH": str(cls.folder / "here"),
                "HOME": str(cls.folder),
                "XDG_CACHE_HOME": str(cls.folder / "cache"),
                "XDG_CONFIG_HOME": str(cls.folder / "config"),
            },
        )
        place.start()
        cls.addClassCleanup(place.stop)
        cls.kinds = {uri: describe_in_process(uri) for uri in (GAIN, TONE)}

    def project(self, uri: str, hosted: bool = True) -> tuple[Project, str]:
        """Eight beats at 120: noise through the effect, or the instrument with a note on each beat."""
        project, track = add_track(Project(length=8.0), "T")
        noise = self.folder / "noise.wav"
        if not noise.exists():
            sound = 0.2 * np.random.default_rng(5).standard_normal((192_000, 2))
            soundfile.write(noise, sound, 48_000, subtype="FLOAT")
        own = project.tracks[0]
        notes = tuple(Note(float(beat), 0.75, 57) for beat in range(8))
        own = replace(own, notes=notes) if uri == TONE else replace(own, clips=(Clip(0.0, str(noise)),))
        project = with_track(project, own)
        return add_device(project, track, self.kinds[uri]) if hosted else (project, "")

    def device(self, project: Project, key: str) -> Device:
        return project.device_track(key).device(key)

    def test_the_list_says_what_can_be_used_and_why_not(self) -> None:
        broken = self.folder / "here" / "broken.vst3"
        broken.write_text("no library")
        self.addCleanup(broken.unlink)
        found, _ = installed.installed()
        rows = {each.id: each for each in found if each.path.startswith(str(self.folder))}
        self.assertEqual(
            (rows[TONE].name, rows[TONE].role, rows[TONE].maker, rows[TONE].parameters),
            ("Test tone", "instrument", "Zolvek's tests", 7),
        )
        self.assertEqual(rows[GAIN].role, "effect")
        self.assertEqual([row.name for row in rows.values() if row.fault], ["broken"])
        with mock.patch("zolvek.sound.hosting.catalogue.scan.read", side_effect=AssertionError("read again")):
            self.assertEqual(installed.installed()[0], found)
        self.assertEqual(installed.found(f"{self.bundle}#Test tone").id, TONE)
        with self.assertRaisesRegex(ZolvekError, "several"):
            installed.found(str(self.bundle))
        with self.assertRaisesRegex(ZolvekError, "not a plugin"):
            installed.found(str(SOURCE))

    def test_its_own_description(self) -> None:
        kind = self.kinds[GAIN]
        shown = [(p.name, p.taper, p.unit, p.text(p.default_position)) for p in kind.parameters]
        self.assertEqual(
            shown,
            [
                ("Level", "linear", "dB", "0.0 dB"),
                ("Cutoff", "exponential", "Hz", "632 Hz"),
                ("Mode", "stepped", "", "Band"),
                ("On", "switch", "", "On"),
                ("Time", "linear", "s", "500 ms"),
                ("Drive", "linear", "", "0.25"),
                ("Bypass", "switch", "", "Off"),
            ],
        )
        self.assertEqual(kind.plugin and kind.plugin.hidden, ("plugin-bypass",))
        self.assertEqual(kind.plugin and (kind.plugin.version, kind.plugin.path), ("1.2.0", str(self.bundle)))

    def test_it_is_heard_exactly_and_waited_for(self) -> None:
        """The gain is 100 frames late and that is taken off; its level follows the lane every 64 frames, and
        at a jump."""
        project, device = self.project(GAIN)
        project, lane = add_lane(project, device, "level")
        way = lines([0.0, 3.0, 3.0, 8.0], [0.9, 0.4, 0.8, 0.8])
        project = with_curve(project, lane, way)
        plain = render(self.project(GAIN, hosted=False)[0])
        past = with_device(project, replace(self.device(project, device), bypassed=True))
        np.testing.assert_array_equal(render(past), plain)
        reported = render(project)
        frames = np.arange(reported.shape[1] - LATE)
        # The gain is applied as sound goes in, LATE frames before it comes out.
        cuts = frames // 64 * 64
        beats = np.where((frames >= 72_000) & (cuts < 72_000), 3.0, cuts / 24_000.0)
        level = self.kinds[GAIN].parameter("level").value(to_position(project.lane(lane).reach, way.at(beats)))
        wanted = plain[:, : len(frames)] * 10.0 ** (level / 20.0)
        self.assertLess(np.abs(reported[:, : len(frames)] - wanted).max(), 2e-6)

    def test_presets_morph_and_are_heard_the_same_twice(self) -> None:
        """From a dark to a bright state over four beats: the spectral centroid goes from one end's to the
        other's, and notes begin and end at their frames."""
        project, device = self.project(TONE)
        project = set_dial(project, device, "level", 0.5)
        for name, position in (("Dark", 0.0), ("Bright", 1.0)):
            values = stored_states.present(self.device(project, device)) | {"cutoff": position}
            project, _ = stored_states.kept(project, name, (StatePart(device, values),))
        states = project.states[-2:]
        morphed = chained(project, device, [(0.0, states[0].id), (8.0, states[1].id)], Course())
        first, second = render(morphed), render(morphed)
        np.testing.assert_array_equal(first, second)
        centres = []
        for beat in range(8):
            part = first[0, beat * 24_000 : beat * 24_000 + 12_000]
            power = np.abs(np.fft.rfft(part * np.hanning(len(part)))) ** 2
            centres.append(float((power * np.fft.rfftfreq(len(part), 1 / 48e3)).sum() / power.sum()))
        self.assertLess(centres[0], 250.0)  # A3 is 220 Hz; its eighth partial lies at 1,760
        self.assertGreater(centres[-1], 800.0)
        self.assertEqual(sorted(centres), centres)
        sounding = np.abs(first[0]) > 0.0
        self.assertEqual(int(np.flatnonzero(sounding[24_000:])[0]), 1)  # a sine begins at 0
        self.assertEqual(int(np.flatnonzero(sounding[:24_000])[-1]), 17_999)

    def test_its_state_is_kept_as_text(self) -> None:
        """The tone holds an octave that is no parameter: a preset file brings it, the project keeps it."""
        import pedalboard

        plain = pedalboard.VST3Plugin(str(self.bundle), plugin_name="Test tone")
        data = bytearray(plain.preset_data)
        # After a header of 48 bytes the component's state and the controller's, here the same: eight doubles,
        # of which the last is the octave (VST 3 Developer Portal, "Preset Format").
        for place in (48 + 56, 48 + 64 + 56):
            data[place : place + 8] = np.float64(1.0).tobytes()
        folder = self.folder / ".vst3" / "presets" / "Zolvek's tests" / "Test tone"
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "Octave up.vstpreset").write_bytes(bytes(data))
        kind = describe_in_process(TONE)
        self.assertIn("Octave up", [preset.name for preset in kind.presets])
        project, track = add_track(Project(length=8.0), "T")
        own = replace(project.tracks[0], notes=(Note(0.0, 0.75, 57),))
        project, device = hosted.added(with_track(project, own), track, kind)
        before = render(project)
        project = apply_preset(project, device, "Octave up")
        path = self.folder / "octave.zolvek"
        project_file.save(project, path)
        loaded = project_file.load(path)
        self.assertEqual(self.device(loaded, device), self.device(project, device))
        for sound, pitch in ((before, 220.0), (render(loaded), 440.0)):
            power = np.abs(np.fft.rfft(sound[0, :12_000] * np.hanning(12_000)))
            self.assertAlmostEqual(float(np.argmax(power)) * 4.0, pitch, delta=4.0)

    def test_without_a_window(self) -> None:
        """Listed, described, added from its file, morphed from preset to preset and rendered."""
        import pedalboard

        plain = pedalboard.VST3Plugin(str(self.bundle), plugin_name="Test tone")
        folder = self.folder / ".vst3" / "presets" / "Zolvek's tests" / "Test tone"
        folder.mkdir(parents=True, exist_ok=True)
        for name, bright in (("Dark", 0.0), ("Bright", 1.0)):
            plain._parameters[0].raw_value = 0.8
            plain._parameters[1].raw_value = bright
            plain.process([], 0.1, 48_000.0, 2, 512, False)
            (folder / f"{name}.vstpreset").write_bytes(bytes(plain.preset_data))
        one, two, three, out = (str(self.folder / each) for each in ("1.zolvek", "2.zolvek", "3.zolvek", "o.wav"))
        project, _ = add_track(Project(length=8.0), "Keys")
        own = replace(project.tracks[0], notes=tuple(Note(float(b), 0.75, 57) for b in range(8)))
        project_file.save(with_track(project, own), one)
        tone = f"{self.bundle}#Test tone"
        lines_ = (
            ("plugins", "tone", "--json"),
            ("devices", "--plugin", tone),
            ("add-device", one, "--track", "Keys", "--plugin", tone, "--preset", "Dark", "-o", two),
            ("states", two),
            ("morph", two, "--device", "keys-test-tone", "--from", "Dark", "--to", "Bright", "--span", "1", "3", "-o",
                three),
            ("render", three, "-o", out),
        )  # fmt: skip
        said = {}
        for line in lines_:
            done = CliRunner().invoke(zolvek, list(line), catch_exceptions=False)
            self.assertEqual(done.exit_code, 0, f"{line}: {done.output}")
            said[line[0]] = done.stdout
        self.assertIn(TONE, [row["id"] for row in json.loads(said["plugins"])])
        self.assertEqual(json.loads(said["devices"])["device"]["name"], "Test tone")
        self.assertIn("Bright", said["states"])
        sound = soundfile.read(out)[0][:, 0]
        power = [np.abs(np.fft.rfft(part[:12_000]))[[55, 440]] for part in (sound[:24_000], sound[168_000:])]
        # Of 4 Hz each: the fundamental, 220 Hz, and the partial that Cutoff brings in.
        self.assertLess(power[0][1] / power[0][0], 0.1)
        self.assertGreater(power[1][1] / power[1][0], 0.5)
        with self.assertRaisesRegex(ZolvekError, "no preset"):
            CliRunner().invoke(
                zolvek,
                ["add-device", one, "--track", "K", "--plugin", tone, "--preset", "No", "-o", two],
                catch_exceptions=False,
            )

    def test_a_crash_is_outlived(self) -> None:
        project, device = self.project(TONE)
        project, lane = add_lane(project, device, "drive")
        project = with_curve(project, lane, lines([0.0, 0.2, 0.2], [0.0, 0.0, 1.0]))
        reported, left_out = heard_on(self, project, 1.0)
        self.assertIn("Test tone", reported[0].what)
        self.assertIn(device, left_out)

    @unittest.skipUnless(shutil.which("Xvfb"), "Xvfb is not installed")
    def test_its_own_window_reports_what_is_moved(self) -> None:
        """The plugin's window turns its level to 0.75 as soon as it is seen."""
        project, device = self.project(TONE)
        news: list[Report] = []
        with virtual_display():
            window = OwnWindow(self.device(project, device), news.append)
            self.addCleanup(window.close)
            self.until(lambda: bool(news))
            moved = news[0]
            assert isinstance(moved, Moved)
            self.assertEqual(list(moved.positions), ["level"])
            self.assertAlmostEqual(moved.positions["level"], 0.75, 6)
            window.leave()
            self.until(lambda: len(news) == 3)
        self.assertEqual([type(report) for report in news[1:]], [LastState, Closed])
        with mock.patch.dict(os.environ, {"DISPLAY": ""}):
            news.clear()
            window = OwnWindow(self.device(project, device), news.append)
        self.addCleanup(window.close)
        self.until(lambda: len(news) == 2)
        self.assertEqual([type(report) for report in news], [WindowFailure, Closed])

    def until(self, so: object, seconds: float = 30.0) -> None:
        began = time.monotonic()
        while not so():  # type: ignore[operator]  # a function
            self.assertLess(time.monotonic() - began, seconds)
            time.sleep(0.02)


if __name__ == "__main__":
    unittest.main()
