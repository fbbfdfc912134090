# SPDX-License-Identifier: GPL-3.0-or-later
"""The Listen panel's pages: which control moves the sound, heard and taken; where nothing moves."""

from __future__ import annotations

import unittest
from typing import Any

from PyQt6.QtCore import Qt

from tests.present import present
from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.studio.views.panels.effects_page import EFFECT
from zolvek.studio.views.panels.listen_pages import ListenPages


class Pages(WindowTest):
    def pages(self, name: str) -> ListenPages:
        self.do("step-listen")
        panel = present(self.window.rail.findChild(ListenPages))
        QTest.mouseClick(panel.pages.buttons[name], LEFT)
        self.wait()
        return panel

    def click_row(self, view: Any, row: int, twice: bool = False) -> None:
        place = view.visualItemRect(view.item(row)).center()
        QTest.mouseClick(view.viewport(), LEFT, pos=place)
        if twice:
            QTest.mouseDClick(view.viewport(), LEFT, pos=place)

    def test_a_control_is_found_heard_and_taken(self) -> None:
        self.session.shown.show("fog-filter")
        self.session.span.choose((32.0, 36.0))
        page = self.pages("Controls").effects
        before = self.session.project
        QTest.mouseClick(page.job.start, LEFT)
        self.until(lambda: page.list.count() > 0)
        self.assertTrue(page.job.stop.isVisible() or not page.background.busy)
        self.until(lambda: not page.background.busy)
        names = [present(page.list.item(row)).text() for row in range(page.list.count())]
        self.assertEqual(names[0], "Cutoff")
        self.assertIn("loudness +", present(page.list.item(0)).toolTip())
        page.question.setCurrentIndex(page.question.findData("brightness"))
        page.question.activated.emit(page.question.currentIndex())
        self.assertTrue(present(page.list.item(0)).toolTip().startswith("Cutoff: brightness +"))
        self.click_row(page.list, 0)
        self.assertEqual(self.session.audition.comparing, "trial")
        self.assertTrue(self.studio.player.playing)
        self.assertIs(self.session.project, before, "nothing is changed by hearing it")
        self.do("stop")
        self.assertEqual(self.session.audition.comparing, "")
        resonance = next(row for row in range(page.list.count()) if present(page.list.item(row)).text() == "Resonance")
        effect = present(page.list.item(resonance)).data(EFFECT)
        had = before.device_track("fog-filter").lane_on("fog-filter", "drive")
        self.assertIsNone(had)
        drive = next(row for row in range(page.list.count()) if present(page.list.item(row)).text() == "Drive")
        self.click_row(page.list, drive, twice=True)
        lane = present(self.session.lane)
        self.assertEqual((lane.device, lane.parameter), ("fog-filter", "drive"))
        self.do("undo")
        self.assertIs(self.session.project, before)
        self.assertGreater(effect.strength, 0.0)
        # The same question again is answered at once.
        QTest.mouseClick(page.job.start, LEFT)
        self.assertFalse(page.background.busy)
        self.assertGreater(page.list.count(), 3)

    def test_stopping_keeps_what_is_known_and_silence_is_said(self) -> None:
        self.session.shown.show("mallet")
        self.session.span.choose((32.0, 40.0))
        page = self.pages("Controls").effects
        QTest.mouseClick(page.job.start, LEFT)
        self.until(lambda: page.list.count() > 1)
        QTest.mouseClick(page.job.stop, LEFT)
        self.wait()
        self.assertGreater(page.list.count(), 1)
        self.assertFalse(page.job.stop.isVisible())
        self.session.shown.show("riser")
        self.session.span.choose((0.0, 4.0))
        QTest.mouseClick(page.job.start, LEFT)
        self.until(lambda: self.errors)
        self.assertIn("silent", self.errors.pop().what)

    def test_still_bars_are_listed_chosen_and_asked_about(self) -> None:
        panel = self.pages("Bars")
        page = panel.stillness
        QTest.mouseClick(page.job.start, LEFT)
        self.until(lambda: page.moved is not None)
        self.assertEqual(present(page.list.item(0)).text(), "Bars 9 to 12: 4 bars")
        self.click_row(page.list, 0)
        self.assertEqual(self.session.span.beats, (32.0, 48.0))
        page.list.setFocus()
        QTest.keyClick(page.list, Qt.Key.Key_Return)
        self.assertIs(panel.pages.stack.currentWidget(), panel.effects)
        self.until(lambda: panel.effects.list.count() > 0)
        QTest.mouseClick(panel.effects.job.stop, LEFT)

    def test_a_recipe_is_proposed_heard_and_taken_or_left(self) -> None:
        self.session.shown.show("fog-filter")
        self.session.span.choose((32.0, 40.0))
        page = self.pages("Recipes").recipes
        before = self.session.project
        self.assertFalse(page.take.isEnabled())
        names = [present(page.list.item(row)).text() for row in range(page.list.count())]
        self.assertEqual(len(names), 10)
        page.list.setCurrentRow(names.index("Swell"))
        page.amount.setFocus()
        page.amount.selectAll()
        QTest.keyClicks(page.amount, "50")
        QTest.keyClick(page.amount, Qt.Key.Key_Return)
        for taken in (False, True):
            QTest.mouseClick(page.job.start, LEFT)
            self.until(lambda: page.fitted is not None)
            self.assertIs(self.session.project, before, "a proposal changes nothing")
            self.assertEqual(self.session.audition.comparing, "trial", "and is heard")
            QTest.mouseClick(page.take if taken else page.leave, LEFT)
            self.assertEqual(self.session.audition.comparing, "")
            self.assertFalse(page.take.isEnabled())
        self.do("stop")
        layers = [layer.name for lane in self.session.project.lanes() for layer in lane.layers]
        self.assertEqual(layers.count("Swell"), 2)
        self.do("undo")
        self.assertIs(self.session.project, before, "one step")
        self.assertEqual(self.errors, [])

    def test_a_lane_is_measured_and_its_loudness_kept(self) -> None:
        self.session.focus.on("horn.cutoff")
        self.session.span.choose((32.0, 48.0))
        page = self.pages("Lane").lane
        before = self.session.project
        QTest.mouseClick(page.job.start, LEFT)
        self.until(lambda: page.effect is not None)
        self.assertIn("Brightness", page.said.text())
        self.assertIn("oct", page.plot.accessibleDescription())
        QTest.mouseClick(page.keep.start, LEFT)
        self.until(lambda: self.session.project is not before)
        layers = [(lane.id, layer.name) for lane in self.session.project.lanes() for layer in lane.layers]
        self.assertIn(("hull-strip.level", "Loudness kept"), layers)
        self.do("undo")
        self.assertIs(self.session.project, before)
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
