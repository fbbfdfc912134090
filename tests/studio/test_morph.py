# SPDX-License-Identifier: GPL-3.0-or-later
"""States, morphs and the pad in the real window."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QPushButton

from tests.present import present
from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.edits import states
from zolvek.core.model.state import StatePart
from zolvek.studio.views.panels.morph.morph_page import MorphPage
from zolvek.studio.views.panels.morph.morph_panel import MorphPanel
from zolvek.studio.views.panels.morph.pad_page import PadPage
from zolvek.studio.views.panels.morph.states_page import StatesPage


class Morphing(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.shown.show("riser")
        self.do("step-morph")
        self.panel = self.window.rail.findChild(MorphPanel)
        self.page = self.window.rail.findChild(StatesPage)

    def press(self, page: Any, text: str) -> None:
        found = [b for b in page.findChildren(QPushButton) if b.text() == text]
        QTest.mouseClick(found[0], LEFT)
        self.wait()

    def riser(self) -> Any:
        return self.session.project.device_track("riser").device("riser")

    def keep_two(self) -> None:
        self.press(self.page, "Store")
        dial = next(d for d in self.window.bench.dials if d.parameter.id == "resonance")
        dial.setFocus()
        for _ in range(20):
            QTest.keyClick(dial, Qt.Key.Key_Up)
        mute = next(d for d in self.window.bench.dials if d.parameter.id == "mute")
        QTest.mouseClick(mute, LEFT)
        self.wait()
        self.press(self.page, "Store")

    def test_states_are_kept_compared_and_morphed_between(self) -> None:
        self.keep_two()
        own = [s for s in self.session.project.states if s.of("riser")]
        self.assertEqual([s.name for s in own], ["State", "State 2"])
        self.page.list.setCurrentRow(0)
        names = {present(self.page.table.topLevelItem(i)).text(0) for i in range(self.page.table.topLevelItemCount())}
        self.assertEqual(names, {"Resonance", "Mute"})
        self.press(self.page, "Recall")
        self.assertLess(self.riser().position("resonance"), 0.4)
        self.session.span.choose((16.0, 32.0))
        self.panel.show_page("Morph")
        page = self.window.rail.findChild(MorphPage)
        page.end.setCurrentIndex(page.end.findText("State 2"))
        page.end.activated.emit(page.end.currentIndex())
        rows = [page.table.topLevelItem(i) for i in range(page.table.topLevelItemCount())]
        self.assertEqual({present(r).text(0) for r in rows}, {"Resonance", "Mute"})
        present(next(r for r in rows if present(r).text(0) == "Mute")).setCheckState(0, Qt.CheckState.Unchecked)
        held = self.session.project
        self.press(page, "Morph over the span")
        lane = self.session.project.device_track("riser").lane_on("riser", "resonance")
        self.assertAlmostEqual(float(present(lane).at(24.0)), 0.45, places=6)
        self.assertIsNone(self.session.project.device_track("riser").lane_on("riser", "mute"))
        # A state that is updated takes its morph along.
        self.panel.show_page("States")
        self.page.list.setCurrentRow(1)
        self.press(self.page, "Update")
        lane = self.session.project.device_track("riser").lane_on("riser", "resonance")
        self.assertAlmostEqual(float(present(lane).at(32.0)), self.riser().position("resonance"), places=9)
        self.do("undo")
        self.do("undo")
        self.assertIs(self.session.project, held, "one step each")
        self.session.span.choose(None)
        self.panel.show_page("Morph")
        self.press(page, "Morph over the span")
        self.assertIn("span", self.errors.pop().what)
        # Three variations, heard by a key each.
        self.panel.show_page("States")
        self.press(self.page, "Vary")
        self.key(Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier)
        wanted = self.session.project.states[-2].of("riser")
        self.assertEqual(states.present(self.riser()), wanted)

    def test_of_many_states_some_are_found_by_words(self) -> None:
        self.assertFalse(self.page.search.isVisible(), "few need no search")
        project = self.session.project
        for name in (*map(str, range(10)), "Low-tide", "Spring flood"):
            project, _ = states.kept(project, name, (StatePart("riser", states.present(self.riser())),))
        self.session.document.edit("States", project)
        self.wait()

        def shown(rows: Any) -> list[str]:
            items = [rows.item(number) for number in range(rows.count())]
            return [item.text().split("   ")[0] for item in items if not item.isHidden()]

        QTest.keyClicks(self.page.search, "lowtide")
        self.assertEqual(shown(self.page.list), ["Low-tide"])
        self.panel.show_page("Pad")
        pad = self.panel.findChild(PadPage)
        self.assertEqual(len(shown(pad.corners)), 12)
        present(pad.corners.item(11)).setCheckState(Qt.CheckState.Checked)
        QTest.keyClicks(pad.search, "tide")
        self.assertEqual(shown(pad.corners), ["Low-tide", "Spring flood"], "what is on the pad stays")
        pad.search.clear()
        self.assertEqual(len(shown(pad.corners)), 12)

    def test_the_pad_is_dragged_travels_and_becomes_lanes(self) -> None:
        self.keep_two()
        self.panel.show_page("Pad")
        page = self.window.rail.findChild(PadPage)
        for row in range(2):
            present(page.corners.item(row)).setCheckState(Qt.CheckState.Checked)
            self.wait()
        self.assertEqual(len(page.pad.corners), 2)
        view = page.view
        view.resize(200, 200)
        steps = len(self.session.document.history.steps)
        self.drag_on(view, view.spot(0.4, 0.6).toPoint(), view.spot(0.5, 0.0).toPoint())
        low, high = (s.of("riser")["resonance"] for s in self.session.project.states[-2:])
        self.assertAlmostEqual(self.riser().position("resonance"), (low + high) / 2, delta=0.01)
        self.assertEqual(len(self.session.document.history.steps), steps + 1, "one step")
        project, puck = self.session.project, QPointF(view.puck)
        QTest.mousePress(view, LEFT, pos=view.spot(0.5, 0.0).toPoint())
        self.move_held(view, view.spot(0.9, 0.9))
        self.assertFalse(self.session.project == project)
        QTest.keyClick(self.window, Qt.Key.Key_Escape)
        QTest.mouseRelease(view, LEFT, pos=view.spot(0.9, 0.9).toPoint())
        self.assertTrue(self.session.project == project)
        self.assertEqual(view.puck, puck)
        self.press(page, "To lanes")
        self.assertIsNotNone(self.session.project.device_track("riser").lane_on("riser", "resonance"))
        self.session.span.choose((16.0, 32.0))
        page.kind.setCurrentIndex(1)
        self.press(page, "Move puck")
        self.assertEqual((page.pad.first, page.pad.last), (16.0, 32.0))
        self.press(page, "To lanes")
        lane = self.session.project.device_track("riser").lane_on("riser", "resonance")
        self.assertGreater(np.ptp(present(lane).at(np.linspace(16, 31.9, 200))), 0.05)
        # The path is edited as a curve with the tools of the lane.
        self.session.focus.on("riser.cutoff")
        base = self.curve()
        self.press(page, "Edit up")
        self.assertEqual(present(self.session.target).parameter.name, "Up")
        self.view.show(14.0, 20.0)
        self.click(20.0, 0.9)
        self.assertAlmostEqual(float(page.pad.y.at(20.0)), 0.9, places=2)
        self.press(page, "Edit up")
        self.assertIs(self.curve(), base)
        page.draw.click()
        self.drag_on(view, view.spot(0.1, 0.1).toPoint(), view.spot(0.9, 0.9).toPoint(), steps=30)
        self.assertAlmostEqual(float(page.pad.x.at(31.99)), 0.9, delta=0.05)


if __name__ == "__main__":
    unittest.main()
