# SPDX-License-Identifier: GPL-3.0-or-later
"""`zolvek play` as a person runs it: next to a server, in its role, until it is interrupted or over."""

from __future__ import annotations

import json
import os
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from click.testing import CliRunner
from pythonosc.osc_packet import OscPacket

from tests.sync.jack_server import Capture, Jack
from zolvek.cli.main import zolvek
from zolvek.core.edits.connections import connected
from zolvek.core.errors import ZolvekError
from zolvek.demo.night_regatta import build
from zolvek.formats.project import project_file
from zolvek.sync.headless_player import Performance
from zolvek.sync.timeline.osc_lanes import OscLanes

SINCE_1900 = 2_208_988_800  # seconds until 1970 (RFC 868)


def moment_of(packet: bytes) -> float:
    """A bundle's time tag, in seconds of time.time (OSC 1.0: 64-bit NTP). The package says no past ones."""
    whole, part = struct.unpack(">II", packet[8:16])
    return float(whole - SINCE_1900 + part / 2**32)


class Play(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "piece.zolvek"
        self.project = connected(build(), "all", "capture:midi")
        project_file.save(self.project, self.path)

    def run_it(self, *words: str, **around: str) -> subprocess.Popen[str]:
        process = subprocess.Popen(
            [sys.executable, "-m", "zolvek", "play", str(self.path), *words],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=os.environ | around,
        )  # fmt: skip
        self.addCleanup(process.kill)
        return process

    def test_it_leads_and_ends_when_asked(self) -> None:
        server = Jack(self)
        capture = Capture(self, server)
        process = self.run_it("--clock", "lead", "--from", "9", **server.environment)
        self.until_rolling(capture, process)
        ports = json.loads(capture.ask("ports"))
        self.assertIn("Zolvek:Hull MIDI", ports)
        self.assertIn("Zolvek:Mix left", ports)
        listed = subprocess.run(
            [sys.executable, "-m", "zolvek", "ports", "--json"], capture_output=True, text=True,
            check=True, env=os.environ | server.environment,
        )  # fmt: skip
        rows = json.loads(listed.stdout)
        self.assertIn({"kind": "jack midi", "direction": "in", "name": "Zolvek:Hull MIDI"}, rows)
        time.sleep(1.5)
        process.send_signal(signal.SIGINT)
        said, reported = process.communicate(timeout=20)
        self.assertEqual((process.returncode, said), (0, ""))
        self.assertRegex(reported, r"\d+\.\d\.\d+  0:1\d\.\d{3}  112\.00 BPM  playing  JACK 48 kHz")
        found = capture.kept()
        self.assertGreater(int(((found["port"] == 0) & (found["song"] > 0)).sum()), 10)

    def test_without_a_server_or_when_it_dies_it_says_so_and_fails(self) -> None:
        none = {"JACK_DEFAULT_SERVER": "zolvek-none", "JACK_NO_START_SERVER": "1"}
        process = self.run_it(**none)
        said, reported = process.communicate(timeout=60)
        self.assertEqual((process.returncode, said), (1, ""), reported)
        self.assertIn("No JACK server is running. Start one, or use --out silent.", reported)
        server = Jack(self)
        capture = Capture(self, server)
        process = self.run_it("--sync", "lead", **server.environment)
        self.until_rolling(capture, process)
        server.stop()
        said, reported = process.communicate(timeout=30)
        self.assertEqual(process.returncode, 1, reported)
        self.assertIn("The JACK server has ended. Playback has ended.", reported)

    def test_leading_it_goes_on_after_others_stop_and_ends_with_the_song(self) -> None:
        server = Jack(self)
        capture = Capture(self, server)
        process = self.run_it("--sync", "lead", "--from", "47.3", **server.environment)
        self.until_rolling(capture, process)
        capture.ask("stop")
        time.sleep(3.0)  # it reports once a second
        self.assertIsNone(process.poll(), "another program has stopped it: it waits")
        capture.ask("start")
        _, reported = process.communicate(timeout=60)
        self.assertEqual(process.returncode, 0, reported)
        self.assertFalse(json.loads(capture.ask("state"))[0], "the transport stops with the song")
        self.assertIn("stopped", reported)

    def until_rolling(self, capture: Capture, process: subprocess.Popen[str]) -> None:
        end = time.monotonic() + 90.0
        while not json.loads(capture.ask("state"))[0]:
            self.assertLess(time.monotonic(), end)
            self.assertIsNone(process.poll())
            time.sleep(0.05)

    def test_osc_bears_the_moments_of_the_song(self) -> None:
        """Sent on time, each bundle with the moment that it is heard at: between two as long as in the song."""
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
            other.bind(("127.0.0.1", 0))
            other.settimeout(0.1)
            to = f"127.0.0.1:{other.getsockname()[1]}"
            process = self.run_it("--out", "silent", "--from", "47.3", "--osc", to)
            packets = []
            while process.poll() is None:
                try:
                    packets.append(other.recv(65_536))
                except TimeoutError:
                    continue
        said, reported = process.communicate()
        self.assertEqual((process.returncode, said), (0, ""), reported)
        self.assertEqual([line for line in reported.splitlines() if " BPM " not in line], [])
        project = self.project
        self.assertGreater(len(packets), 30)
        first = project.meter.parse("47.3")
        lanes = OscLanes(project, 60.0)
        ends = project.tempo.seconds(np.array([first, project.length])).tolist()
        wanted = lanes.between(*ends)
        by_value: dict[tuple[str, float], list[float]] = {}
        for seconds, number, position in zip(wanted.seconds, wanted.lane, wanted.position, strict=True):
            by_value.setdefault((lanes.addresses[number], float(np.float32(position))), []).append(float(seconds))
        rows = [
            (moment_of(packet), m.message.address, m.message.params[0])
            for packet in packets
            for m in OscPacket(packet).messages
        ]
        begun = min(at for at, _, _ in rows)  # then every lane is put where it stands
        pairs = [
            (at, by_value[a, v][0]) for at, a, v in rows if at > begun + 1e-3 and len(by_value.get((a, v), ())) == 1
        ]
        self.assertGreater(len(pairs), 20)
        between = np.diff(np.array(sorted(pairs, key=lambda pair: pair[1])), axis=0)
        # On a loaded machine the sound may come too late now and then, and the song with it.
        off = np.abs(between[:, 0] - between[:, 1])
        self.assertLess(float(np.median(off)), 1e-3)
        self.assertGreater(float(np.mean(off < 2e-3)), 0.6)

    def test_messages_go_to_a_port_of_the_machine(self) -> None:
        """A stand-in for the port: this machine has none. What is sent is what the lanes and notes say."""
        sent: list[bytes] = []
        port = mock.Mock()
        port.send.side_effect = sent.append
        with (
            mock.patch("zolvek.sync.ports.midi_ports.outputs", lambda: ["Zolvek"]),
            mock.patch("zolvek.sync.ports.midi_ports.Output", lambda name: port),
        ):
            performance = Performance(build(), "alsa", "alone")
            self.addCleanup(performance.close)
            begun = time.monotonic()
            for moment in performance.play(32.0, None):
                if moment.beat > 34.0 or time.monotonic() - begun > 60.0:
                    break
            performance.close()
        kinds = {data[0] & 0xF0 for data in sent}
        self.assertLessEqual({0x90, 0xB0}, kinds)
        self.assertGreater(len(sent), 15)
        self.assertTrue(all(not live.thread.is_alive() for live in performance.live))

    def test_what_can_t_be_is_said_in_a_line(self) -> None:
        for words, reported in (
            (("--out", "silent", "--clock", "lead"), "needs JACK or PipeWire"),
            (("--osc", "nowhere"), "is not an address"),
            (("--from", "99"), "beyond the end of the project"),
            (("--loop", "9", "9"), "empty"),
        ):
            done = CliRunner().invoke(zolvek, ["play", str(self.path), *words])
            fault = done.exception
            assert isinstance(fault, ZolvekError), words
            self.assertIn(reported, f"{fault.what} {fault.remedy}")
