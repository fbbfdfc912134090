# SPDX-License-Identifier: GPL-3.0-or-later
"""LV2 plugins: what they say as parameters, what they give against another host, and what they do at their
worst. Plugins: those of the LV2 specification (lv2-examples) and mda-lv2, from Debian."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import tempfile
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import soundfile

from benchmarks.evil_plugins import FORKS, HEAD, PORT, SEE, SOURCE, compiled, harmed
from tests.present import present
from zolvek.core.curve.construction import lines
from zolvek.core.edits import plugin_update, plugins, states
from zolvek.core.edits.chains import add_device, add_track, apply_preset, remove_track
from zolvek.core.edits.replacement import add_lane, set_dial, with_curve, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.morph import Course
from zolvek.core.model.project import Note, Project
from zolvek.core.model.source import Clip
from zolvek.core.movement.morphing.morphs import chained
from zolvek.core.records import replace
from zolvek.formats.audio.sound_writer import SoundFormat
from zolvek.formats.device_file import kind_from_plain, plain
from zolvek.formats.project import project_file
from zolvek.sound.engine.device_registry import LEFT_OUT
from zolvek.sound.engine.offline import render
from zolvek.sound.engine.renderer import Renderer
from zolvek.sound.hosting.catalogue import installed
from zolvek.sound.hosting.lv2.lv2_instance import Instance
from zolvek.sound.hosting.plugin.port_parameters import Port, parameter_of
from zolvek.sound.jobs import plugin_listing
from zolvek.sound.jobs.mix_export import export_in_process
from zolvek.sound.jobs.plugin_description import describe_in_process
from zolvek.sound.playback.playback import Playback
from zolvek.sound.playback.silent_clock import SilentClock
from zolvek.sound.processes.job_messages import Job
from zolvek.sound.processes.job_process import run_in_process

MDA = "http://drobilla.net/plugins/mda/"
AMP = "http://lv2plug.in/plugins/eg-amp"
THERE = all(Path(f"/usr/lib/lv2/{name}.lv2").is_dir() for name in ("mda", "eg-amp")) and shutil.which("lv2apply")


def apart(project: Project) -> np.ndarray:
    """Rendered in a process of its own, which looks for plugins again."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "out.wav"
        work = project, out, SoundFormat(depth="float"), None, False, False, False, True, 0.0
        run_in_process(Job("zolvek.sound.jobs.mix_export:job", work), lambda *_: None)
        return soundfile.read(out, always_2d=True)[0].T


def heard_on(test: unittest.TestCase, project: Project, beat: float) -> tuple[list[ZolvekError], dict[str, str]]:
    """The project played until a beat: what is given meanwhile, and the devices that are left out."""
    reported: list[ZolvekError] = []
    playback = Playback(project)
    playback.on_loss = lambda error, _: reported.append(error)
    clock = SilentClock(playback)
    clock.start()
    try:
        playback.play(0.0)
        began = time.monotonic()
        while playback.beat < beat or not playback.begun:
            test.assertLess(time.monotonic() - began, 40.0, f"no sound any more: {reported}")
            time.sleep(0.01)
        test.assertTrue(playback.playing)
        return reported, playback.left_out
    finally:
        clock.close()
        playback.close()


class Described(unittest.TestCase):
    def test_ports_become_parameters_row_by_row(self) -> None:
        """Port (low, high, default and what else it says) -> taper, unit, lowest, highest, default as text."""
        rows: tuple[tuple[dict[str, Any], str, str, str], ...] = (
            ({"low": 0, "high": 1, "default": 1, "toggled": True}, "switch", "", "On"),
            ({"low": 0, "high": 1, "default": 0, "integer": True}, "switch", "", "Off"),
            ({"low": 0, "high": 2, "default": 1, "enumeration": True, "points": ((0, "Saw"), (1, "Sine"), (2, "Off"))},
                "stepped", "", "Sine"),
            ({"low": 0, "high": 1, "default": 0.33, "enumeration": True, "points": ((0.0, "A"), (0.33, "B"), (0.66,
                "C"))}, "stepped", "", "B"),
            ({"low": 1, "high": 16, "default": 4, "integer": True}, "stepped", "", "4"),
            ({"low": 0, "high": 2_000, "default": 400, "integer": True}, "linear", "", "400"),
            ({"low": 20, "high": 20_000, "default": 440, "logarithmic": True, "unit": "hz"}, "exponential", "Hz",
                "440 Hz"),
            ({"low": 0, "high": 5, "default": 0.25, "logarithmic": True, "unit": "s"}, "from-zero", "s", "250 ms"),
            ({"low": 0, "high": 500, "default": 20, "unit": "ms"}, "linear", "s", "20 ms"),
            ({"low": 0.02, "high": 20, "default": 1, "unit": "khz", "logarithmic": True}, "exponential", "Hz", "1 kHz"),
            ({"low": -50, "high": 50, "default": 25, "unit": "cent"}, "linear", "st", "+0.25 st"),
            ({"low": -2, "high": 2, "default": 1, "unit": "oct"}, "linear", "st", "+12 st"),
            ({"low": -100, "high": 100, "default": -20, "unit": "pc"}, "linear", "±%", "−20 %"),
            ({"low": 0, "high": 0.5, "default": 0.01, "by_rate": True, "logarithmic": True}, "from-zero", "Hz",
                "480 Hz"),
            ({"low": 0, "high": 0.5, "default": 480, "by_rate": True}, "from-zero", "Hz", "480 Hz"),
            ({"low": 0, "high": 2, "default": 1, "logarithmic": True, "name": "Output gain"}, "decibel", "dB",
                "0.0 dB"),
            ({"low": 0.5, "high": 2, "default": 1, "logarithmic": True, "name": "Gain"}, "linear", "dB", "0.0 dB"),
            ({"low": 0, "high": 1_000, "default": 1, "logarithmic": True, "unit": "G"}, "decibel", "dB", "0.0 dB"),
            ({"low": 0, "high": 2, "default": 0.5, "name": "Volume"}, "decibel", "dB", "−6.0 dB"),
            ({"low": 0, "high": 2, "default": 1, "name": "Np", "unit": "Np"}, "linear", "dB", "+8.7 dB"),
            ({"low": 20, "high": 20_000, "default": 200, "name": "Cutoff"}, "exponential", "Hz", "200 Hz"),
            ({"low": 0, "high": 20_000, "default": 200, "name": "LP freq"}, "from-zero", "Hz", "200 Hz"),
            ({"low": 10, "high": 20_000, "default": 1_000, "unit": "hz"}, "exponential", "Hz", "1 kHz"),
            ({"low": 200, "high": 2_000, "default": 440, "unit": "hz"}, "linear", "Hz", "440 Hz"),
            ({"low": 0, "high": 8, "default": 1, "unit": "bar"}, "linear", "bars", "1 bar"),
            ({"low": 0, "high": 8, "default": 0, "unit": "hz", "points": ((0.0, "Off"), (8.0, "Fast"))}, "linear", "Hz",
                "Off"),
            ({"low": -60, "high": 60, "default": 20, "unit": "°C"}, "linear", "°C", "20 °C"),
            ({"low": 0, "high": 360, "default": 90, "unit": "degree"}, "linear", "°", "90 °"),
            ({"low": 0, "high": 1_000, "default": 100, "name": "Time (ms)"}, "linear", "s", "100 ms"),
            ({"low": -60, "high": 6, "default": -6, "name": "Level [dB]"}, "linear", "dB", "−6.0 dB"),
            ({"low": float("nan"), "high": float("inf"), "default": float("nan")}, "linear", "", "0"),
            ({"low": 1, "high": 0, "default": 5}, "linear", "", "5"),
        )  # fmt: skip
        for reported, taper, unit, shown in rows:
            named: dict[str, Any] = {"symbol": "x", "index": 0, "name": "X"}
            port = Port(**(named | reported))
            parameter, binding = parameter_of(port, "x")
            with self.subTest(reported):
                self.assertEqual((parameter.taper, parameter.unit), (taper, unit))
                self.assertEqual(parameter.text(parameter.default_position), shown)
                back = float(binding.port(parameter.value(parameter.default_position), 48_000.0))
                wanted = reported["default"] if np.isfinite(reported["default"]) else 0.0
                if reported.get("by_rate"):
                    wanted = 0.01
                self.assertAlmostEqual(back, wanted, delta=1e-6 * max(1.0, abs(wanted)))
                self.assertAlmostEqual(parameter.parse(shown.lower()), parameter.default_position, delta=0.005)

    @unittest.skipUnless(THERE, "mda-lv2, lv2-examples and lilv-utils are not installed")
    def test_every_installed_plugin_keeps_its_defaults_and_says_what_lv2info_says(self) -> None:
        from zolvek.sound.hosting.catalogue.loading import kind_of
        from zolvek.sound.hosting.lv2.lv2_description import describe
        from zolvek.sound.hosting.lv2.lv2_folders import bundles
        from zolvek.sound.hosting.lv2.lv2_world import World

        world = World(bundles())
        count = 0
        for plugin in world.plugins():
            try:
                kind = describe(world, plugin)
            except ZolvekError:
                continue
            count += 1
            assert kind.plugin is not None
            for key, binding in kind.plugin.ports.items():
                parameter = kind.parameter(key)
                port = float(binding.port(parameter.value(parameter.default_position), 48_000.0))
                wanted = float(binding.port(np.array(max(parameter.default, -1e11)), 48_000.0))
                self.assertAlmostEqual(port, wanted, delta=1e-5 * max(1.0, abs(wanted)), msg=f"{kind.name} {key}")
            self.assertEqual(kind_from_plain(plain(kind)).parameters, kind.parameters)
        self.assertGreater(count, 30)
        for name in ("Delay", "JX10", "Leslie"):
            kind = kind_of(MDA + name)
            reported = subprocess.run(["lv2info", MDA + name], capture_output=True, text=True, check=True).stdout
            found = re.findall(
                r"Symbol:\s+(\S+)\n\s+Name:\s+(.+?)\n(?:\s+Minimum:\s+(\S+)\n\s+Maximum:\s+(\S+)\n\s+Default:\s+(\S+))?",
                reported,
            )
            assert kind.plugin is not None
            bound = {binding.symbol: key for key, binding in kind.plugin.ports.items()}
            for symbol, label, low, high, default in found:
                if symbol not in bound or not low:
                    continue
                parameter, binding = kind.parameter(bound[symbol]), kind.plugin.ports[bound[symbol]]
                self.assertEqual(parameter.name, label)
                ends = [
                    float(binding.port(parameter.value(end), 48_000.0))
                    for end in (0.0, 1.0, parameter.default_position)
                ]
                np.testing.assert_allclose(ends, [float(low), float(high), float(default)], atol=1e-5)


@unittest.skipUnless(THERE, "mda-lv2, lv2-examples and lilv-utils are not installed")
class Hosted(unittest.TestCase):
    def setUp(self) -> None:
        from zolvek.sound.hosting.catalogue.loading import kind_of

        self.kind_of = kind_of
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def through(self, uri: str, controls: dict[str, float], sound: np.ndarray) -> np.ndarray:
        """A sound through a plugin of ours with ports at these values."""
        path = self.folder / "in.wav"
        soundfile.write(path, sound, 48_000, subtype="FLOAT")
        kind = self.kind_of(uri)
        project, track = add_track(Project(length=4.0), "T")
        project = with_track(project, replace(project.tracks[0], clips=(Clip(0.0, str(path)),)))
        project, device = add_device(project, track, kind)
        assert kind.plugin is not None
        for key, port in controls.items():
            parameter, binding = kind.parameter(key), kind.plugin.ports[key]
            project = set_dial(project, device, key, float(parameter.position(binding.value(port, 48_000.0))))
        return render(project, 0.0, 4.0)

    def test_it_gives_what_another_host_gives(self) -> None:
        rng = np.random.default_rng(0)
        for uri, controls, sides in (
            (AMP, {"gain": -6.0}, 1),
            (MDA + "Overdrive", {"drive": 0.6, "muffle": 0.3, "output": 0.5}, 2),
        ):
            sound = (0.3 * rng.normal(0, 1, (48_000, sides))).clip(-0.9, 0.9).astype(np.float32)
            ours = self.through(uri, controls, sound)
            out = self.folder / "theirs.wav"
            words = [w for key, value in controls.items() for w in ("-c", key, str(value))]
            subprocess.run(
                ["lv2apply", "-i", str(self.folder / "in.wav"), "-o", str(out), *words, uri],
                check=True,
                capture_output=True,
            )
            theirs = soundfile.read(out, dtype="float32", always_2d=True)[0]
            for side in range(sides):
                np.testing.assert_allclose(ours[side, :48_000], theirs[:48_000, side], atol=1e-6, err_msg=uri)

    def song(self, uri: str) -> tuple[Project, str]:
        project, track = add_track(Project(length=16.0), "S")
        project, device = plugins.added(project, track, self.kind_of(uri))
        notes = tuple(Note(float(b), 0.9, 45 + b % 12) for b in range(16))
        return with_track(project, replace(project.tracks[0], notes=notes)), device

    def test_presets_are_states_and_a_morph_of_them_is_what_the_ports_get(self) -> None:
        """Values read back at every block are those of the lanes within float32; twice the same; the
        spectral centroid moves from one end's to the other's."""
        project, device = self.song(MDA + "JX10")
        names = [state.name for state in project.states if state.of(device)]
        self.assertGreater(len(names), 8)
        ends = [next(s for s in project.states if s.name == n) for n in ("5th Sweep Pad", "303 Saw Bass")]
        still = [render(states.set_to(project, state), 0.0, 8.0) for state in ends]
        made = chained(project, device, [(0.0, ends[0].id), (8.0, ends[1].id)], Course())
        own = made.device_track(device).device(device)
        assert own.row.plugin is not None
        lanes = {lane.parameter: lane for lane in made.lanes() if lane.device == device}
        self.assertGreater(len(lanes), 5)
        seen: list[np.ndarray] = []
        run = Instance.run

        def watched(self: Instance, frames: int, messages: list, positions: list) -> None:
            seen.append(self.controls.copy())
            run(self, frames, messages, positions)

        with mock.patch.object(Instance, "run", watched):
            first = render(made, 0.0, 8.0)
        at = made.tempo.beats(np.arange(len(seen)) * 64 / 48_000)
        for key, lane in lanes.items():
            binding = own.row.plugin.ports[key]
            wanted = binding.port(own.parameter(key).value(lane.at(at)), 48_000.0).astype(np.float32)
            got = np.array([row[binding.index] for row in seen])
            np.testing.assert_allclose(got, wanted, atol=1e-6, err_msg=key)
        np.testing.assert_array_equal(first, render(made, 0.0, 8.0))

        def centroid(x: np.ndarray) -> float:
            size = np.abs(np.fft.rfft(x[0]))
            return float((size * np.arange(size.size)).sum() / size.sum())

        quarter = first.shape[1] // 8
        begin, end = centroid(first[:, :quarter]), centroid(first[:, -quarter:])
        low, high = centroid(still[0][:, :quarter]), centroid(still[1][:, -quarter:])
        self.assertEqual(np.sign(end - begin), np.sign(high - low))

    def test_a_note_sounds_at_its_frame_and_pieces_change_nothing(self) -> None:
        project, _ = self.song(MDA + "DX10")
        late = with_track(project, replace(project.tracks[0], notes=(Note(1.0, 1.0, 60),)))
        sound = render(late, 0.0, 4.0)[0]
        begins = int(np.flatnonzero(np.abs(sound) > 1e-6)[0])
        self.assertLess(abs(begins - 24_000), 64)
        whole = render(project, 0.0, 8.0)
        pieces = Renderer(project)
        pieces.seek(0.0)
        found = np.concatenate([pieces.render(1_344) for _ in range(140)], axis=1)
        np.testing.assert_allclose(found, whole[:, : found.shape[1]], atol=1e-6)

    def test_a_project_opens_without_the_plugin_and_keeps_everything(self) -> None:
        project, device = self.song(MDA + "JX10")
        project, lane = add_lane(project, device, "vcf_freq")
        path = self.folder / "p.zolvek"
        project_file.save(project, path)
        own = project_file.load(path)
        self.assertEqual(own, project)
        gone = own.device_track(device).device(device)
        kind = replace(gone.row, plugin=replace(present(gone.row.plugin), uri="http://nowhere/none"))
        track = own.tracks[0]
        devices = tuple(replace(d, described=kind, kind=kind.key) if d.id == device else d for d in track.devices)
        missing = with_track(own, replace(track, devices=devices))
        self.addCleanup(LEFT_OUT.clear)
        self.assertEqual(float(np.abs(render(missing, 0.0, 2.0)).max()), 0.0)
        self.assertIn("not installed", LEFT_OUT[device])
        self.assertTrue(with_curve(missing, lane, lines([0.0, 4.0], [0.0, 1.0])).has_lane(lane))

    def test_a_version_with_its_ports_in_another_order_sounds_as_before(self) -> None:
        """The project holds older indices, a parameter that is gone, another range, and lacks one."""
        project, device = self.song(MDA + "JX10")
        own = project.device_track(device).device(device)
        plugin, row = own.row.plugin, own.row
        ports = {key: replace(b, index=900 - b.index) for key, b in present(plugin).ports.items()}
        other, *_, lost = ports
        gone = "gone"
        del ports[lost]
        ports[gone] = replace(ports[other], symbol="gone", index=3)
        parameters = tuple(p for p in row.parameters if p.id != lost)
        wider = replace(parameters[0], high=parameters[0].high * 2.0)
        older = replace(
            row,
            parameters=(wider, *parameters[1:], replace(parameters[0], id=gone, name="Gone")),
            plugin=replace(present(plugin), ports=ports, outputs=(0,), events=1),
        )
        self.assertEqual(
            plugins.changes(older, row),
            [
                f"{wider.name} was {wider.text(0.0)} to {wider.text(1.0)} and is "
                f"{wider.text(0.0)} to {parameters[0].text(1.0)}.",
                "Gone is no longer there.",
                "1 parameter is new.",
            ],
        )
        self.assertEqual(plugins.changes(row, row), [])
        listed = plugin_listing.job(lambda *_: None, (row, older))
        self.assertEqual([name for name, _ in listed.changed], [row.name])
        wide = wider.position(parameters[0].default)
        values = {k: v for k, v in own.values.items() if k != lost} | {other: float(wide)}
        first = project.device_track(device)
        before = render(project, 0.0, 4.0)
        self.assertGreater(float(np.abs(before).max()), 0.01)
        highest = set_dial(project, device, other, 1.0)
        for more, wanted in (({}, before), ({other: 1.0}, render(highest, 0.0, 4.0))):
            # What lies beyond the range that is there is kept to it.
            at = replace(own, described=older, values=values | more)
            devices = tuple(at if each.id == device else each for each in first.devices)
            now = with_track(project, replace(first, devices=devices))
            np.testing.assert_allclose(render(now, 0.0, 4.0), wanted, atol=1e-6)
        # Brought up to the installed description: values, points and what they sound like stay; by octaves now.
        octaves = replace(parameters[0], low=parameters[0].high / 1_000.0, taper="exponential")
        there = replace(row, parameters=(octaves, *row.parameters[1:]))
        now = with_track(now, replace(now.device_track(device), devices=devices))
        now, lane = add_lane(now, device, other)
        now = with_curve(now, lane, lines([0.0, 2.0, 4.0], wide.item() * np.array([0.4, 0.9, 0.6])))
        new = plugin_update.updated(now, device, there)
        then, drawn = new.lane(lane), now.lane(lane)
        old_values = wider.value(drawn.at(drawn.curve.beat))
        np.testing.assert_allclose(octaves.value(then.at(then.curve.beat)), old_values, rtol=1e-9)
        kept = new.device_track(device).device(device)
        self.assertEqual({"gone", lost} <= {p.id for p in kept.parameters}, True)
        self.assertEqual(len(kept.row.parameters), len(row.parameters) + 1)
        with self.assertRaisesRegex(ZolvekError, "up to date"):
            plugin_update.updated(new, device, there)

    def test_the_list_is_kept_until_a_bundle_changes(self) -> None:
        with mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder)}):
            found, _ = installed.installed()
            self.assertTrue(any(each.name == "MDA JX10" and each.role == "instrument" for each in found))
            self.assertTrue(any(each.fault for each in found), "those that can't be used are listed too")
            with mock.patch("zolvek.sound.hosting.catalogue.scan.read", side_effect=AssertionError("read again")):
                self.assertEqual(installed.installed()[0], found)


@unittest.skipUnless(THERE and shutil.which("cc"), "mda-lv2 or a C compiler is not installed")
class Evil(unittest.TestCase):
    """Each way of misbehaving: sound goes on, it is said, the project is whole."""

    made: tempfile.TemporaryDirectory[str]
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        cls.made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.made.cleanup)
        cls.folder = Path(cls.made.name)
        compiled(cls.folder)

    def test_what_it_holds_and_whom_it_listens_to(self) -> None:
        """A bundle that lies elsewhere is taken by hand; its preset's state beyond ports goes through the
        project file; its side-chain takes in another track, which plays first wherever it stands."""
        bundle, uri = self.folder / "elsewhere" / "held.lv2", "http://zolvek.org/held"
        bundle.mkdir(parents=True)
        source = SOURCE.with_name("held.c")
        subprocess.run(["cc", "-w", "-shared", "-fPIC", "-O1", str(source), "-o", str(bundle / "e.so")], check=True)
        prefixes = (
            HEAD
            + "@prefix pset: <http://lv2plug.in/ns/ext/presets#> . @prefix state: <http://lv2plug.in/ns/ext/state#> . "
            "@prefix rdfs: <http://www.w3.org/2000/01/rdf-schema#> .\n"
        )
        (bundle / "manifest.ttl").write_text(
            f"{prefixes}<{uri}> a lv2:Plugin ; lv2:binary <e.so> ; {SEE} <e.ttl> .\n"
            f'<{uri}#twice> a pset:Preset ; lv2:appliesTo <{uri}> ; rdfs:label "Twice" ; {SEE} <e.ttl> .\n'
        )
        ports = [
            PORT.format(kinds=f"AudioPort, lv2:{kind}Port", n=n, s=s, more=more)
            for kind, n, s, more in (
                ("Input", 0, "in", ""),
                ("Output", 1, "out", ""),
                ("Input", 2, "side", "; lv2:portProperty lv2:isSideChain "),
            )
        ]
        (bundle / "e.ttl").write_text(
            f'{prefixes}<{uri}> a lv2:Plugin ; doap:name "Held" ; lv2:requiredFeature '
            f"<http://lv2plug.in/ns/ext/log#log> ; {' ; '.join(ports)} .\n"
            f"<{uri}#twice> a pset:Preset ; lv2:appliesTo <{uri}> ; state:state [ <{uri}#louder> "
            f'"2.0"^^<http://www.w3.org/2001/XMLSchema#float> ] .\n'
        )
        listed = run_in_process(
            Job("zolvek.sound.hosting.catalogue.installed:add", (str(bundle / "manifest.ttl"),)),
            lambda *_: None,
        )
        self.assertEqual([(each.id, each.path) for each in listed], [(uri, str(bundle))])
        kind = describe_in_process(uri)
        self.assertEqual([preset.name for preset in kind.presets], ["Twice"])
        sounds = []
        for name, level in (("One", 0.125), ("Two", 0.25)):
            path = self.folder / f"{name}.wav"
            soundfile.write(path, np.full(48_000, level), 48_000, subtype="FLOAT")
            sounds.append(str(path))
        project, first = add_track(Project(length=2.0), "One")
        project, second = add_track(project, "Two")
        for key, sound in zip((first, second), sounds, strict=True):
            track = next(t for t in project.tracks if t.id == key)
            project = with_track(project, replace(track, clips=(Clip(0.0, sound),)))
        project, device = add_device(project, first, kind)
        project = plugins.listening(project, device, second)
        with self.assertRaisesRegex(ZolvekError, "feedback loop"):
            other, twin = add_device(project, second, kind)
            plugins.listening(other, twin, first)
        path = self.folder / "held.zolvek"
        for wanted, made in (
            (0.125 + 0.25 + 0.25, project),
            (2 * 0.125 + 0.25 + 0.25, apply_preset(project, device, "Twice")),
            (0.125 + 0.25, plugins.listening(project, device, "")),
            (0.125, remove_track(project, second)),
        ):
            project_file.save(made, path)
            np.testing.assert_allclose(apart(project_file.load(path))[0, 1_000:40_000], wanted, atol=1e-6)  # fmt: skip

    def setUp(self) -> None:
        own = {
            "LV2_PATH": f"{self.folder}:/usr/lib/lv2",
            "XDG_CONFIG_HOME": str(self.folder / "config"),
        }
        place = mock.patch.dict(os.environ, own)
        place.start()
        self.addCleanup(place.stop)

    def project(self, way: int) -> tuple[Project, str]:
        late = lines([0.0, 0.2, 0.2], [0.0, 0.0, 1.0])
        return harmed(f"http://zolvek.org/evil#{way}", 64.0, late)

    def test_ten_ways_to_misbehave(self) -> None:
        """Four at a time: most of it is waiting."""
        with (
            mock.patch("zolvek.sound.playback.playback.SPARE_WORKER_DELAY_S", 600.0),
            ThreadPoolExecutor(4) as pool,
        ):
            for done in [pool.submit(self.played, index) for index in range(10)]:
                done.result()

    def test_closing_waits_for_nobodys_child(self) -> None:
        """A plugin forks; its child holds the pipes of the process for a minute."""
        (uri,) = compiled(self.folder, [FORKS])
        project, _ = harmed(uri, 16.0, lines([0.0, 16.0], [0.0, 0.0]))
        playback = Playback(project)
        clock = SilentClock(playback)
        clock.start()
        playback.play(0.0)
        began = time.monotonic()
        while not playback.begun:
            self.assertLess(time.monotonic() - began, 40.0)
            time.sleep(0.01)
        began = time.monotonic()
        clock.close()
        playback.close()
        self.assertLess(time.monotonic() - began, 8.0)
        out = self.folder / "forks.wav"
        began = time.monotonic()
        export_in_process(project, out, span=(0.0, 1.0), tail=False)
        self.assertLess(time.monotonic() - began, 30.0)
        self.assertTrue(out.exists())

    def played(self, way: int) -> None:
        project, device = self.project(way)
        reported, left_out = heard_on(self, project, 1.0)
        if way in (
            0,
            1,
            2,
            5,
            7,
            8,
            9,
        ):  # it took the process with it, or held it up
            # On a busy machine the engine may be restarted once more, for a silence that is nobody's fault.
            named = [error for error in reported if "Evil" in error.what]
            self.assertTrue(named, reported)
            self.assertIn(device, left_out)
            self.assertTrue(named[0].remedy)


if __name__ == "__main__":
    unittest.main()
