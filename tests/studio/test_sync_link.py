# SPDX-License-Identifier: GPL-3.0-or-later
"""Next to a real server in the real window: taken part in from the panel, led and followed, recorded from."""

from __future__ import annotations

import json
import os
import re
import time
from typing import Any
from unittest import mock

import numpy as np

from tests.present import present
from tests.studio.driver import WindowTest
from tests.sync.jack_server import Capture, Jack
from zolvek.core.edits import connections as edits
from zolvek.core.edits import controller_mappings
from zolvek.core.edits.replacement import with_lane
from zolvek.core.records import replace
from zolvek.formats.project import project_file
from zolvek.studio.services.io.sync_link import MOST_ENDS
from zolvek.sync.jack import shared_layout
from zolvek.sync.timeline.clock_messages import CLOCKS

RATE = 48_000
CLOCKS_SENT = 700  # 14.6 s at 125 BPM: enough to settle on a busy machine


def panel_page(test: WindowTest) -> Any:
    """The Connect panel's page."""
    panel: Any = test.window.rail.shown["step-connect"].widget()
    return panel.page


class Together(WindowTest):
    def join(self) -> Any:
        """The Connect page, with a server there and taken part in."""
        self.server = Jack(self)
        around = mock.patch.dict(os.environ, self.server.environment)
        around.start()
        self.addCleanup(around.stop)
        self.window.rail.show_step("step-connect")
        panel: Any = self.window.rail.shown["step-connect"].widget()
        self.wait()
        page = panel.page.together
        self.assertFalse(page.list.isVisible())
        page.on.click()
        self.until(lambda: self.studio.sync_link.through is not None)
        self.until(lambda: page.list.count() == 2)
        self.assertIn("JACK, 48 kHz, 1024 frames", page.said.text())
        return page

    def test_led_connected_and_remembered(self) -> None:
        page, link = self.join(), self.studio.sync_link
        self.assertIn("Mix left – system:playback_1", page.list.item(0).text())
        capture = Capture(self, self.server)
        self.until(lambda: any(n.startswith("capture:") for n, *_ in present(link.report).others))
        for own, other in (("all", "capture:midi"), ("mix left", "capture:sound")):
            page.own.setCurrentIndex(page.own.findData(own))
            page.own.activated.emit(page.own.currentIndex())
            place = page.other.findText(other)
            page.other.setCurrentIndex(place)
            page.add.click()
            self.wait()
        self.until(lambda: page.list.count() == 5)
        page.by_role["lead"].click()
        page.clock.click()
        self.wait(100)
        self.session.playhead.go(32.0)
        self.do("play")
        self.until(lambda: json.loads(capture.ask("state"))[0])
        self.until(lambda: self.session.playhead.beat > 34.0)
        self.assertEqual(link.lit_now[0], True)
        self.do("play")
        self.until(lambda: not json.loads(capture.ask("state"))[0])
        self.assertFalse(self.studio.player.playing)
        # The other one starts it, goes elsewhere, and stops it.
        capture.ask("locate", 20 * RATE)
        tempo = self.session.project.tempo
        there = float(tempo.beats(20.0))
        self.until(lambda: abs(self.session.playhead.beat - there) < 0.01)
        capture.ask("start")
        self.until(lambda: self.studio.player.playing)
        self.until(lambda: self.session.playhead.beat > there + 1.0)
        capture.ask("stop")
        self.until(lambda: not self.studio.player.playing)
        # The playhead put elsewhere takes the others along.
        self.session.playhead.go(16.0)
        place = round(float(tempo.seconds(16.0)) * RATE)
        self.until(lambda: abs(json.loads(capture.ask("state"))[1] - place) <= 2 * 1024)
        path = self.folder / "beside.zolvek"
        project_file.save(self.session.project, path)
        kept = project_file.load(path).sync
        self.assertEqual((kept.role, kept.clock), ("lead", True))
        self.assertIn(("all", "capture:midi"), kept.connections)
        found = capture.kept()
        self.assertGreater(int((found["port"] == 0).sum()), 20)
        self.assertGreater(max(float(np.abs(b).max()) for b in found["block_sound"]), 0.01)
        self.do("undo")
        self.assertFalse(self.session.project.sync.clock)
        # What is remembered of a program that is gone stays, and is said so; Delete takes it away.
        self.until(lambda: any("missing" in page.list.item(n).text() for n in range(page.list.count())))
        page.list.setCurrentRow(0)
        page.take.click()
        self.wait()
        self.assertNotIn(("all", "capture:midi"), self.session.project.sync.connections)
        before = present(link.link)
        page.on.click()
        self.assertIsNone(self.studio.sync_link.link)
        # On again: the same process joins the server, with the focus lane as a control voltage.
        page.on.click()
        self.assertIs(link.link, before)
        self.until(lambda: link.through is not None)
        voltage = panel_page(self).voltage
        voltage.range.setCurrentIndex(voltage.range.findText("−1 to 1"))
        voltage.range.activated.emit(voltage.range.currentIndex())
        self.assertEqual(self.session.document.history.undo_label, "CV −1 to 1")
        lane = present(self.session.lane)
        self.assertEqual(lane.voltage, "bipolar")
        name = next(p.name for p in edits.ports_of(self.session.project) if p.kind == "voltage")
        page.own.setCurrentIndex(page.own.findText(name))
        page.own.activated.emit(page.own.currentIndex())
        self.until(lambda: page.other.findText("system:playback_2") >= 0)
        page.other.setCurrentIndex(page.other.findText("system:playback_2"))
        page.add.click()
        self.until(lambda: (name, "system:playback_2") in present(link.report).connections)
        self.assertEqual(self.errors, [])

    def test_a_controller_of_the_host_is_recorded_where_it_was(self) -> None:
        page, session = self.join(), self.session
        capture = Capture(self, self.server)
        lane = session.project.lane("fog-filter.cutoff")
        project = controller_mappings.mapped(session.project, "cc:1:20", lane.device, lane.parameter)
        project = with_lane(project, replace(lane, locked=False))
        session.document.edit("Mapping", project)
        session.focus.on(lane.id)
        capture.ask("connect", "capture:out", "Zolvek:Control")
        page.by_role["follow"].click()
        # Ten thousand messages a second do no harm: of each control the last ones are followed.
        before = present(self.studio.sync_link.link).words[shared_layout.CAME]
        capture.ask("send", 5, [[0xB0, 20, number % 128] for number in range(6_000)])
        self.until(lambda: present(self.studio.sync_link.link).words[shared_layout.CAME] >= before + 5_000)
        self.wait(800)
        self.assertGreater(self.studio.sync_link.dropped, 1_000)
        session.settings.recording.mode, session.settings.recording.count_in = "latch", 0
        session.passes.arm(lane.id)
        session.playhead.go(32.0)
        self.do("record")
        self.until(lambda: self.studio.player.playing and session.playhead.beat > 32.5)
        first = int(capture.ask("send", 480, [[0xB0, 20, value] for value in range(0, 100, 2)]))
        self.wait(1_300)
        self.do("record")
        self.until(lambda: session.project.lane(lane.id).takes != lane.takes)
        took = session.project.lane(lane.id).takes[-1].curve
        found = capture.kept()
        rolled = found["block_song"] >= 0
        shift = int(np.median(found["block_song"][rolled] - found["block_at"][rolled]))
        beats = session.project.tempo.beats((first + 480 * np.arange(50) + shift) / RATE)
        bpm = 112.0 / 60.0
        block = 1024 / RATE * bpm
        low, high = lane.reach
        wanted = (np.arange(0, 100, 2) / 127.0 - low) / (high - low)
        inside = (wanted > 0.02) & (wanted < 0.98)
        near = [took.extent(b - block, b + block) for b in beats[inside]]
        for value, (lowest, highest) in zip(wanted[inside], near, strict=True):
            self.assertTrue(lowest - 0.02 <= value <= highest + 0.02, (value, lowest, highest))
        self.assertGreater(int(inside.sum()), 10)
        self.assertEqual(self.errors, [])

    def test_what_is_held_is_heard_outside_at_once(self) -> None:
        """In a pass the port gives what is done by hand, not the curve that is there; afterwards it is put right."""
        page, session = self.join(), self.session
        capture = Capture(self, self.server)
        link = self.studio.sync_link
        self.until(lambda: any(n.startswith("capture:") for n, *_ in present(link.report).others))
        lane = session.project.lane("horn.cutoff")
        session.settings.recording.mode, session.settings.recording.count_in = "touch", 0
        session.passes.arm(lane.id)
        session.playhead.go(32.0)
        page.own.setCurrentIndex(page.own.findData("all"))
        page.own.activated.emit(page.own.currentIndex())
        page.other.setCurrentIndex(page.other.findText("capture:midi"))
        page.add.click()
        self.do("record")
        self.until(lambda: self.studio.player.playing and session.playhead.beat > 33.0)
        hands = present(session.passes.hands)
        low, high = lane.reach
        for step in range(40):
            hands.move("horn", "cutoff", low + (high - low) * (0.9 if step % 2 else 0.1), None)
            self.wait(40)
        hands.release("horn", "cutoff", None)
        self.wait(600)
        self.do("record")
        self.wait(600)
        found = capture.kept()
        sent = [bytes.fromhex(row) for row in found["data"]]
        controllers = [row[2] for row in sent if row[0] & 0xF0 == 0xB0 and row[1] == lane.midi.controller]
        high_low = [round(0.9 * 127), round(0.1 * 127)]
        self.assertGreater(sum(value in high_low for value in controllers), 15, controllers)
        self.assertNotIn(controllers[-1], high_low, "put right by the curve")
        self.assertEqual(self.errors, [])

    def test_a_pass_takes_every_message_that_came_while_the_window_stalled(self) -> None:
        session, link = self.session, self.studio.sync_link
        lane = session.project.lane("fog-filter.cutoff")
        project = controller_mappings.mapped(session.project, "cc:1:20", lane.device, lane.parameter)
        session.document.edit("Mapping", with_lane(project, replace(lane, locked=False)))
        session.settings.recording.mode, session.settings.recording.count_in = "latch", 0
        session.passes.arm(lane.id)
        session.playhead.go(32.0)
        self.do("record")
        self.until(lambda: session.playhead.beat > 32.4)
        now = time.perf_counter()
        rows = [(bytes((0xB0, 20, number % 128)), now - 0.145 + 0.145 * number / 2_500) for number in range(2_500)]
        link.link = mock.Mock(take=lambda: rows, words=np.zeros(shared_layout.SLOTS, np.int64), state=0)
        link._take()
        link.link = None
        self.assertGreaterEqual(self.studio.recorder.passes[lane.id].count, 2_500)
        self.assertEqual(link.dropped, 0)
        self.do("record")
        self.assertEqual(self.errors, [])

    def test_a_process_of_the_ports_that_ends_is_started_again(self) -> None:
        """Playing goes on meanwhile; ports and connections come back by name; one that ends again and again is left."""
        self.join()
        link, session = self.studio.sync_link, self.session
        capture = Capture(self, self.server)
        self.until(lambda: any(n.startswith("capture:") for n, *_ in present(link.report).others))
        link.edit("Connect", lambda project: edits.connected(project, "all", "capture:midi"))

        def there() -> bool:
            return any(other == "capture:midi" for _, other in present(link.report).connections)

        self.until(there)
        self.do("play")
        self.until(lambda: session.playhead.beat > 0.5)
        before = present(link.link)
        before.process.kill()
        self.until(lambda: link.link is not before and there())
        self.assertIn("started again", session.notices.hint)
        self.assertTrue(self.studio.player.playing)
        self.do("play")
        self.until(lambda: link.through is not None)
        self.do("play")
        self.until(lambda: json.loads(capture.ask("state"))[0] or session.playhead.beat > 2.0)
        self.do("play")
        for _ in range(MOST_ENDS):
            count = len(link.ends)
            present(link.link).process.kill()
            self.until(lambda count=count: len(link.ends) > count)  # type: ignore[misc]
            self.until(lambda: not link.joining.isActive())
        self.assertIn("keeps ending", session.notices.hint)
        self.assertEqual(self.errors, [])

    def test_a_server_that_ends_and_a_clock_that_is_followed(self) -> None:
        page, session = self.join(), self.session
        session.playhead.go(8.0)
        self.do("play")
        self.until(lambda: session.playhead.beat > 9.0)
        self.server.stop()
        self.until(lambda: self.studio.sync_link.through is None)
        before = session.playhead.beat
        self.until(lambda: self.studio.player.playing and session.playhead.beat > before + 0.5)
        self.assertIn("ended", page.said.text())
        self.do("play")
        self.server.start()
        self.until(lambda: self.studio.sync_link.through is not None)
        page.by_role["follow"].click()
        page.source.setCurrentIndex(page.source.findData("clock"))
        page.source.activated.emit(page.source.currentIndex())
        self.wait()
        capture = Capture(self, self.server)
        capture.ask("connect", "capture:out", "Zolvek:Control")
        self.wait(300)
        gap = round(60.0 / 125.0 / CLOCKS * RATE)
        capture.ask("send", gap, [[0xF2, 16, 0], [0xFB], *[[0xF8]] * CLOCKS_SENT])
        self.until(lambda: self.studio.player.playing)
        self.until(lambda: session.playhead.beat > 6.0)
        steering = self.studio.sync_link.steering
        self.until(
            lambda: abs(present(steering).follower.bpm - 125.0) < 0.5 and abs(present(steering).drift) < 0.05, 11_000
        )
        said = re.compile(r"MIDI clock, 12[45]\.\d BPM, \d+\.\d ms off")
        self.until(lambda: said.match(page.drift.text()) is not None)
        self.assertTrue(page.tempo.isVisible())
        # It ends without a word.
        self.until(lambda: not self.studio.player.playing)
        self.assertLess(session.playhead.beat, 4.0 + CLOCKS_SENT / CLOCKS + 2.0)
        time.sleep(0.1)
        self.assertEqual(self.errors, [])

    def test_a_clock_is_followed_without_a_server(self) -> None:
        """At a port of the machine: the song starts, goes and stops with it, by being put in place."""
        session, midi_io = self.session, self.studio.midi_io
        self.studio.sync_link.set("Follow", role="follow", source="clock")
        step, begun = 60.0 / 112.0 / CLOCKS, time.perf_counter()
        midi_io.heard((0xF2, 32, 0), begun)
        midi_io.heard((0xFB,), begun)
        sent = 0
        player = self.studio.player
        while sent < 3 * CLOCKS or session.playhead.beat < 10.0 or not player.playing:
            if time.perf_counter() >= begun + sent * step:
                midi_io.heard((0xF8,), begun + sent * step)
                sent += 1
            self.wait(2)
            self.assertLess(sent, 40 * CLOCKS)
        self.assertRegex(self.studio.sync_link.following, r"MIDI clock, 11[12]\.\d BPM, [\d.]+ ms off")
        self.assertLess(abs(session.playhead.beat - (8.0 + sent / CLOCKS)), 1.5)
        midi_io.heard((0xFC,), time.perf_counter())
        self.until(lambda: not self.studio.player.playing)
        self.studio.sync_link.set("Internal", role="alone")
        self.assertEqual(self.errors, [])
