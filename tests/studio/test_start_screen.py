# SPDX-License-Identifier: GPL-3.0-or-later
"""A piece of one's own: an empty desk, and files that become tracks."""

from __future__ import annotations

import threading
import unittest

import numpy as np
import soundfile
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

from tests.present import present
from tests.projects import ordinary_midi
from tests.sound.test_onsets import RATE, drums
from tests.studio.driver import LEFT, NO_KEY, WindowTest
from zolvek.core.edits.replacement import with_track
from zolvek.core.model.source import Clip
from zolvek.core.records import replace
from zolvek.formats.midi import file_in
from zolvek.studio.actions.action_table import MENUS


class Beginning(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.files = [self.folder / name for name in ("Bells.wav", "Rain.flac", "Score.mid")]
        for path, seconds in zip(self.files[:2], (3.0, 5.0), strict=True):
            soundfile.write(path, 0.3 * np.sin(np.arange(int(48_000 * seconds)) / 40.0), 48_000)
        self.files[2].write_bytes(ordinary_midi())

    def test_an_empty_desk_is_ready_to_draw(self) -> None:
        self.click(30.0, 0.9)
        self.ask.when_unsaved = "cancel"
        held = self.session.project
        self.key(Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
        self.assertIs(self.session.project, held, "unsaved work is asked about")
        self.ask.when_unsaved = "discard"
        self.key(Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
        project = self.session.project
        self.assertEqual([track.name for track in project.tracks], ["Synth", "Sound"])
        self.assertEqual((float(project.tempo.bpm(0.0)), project.meter.bar_at(127.9)), (120.0, 32))
        self.assertEqual(present(self.session.lane).parameter, "cutoff")
        self.assertIsNone(self.session.document.path)
        self.click(16.0, 0.9)
        self.assertIn(16.0, self.curve().beat)
        self.assertEqual(self.errors, [])

    def test_files_begin_a_project_each_a_track(self) -> None:
        self.ask.paths = self.files
        self.do("from-files")
        self.until(lambda: self.session.project.name != "Night Regatta")
        project, score = self.session.project, file_in.load(self.files[2])
        self.assertEqual((project.tempo, project.meter), (score.tempo, score.meter))
        played = {track.name: track.clips[0].beat for track in project.tracks if track.clips}
        self.assertEqual(played, {"Bells": 0.0, "Rain": 0.0})
        self.assertGreaterEqual(float(project.tempo.seconds(project.length)), 5.0)
        self.assertTrue(self.session.document.modified)

    def test_stems_without_midi_offer_the_tempo_of_the_drums(self) -> None:
        sound, _ = drums(124.0, 8, np.random.default_rng(5))
        beat = self.folder / "Drums.wav"
        soundfile.write(beat, 0.6 * sound / np.abs(sound).max(), RATE)
        self.ask.paths, self.ask.accepts = [*self.files[:2], beat], True
        self.do("from-files")
        self.until(lambda: any("tempo of Drums.wav" in text for text in self.ask.asked))
        self.until(lambda: self.studio.exports.working is None)
        self.assertAlmostEqual(float(self.session.project.tempo.bpm(8.0)), 124.0, delta=0.1)
        self.assertEqual(present(self.session.shown.track).name, "Drums")
        self.assertEqual(self.errors, [])

    def test_closing_asks_about_an_export_and_missing_sounds_are_said_at_the_start(self) -> None:
        held = threading.Event()
        self.studio.exports.run("Mix", lambda report: held.wait(30.0), said="")
        for row, asked in (("Cancel", 1), ("Wait, then quit", 2)):
            self.ask.row = row
            self.assertFalse(self.window.close())
            self.assertEqual(sum("still running" in text for text in self.ask.asked), asked)
            self.assertIsNotNone(self.studio.exports.working)
        held.set()
        self.until(lambda: not self.window.isVisible())
        self.assertEqual(self.errors, [])
        track = self.session.project.tracks[0]
        lost = replace(track, clips=(Clip(0.0, str(self.folder / "Gone.wav")),))
        self.session.open(with_track(self.session.project, lost), None)
        self.window._look_after()
        error = self.errors.pop()
        self.assertIn("1 audio file is missing", error.what)
        menu, _, text = error.remedy.partition(" ▸ ")
        self.assertIn("find-sounds", [a.id for a in MENUS[menu] if text.startswith(a.text)])

    def test_several_dropped_come_into_the_open_project_as_one_step(self) -> None:
        held = self.session.project
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in self.files])
        event = QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, LEFT, NO_KEY)
        self.window.dropEvent(event)
        self.until(lambda: self.session.project is not held)
        names = [track.name for track in self.session.project.tracks]
        self.assertEqual(names[:4], [track.name for track in held.tracks])
        self.assertTrue({"Bells", "Rain"} <= set(names))
        self.assertEqual(self.session.project.tempo, held.tempo)
        self.do("undo")
        self.assertIs(self.session.project, held)
        self.files[0].write_bytes(b"no sound")
        self.studio.files.bring(self.files)
        self.until(lambda: bool(self.errors))
        self.assertIn("Bells.wav", self.errors.pop().where)
        self.assertIs(self.session.project, held, "nothing is half done")


if __name__ == "__main__":
    unittest.main()
