# SPDX-License-Identifier: GPL-3.0-or-later
"""Whatever things are called, every writer takes it: written, read back by others, compared."""

from __future__ import annotations

import csv
import io
import json
import os
import subprocess
import sys
import tempfile
import unittest
import xml.etree.ElementTree as ElementTree
from pathlib import Path
from unittest import mock

import mido
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from tests import starts_processes
from tests.present import present
from tests.projects import many_lanes
from zolvek.core.curve.construction import curve
from zolvek.core.curve.pattern import Pattern
from zolvek.core.model.project import Note, Project, Section, Track
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.formats import pattern_library, picture
from zolvek.formats.midi import file_in as midi_in
from zolvek.formats.midi import file_out as midi_out
from zolvek.formats.project import project_file
from zolvek.formats.tables import clipboard, lane_table
from zolvek.sound.jobs import mix_export
from zolvek.storage import file_names

ODD = (
    "Kick:Snare", "Kick/Snare", "a=b", "=1+1", "+7 st", "-6 dB", "@sum", '"quoted", \'too\'', "tab\tand\x07bell",
    "two\nlines", "\u202eright to left", "שלום", "fish 🐟", "..", ".hidden", "C:\\x", " spaces ", "\x00nul", "x" * 300,
    "", "'already",
)  # fmt: skip


def named(name: str) -> Project:
    """The demo's first bars, everything in it called `name`."""
    demo = build()
    tracks = tuple(
        replace(
            t,
            name=name,
            clips=(),
            notes=t.notes[:4],
            devices=tuple(replace(d, name=name) for d in t.devices),
            lanes=tuple(replace(x, name=name, takes=(), comp=None) for x in t.lanes[:1]),
        )
        for t in demo.tracks[:2]
    )
    return replace(
        demo,
        name=name,
        length=8.0,
        tracks=tracks,
        sections=(Section(0.0, name),),
        links=(),
        mappings=(),
        states=(),
        morphs=(),
        pads=(),
    )


class Names(unittest.TestCase):
    def setUp(self) -> None:
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)

    def test_every_writer_takes_every_name_and_it_reads_back(self) -> None:
        for name in ODD:
            project = named(name)
            lanes = [lane.id for lane in project.lanes()]
            path = self.folder / "x.zolvek"
            project_file.save(project, path)
            self.assertEqual(project_file.load(path), project)
            json.loads(path.read_bytes())
            # MIDI by mido, and by our own reader.
            heard = mido.MidiFile(file=io.BytesIO(midi_out.encode(project)), charset="utf-8")
            markers = [m.text for t in heard.tracks for m in t if m.type == "marker"]
            self.assertEqual(markers, [file_names.one_line(name)] if markers else [])
            if file_names.one_line(name).strip():
                read = midi_in.decode(midi_out.encode(project))
                self.assertEqual(read.sections[0].name, file_names.one_line(name).strip())
            # SVG by an XML parser (XML 1.0).
            drawn = ElementTree.fromstring(picture.svg(project, lanes).encode())
            self.assertEqual(
                (present(drawn.find("{http://www.w3.org/2000/svg}title")).text or "").replace("\r", "\n"),
                file_names.xml_text(name),
            )
            # CSV by the standard reader; no cell that a spreadsheet takes for a formula.
            rows = list(csv.reader(io.StringIO(lane_table.to_text(project, lanes, 4.0, cells="text"), newline="")))
            for row in rows:
                self.assertEqual(len(row), 2 + len(lanes))
                for text in row[2:]:
                    self.assertFalse(text.startswith(("=", "+", "-", "@")), text)
            pieces = [(name, curve([(0.0, 0.5)])), ("other", curve([(0.0, 0.1)]))]
            if name != "other":
                self.assertEqual([n for n, _ in clipboard.from_text(clipboard.to_text(pieces))], [name, "other"])

    def test_names_that_would_meet_in_one_file_are_numbered(self) -> None:
        project = replace(
            named("x"),
            tracks=tuple(
                Track(
                    f"t{n}",
                    name,
                    named("x").tracks[0].devices and (replace(named("x").tracks[0].devices[0], id=f"d{n}"),),
                    tuple(replace(x, id=f"l{n}", device=f"d{n}") for x in named("x").tracks[0].lanes),
                    (Note(0.0, 1.0, 60),),
                )
                for n, name in enumerate(("Kick/Snare", "Kick:Snare", "KICK-SNARE", "Kick:Snare"))
            ),
        )
        written = mix_export.export_mix(
            project, self.folder / "mix.wav", span=(0.0, 0.5), tail=False, tracks=True
        ).files
        self.assertEqual(len({path.name.casefold() for path in written}), 4)
        self.assertTrue(all(soundfile.info(path).frames for path in written))
        for split in ("track", "lane"):
            paths = midi_out.save(project, self.folder / f"{split}.mid", split=split)
            self.assertEqual(len({path.name.casefold() for path in paths}), 4)
        with mock.patch.dict(os.environ, XDG_DATA_HOME=str(self.folder)):
            kept = [n for n in ODD if n.strip()] + ["a/b", "a:b", "a-b"]
            for name in kept:
                pattern_library.save(Pattern(name, 1.0, curve([(0.0, 0.5)])))
            found, faults = pattern_library.load_all()
            self.assertEqual((sorted(p.name for p in found), faults), (sorted(kept), []))
            pattern_library.rename("a/b", "a\\b")
            pattern_library.delete("a:b")
            self.assertEqual({p.name for p in pattern_library.load_all()[0]}, {*kept, "a\\b"} - {"a/b", "a:b"})

    @given(st.lists(st.text(max_size=20)))
    def test_file_names_are_names_and_no_two_alike(self, texts: list[str]) -> None:
        made = file_names.file_names(texts)
        self.assertEqual(len({name.casefold() for name in made}), len(texts))
        for name in made:
            self.assertTrue(name and "/" not in name and "\0" not in name and not name.startswith("."))
            self.assertLess(len(name.encode()), 200)

    @given(st.text())
    def test_a_cell_reads_back(self, text: str) -> None:
        self.assertEqual(file_names.from_cell(file_names.cell(text)), text)

    @starts_processes
    def test_a_picture_that_is_too_large_is_refused_and_leaves_the_old_one(self) -> None:
        path, target = self.folder / "many.zolvek", self.folder / "old.png"
        project_file.save(many_lanes(400), path)
        target.write_bytes(b"precious")
        for project, words in ((path, "Choose fewer lanes"),):
            done = subprocess.run(
                [sys.executable, "-m", "zolvek", "picture", str(project), "-o", str(target)],
                capture_output=True, text=True, check=False,
            )  # fmt: skip
            self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
            self.assertIn(words, done.stderr)
            self.assertEqual(target.read_bytes(), b"precious")
        project_file.save(named("bell\x07 and \x00"), path)
        drawn = subprocess.run(
            [sys.executable, "-m", "zolvek", "picture", str(path), "-o", str(target)],
            capture_output=True,
            check=False,
        )
        self.assertEqual(drawn.returncode, 0, drawn.stderr)
        self.assertEqual(target.read_bytes()[:8], b"\x89PNG\r\n\x1a\n")
        self.assertGreater(target.stat().st_size, 2_000)


if __name__ == "__main__":
    unittest.main()
