# SPDX-License-Identifier: GPL-3.0-or-later
"""The table of points in the real window: exact work by keyboard, its selection the lane's, a million rows."""

from __future__ import annotations

import unittest

import numpy as np
from PyQt6.QtCore import QModelIndex, QPoint, Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QLineEdit, QPushButton

from tests.present import present
from tests.studio.driver import LEFT, NO_KEY, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.construction import lines
from zolvek.studio.views.panels.cell_editor import CellField
from zolvek.studio.views.panels.points_page import PointView

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class Table(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.focus.on("mallet.transpose")
        self.session.edit_curve("Steps", lines(np.arange(16.0), np.full(16, 0.5)), np.empty(0, np.intp))
        self.key(Qt.Key.Key_J, CTRL, self.lane)
        self.table = present(self.window.findChild(PointView))
        self.assertTrue(self.table.hasFocus())

    def cell(self, row: int, column: int) -> QModelIndex:
        return self.table.points.index(row, column)

    def text(self, row: int, column: int) -> str:
        return str(self.table.points.data(self.cell(row, column)))

    def press(self, row: int, keys: Qt.KeyboardModifier = NO_KEY) -> None:
        viewport = present(self.table.viewport())
        at = self.table.visualRect(self.cell(row, 1)).center()
        QTest.mouseClick(viewport, LEFT, keys, QPoint(at.x(), at.y()))
        self.wait()

    def type_here(self, text: str, end: Qt.Key = Qt.Key.Key_Return) -> None:
        QTest.keyClicks(self.table, text[0])
        self.wait()
        editor = QApplication.focusWidget()
        assert isinstance(editor, QLineEdit)
        QTest.keyClicks(editor, text[1:])
        QTest.keyClick(editor, end)
        self.wait()

    def test_four_bars_of_semitones_by_keyboard(self) -> None:
        """The exact work that took twenty presses: one value, one series."""
        self.press(0)
        self.assertEqual(self.session.points.chosen.tolist(), [0])
        self.type_here("-5 st")
        self.assertEqual(self.session.points.chosen.tolist(), [1], "Enter goes down")
        self.press(0)
        self.press(15, SHIFT)
        self.assertEqual(self.session.points.chosen.tolist(), list(range(16)))
        self.ask.words = "+1 st"
        series = next(b for b in self.window.findChildren(QPushButton) if b.text() == "Series…")
        QTest.mouseClick(series, LEFT)
        self.wait()
        self.assertEqual([self.text(row, 1) for row in range(4)], ["−5 st", "−4 st", "−3 st", "−2 st"])
        self.assertEqual(self.text(15, 1), "+10 st")
        self.do("undo")
        self.do("undo")
        self.assertTrue(np.all(self.curve().value == 0.5))
        self.assertEqual(self.errors, [])

    def test_the_selection_is_the_lanes_and_keys_are_a_spreadsheets(self) -> None:
        self.press(2)
        self.press(5, CTRL)
        self.assertEqual(self.session.points.chosen.tolist(), [2, 5])
        self.key(Qt.Key.Key_Down, NO_KEY, self.table)
        self.key(Qt.Key.Key_Down, SHIFT, self.table)
        self.assertEqual(self.session.points.chosen.tolist(), [6, 7])
        self.key(Qt.Key.Key_C, CTRL, self.table)
        copied = present(QApplication.clipboard()).text()
        self.assertEqual([line.split("\t")[0] for line in copied.splitlines()], [self.text(6, 0), self.text(7, 0)])
        self.table.setCurrentIndex(self.cell(6, 1))
        present(QApplication.clipboard()).setText("+3 st\r\n+5 st\r\n")
        self.key(Qt.Key.Key_V, CTRL, self.table)
        self.assertEqual([self.text(6, 1), self.text(7, 1)], ["+3 st", "+5 st"])
        self.key(Qt.Key.Key_D, CTRL, self.table)
        self.assertEqual(self.text(7, 1), "+3 st")
        self.table.setCurrentIndex(self.cell(6, 0))
        self.session.points.choose(np.array([6]))
        self.type_here("3.3.480", Qt.Key.Key_Tab)
        self.assertEqual(float(self.curve().beat[10]), 10.5)
        self.assertEqual(self.session.points.chosen.tolist(), [10], "the selection goes with its point")
        self.key(Qt.Key.Key_Delete, NO_KEY, self.table)
        self.assertEqual(len(self.curve()), 15)
        self.table.setCurrentIndex(self.cell(1, 1))
        held = self.session.project
        self.type_here("+99 st")
        self.assertIs(self.session.project, held)
        field = present(QApplication.focusWidget())
        assert isinstance(field, CellField)
        refused = present(field.words)
        self.assertTrue(refused.isVisible())
        self.assertIn("out of range", refused.text(), "under its cell")
        self.assertIn("out of range", field.accessibleDescription())
        self.key(Qt.Key.Key_Escape, NO_KEY, field)
        self.assertTrue(self.table.hasFocus())
        self.key(Qt.Key.Key_Escape, NO_KEY, self.table)
        self.assertTrue(self.lane.hasFocus())
        self.assertEqual(self.errors, [])

    def test_only_the_selected_points_are_walked_edited_and_pasted_into(self) -> None:
        only = next(b for b in self.window.findChildren(QCheckBox) if b.text() == "Only selected points")
        QTest.mouseClick(only, LEFT, pos=QPoint(8, only.height() // 2))
        self.session.points.choose(np.empty(0, np.intp))
        present(QApplication.clipboard()).setText("+1 st\n+2 st\n+4 st\n")
        self.key(Qt.Key.Key_V, CTRL, self.table)
        self.assertIn("The clipboard has 3 rows", self.errors.pop().what)
        self.session.points.choose(np.array([2, 5, 9]))
        self.assertEqual(self.table.points.rowCount(), 3)
        self.press(0)
        self.key(Qt.Key.Key_V, CTRL, self.table)
        self.press(1)
        self.type_here("+3 st")
        self.assertEqual(self.session.points.chosen.tolist(), [2, 5, 9], "the rows stay while they are edited")
        self.assertEqual([self.text(row, 1) for row in range(3)], ["+1 st", "+3 st", "+4 st"])
        self.do("undo")
        self.do("undo")
        self.assertTrue(np.all(self.curve().value == 0.5))
        self.assertEqual(self.errors, [])

    def test_a_million_points_at_once(self) -> None:
        rng = np.random.default_rng(4)
        beats = np.sort(rng.uniform(0.0, 190.0, 1_000_000))
        self.session.edit_curve("Many", lines(beats, rng.uniform(0.4, 0.6, len(beats))), np.empty(0, np.intp))
        self.wait()
        self.assertEqual(self.table.points.rowCount(), len(self.curve()))
        self.session.points.choose(np.arange(0, len(self.curve()), 2))
        self.table.setCurrentIndex(self.cell(len(self.curve()) - 1, 1))
        self.table.grab()
        colours = [self.table.points.data(self.cell(row, 0), Qt.ItemDataRole.BackgroundRole) for row in (0, 1)]
        self.assertEqual([colour is not None for colour in colours], [True, False])
        self.type_here("0")
        self.assertEqual(self.text(len(self.curve()) - 1, 1), "0 st")
        words = self.table.points.data(self.cell(0, 1), Qt.ItemDataRole.AccessibleTextRole)
        self.assertIn("Value of point 1: ", str(words))
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
