# SPDX-License-Identifier: GPL-3.0-or-later
"""Movement in the real window: LFOs over their ghost, randomness, layers drawn on and baked."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt

from tests.present import present
from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.shapes import COSINE
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.formats.project import project_file
from zolvek.studio.views.panels.movement.movement_panel import MovementPanel


class Movement(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.focus.on("echo.feedback")
        self.session.span.choose((96.0, 128.0))
        self.view.show(90.0, 48.0)
        self.do("step-movement")
        self.panel = self.window.rail.findChild(MovementPanel)

    def press(self, text: str) -> None:
        from PyQt6.QtWidgets import QPushButton

        found = [b for b in self.panel.findChildren(QPushButton) if b.text() == text and b.isVisible()]
        QTest.mouseClick(found[0], LEFT)
        self.wait()

    def test_an_lfo_is_seen_heard_and_written(self) -> None:
        before = self.curve()
        self.type_in("LFO: Depth", "40 %")
        self.type_in("LFO: Rate", "1 bar")
        self.assertIsNotNone(self.session.preview.curve)
        self.assertIs(self.curve(), before, "a preview first")
        self.assertEqual(present(self.session.audition.listening.tried)[0], "echo.feedback", "and heard")
        self.session.playhead.go(97.0)
        dial = next(d for d in self.window.bench.dials if d.parameter.id == "feedback")
        self.assertAlmostEqual(dial.state()[0], float(present(self.session.preview.curve).at(97.0)), places=6)
        self.press("Write")
        curve = self.curve()
        inside = (curve.beat > 96.5) & (curve.beat < 127.0)
        self.assertGreater(np.mean(curve.shape[inside] == COSINE), 0.8)
        self.assertAlmostEqual(float(curve.at(97.0)), 0.7, places=3)
        np.testing.assert_allclose(curve.at([80.0, 140.0]), before.at([80.0, 140.0]))
        # The next span begins in phase with this one.
        self.session.span.choose((128.0, 138.0))
        self.panel.lfo.on.setCurrentIndex(self.panel.lfo.on.findData("last"))
        self.press("Write")
        self.assertAlmostEqual(float(self.curve().at(129.0)), 0.7, places=3)
        self.type_in("LFO: Rate", "0")
        self.assertTrue(self.field("LFO: Rate").property("fault"))
        self.type_in("LFO: Rate", "1/64")
        self.type_in("LFO: Rate", "200 Hz")
        held = self.session.project
        self.press("Write")
        self.assertIn("points", self.ask.asked[0], "a warning with the count first")
        self.assertIs(self.session.project, held, "and not without a yes")
        self.session.preview.show(None)

    def test_randomness_keeps_its_seed(self) -> None:
        before = self.curve()
        self.panel.show_page("Random")
        self.type_in("Seed of the random movement", "7")
        self.press("Write")
        first = self.curve()
        self.assertLessEqual(
            np.abs(first.at(np.linspace(96, 127.9, 900)) - before.at(np.linspace(96, 127.9, 900))).max(),
            0.1,
        )
        self.do("undo")
        self.press("Write")
        self.assertEqual(self.curve(), first)
        self.do("undo")
        self.panel.random.seed.setText("x")
        held = self.session.project
        self.press("Write")
        self.assertIn("not a seed", self.errors.pop().what)
        self.assertIs(self.session.project, held)
        self.press("New seed")
        self.assertNotEqual(self.session.preview.curve, first)
        self.key(Qt.Key.Key_Escape, widget=self.lane)
        self.assertIsNone(self.session.preview.curve)
        self.panel.show_page("Humanise")
        self.press("Write")
        self.assertEqual(self.session.document.history.undo_label, "Humanise")
        self.assertIsNot(self.curve(), before)

    def test_seeds_are_new_for_each_lane_and_waves_say_what_they_lack(self) -> None:
        self.panel.show_page("Random")
        page = self.panel.random
        lane, used = self.session.focus.id, page.seed.seed()
        self.press("Write")
        self.press("Preview")
        self.assertEqual(page.seed.seed(), used, "the same place keeps it")
        self.session.focus.on("mallet.transpose")
        self.press("Write")
        self.assertNotEqual(page.seed.seed(), used, "another lane moves otherwise")
        self.type_in("Seed of the random movement", "7")
        self.press("Write")
        self.session.focus.on(lane)
        self.press("Add as layer")
        self.panel.show_page("Random")
        self.press("Add as layer")
        self.assertEqual([present(layer.random).seed for layer in present(self.session.lane).layers], [7, 7])
        self.panel.show_page("Random")
        page.seed.roll()
        for _ in range(2):
            self.panel.show_page("Random")
            self.press("Add as layer")
        seeds = [present(layer.random).seed for layer in present(self.session.lane).layers]
        self.assertEqual(len(set(seeds)), 3)
        self.panel.show_page("LFO")
        lfo: Any = self.panel.making["LFO"]
        for wave, skews, seeded in (("pulse", False, False), ("sample-hold", False, True), ("saw-up", True, False)):
            lfo.wave.setCurrentIndex(lfo.wave.findData(wave))
            lfo.wave.activated.emit(lfo.wave.currentIndex())
            skew = lfo.fields.entries["skew"]
            self.assertEqual(
                (skew.isEnabled(), lfo.seeded.isVisible(), "middle" in skew.toolTip()),
                (skews, seeded, wave != "pulse"),
            )

    def test_layers_are_put_on_drawn_on_and_baked(self) -> None:
        base = self.curve()
        self.press("Add as layer")
        self.assertEqual(len(present(self.session.lane).layers), 1)
        self.assertIs(self.curve(), base, "the base stays editable underneath")
        self.press("+ Offset")
        self.assertIsNotNone(self.session.focus.drawn_layer)
        self.assertEqual(present(self.session.target).parameter.text(0.75), "+50 %")
        self.click(108.0, 0.9)
        self.click(120.0, 0.2)
        self.assertEqual(present(self.session.lane).curve, base, "drawn on the layer, not on the base")
        layer = self.session.focus.drawn_layer
        self.assertAlmostEqual(float(present(present(layer).curve).at(108.0)), 0.9, places=2)
        self.session.points.choose(np.array([1]))
        self.type_in("Depth of the layer", "20 %")
        self.press("Draw")
        self.assertIsNone(self.session.focus.drawn_layer)
        self.assertEqual(present(self.session.lane).layers[1].amount, 0.2)
        # Bypassing while a layer is drawn on touches neither base nor layer.
        self.press("Draw")
        self.do("bypass")
        self.assertEqual(present(self.session.lane).curve, base)
        self.do("bypass")
        heard = played(present(self.session.lane), self.session.project)
        grid = np.linspace(90.0, 135.0, 2_000)
        wanted = heard.at(grid)
        self.session.span.choose(None)
        self.press("Bake all")
        self.assertEqual(present(self.session.lane).layers, ())
        after = played(present(self.session.lane), self.session.project)
        apart = np.all([np.abs(grid - jump) > 1e-3 for jump in (*heard.leaps, *after.leaps)], axis=0)
        np.testing.assert_allclose(after.at(grid)[apart], wanted[apart], atol=0.002)
        self.do("undo")
        path = self.folder / "layers.zolvek"
        self.studio.files.save_to(path)
        self.assertEqual(project_file.load(path), self.session.project)
        self.panel.layers.list.setCurrentRow(0)
        self.press("Adjust")
        self.type_in("LFO: Rate", "1/2")
        self.press("Add as layer")
        self.assertEqual(len(present(self.session.lane).layers), 2, "adjusted, not put on again")
        self.assertEqual(present(present(self.session.lane).layers[0].lfo).rate.text, "1/2")
        item = self.panel.layers.list.item(0)
        present(item).setCheckState(Qt.CheckState.Unchecked)
        self.assertFalse(present(self.session.lane).layers[0].on)


if __name__ == "__main__":
    unittest.main()
