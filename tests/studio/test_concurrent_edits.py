# SPDX-License-Identifier: GPL-3.0-or-later
"""What is edited while a file is being read stays, and what is read goes where it was meant to go."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
import soundfile

from tests.present import present
from tests.projects import ordinary_midi
from tests.studio.driver import WindowTest
from zolvek.core.curve.construction import flat
from zolvek.core.records import replace
from zolvek.studio.commands import lanes
from zolvek.studio.session import chosen


class Meanwhile(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.ask.accepts = True

    def end(self) -> None:
        self.until(lambda: self.studio.exports.working is None)
        self.wait()

    def test_an_edit_during_a_midi_import_stays(self) -> None:
        path = self.folder / "in.mid"
        path.write_bytes(ordinary_midi())
        tracks = len(self.session.project.tracks)
        document = self.session.document
        # While the dialog is open: what is read is not in the project yet.
        self.ask.fill = lambda _: document.edit("Name", replace(document.project, name="Edited meanwhile"))
        self.studio.exports.import_midi_file(path)
        self.until(lambda: self.ask.asked)
        self.end()
        self.assertEqual(self.session.project.name, "Edited meanwhile")
        self.assertEqual(len(self.session.project.tracks), tracks + 2)
        self.do("undo")
        self.assertEqual(len(self.session.project.tracks), tracks)
        self.assertEqual(self.session.project.name, "Edited meanwhile")

    def control_file(self) -> Any:
        path = self.folder / "control.wav"
        soundfile.write(path, np.linspace(-1.0, 1.0, 48_000 * 2), 48_000, subtype="FLOAT")
        return path

    def test_a_curve_goes_into_the_lane_it_was_read_for(self) -> None:
        ids = [lane.id for lane in self.session.project.lanes()]
        self.session.focus.on(ids[0])
        before = self.session.project.lane(ids[3]).curve
        self.studio.exports.import_curve_file(self.control_file())
        self.session.focus.on(ids[3])  # while it is being read
        self.end()
        self.assertIs(self.session.project.lane(ids[3]).curve, before)
        self.assertAlmostEqual(float(self.session.project.lane(ids[0]).curve.at(1.9)), 0.5, delta=0.05)

    def test_a_lane_that_is_gone_or_locked_meanwhile_is_said(self) -> None:
        ids = [lane.id for lane in self.session.project.lanes()]
        self.session.focus.on(ids[0])
        self.studio.exports.import_curve_file(self.control_file())
        lanes.change(self.session, "Lock", locked=True)
        held = self.session.project
        self.end()
        self.assertIs(self.session.project, held)
        self.assertIn("locked", self.errors.pop().what)
        self.do("undo")
        self.studio.exports.import_curve_file(self.control_file())
        self.do("remove-lane")
        held = self.session.project
        self.end()
        self.assertIs(self.session.project, held)
        self.assertTrue(self.errors.pop().what)

    def test_nothing_of_it_goes_into_another_project(self) -> None:
        self.studio.exports.import_curve_file(self.control_file())
        other = replace(self.session.project, name="Another")
        self.show(other, None)
        self.end()
        self.assertIs(self.session.project, other)
        self.assertIn("Another project", self.errors.pop().what)

    def test_a_sound_comes_to_the_track_it_was_chosen_for(self) -> None:
        track = chosen.shown_track(self.session).id
        self.studio.media.import_sound_file(self.control_file())
        self.session.edit_curve("Level", flat(0.25))
        edited = present(self.session.lane).curve
        self.session.shown.show(self.session.project.tracks[-1].devices[-1].id)
        self.end()
        found = {each.id: each for each in self.session.project.tracks}
        self.assertEqual(len(found[track].clips), 1)
        self.assertIs(present(self.session.lane).curve, edited)


if __name__ == "__main__":
    unittest.main()
