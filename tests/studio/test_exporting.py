# SPDX-License-Identifier: GPL-3.0-or-later
"""From the window to the file and back: the Export panel, what is read, dropped and dragged."""

from __future__ import annotations

import csv
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import mido
import numpy as np
import soundfile
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

from tests.present import present
from tests.studio.driver import WindowTest
from tests.studio.qtest import QTest
from zolvek.core.edits import states
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model import catalogue
from zolvek.core.model.project import Project
from zolvek.core.model.state import StatePart
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.formats import device_file, state_file
from zolvek.studio.views.panels.export.export_panel import ExportPanel
from zolvek.studio.views.panels.export.midi_page import DragFile
from zolvek.sync.ports import midi_ports as ports


def device_file_bytes() -> bytes:
    return json.dumps(device_file.plain(catalogue.DEVICE_KINDS["filter"])).encode()


def states_bytes(project: Project) -> bytes:
    horn = project.device_track("horn").device("horn")
    own, key = states.kept(project, "Bright", (StatePart("horn", states.present(horn)),))
    with tempfile.TemporaryDirectory() as folder:
        path = state_file.save(own, [states.state_of(own, key)], Path(folder) / "s.json")
        return path.read_bytes()


class Exporting(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.do("step-export")
        self.panel = self.window.rail.findChild(ExportPanel)
        self.exports = self.studio.exports

    def written(self, name: str, action: str) -> Any:
        path = self.folder / name
        self.ask.path = path
        self.do(action)
        self.until(lambda: self.exports.working is None)
        self.assertEqual(self.errors, [])
        return path

    def test_an_nrpn_lane_is_reported_exported_and_read_again(self) -> None:
        self.session.focus.on("echo.feedback")
        page = self.panel.midi
        page.kind.setCurrentIndex(page.kind.findData("bend"))
        page.kind.activated.emit(page.kind.currentIndex())
        page.semitones.setValue(2.25)
        self.assertEqual(present(self.session.lane).midi.semitones, 2.25)
        self.assertFalse(page.target.isRowVisible(page.number))
        page.kind.setCurrentIndex(page.kind.findData("nrpn"))
        page.kind.activated.emit(page.kind.currentIndex())
        page.number.setValue(260)
        self.assertEqual(present(self.session.lane).midi.text, "NRPN 260, channel 2")
        self.assertEqual(page.gap.text(), "5 ms", "proposed, as nothing was set")
        page.gap.setText("1 tick")
        self.key(Qt.Key.Key_Return, widget=page.gap)
        self.until(lambda: page.last_report is not None and not page.stale and page.working is None)
        row = next(row for row in present(page.last_report).lanes if row.lane == "echo.feedback")
        self.assertEqual(row.target, "NRPN 260, channel 2")
        self.assertGreater(row.messages, 1_000)
        self.assertIn("% of a DIN cable", page.load.text())
        self.assertEqual(page.rows.rowCount(), 16)
        for text in ("soon", "2000 ms", "0.5 ticks"):
            page.gap.setText(text)
            self.key(Qt.Key.Key_Return, widget=page.gap)
            self.assertTrue(page.gap.property("fault"), text)
        page.gap.setText("5")
        self.key(Qt.Key.Key_Return, widget=page.gap)
        self.assertEqual(page.gap.text(), "5 ms")
        self.until(lambda: not page.stale and page.working is None)
        self.assertLess(
            next(r for r in present(page.last_report).lanes if r.lane == "echo.feedback").messages,
            row.messages / 4,
        )
        page.rows.selectRow(0)
        self.assertEqual(present(self.session.lane).id, present(page.last_report).lanes[0].lane)
        page.gap.setText("1 tick")
        self.key(Qt.Key.Key_Return, widget=page.gap)
        self.assertEqual(page.gap.text(), "0 ms")
        path = self.written("piece.mid", "export-midi")
        numbers = {
            m.control for t in mido.MidiFile(path).tracks for m in t if m.type == "control_change" and m.channel == 1
        }
        self.assertLessEqual({98, 99, 6, 38}, numbers)
        # Dropped on the window it comes in again, on tracks of its own, as one step.
        before = self.session.project
        self.ask.accepts = True
        self.drop(path)
        self.until(lambda: self.session.project is not before)
        self.assertEqual(len(self.session.project.tracks), 4 + 16 + 3)
        back = next(x for x in self.session.project.lanes() if x.midi.kind == "nrpn" and x.device != "echo")
        ticks = np.arange(0, 192 * 960, 7) / 960
        own = played(before.lane("echo.feedback"), before).curve.at(ticks)
        self.assertLess(np.percentile(np.abs(back.curve.at(ticks) - own), 99.9), 0.004)
        self.do("undo")
        self.assertIs(self.session.project, before)

    def drop(self, path: Any) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDropEvent(
            QPointF(400, 300),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        self.window.dropEvent(event)
        self.assertTrue(event.isAccepted())
        self.wait(50)

    def test_every_file_is_written_and_what_is_dropped_is_read(self) -> None:
        self.session.focus.on("fog-strip.level")
        self.session.span.choose((64.0, 72.0))
        settings = self.session.settings
        settings.audio.selection, settings.audio.tracks, settings.audio.depth = True, True, "float"
        settings.tables.all_lanes = True
        self.written("mix.wav", "export-sound")
        self.assertEqual(len(list(self.folder.glob("mix - *.wav"))), 4)
        control = self.written("level.wav", "export-control")
        self.assertEqual(soundfile.info(control).subtype, "FLOAT")
        table = self.written("table.csv", "export-table")
        with open(table, newline="", encoding="utf-8") as file:
            rows = list(csv.reader(file))
        self.assertEqual((len(rows[0]), len(rows)), (18, 1 + 194 * 4 + 1))
        points = self.written("points.csv", "export-csv")
        for name, begins in (("all.svg", b"<svg"), ("all.png", b"\x89PNG")):
            self.assertEqual(self.written(name, "export-picture").read_bytes()[:4], begins)
        # The control signal comes back into another lane; the points into a third.
        self.session.focus.on("horn.drive")
        old = present(self.session.lane).curve
        self.ask.yes = False
        self.ask.accepts = True
        self.drop(control)
        self.until(lambda: present(self.session.lane).curve is not old)
        beats = np.linspace(64.0, 71.9, 500)
        wanted = played(self.session.project.lane("fog-strip.level"), self.session.project).curve.at(beats)
        self.assertLess(np.percentile(np.abs(present(self.session.lane).curve.at(beats) - wanted), 98), 0.003)
        self.assertEqual(float(present(self.session.lane).curve.at(10.0)), float(old.at(10.0)))
        self.drop(points)
        self.assertEqual(present(self.session.lane).curve, self.session.project.lane("fog-strip.level").curve)
        # A description, and states, say themselves what they are.
        for name, data in (
            ("kind", device_file_bytes()),
            ("sound", states_bytes(self.session.project)),
        ):
            (self.folder / f"{name}.json").write_bytes(data)
        before = self.session.project
        self.drop(self.folder / "kind.json")
        self.assertNotEqual(self.session.project.tracks, before.tracks)
        self.session.touch("horn", "drive")
        self.drop(self.folder / "sound.json")
        self.assertTrue(any(state.name == "Bright" for state in self.session.project.states))
        (self.folder / "notes.txt").write_text("no")
        self.drop(self.folder / "notes.txt")
        self.assertIn("notes.txt", self.errors.pop().where)

    def test_lanes_play_to_real_ports_the_ones_they_name(self) -> None:
        """The machine's ports stood in for: what is sent is looked at, not how."""
        sent: dict[str, list[list[int]]] = {}

        class Port:
            def get_ports(self) -> list[str]:
                return ["Rack", "Desk"]

            def open_port(self, place: int) -> None:
                self.name = self.get_ports()[place]

            def open_virtual_port(self, name: str) -> None:
                self.name = name

            def send_message(self, data: list[int]) -> None:
                sent.setdefault(self.name, []).append(data)

            def close_port(self) -> None: ...

            def delete(self) -> None: ...

        library = mock.Mock(MidiOut=Port, MidiIn=Port)
        with mock.patch.object(ports, "_rtmidi", lambda: library):
            lane = self.session.project.lane("echo.feedback")
            named = replace(lane, midi=replace(lane.midi, kind="nrpn", controller=260, port="Desk"))
            project = with_lane(self.session.project, named)
            project = replace(project, sync=replace(project.sync, clock=True, code="25"))
            self.session.document.edit("Port", project)
            self.studio.midi_io.send_to(ports.outputs()[-1])
            self.session.playhead.go(72.0)
            self.until(lambda: any(data[0] == 0xF2 for data in sent.get("Zolvek", ())))  # it is said where it is
            self.do("play")
            self.until(lambda: len(sent.get("Desk", ())) > 40 and len(sent.get("Zolvek", ())) > 40)
            self.do("stop")
            self.until(lambda: [0xFC] in sent["Zolvek"])
            self.studio.sync_link.panic()
            self.studio.midi_io.close()
        realtime = [data for data in sent["Zolvek"] if data[0] >= 0xF0 and data[0] != 0xF1]
        self.assertEqual([data[0] for data in realtime[:6]], [0xF0, 0xF2, 0xF0, 0xF2, 0xFB, 0xF8])
        self.assertEqual(realtime[1:4:2], [[0xF2, (72 * 4) & 127, (72 * 4) >> 7]] * 2)
        self.assertGreater(sum(data == [0xF8] for data in realtime), 10)
        self.assertIn([0xB0, 123, 0], sent["Desk"])
        self.assertEqual([data[1] for data in sent["Desk"][:4]], [99, 98, 6, 38])
        played = [data for data in sent["Desk"] if data[1] not in (120, 123)]
        self.assertEqual({data[0] for data in played}, {0xB1})
        self.assertNotIn(91, {data[1] for data in sent["Zolvek"] if data[0] == 0xB1})

    def test_the_file_is_dragged_out_and_the_guide_is_read(self) -> None:
        handle = self.panel.findChild(DragFile)
        dragged: list[str] = []
        handle.__dict__["begin"] = dragged.append
        QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))
        self.move_held(handle, QPointF(60, 40))
        self.until(lambda: bool(dragged))
        self.assertEqual(len(mido.MidiFile(dragged[0]).tracks), 17 + 3)
        self.do("guide")
        guide = self.window.guide_window
        QTest.keyClicks(present(guide).words, "pitch bend")
        QTest.keyClick(present(guide).words, Qt.Key.Key_Return)
        self.assertEqual(present(guide).page.textCursor().selectedText(), "pitch bend")
        present(guide).close()


if __name__ == "__main__":
    unittest.main()
