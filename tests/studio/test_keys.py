# SPDX-License-Identifier: GPL-3.0-or-later
"""Every key of the table, pressed in every part of the window; and where the keyboard goes from the index."""

from __future__ import annotations

import re
import unittest
from functools import partial
from typing import Any
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QLineEdit, QWidget

from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.errors import ZolvekError
from zolvek.studio.actions.action_table import ACTIONS
from zolvek.studio.app import menus
from zolvek.studio.services.context import Studio

ARROWS = {"Up", "Down", "Left", "Right"}
# What keys a part of the window has for itself: a list is walked, a dial turned, a text written.
WALKED = ARROWS | {"Home", "PgUp", "PgDown", "Return", "Space", "Shift+Space", "Del", "Ctrl+A"}
WALKED |= {f"{keys}+{arrow}" for keys in ("Shift", "Ctrl", "Ctrl+Shift") for arrow in ARROWS}


class EveryKey(WindowTest):
    maxDiff = None

    def setUp(self) -> None:
        self.pressed: list[str] = []
        rows = tuple(row._replace(run=partial(self._press, row.id)) for row in ACTIONS)
        with mock.patch.object(menus, "ACTIONS", rows):
            super().setUp()

    def _press(self, key: str, studio: Studio) -> None:
        self.pressed.append(key)

    def own(self, widget: QWidget, keys: str) -> bool:
        """Whether a key is the widget's own."""
        if isinstance(widget, QLineEdit):
            return keys in WALKED | EDITED or re.match(r"(Ctrl|Alt|F\d|Shift\+F\d)", keys) is None
        if widget is self.window.strip:
            return keys in {*ARROWS, "Del", *(f"Shift+{arrow}" for arrow in ARROWS)}
        if widget is self.lane:
            return False
        return keys in WALKED

    def test_each_is_done_or_refused_in_words_wherever_the_keyboard_is(self) -> None:
        window, notices = self.window, self.session.notices
        rail, field = window.rail.first_field(), self.field("Value")
        assert rail is not None
        bench = window.bench.first_dial()
        assert bench is not None
        areas: tuple[QWidget, ...] = (
            window.index.tree,
            self.lane,
            window.strip,
            rail,
            field,
            bench,
            window.index.search,
        )
        silent, own = [], []
        for area in areas:
            for row in ACTIONS:
                if not row.keys:
                    continue
                area.setFocus()
                self.wait()
                self.pressed.clear()
                notices.refused_until = 0.0
                notices.say("")
                QTest.keySequence(area, QKeySequence(row.keys))
                self.wait()
                name = f"{row.keys} ({row.id}) on {type(area).__name__}"
                if self.own(area, row.keys):
                    own.append(name)
                elif self.pressed != [row.id] and not (not self.pressed and notices.hint):
                    silent.append(f"{name}: {self.pressed}")
        self.assertEqual(silent, [])
        self.assertEqual([error for error in self.errors if not isinstance(error, ZolvekError)], [])


EDITED = {"Ctrl+Z", "Ctrl+Shift+Z", "Ctrl+X", "Ctrl+C", "Ctrl+V", "Ctrl+Up", "Ctrl+Down"}


class FromTheIndex(WindowTest):
    def row(self, **where: Any) -> Any:
        index = self.window.index
        if "parameter" in where:
            return index.leaves[where["device"], where["parameter"]]
        return index.row_of(where.get("track"), where.get("device"))

    def choose(self, row: Any) -> None:
        tree = self.window.index.tree
        tree.scrollToItem(row)
        viewport = tree.viewport()
        assert viewport is not None
        at = tree.visualItemRect(row).center()
        QTest.mouseClick(viewport, LEFT, pos=at)
        self.wait()

    def test_what_is_chosen_is_shown_and_worked_on(self) -> None:
        project, shown = self.session.project, self.session.shown
        for track in project.tracks:
            self.choose(self.row(track=track.id))
            self.assertTrue(self.lane.hasFocus())
            assert shown.track is not None and self.window.strip.track is not None
            self.assertEqual((shown.track.id, self.window.strip.track.id), (track.id, track.id))
            self.assertEqual(shown.device, track.devices[0].id)
            for device in track.devices:
                self.choose(self.row(device=device.id))
                self.assertEqual(shown.device, device.id)
                self.assertEqual(self.window.strip.track.id, track.id)
        lane = next(x for x in project.lanes() if x.id != self.session.focus.id)
        self.window.index.tree.setFocus()
        self.choose(self.row(device=lane.device, parameter=lane.parameter))
        self.assertTrue(self.lane.hasFocus())
        self.assertEqual(self.session.focus.id, lane.id)
        before = len(self.curve())
        self.session.playhead.go(3.3)
        self.key(Qt.Key.Key_Insert, widget=self.lane)
        self.assertEqual(len(self.curve()), before + 1)
        self.do("undo")
        self.assertTrue(self.session.project.has_lane(lane.id))
        self.assertEqual(len(self.curve()), before)

    def test_delete_on_a_row_removes_what_it_is_of_and_no_other(self) -> None:
        tree, project = self.window.index.tree, self.session.project
        lane = next(iter(project.lanes()))
        device = project.device_of(lane.id)
        bare = next(p for p in device.parameters if project.device_track(device.id).lane_on(device.id, p.id) is None)
        tree.setCurrentItem(self.row(device=device.id, parameter=bare.id))
        tree.setFocus()
        self.key(Qt.Key.Key_Delete, widget=tree)
        self.assertEqual(len(list(self.session.project.lanes())), len(list(project.lanes())))
        self.assertIn("has no lane", self.errors.pop().what)
        tree.setCurrentItem(self.row(device=lane.device, parameter=lane.parameter))
        tree.setFocus()
        self.key(Qt.Key.Key_Delete, widget=tree)
        self.assertFalse(self.session.project.has_lane(lane.id))
        self.do("undo")
        self.assertTrue(self.session.project.has_lane(lane.id))

    def test_a_refusal_stays_while_the_pointer_moves(self) -> None:
        self.do("deselect")
        self.session.span.choose(None)
        self.key(Qt.Key.Key_J, widget=self.lane)
        said = self.session.notices.hint
        self.assertIn("Select points", said)
        QTest.mouseMove(self.lane, self.spot(9.0, 0.5))
        self.wait()
        self.assertEqual(self.window.hint.text() or said, said)
        self.assertEqual(self.session.notices.hint, said)


if __name__ == "__main__":
    unittest.main()
