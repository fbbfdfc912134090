# SPDX-License-Identifier: GPL-3.0-or-later
"""Code that comes with a project never runs, and a bundle that is broken takes no other with it. Bundles written
here: one whose library leaves a file behind when it is loaded, one with a dynamic manifest, and broken ones."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from benchmarks.evil_plugins import HEAD, PORT, SEE
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.formats.project import project_file
from zolvek.sound.hosting.catalogue import installed, scan
from zolvek.sound.hosting.lv2.host_features import inside
from zolvek.sound.hosting.plugin import plugin_folders, work_mark
from zolvek.sound.jobs.plugin_description import describe_in_process
from zolvek.storage.python_process import command, environment

LOADED = """#include <stdio.h>
#include <stdlib.h>
__attribute__((constructor)) static void ran(void) {{ FILE* f = fopen("{ran}", "w"); if (f) fclose(f); }}
const void* lv2_descriptor(unsigned n) {{ return 0; }}
const void* lv2_dyn_manifest_open(void** handle, const void* features) {{ *handle = 0; return 0; }}
"""
MIDI = "; <http://lv2plug.in/ns/ext/atom#supports> <http://lv2plug.in/ns/ext/midi#MidiEvent>"
BEYOND = (
    "; <http://lv2plug.in/ns/ext/patch#writable> <urn:zolvek:test:file> "
    "; <http://lv2plug.in/ns/extensions/ui#ui> <urn:zolvek:test:ui>"
)
FILE = "<urn:zolvek:test:file> <http://www.w3.org/2000/01/rdf-schema#range> <http://lv2plug.in/ns/ext/atom#Path> .\n"
GTK = (
    "<urn:zolvek:test:ui> a <http://lv2plug.in/ns/extensions/ui#GtkUI> ; "
    "<http://lv2plug.in/ns/extensions/ui#binary> <x.so> .\n"
)
TREMBLE = "urn:zolvek:test:tremble"
JX10 = "http://drobilla.net/plugins/mda/JX10"


def bundle(folder: Path, uri: str, ran: Path, more: str = "") -> Path:
    """A bundle whose library leaves the file `ran` behind when it is loaded."""
    folder.mkdir(parents=True)
    source = folder / "e.c"
    source.write_text(LOADED.format(ran=ran))
    subprocess.run(["cc", "-w", "-shared", "-fPIC", str(source), "-o", str(folder / "e.so")], check=True)
    ports = " ; ".join(
        PORT.format(kinds=f"{kind}Port, lv2:{way}Port", n=n, s=s, more="")
        for n, (kind, way, s) in enumerate((("Audio", "Input", "in"), ("Audio", "Output", "out")))
    )
    (folder / "manifest.ttl").write_text(f"{HEAD}<{uri}> a lv2:Plugin ; lv2:binary <e.so> ; {SEE} <e.ttl> .\n{more}")
    (folder / "e.ttl").write_text(f'{HEAD}<{uri}> a lv2:Plugin ; doap:name "Tremble" ; {ports} .\n')
    return folder


class Trust(unittest.TestCase):
    def setUp(self) -> None:
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name).resolve()
        self.own, self.mail = self.folder / "own", self.folder / "mail"
        self.own.mkdir()
        self.ran = self.folder / "ran"
        place = mock.patch.dict(
            os.environ,
            {
                "LV2_PATH": f"{self.own}:/usr/lib/lv2",
                "VST3_PATH": str(self.own),
                "XDG_CACHE_HOME": str(self.folder / "cache"),
                "XDG_CONFIG_HOME": str(self.folder / "config"),
            },
        )
        place.start()
        self.addCleanup(place.stop)
        cleared = mock.patch.dict(installed._bundles, clear=True)
        cleared.start()
        self.addCleanup(cleared.stop)

    def kind(self, uri: str = TREMBLE) -> DeviceKind:
        """The kind of the plugin that does no harm, described from one's own folder."""
        if not (self.own / "tremble.lv2").exists():
            bundle(self.own / "tremble.lv2", TREMBLE, self.folder / "ran by oneself")
        kind = describe_in_process(TREMBLE)
        assert kind.plugin is not None
        return replace(kind, plugin=replace(kind.plugin, uri=uri))

    def zolvek(self, *words: str, cwd: Path | None = None) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            command("zolvek", *words),
            capture_output=True,
            text=True,
            check=False,
            cwd=cwd,
            env=environment(),
        )

    def project(self, path: str, uri: str) -> Project:
        kind = self.kind()
        assert kind.plugin is not None
        project, track = add_track(Project(length=1.0), "T")
        named = replace(kind, plugin=replace(kind.plugin, uri=uri, path=path))
        return add_device(project, track, named)[0]

    def test_no_path_of_a_project_is_ever_loaded(self) -> None:
        """By an absolute path, one next to the project, one that shadows an installed plugin, one out of a .zip, a
        VST3 file: rendered, played and listed, and nothing has run."""
        foreign = "urn:zolvek:test:foreign"
        beside = bundle(self.mail / "x.lv2", foreign, self.ran)
        shadow = bundle(self.mail / "jx10.lv2", JX10, self.ran)
        shutil.copy(beside / "e.so", self.mail / "x.vst3")
        self.kind()
        shutil.rmtree(self.own / "tremble.lv2")
        for path, uri, there in (
            (str(beside), foreign, False), ("x.lv2", foreign, False), (str(shadow), JX10, True),
            (str(self.mail / "x.vst3"), "vst3:" + "0" * 32, False), ("x" * 5_000, foreign, False),
        ):  # fmt: skip
            with self.subTest(path[:60]):
                kind = self.kind_of_record(path, uri)
                project, track = add_track(Project(length=1.0), "T")
                project, _ = add_device(project, track, kind)
                file = self.mail / "song.zolvek"
                project_file.save(project, file)
                out = self.mail / "out.wav"
                done = self.zolvek("render", str(file), "-o", str(out), cwd=self.mail)
                self.assertEqual(done.returncode, 0 if there else 1, done.stderr)
                if not there:
                    self.assertIn("not installed here", done.stderr)
                    self.assertIn("zolvek plugins --add", done.stderr)
                self.assertLess(len(done.stderr), 1_000)
                played = self.zolvek("play", str(file), "--out", "silent", cwd=self.mail)
                self.assertEqual(played.returncode, 0 if there else 1, played.stderr)
                self.assertFalse(self.ran.exists())
        archive = self.mail / "all.zip"
        with zipfile.ZipFile(archive, "w") as zip_file:
            zip_file.write(file, "song.zolvek")
            for part in beside.iterdir():
                zip_file.write(part, f"x.lv2/{part.name}")
        self.assertEqual(self.zolvek("render", str(archive), "-o", str(out)).returncode, 1)
        self.assertFalse(self.ran.exists())

    def kind_of_record(self, path: str, uri: str) -> DeviceKind:
        """As an attacker writes it by hand: two audio ports, and where it is to be loaded from."""
        from zolvek.core.model.plugin import Plugin
        from zolvek.core.value.parameter import Parameter

        form = "vst3" if uri.startswith("vst3:") else "lv2"
        plugin = Plugin(form, uri, inputs=(0,), outputs=(1,), path=path[:4_096])
        return DeviceKind(
            f"lv2:{uri}", "Foreign", "effect", (Parameter("nothing", "Nothing", taper="switch"),), (), "", plugin
        )

    def test_only_what_a_person_adds_is_allowed(self) -> None:
        there = bundle(self.folder / "elsewhere" / "x.lv2", "urn:zolvek:test:added", self.ran)
        refused = self.zolvek("add-device", "none.zolvek", "--track", "T", "--plugin", str(there), "-o", "x.zolvek")
        self.assertEqual(refused.returncode, 2)
        with self.assertRaisesRegex(ZolvekError, "plugins --add"):
            installed.found(str(there))
        with self.assertRaises(Failure):
            installed.bundle_of("urn:zolvek:test:added")
        done = self.zolvek("plugins", "--add", str(there))
        self.assertIn("urn:zolvek:test:added", done.stdout, done.stderr)
        self.assertEqual(plugin_folders.added(), [there])
        self.assertEqual(installed.bundle_of("urn:zolvek:test:added"), there)
        self.assertEqual(installed.found(str(there)).id, "urn:zolvek:test:added")
        with mock.patch.dict(os.environ, {"LV2_PATH": f".::relative:{self.own}"}):
            self.assertEqual(plugin_folders.roots("LV2_PATH", ()), [self.own])

    def test_listing_runs_no_code_of_lv2_plugins(self) -> None:
        dynamic = (
            "@prefix dman: <http://lv2plug.in/ns/ext/dynmanifest#> . "
            "<urn:zolvek:test:d> a dman:DynManifest ; lv2:binary <e.so> .\n"
        )
        bundle(self.own / "dynamic.lv2", "urn:zolvek:test:plain", self.ran, dynamic)
        found, _ = installed.installed()
        self.assertIn("urn:zolvek:test:plain", {each.id for each in found})
        self.assertFalse(self.ran.exists())

    def test_one_broken_bundle_takes_no_other_with_it(self) -> None:
        """Brackets that crash the reader of descriptions, a pipe that never ends, a port with an index of
        900,000,000: each listed with its reason, the others there, and none read twice."""
        self.kind()
        deep = bundle(self.own / "deep.lv2", "urn:zolvek:test:deep", self.ran)
        (deep / "manifest.ttl").write_text(HEAD + "<urn:a> <urn:b> " + "[ <urn:c> " * 50_000)
        pipe = bundle(self.own / "pipe.lv2", "urn:zolvek:test:pipe", self.ran)
        (pipe / "e.ttl").unlink()
        os.mkfifo(pipe / "e.ttl")
        large = bundle(self.own / "large.lv2", "urn:zolvek:test:large", self.ran)
        text = (large / "e.ttl").read_text()
        (large / "e.ttl").write_text(text.replace("lv2:index 1", "lv2:index 900000000"))
        bundle(self.own / "zz.lv2", "urn:zolvek:test:last", self.ran)
        with (
            mock.patch.dict(scan.LIMITS, {"lv2": (3 << 30, 3.0)}),
            mock.patch.object(scan, "FIRST_LINE_TIMEOUT_S", 5.0),
        ):
            found, faults = installed.installed()
        self.assertEqual(faults, [])
        rows = {Path(each.path).name: each for each in found if each.path.startswith(str(self.own))}
        self.assertEqual(
            {name for name, row in rows.items() if row.fault},
            {"deep.lv2", "pipe.lv2", "large.lv2"},
        )
        self.assertIn("within 3 s", rows["pipe.lv2"].fault)
        self.assertFalse(rows["zz.lv2"].fault or rows["tremble.lv2"].fault)
        self.assertFalse(self.ran.exists())
        with mock.patch("zolvek.sound.hosting.catalogue.scan.read", side_effect=AssertionError("read again")):
            self.assertEqual(installed.installed()[0], found)

    def test_many_bundles_are_read_beside_each_other_and_listed_as_they_come(self) -> None:
        """What each can't do here is said: its window is of another toolkit; files, outputs and MIDI are used."""
        first = bundle(self.own / "n0.lv2", "urn:zolvek:test:n0", self.ran)
        for number in range(1, 40):
            copy = shutil.copytree(first, self.own / f"n{number}.lv2")
            for name in ("manifest.ttl", "e.ttl"):
                text = (first / name).read_text().replace("test:n0", f"test:n{number}")
                (copy / name).write_text(text)
        text = (self.own / "n7.lv2/e.ttl").read_text().rstrip().removesuffix(".")
        ports = "".join(f" ; {PORT.format(kinds='AudioPort, lv2:OutputPort', n=n, s=f'o{n}', more='')}" for n in (2, 3))
        midi = f" ; {PORT.format(kinds='OutputPort, <http://lv2plug.in/ns/ext/atom#AtomPort>', n=4, s='m', more=MIDI)}"
        (self.own / "n7.lv2/e.ttl").write_text(f"{text}{ports}{midi} {BEYOND} .\n{FILE}{GTK}")
        parts: list[tuple[int, int, list[str]]] = []
        now, faults = scan.scanned({}, lambda done, total, found: parts.append((done, total, [f.id for f in found])))
        self.assertEqual(faults, [])
        every = {f"urn:zolvek:test:n{number}" for number in range(40)}
        said = [uri for _, _, found in parts for uri in found]
        self.assertEqual(sorted(uri for uri in said if uri in every), sorted(every), "each once, as it comes")
        self.assertEqual([done for done, _, _ in parts], list(range(1, len(now) + 1)))
        rows = {row.id: row for row in scan.by_name(now)}
        self.assertEqual(rows["urn:zolvek:test:n7"].left_out, ("own window (GTK 2)",))
        self.assertEqual(rows["urn:zolvek:test:n8"].left_out, ())
        alone = dict(scan.read([Path(name) for name in now], "lv2"))
        self.assertEqual({str(path): contents.plugins for path, contents in alone.items()},
                         {name: record.plugins for name, record in now.items()})  # fmt: skip
        self.assertFalse(self.ran.exists())

    def test_paths_in_a_state_stay_in_the_plugins_own_folders(self) -> None:
        own, kept = self.folder / "b.lv2", self.folder / "kept"
        for path in (
            "/etc/passwd",
            "../../etc/passwd",
            "x/../../y",
            "/dev/zero",
            str(own / ".." / "z"),
        ):
            made = Path(inside(path, [own, kept]))
            self.assertTrue(made.is_relative_to(kept), (path, made))
        self.assertEqual(inside(str(own / "a.wav"), [own, kept]), str(own / "a.wav"))

    def test_of_several_that_are_made_the_one_at_work_is_named(self) -> None:
        own = work_mark.Mark.create()
        self.addCleanup(own.close)
        with mock.patch.object(work_mark, "_own", [own]):
            with (
                work_mark.phase("outer", work_mark.STARTING),
                work_mark.phase("inner", work_mark.STARTING),
            ):
                self.assertEqual(own.likeliest, ("inner", work_mark.STARTING))
            self.assertEqual(own.active, [])
            with work_mark.phase("outer", work_mark.PLAYING):
                with work_mark.phase("inner", work_mark.STARTING):
                    self.assertEqual(own.active, [("inner", work_mark.STARTING)])
                self.assertEqual(own.active, [("outer", work_mark.PLAYING)])


if __name__ == "__main__":
    unittest.main()
