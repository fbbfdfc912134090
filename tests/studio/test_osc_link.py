# SPDX-License-Identifier: GPL-3.0-or-later
"""OSC in the real window: lanes sent to another program's socket, and controls moved from there."""

from __future__ import annotations

import socket
import struct
import time
import unittest
from typing import Any

import numpy as np
from pythonosc.osc_packet import OscPacket
from pythonosc.udp_client import SimpleUDPClient

from tests.present import present
from tests.studio.driver import WindowTest
from tests.sync.osc_packets import packet, rows_of
from zolvek.sync.timeline import osc_messages
from zolvek.sync.timeline.osc_lanes import OscLanes


class Linked(WindowTest):
    def page(self) -> Any:
        self.window.rail.show_step("step-connect")
        panel: Any = self.window.rail.shown["step-connect"].widget()
        self.wait()
        return panel.page

    def test_lanes_are_sent_while_they_play(self) -> None:
        page, session = self.page(), self.session
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
            other.bind(("127.0.0.1", 0))
            other.settimeout(0.5)
            self.type_in("OSC address", "nowhere")
            self.assertTrue(page.to.property("fault"), "refused in words")
            self.type_in("OSC address", f"127.0.0.1:{other.getsockname()[1]}")
            page.sends.click()
            session.playhead.go(8 * 4.0)
            self.do("play")
            self.until(lambda: session.playhead.beat > 33.0)
            self.do("play")
            packets = []
            while True:
                try:
                    packets.append(other.recv(65_536))
                except TimeoutError:
                    break
        lane = next(each for each in session.project.lanes() if each.id == "fog-filter.cutoff")
        address = next(
            a for a, t in osc_messages.addresses(session.project).items() if t == (lane.device, lane.parameter)
        )
        rows = [
            (timed.time, message.params)
            for came in packets
            for timed in OscPacket(came).messages
            for message in [timed.message]
            if message.address == address
        ]
        self.assertGreater(len(rows), 10)
        lanes = OscLanes(session.project, session.settings.connect.osc_rate)
        first, last = (float(session.project.tempo.seconds(beat)) for beat in (32.0, 32.9))
        wanted = rows_of(lanes, lanes.at(first)) + rows_of(lanes, lanes.between(first, last))
        # All that lies in the stretch that was played; more where a busy machine's sound came late, and it began again.
        came = {tuple(np.array(params, np.float32).tolist()) for _, params in rows}
        own = [row for row in wanted if row.address == address]
        reported = {tuple(np.array((row.position, row.value), np.float32).tolist()) for row in own}
        self.assertGreater(len(reported), 10)
        self.assertLessEqual(reported, came)
        self.assertIn("packets sent", page.said.text())
        page.sends.click()
        self.assertEqual(self.studio.osc.sends_to, "")
        self.assertEqual(self.errors, [])

    def test_controls_are_moved_from_outside_and_strangers_do_no_harm(self) -> None:
        page, session = self.page(), self.session
        page.at.setValue(self.free_port())
        page.listens.click()
        self.until(lambda: self.studio.osc.port > 0)
        client = SimpleUDPClient("127.0.0.1", self.studio.osc.port)
        self.addCleanup(client._sock.close)
        address, (device, key) = next(
            (a, t) for a, t in osc_messages.addresses(session.project).items() if t[1] == "glide" or t[1] == "pan"
        )
        before, steps = session.project, session.document.history.here
        client.send_message(address, 0.625)
        self.until(lambda: session.shown.control == (device, key))
        now = session.project.device_track(device).device(device)
        self.assertAlmostEqual(now.position(key), 0.625, 6)
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
            to = ("127.0.0.1", self.studio.osc.port)
            rng = np.random.default_rng(1)
            for _ in range(300):
                other.sendto(rng.bytes(int(rng.integers(1, 200))), to)
            other.sendto(b"", to)
        client.send_message("/zolvek/nobody/at/home", 1.0)
        client.send_message(address, "text")
        for number in range(2_000):  # a flood: only the last of a moment moves the control
            client.send_message(address, (number % 100) / 100.0)

        def turned() -> bool:
            client.send_message(address, 0.25)  # again and again: what floods a network is lost in part
            at = session.project.device_track(device).device(device).position(key)
            return abs(at - 0.25) < 1e-6

        self.until(turned)
        self.assertGreater(present(self.studio.osc.input).bad, 100)
        self.assertEqual(self.studio.osc.strange, 1)
        self.assertIn("not OSC", page.said.text())
        self.wait(500)  # the control rests: what comes later is another step
        # One step as long as moves follow one another; a busy machine may make a pause among them.
        while session.document.history.here > steps:
            self.do("undo")
        self.assertIs(session.project, before)
        page.listens.click()
        self.assertEqual(self.studio.osc.port, 0)
        self.assertEqual(self.errors, [])

    def test_a_flood_is_one_edit_a_look_and_what_we_send_ourselves_is_not_taken(self) -> None:
        """Each look at what came makes one edit at most, whatever came; our own output into our own input is said."""
        page, session = self.page(), self.session
        page.at.setValue(self.free_port())
        page.listens.click()
        link = self.studio.osc
        self.until(lambda: link.port > 0)
        targets = osc_messages.addresses(session.project)
        edits = []
        session.document.changed.connect(lambda: edits.append(session.project))
        link.timer.stop()
        client = SimpleUDPClient("127.0.0.1", link.port)
        self.addCleanup(client._sock.close)
        free = [a for a, (d, k) in targets.items() if session.project.device_track(d).lane_on(d, k) is None][:60]
        for number in range(3_000):
            client.send_message(free[number % len(free)], number / 3_000.0)
        self.until(lambda: len(present(link.input).latest) >= len(free))
        newest = struct.pack(">f", 0.95)

        def newest_came() -> bool:  # what floods a network is lost in part
            client.send_message(free[-1], 0.95)
            return present(link.input).latest[free[-1]].endswith(newest)

        self.until(newest_came)
        link._take()
        self.assertEqual(len(edits), 1)
        self.assertGreater(present(link.input).left_out, 1_000)
        device, key = targets[free[-1]]
        parameter = session.project.device_track(device).device(device).parameter(key)
        if not parameter.steps:
            at = session.project.device_track(device).device(device).position(key)
            self.assertAlmostEqual(at, 0.95, places=6)
        link.timer.start()
        self.type_in("OSC address", f"127.0.0.1:{link.port}")
        page.sends.click()
        self.assertIn("messages are ignored", session.notices.hint)
        came = present(link.input).came
        present(link.output).send([packet([(free[0], 0.5)], 1.0)])
        self.until(lambda: present(link.input).own > 0)
        self.assertEqual(present(link.input).came, came)
        page.sends.click()
        page.listens.click()
        self.assertEqual(self.errors, [])

    def test_a_pass_takes_every_value_at_its_own_time(self) -> None:
        """While the window stalls they wait: none is left out, and none comes late."""
        page, session = self.page(), self.session
        page.at.setValue(self.free_port())
        page.listens.click()
        link, lane = self.studio.osc, session.project.lane("horn.cutoff")
        address = next(a for a, t in osc_messages.addresses(session.project).items() if t == ("horn", "cutoff"))
        session.settings.recording.mode, session.settings.recording.count_in = "latch", 0
        session.passes.arm(lane.id)
        session.playhead.go(32.0)
        self.do("record")
        self.until(lambda: session.playhead.beat > 32.4 and present(link.input).keeps_all)
        link.timer.stop()  # the window stalls
        client, begun, sent = SimpleUDPClient("127.0.0.1", link.port), time.time(), 1_000
        self.addCleanup(client._sock.close)
        clock = present(self.studio.player.clock)
        first = clock.beat_at(time.perf_counter())
        for number in range(sent):
            made = packet([(address, number / sent)], begun + number / sent)
            client._sock.sendto(made, ("127.0.0.1", link.port))
            if number % 50 == 49:
                time.sleep(0.01)  # what the network itself would lose is not meant
        self.until(lambda: len(present(link.input).all) == sent)
        self.until(lambda: session.playhead.beat > first + 112.0 / 60.0)
        link.timer.start()
        self.until(lambda: not present(link.input).all)
        moves = self.studio.recorder.passes[lane.id].rounds[-1]
        self.assertGreaterEqual(len(moves), sent)
        at = np.array([move.beat for move in moves[-sent:]])
        wanted = first + np.arange(sent) / sent * 112.0 / 60.0
        off = at - wanted  # sound that comes late on a busy machine shifts all of them
        self.assertLess(float(np.median(np.abs(off))), 0.3)
        self.assertLess(float(np.median(np.abs(off - np.median(off)))), 0.03)
        self.do("record")
        self.assertEqual(self.errors, [])

    def test_a_port_that_is_taken_is_said(self) -> None:
        page = self.page()
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
            other.bind(("127.0.0.1", 0))
            page.at.setValue(other.getsockname()[1])
            page.listens.click()
        self.assertIn("in use", self.errors.pop().what)
        self.assertFalse(page.listens.isChecked())

    def free_port(self) -> int:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
            other.bind(("127.0.0.1", 0))
            return int(other.getsockname()[1])


if __name__ == "__main__":
    unittest.main()
