# SPDX-License-Identifier: GPL-3.0-or-later
"""Devices: every description that ships, those a person writes, chains, listening, controls."""

from __future__ import annotations

import copy
import json
import unittest
from collections.abc import Callable
from typing import Any

import numpy as np

from zolvek.core.edits import chains, controller_mappings
from zolvek.core.edits.controller_reader import ControllerReader
from zolvek.core.edits.monitoring import Listening, heard
from zolvek.core.edits.replacement import add_lane
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.shipped_devices import DEVICES
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.formats import device_file
from zolvek.formats.device_file import FORMAT, VERSION, kind_from_plain, plain
from zolvek.formats.project import project_file

OWN = {
    "format": "zolvek-device",
    "version": 1,
    "device": {
        "key": "bass",
        "name": "My bass",
        "role": "outside",
        "parameters": [
            {"id": "cut", "name": "Cutoff", "unit": "Hz", "low": 30, "high": 9000, "default": 900,
             "taper": "exponential", "sends": "cc 74"},
            {"id": "bend", "name": "Bend", "unit": "st", "low": -2, "high": 2, "default": 0, "sends": "bend"},
        ],
        "presets": [{"name": "Dark", "values": {"cut": "220 Hz"}}],
    },
}  # fmt: skip


class Catalogue(unittest.TestCase):
    def test_every_row_that_ships(self) -> None:
        for kind in DEVICE_KINDS.values():
            with self.subTest(kind.key):
                row = next(device for device in DEVICES if device["key"] == kind.key)
                file = json.dumps({"format": FORMAT, "version": VERSION, "device": row})
                self.assertEqual(device_file.decode(file.encode()), kind)
                self.assertEqual(kind_from_plain(plain(kind)), kind)
                wanted = {"synth": 10}.get(kind.key, 3)
                self.assertGreaterEqual(len(kind.presets), wanted)
                names = [p.name for p in kind.parameters]
                self.assertEqual(len(set(names)), len(names), "no two read the same")
                for preset in kind.presets:
                    values = kind.preset(preset.name)
                    self.assertEqual(set(values), set(kind.by_id) - {"bypass"})
                    for key, text in preset.values.items():
                        parameter = kind.parameter(key)
                        shown = parameter.text(values[key])
                        self.assertAlmostEqual(parameter.parse(shown), values[key], places=2, msg=text)

    def test_a_described_device_travels_with_its_project(self) -> None:
        kind = device_file.decode(json.dumps(OWN).encode())
        project, device = chains.add_device(build(), "hull", kind)
        project, lane = add_lane(project, device, "bend")
        self.assertEqual(project.lane(lane).midi.kind, "bend")
        self.assertIn("My bass", project.label_of(lane))
        again = project_file.decode(project_file.encode(project))
        self.assertEqual(again, project)
        self.assertEqual(again.device_track(device).device(device).parameter("cut").high, 9000.0)

    def test_a_broken_description_is_refused_with_the_place(self) -> None:
        def broken(change: Callable[[Any, Any], Any]) -> bytes:
            own: Any = copy.deepcopy(OWN)
            change(own["device"], own["device"]["parameters"][0])
            return json.dumps(own).encode()

        cases = {
            "not JSON": b"{",
            "another file": b'{"format": "song"}',
            "newer": json.dumps(OWN | {"version": 9}).encode(),
            "no parameters": broken(lambda d, p: d.update(parameters=[])),
            "unknown taper": broken(lambda d, p: p.update(taper="cubic")),
            "unknown field": broken(lambda d, p: p.update(colour=1)),
            "range turned over": broken(lambda d, p: p.update(low=20_000)),
            "not a number": broken(lambda d, p: p.update(low="30")),
            "no such message": broken(lambda d, p: p.update(sends="cc 900")),
            "bad preset": broken(lambda d, p: d["presets"][0]["values"].update(cut="loud")),
            "same id twice": broken(lambda d, p: p.update(id="bend")),
            "unknown role": broken(lambda d, p: d.update(role="song")),
        }
        for name, data in cases.items():
            with self.subTest(name), self.assertRaises(ZolvekError) as caught:
                device_file.decode(data, "mine.json")
            self.assertIn("mine.json", str(caught.exception))
            self.assertTrue(caught.exception.remedy, name)


class Chains(unittest.TestCase):
    def test_devices_are_added_ordered_and_removed_with_their_lanes(self) -> None:
        project, eq = chains.add_device(build(), "hull", DEVICE_KINDS["eq"])
        self.assertEqual([d.kind for d in project.tracks[0].devices], ["synth", "eq", "strip"])
        project, crush = chains.add_device(project, "hull", DEVICE_KINDS["crush"])
        moved = chains.move_device(project, crush, -1)
        self.assertEqual([d.id for d in moved.tracks[0].devices][1:3], [crush, eq])
        with self.assertRaises(ZolvekError):
            chains.move_device(project, eq, -1)
        with self.assertRaises(ZolvekError):
            chains.add_device(project, "hull", DEVICE_KINDS["drums"])
        project, lane = add_lane(project, eq, "mid-gain")
        project = controller_mappings.mapped(project, "dial-1", eq, "mid-gain")
        gone = chains.remove_device(project, eq)
        self.assertNotIn(lane, [each.id for each in gone.lanes()])
        self.assertEqual(gone.mappings, ())
        project, _track = chains.add_track(project, "Hull")
        self.assertEqual(project.tracks[-1].name, "Hull 2")
        self.assertEqual(len(chains.remove_track(project, "fog").tracks), 4)

    def test_presets_and_favourites(self) -> None:
        project = chains.apply_preset(build(), "horn", "Round bass")
        horn = project.tracks[0].devices[0]
        self.assertEqual(horn.parameter("cutoff").text(horn.position("cutoff")), "320 Hz")
        project = chains.toggle_favourite(project, "horn", "level")
        project = chains.toggle_favourite(project, "horn", "cutoff")
        first = project.tracks[0].devices[0].favourites_first
        self.assertEqual([p.id for p in first][:3], ["level", "cutoff", "wave"])
        self.assertEqual(len(first), len(horn.parameters))
        again = chains.toggle_favourite(project, "horn", "level")
        self.assertEqual(again.tracks[0].devices[0].favourites, ("cutoff",))

    def test_listening_changes_only_what_is_heard(self) -> None:
        project = build()
        self.assertIs(heard(project, Listening(metronome=True)), project)
        solo = heard(project, Listening(solo=frozenset({"fog"})))
        self.assertEqual([t.muted for t in solo.tracks], [True, True, False, True])
        alone = heard(project, Listening(alone="horn.cutoff"))
        self.assertEqual([x.id for x in alone.lanes() if not x.bypassed], ["horn.cutoff"])
        held = heard(project, Listening(bypass=True, held=(("horn.cutoff", 1.0),))).lane("horn.cutoff")
        np.testing.assert_array_equal(held.at([0.0, 99.0]), 1.0)
        self.assertFalse(held.bypassed)


class Controls(unittest.TestCase):
    def test_messages_name_controls(self) -> None:
        """MIDI 1.0, table 1: status bytes; a bend of 8192 is the middle."""
        cases = {
            (0xB2, 74, 127): ("cc:3:74", 1.0),
            (0xE0, 0, 64): ("bend:1", 0.5),
            (0xE0, 127, 127): ("bend:1", 1.0),
            (0xE1, 0, 0): ("bend:2", 0.0),
            (0xD5, 0): ("pressure:6", 0.0),
        }
        for message, wanted in cases.items():
            which, position = controller_mappings.read_message(message) or ("", -1.0)
            self.assertEqual(which, wanted[0])
            self.assertAlmostEqual(position, wanted[1], places=4)
        for message in ((), (0x90, 60, 1), (0xB0, 121, 0), (0xB0, 200, 1), (0xF8,)):
            self.assertIsNone(controller_mappings.read_message(message))

    def test_controllers_come_in_all_their_bits(self) -> None:
        """MIDI 1.0, table III: pairs of controllers, registered and other parameters by 98 to 101, 6 and 38."""
        reader = ControllerReader()

        def read(*data: int) -> tuple[str, float] | None:
            return reader.read(data)

        self.assertEqual(read(0xB0, 7, 64), ("cc:1:7", 64 / 127.0), "by itself: seven bits")
        self.assertEqual(read(0xB0, 39, 1), ("cc:1:7", (64 * 128 + 1) / 16_383.0))
        self.assertIsNone(read(0xB0, 7, 65), "now the second half is waited for")
        self.assertEqual(read(0xB0, 39, 0), ("cc:1:7", 65 * 128 / 16_383.0))
        self.assertEqual(read(0xB0, 39, 5), ("cc:1:7", (65 * 128 + 5) / 16_383.0), "a fine move alone")
        self.assertIsNone(read(0xB0, 7, 1))
        self.assertEqual(read(0xB0, 7, 2), ("cc:1:7", 2 / 127.0), "no second halves any more")
        self.assertEqual(read(0xB1, 39, 5), ("cc:2:39", 5 / 127.0), "another channel")
        for kind, numbers in (("nrpn", (99, 98)), ("rpn", (101, 100))):
            self.assertIsNone(read(0xB2, numbers[0], 3))
            self.assertIsNone(read(0xB2, numbers[1], 9))
            self.assertEqual(read(0xB2, 6, 127), (f"{kind}:3:393", 1.0))
            self.assertEqual(read(0xB2, 38, 64), (f"{kind}:3:393", (127 * 128 + 64) / 16_383.0))
            self.assertIsNone(read(0xB2, numbers[0], 127))
            self.assertIsNone(read(0xB2, numbers[1], 127))
            self.assertEqual(read(0xB2, 6, 10), ("cc:3:6", 10 / 127.0), "nothing is chosen")
        self.assertEqual(read(0xC4, 12), ("program:5", 12 / 127.0))
        self.assertEqual(controller_mappings.control_name("nrpn:3:393"), "NRPN 393, channel 3")
        random = np.random.default_rng(1)
        for _ in range(3_000):  # whatever comes: a move within 0..1, or nothing
            moved = read(*random.integers(0, 256, random.integers(0, 5)).tolist())
            self.assertTrue(moved is None or 0.0 <= moved[1] <= 1.0)

    def test_mappings_are_kept_with_the_project(self) -> None:
        project = controller_mappings.mapped(build(), "dial-3", "horn", "cutoff")
        project = controller_mappings.mapped(project, "dial-3", "echo", "mix")
        self.assertEqual(controller_mappings.target_of(project, "dial-3"), ("echo", "mix"))
        self.assertEqual(project_file.decode(project_file.encode(project)), project)
        self.assertIsNone(controller_mappings.target_of(controller_mappings.unmapped(project, "dial-3"), "dial-3"))
        with self.assertRaises(ZolvekError):
            controller_mappings.mapped(project, "dial-1", "horn", "nothing")
        broken = project_file.encode(project).replace(b'"device": "echo"', b'"device": "gone"')
        with self.assertRaises(ZolvekError):
            project_file.decode(broken)
        self.assertEqual(replace(project, mappings=()).mappings, ())


if __name__ == "__main__":
    unittest.main()
