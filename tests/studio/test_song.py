# SPDX-License-Identifier: GPL-3.0-or-later
"""A producer's own piece in the real window: time edited over the ruler, blocks and notes on the strip,
hits, fitting, names, versions, templates, collecting."""

from __future__ import annotations

import time
import unittest
from typing import Any
from unittest import mock

import numpy as np
import soundfile
from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

from tests.present import present
from tests.projects import ordinary_midi
from tests.sound.test_onsets import drums
from tests.studio.driver import LEFT, NO_KEY, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.edits import replacement, sections
from zolvek.core.model.source import Clip
from zolvek.core.records import replace
from zolvek.formats.project import project_file, templates
from zolvek.studio.commands import song, tempo_fit, time_maps
from zolvek.studio.services.files.collect_export import collect
from zolvek.studio.services.playback.player import compared_with
from zolvek.studio.toolkit.hit_fields import HitFields
from zolvek.studio.views.timeline.time_rows import METER, SECTIONS

CTRL = Qt.KeyboardModifier.ControlModifier
RATE = 44_100


class Piece(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.project = self.session.project
        self.arranging = self.session.arranging

    def twice(self, widget: Any, at: QPoint) -> None:
        QTest.mousePress(widget, LEFT, NO_KEY, at)
        QTest.mouseRelease(widget, LEFT, NO_KEY, at)
        QTest.mouseDClick(widget, LEFT, NO_KEY, at)
        QTest.mouseRelease(widget, LEFT, NO_KEY, at)
        self.wait()

    def typed(self, field: Any, text: str) -> None:
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.wait()

    def drop(self, widget: Any, at: QPoint, paths: Any) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
        widget.dropEvent(QDropEvent(QPointF(at), Qt.DropAction.CopyAction, data, LEFT, NO_KEY))

    def tone(self, name: str, seconds: float = 4.0) -> Any:
        path = self.folder / name
        soundfile.write(path, 0.4 * np.sin(np.arange(int(RATE * seconds)) / 30.0), RATE)
        return path


class Time(Piece):
    def setUp(self) -> None:
        super().setUp()
        self.do("time-rows")
        self.rows = self.window.time_rows
        self.wait()

    def at(self, beat: float, y: float) -> QPoint:
        return QPointF(self.rows.at_beat(beat), y).toPoint()

    def test_tempo_is_dragged_typed_ramped_and_tapped(self) -> None:
        session, rows = self.session, self.rows
        self.view.show(32.0, 44.5)  # sixteen pixels a beat
        middle = rows.scale().y(112.0)
        self.twice(rows, self.at(48.0, middle - 10))
        tempo = session.project.tempo
        self.assertEqual((len(tempo.points), tempo.points[1].beat), (4, 48.0))
        start = self.at(48.0, rows.scale().y(tempo.points[1].bpm))
        self.drag_on(rows, start, self.at(56.0, rows.scale().y(tempo.points[1].bpm) - 8))
        moved = session.project.tempo.points[1]
        self.assertEqual(moved.beat, 56.0)
        self.assertGreater(moved.bpm, tempo.points[1].bpm)
        self.do("undo")
        self.assertEqual(session.project.tempo, tempo, "a drag is one step")
        self.twice(rows, self.at(48.0, rows.scale().y(tempo.points[1].bpm)))
        self.typed(rows.field, "0")
        self.assertTrue(rows.field.isVisible() and present(rows.field.words).isVisible())
        self.typed(rows.field, "100->120 over 4 bars")
        self.assertAlmostEqual(float(session.project.tempo.bpm(56.0)), 110.0)
        self.assertEqual(float(session.project.tempo.bpm(64.0)), 120.0)
        session.playhead.go(0.0)
        for tap in np.arange(5) * 0.5:
            time_maps.tap_tempo(session, 1_000.0 + float(tap))
        self.assertEqual(float(session.project.tempo.bpm(0.0)), 120.0)
        self.do("undo")
        self.assertEqual(float(session.project.tempo.bpm(0.0)), 112.0, "all taps are one step")
        session.playhead.go(70.0)
        self.wait(250)  # actions follow the playhead, a little later
        self.do("tempo-remove")
        self.assertEqual([p.beat for p in session.project.tempo.points], [0.0, 48.0, 128.0, 144.0])
        self.assertEqual(self.errors, [])

    def test_tempo_and_meter_at_the_playhead_ask_from_where(self) -> None:
        session, before = self.session, self.session.project
        self.do("step-piece")
        here = before.meter.bar_beat(20)
        session.playhead.go(here)
        for row, at in ((f"From {before.meter.text(here)} on", here), ("whole", None)):
            points = session.project.tempo.points
            stretch = max(p.beat for p in points if p.beat <= here)
            self.ask.row = row if at is not None else None
            if at is None:  # the second answer, whatever it is called
                with mock.patch.object(self.ask, "pick", lambda question, details, options: options[1]):
                    self.type_in("Tempo at the playhead", "90")
            else:
                self.type_in("Tempo at the playhead", "90")
            changed = session.project.tempo
            self.assertEqual(float(changed.bpm(here)), 90.0)
            earlier = float(before.tempo.bpm(stretch + 1.0))
            self.assertEqual(float(changed.bpm(stretch + 1.0)) == earlier, at is not None)
            self.do("undo")
            self.assertTrue(session.project == before)
        self.ask.row = None
        self.type_in("Tempo at the playhead", "90")
        self.assertTrue(session.project == before, "neither: nothing is changed")
        asked: list[str] = []

        def first(question: str, details: str, options: Any) -> str:
            asked.append(details)
            return str(options[0])

        with mock.patch.object(self.ask, "pick", first):
            self.type_in("Meter at the playhead", "3/4")
        meter, sections = session.project.meter, session.project.sections
        self.assertEqual([meter.bar_beat(20), meter.bar_beat(21)], [here, here + 3.0])
        for old, new in zip(before.sections, sections, strict=True):
            self.assertEqual(meter.bar_beat(meter.bar_at(new.beat + 1e-6)), new.beat, "on a bar line")
            self.assertLessEqual(abs(new.beat - old.beat), 1.5)
            self.assertEqual(new.name in asked[0].splitlines()[0], new.beat != old.beat, "shown before")
        self.assertNotEqual([s.beat for s in sections], [s.beat for s in before.sections])
        self.assertEqual(list(session.project.lanes()), list(before.lanes()))
        self.assertEqual(self.errors, [])

    def test_meter_sections_and_the_end(self) -> None:
        session, rows, meter = self.session, self.rows, self.project.meter
        self.twice(rows, self.at(meter.bar_beat(9) + 1.0, METER[0] + 9))
        self.typed(rows.field, "255/64")
        self.assertTrue(present(rows.field.words).isVisible())
        self.typed(rows.field, "7/8")
        changed = session.project.meter
        self.assertEqual(changed.bar_beat(11), changed.bar_beat(9) + 7.0)
        self.drag_on(
            rows, self.at(changed.bar_beat(9) + 1.0, METER[0] + 9), self.at(changed.bar_beat(8) - 2.9, METER[0] + 9)
        )
        self.assertEqual(session.project.meter.points[1].bar, 7)
        self.do("undo")
        self.do("undo")
        self.assertEqual(session.project.meter, meter)
        self.twice(rows, self.at(40.0, SECTIONS[0] + 10))
        self.typed(rows.field, "Harbour")
        self.assertEqual(session.project.section_spans()[1][0].name, "Harbour")
        self.drag_on(rows, self.at(32.0, 10), self.at(40.0, 10))
        self.assertEqual(session.project.section_spans()[1][1], 40.0)
        self.do("undo")
        before = session.project
        self.drag_on(rows, self.at(40.0, 10), self.at(124.0, 10))
        names = [s.name for s, _, _ in session.project.section_spans()]
        self.assertEqual(names.index("Harbour"), names.index("Lock gate") + 1)
        self.do("undo")
        self.assertIs(session.project, before)
        for action in (
            "section-double",
            "section-later",
            "section-join",
            "section-colour",
            "section-remove",
        ):
            session.arranging.pick_section(1)
            self.do(action)
            self.assertIsNot(session.project, before, action)
            self.do("undo")
            self.assertIs(session.project, before, action)
        bare = replace(session.project, sections=())
        session.document.edit("No sections", bare)
        self.twice(rows, self.at(40.0, 10))
        self.typed(rows.field, "Bridge")
        self.assertEqual([(s.name, s.beat) for s in session.project.sections], [("Bridge", 40.0)])
        for _ in range(3):
            self.do("undo")
        self.assertIs(session.project, before)
        self.ask.row = "Keep"
        song.end_typed(self.studio, "20")
        self.assertEqual((session.project.length, session.project.tracks), (80.0, before.tracks))
        self.do("undo")
        self.ask.row = "Cut off"
        song.end_typed(self.studio, "20")
        self.assertTrue(all(n.beat < 80.0 for t in session.project.tracks for n in t.notes))
        self.assertEqual(self.errors, [])

    def test_bars_come_and_go_with_all_that_follows(self) -> None:
        session = self.session
        session.span.choose((32.0, 40.0))
        self.do("bars-insert")
        self.assertEqual(session.project.length, self.project.length + 8.0)
        self.assertIn("Moved:", session.notices.hint)
        session.span.choose((32.0, 40.0))
        self.do("bars-remove")
        self.assertEqual(session.project.tracks[0].notes, self.project.tracks[0].notes)
        self.do("undo")
        self.do("undo")
        self.assertIs(session.project, self.project)

    def test_versions_are_heard_chosen_and_distinguished(self) -> None:
        session = self.session
        self.do("step-piece")
        page: Any = self.window.rail.panels.currentWidget()
        panel = page.widget()
        panel.list.setCurrentRow(1)
        session.playhead.go(100.0)
        session.arranging.pick_section(None)
        item = panel.list.visualItemRect(present(panel.list.item(1))).center()
        QTest.mouseClick(panel.list.viewport(), LEFT, pos=item)
        self.do("version-new")
        self.assertEqual(len(session.project.section_spans()[1][0].versions), 2, "of the one in the list")
        self.do("compare")
        self.assertEqual((session.audition.comparing, session.audition.version), ("version", (1, 0)))
        self.do("compare")
        self.assertEqual(session.audition.comparing, "")
        session.span.choose((32.0, 64.0))
        self.do("delete")
        session.span.choose(None)
        self.wait()
        panel.versions.setCurrentRow(0)
        self.assertIn("Hull · Horn · Cutoff", panel.differences.text())
        QTest.mouseClick(panel.hear, LEFT)
        self.assertEqual(session.audition.comparing, "version")
        other = compared_with(self.session)
        old = self.project.lane("horn.cutoff").curve
        at = np.linspace(32.0, 63.9, 50)
        np.testing.assert_allclose(present(other).lane("horn.cutoff").curve.at(at), old.at(at), atol=1e-9)
        self.studio.loudness.match(True)
        self.until(lambda: "LUFS" in self.studio.loudness.message)
        QTest.mouseClick(panel.choose, LEFT)
        np.testing.assert_allclose(session.project.lane("horn.cutoff").curve.at(at), old.at(at), atol=1e-9)
        self.assertEqual(session.audition.comparing, "")
        self.do("version-next")
        self.assertEqual(session.project.section_spans()[1][0].chosen, 1)
        self.assertTrue(sections.differences(session.project, 1, 0))
        self.assertEqual(self.errors, [])


class Strip(Piece):
    def setUp(self) -> None:
        super().setUp()
        self.strip = self.window.strip
        self.studio.sounds.begin()
        flare = replace(self.project.tracks[3], notes=())
        self.session.document.edit("Clear", replacement.with_track(self.project, flare))
        self.session.focus.on(
            "riser.level" if self.session.project.has_lane("riser.level") else next(self.project.lanes()).id
        )

    def clips(self) -> tuple[Clip, ...]:
        return present(self.strip.track).clips

    def area(self, number: int = 0) -> QRectF:
        return present(self.strip.strip()).block_area(self.clips()[number])

    def place(self) -> None:
        self.view.show(8.0, 44.5)
        self.wait()
        self.drop(self.strip, QPoint(round(64 + self.view.x(16.0)), 30), [self.tone("tone.wav")])
        self.until(lambda: len(self.clips()) == 1)
        self.until(lambda: self.clips()[0].file in self.studio.sounds.peaks)

    def test_blocks_are_dropped_dragged_trimmed_split_faded_and_removed(self) -> None:
        self.place()
        self.assertEqual(self.clips()[0].beat, 16.0)
        area = self.area()
        grab = QPointF(area.center().x(), area.bottom() - 6).toPoint()
        self.drag_on(self.strip, grab, grab + QPoint(round(8.0 * self.view.width / 44.5), 0))
        self.assertEqual(self.clips()[0].beat, 24.0)
        area = self.area()
        self.drag_on(
            self.strip,
            QPointF(area.right() - 1, area.bottom() - 6).toPoint(),
            QPointF(64 + self.view.x(28.0), 30).toPoint(),
        )
        lasts = float(self.project.tempo.seconds(28.0) - self.project.tempo.seconds(24.0))
        self.assertAlmostEqual(present(self.clips()[0].seconds), lasts, places=6)
        self.drag_on(
            self.strip, QPointF(self.area().left() + 1, 50).toPoint(), QPointF(64 + self.view.x(25.0), 50).toPoint()
        )
        self.assertEqual(self.clips()[0].beat, 25.0)
        self.assertAlmostEqual(self.clips()[0].start, 60.0 / 112.0, places=6)
        self.session.playhead.go(26.0)
        self.do("block-split")
        self.assertEqual([clip.beat for clip in self.clips()], [25.0, 26.0])
        self.ask.words = "-6"
        self.do("block-gain")
        self.ask.words = "0.1, 0.2"
        self.do("block-fades")
        first = self.clips()[0]
        self.assertEqual((first.gain_db, first.fade_in, first.fade_out), (-6.0, 0.1, 0.2))
        self.session.span.choose((0.0, 48.0))
        self.do("block-loop")
        self.assertEqual(self.clips()[0].loop_until, 48.0)
        self.do("block-duplicate")
        self.assertEqual(len(self.clips()), 3)
        QTest.keyClick(self.strip, Qt.Key.Key_Delete)
        self.assertEqual(len(self.clips()), 2)
        for _ in range(9):
            self.do("undo")
        self.assertEqual(len(self.clips()), 1, "every step by itself")
        self.assertEqual(self.errors, [])

    def test_notes_are_drawn_moved_transposed_and_recorded(self) -> None:
        self.session.focus.on("horn.cutoff")
        self.do("strip-tall")
        self.view.show(0.0, 32.0)
        self.wait()
        strip, session = self.strip, self.session
        count = len(present(strip.track).notes)
        at = QPoint(round(64 + self.view.x(29.1)), 12)
        self.twice(strip, at)
        self.assertEqual(len(present(strip.track).notes), count + 1)
        (new,) = self.arranging.notes
        note = present(strip.track).notes[new]
        self.assertEqual((note.beat, note.length), (29.0, 0.25))
        self.drag_on(
            strip,
            present(strip.strip()).note_area(note).center().toPoint() - QPoint(1, 0),
            at + QPoint(round(self.view.x(2.0)) - 1, 20),
        )
        (new,) = self.arranging.notes
        self.assertLess(present(strip.track).notes[new].pitch, note.pitch)
        pitch = present(strip.track).notes[new].pitch
        QTest.keyClick(strip, Qt.Key.Key_Up)
        QTest.keyClick(strip, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
        (new,) = self.arranging.notes
        self.assertEqual(present(strip.track).notes[new].pitch, pitch + 13)
        self.do("notes-longer")
        (new,) = self.arranging.notes
        self.assertEqual(present(strip.track).notes[new].length, 0.5)
        QTest.keyClick(strip, Qt.Key.Key_Delete)
        self.assertEqual(len(present(strip.track).notes), count)
        session.settings.recording.count_in, session.settings.recording.quantise_notes = 0, True
        session.playhead.go(40.0)
        self.do("notes-record")
        self.until(lambda: session.playhead.beat > 40.3)
        QTest.keyPress(self.lane, Qt.Key.Key_D)
        self.wait(150)
        QTest.keyRelease(self.lane, Qt.Key.Key_D)
        self.studio.midi_io.came.emit((0x90, 64, 100), time.perf_counter())
        self.wait(120)
        self.studio.midi_io.came.emit((0x90, 64, 0), time.perf_counter())
        self.do("stop")
        made = [present(strip.track).notes[i] for i in sorted(self.arranging.notes)]
        self.assertEqual(sorted(n.pitch for n in made), [52, 64])
        self.assertTrue(all((4 * n.beat).is_integer() and n.beat >= 40.0 for n in made))
        self.assertFalse(session.lane is None or session.points.chosen.size, "letters were keys alone")
        self.do("undo")
        self.assertEqual(len(present(strip.track).notes), count)
        self.assertEqual(self.errors, [])


class Whole(Piece):
    def test_from_stems_to_an_exported_sweep_that_ends_before_a_hit(self) -> None:
        """Three sounds and a MIDI file dropped on the sheet, tempo fitted, sections named, a filter found, a
        sweep that ends a 1/64 before a hit, heard, exported."""
        session = self.session
        sound, _ = drums(104.0, 6, np.random.default_rng(2))
        soundfile.write(self.folder / "Drums.wav", 0.6 * sound / np.abs(sound).max(), RATE)
        (self.folder / "Score.mid").write_bytes(ordinary_midi())
        paths = [
            self.folder / "Drums.wav",
            self.tone("Bells.flac", 9.0),
            self.tone("Rain.ogg", 7.0),
        ]
        self.studio.sounds.begin()
        self.window.beginning()
        self.wait()
        self.assertTrue(self.window.sheet.isVisible())
        self.drop(self.window, QPoint(300, 300), [*paths, self.folder / "Score.mid"])
        self.until(lambda: any(t.name == "Drums" for t in session.project.tracks))
        self.assertFalse(self.window.sheet.isVisible())
        tracks = {track.name: track for track in session.project.tracks}
        self.assertTrue({"Drums", "Bells", "Rain"} <= set(tracks))
        self.assertEqual(len({t.colour for t in tracks.values()}), len(tracks))
        session.shown.show(tracks["Drums"].devices[-1].id)
        self.ask.accepts = True
        self.do("tempo-from-sound")
        self.until(
            lambda: len(session.project.tempo.points) == 1 and abs(float(session.project.tempo.bpm(0)) - 104.0) < 0.01
        )
        drum = next(t for t in session.project.tracks if t.name == "Drums")
        self.assertAlmostEqual(drum.clips[0].start, 0.37, delta=0.001)
        session.playhead.go(0.0)
        self.do("section-begin")
        self.ask.words = "Build"
        self.do("section-rename")
        self.assertEqual(session.project.sections[0].name, "Build")
        from zolvek.core.model.catalogue import DEVICE_KINDS
        from zolvek.studio.session.chosen import add_device

        add_device(session, drum.id, DEVICE_KINDS["filter"])
        session.touch(present(session.shown.device), "cutoff")
        self.do("add-lane")
        self.until(lambda: self.studio.hits.beats.size > 20)
        hit = self.studio.hits.beats[np.argmin(np.abs(self.studio.hits.beats - 16.0))]
        self.assertAlmostEqual(float(hit), 16.0, delta=0.01)
        session.span.choose(None)
        self.view.show(0.0, 24.0)
        self.wait()
        self.click(0.0, 0.1)
        self.click(15.75, 0.9)
        session.points.choose(np.array([len(self.curve()) - 1]))
        self.ask.words = "1/64"
        self.do("hit-end")
        self.assertAlmostEqual(float(self.curve().beat[-1]), float(hit) - 1 / 16, places=6)
        self.do("play")
        self.until(lambda: session.playhead.beat > 0.2)
        self.do("stop")
        target = self.folder / "out.mid"
        self.studio.exports.write_midi(target)
        self.until(lambda: target.exists() and self.studio.exports.working is None)
        self.assertEqual(self.errors, [])

    def test_a_duck_on_every_kick_and_a_grid_of_hits(self) -> None:
        session = self.session
        session.focus.on("mallet.transpose")
        beats = self.studio.hits.beats
        np.testing.assert_allclose(beats, sorted({n.beat for n in session.project.track_of("mallet.transpose").notes}))
        self.do("hits-snap")
        self.assertEqual(session.tools.grid.hits, tuple(beats.tolist()))
        near = float(beats[5]) + 0.03
        self.assertEqual(float(session.tools.grid.snap(near, session.project.meter)), float(beats[5]))
        self.do("hits-snap")
        session.focus.on("horn.cutoff")
        self.studio.hits.choose(session.project.track_of("mallet.transpose").id)
        session.span.choose((32.0, 40.0))
        self.ask.accepts = True
        old = self.curve()
        self.do("hits-stamp")
        inside = beats[(beats >= 32.0) & (beats < 40.0)]
        np.testing.assert_allclose(self.curve().at(inside + 1e-3), 0.4 * old.at(inside), atol=1e-6)
        self.assertIn(f"{inside.size} hits", session.notices.hint)
        # Only the strong ones: they are seen before anything is stamped, and a refusal changes nothing.
        strength = {n.beat: n.strength for n in session.project.track_of("mallet.transpose").notes}
        least = 100 * sorted(strength.values())[len(strength) // 2]
        self.do("undo")
        seen: list[int] = []

        def fill(dialog: Any) -> None:
            fields = dialog.findChild(HitFields)
            fields.least.setValue(round(least))
            seen.append(self.studio.hits.beats.size)

        with mock.patch.object(self.ask, "fill", fill):
            self.ask.accepts = False
            self.do("hits-stamp")
            self.assertEqual(self.studio.hits.beats.size, beats.size, "as it was")
            self.assertTrue(self.curve() == old)
            self.ask.accepts = True
            self.do("hits-of")
        strong = [beat for beat in beats.tolist() if round(100 * strength[beat]) >= round(least)]
        self.assertEqual(seen, [len(strong)] * 2)
        self.assertLess(len(strong), beats.size)
        np.testing.assert_allclose(self.studio.hits.beats, strong)
        self.studio.hits.use(self.studio.hits.choice._replace(least=0))
        session.span.choose(None)
        session.playhead.go(float(beats[3]) - 0.1)
        self.do("hit-next")
        self.assertAlmostEqual(session.playhead.beat, float(beats[3]))
        self.do("hit-span")
        self.assertEqual(session.span.beats, (float(beats[3]), float(beats[4])))

    def test_a_drifting_recording_is_fitted_by_marks(self) -> None:
        session = self.session
        for beat in (9.0, 24.5, 41.0):
            session.playhead.go(beat)
            self.do("bar-mark")
        seconds = [float(session.project.tempo.seconds(b)) for b in (9.0, 24.5, 41.0)]
        self.ask.words = "4, four"
        self.do("marks-fit")
        self.assertIn("number of bars", self.errors.pop().what)
        tempo_fit.fit_to(session, "4")
        project = session.project
        at = [float(project.tempo.seconds(project.meter.bar_beat(bar))) for bar in (1, 5, 9)]
        np.testing.assert_allclose(np.diff(at), np.diff(seconds), atol=1e-9)
        self.assertEqual(self.arranging.marks, ())

    def test_names_where_they_stand_templates_and_one_file_with_all(self) -> None:
        session, index = self.session, self.window.index
        track, device = session.project.tracks[1], session.project.tracks[1].devices[0]
        for row, name in (((track.id, None), "Lamps"), ((None, device.id), "Bars of wood")):
            index.rename(index.row_of(*row))
            self.wait()
            from PyQt6.QtWidgets import QLineEdit

            field = next(e for e in index.tree.findChildren(QLineEdit) if e.isVisible())
            self.typed(field, name)
        self.assertEqual(session.project.tracks[1].name, "Lamps")
        self.assertEqual(session.project.tracks[1].devices[0].name, "Bars of wood")
        index.tree.track_dropped(track.id, 0)
        self.assertEqual(session.project.tracks[0].id, track.id)
        self.ask.words = "Mine"
        self.do("save-template")
        self.ask.accepts = True
        self.do("new-template")
        self.assertEqual((session.project.name, session.project.tracks[0].name), ("Untitled", "Lamps"))
        self.assertEqual(templates.names(), ["Mine"])
        templates.delete("Mine")
        session.shown.show(session.project.tracks[0].devices[0].id)
        path = self.tone("bell.wav")
        self.studio.media.import_sound_file(path)
        self.until(lambda: self.studio.exports.working is None)
        target = self.folder / "all.zip"
        self.ask.yes = True  # the sounds lie among the temporary files
        collect(self.studio.exports, target)
        self.until(lambda: target.exists() and self.studio.exports.working is None)
        path.unlink()
        self.studio.files.open_path(target)
        self.until(lambda: session.document.path is not None)
        self.assertEqual(session.document.path, self.folder / "all" / "all.zolvek")
        self.assertTrue((self.folder / "all" / "sounds" / "bell.wav").is_file())
        loaded = project_file.load(present(session.document.path))
        self.assertIn(str(self.folder / "all/sounds/bell.wav"), loaded.sounds)
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
