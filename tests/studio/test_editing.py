# SPDX-License-Identifier: GPL-3.0-or-later
"""What a press, a key and a command work on, what undo brings back, and what is said of it."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
import soundfile
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QApplication, QMenu, QToolButton

from tests.present import present
from tests.studio.driver import LEFT, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.construction import curve
from zolvek.core.edits import replacement
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.studio.actions.action_table import ACTIONS
from zolvek.studio.app import context_menus
from zolvek.studio.commands.modes import MODES, modes
from zolvek.studio.toolkit.fields import Entry, RefusalLabel, SeedEntry
from zolvek.studio.views.panels.rail import STEPS
from zolvek.studio.views.panels.shape_panel import ShapePanel

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)
ROWS = [(0.0, 0.2), (4.1, 0.4), (8.1, 0.6), (12.1, 0.3), (16.1, 0.8), (20.0, 0.5)]


class Hand(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.focus.on("mallet.transpose")
        self.view.show(0.0, 24.0)
        self.session.edit_curve("Draw", curve(ROWS))
        self.drawn = self.curve()

    def choose(self, points: Any = (), span: Any = None) -> None:
        self.session.points.choose(np.array(points, np.intp))
        self.session.span.choose(span)

    def changed(self) -> list[int]:
        """Which of the drawn points are not as they were."""
        now = self.curve()
        same = [np.isclose(b, now.beat) & np.isclose(v, now.value) for b, v, *_ in ROWS]
        return [index for index, each in enumerate(same) if not each.any()]


class Scope(Hand):
    def test_points_then_the_span_then_all(self) -> None:
        """Every command on points works on the same, and says what it did."""
        cases = (
            ("quantise", [1, 2], "2 points"),
            ("nudge-up", [1, 2], "Nudge 2 points"),
            ("delete", [1, 2], "Delete 2 points"),
            ("from-dial", [1, 2], "2 points"),
            ("average-points", [1, 2], "2 points"),
        )
        for action, moved, said in cases:
            for points, span, where in (
                ((1, 2), (10.0, 18.0), ""),
                ((), (4.0, 9.0), " in bars 2–3"),
            ):
                self.choose(points, span)
                self.do(action)
                self.assertEqual(self.changed(), moved, f"{action} {where}")
                self.assertIn(said + where, self.session.notices.done)
                self.do("undo")
                self.assertEqual(self.session.points.chosen.tolist(), list(points))
        self.choose((), None)
        self.do("quantise")
        self.assertEqual(self.changed(), [1, 2, 3, 4])
        self.assertIn("all points", self.session.notices.done)

    def test_shapes_take_the_segments_of_the_span_or_of_the_points(self) -> None:
        for points, span, held in (
            ((1, 2), None, [1]),
            ((), (5.0, 13.0), [1, 2, 3]),
            ((), None, [0, 1, 2, 3, 4]),
        ):
            self.choose(points, span)
            self.do("shape-hold")
            self.assertEqual(np.flatnonzero(self.curve().shape[:-1] == 0).tolist(), held)
            self.do("undo")

    def test_spans_take_the_points_own_before_the_selected_one(self) -> None:
        self.choose((1, 3), (16.0, 20.0))
        self.do("cut")
        self.assertEqual(self.changed(), [2], "what lies between the two is gone")
        self.do("undo")
        self.choose((2,), None)
        self.do("cut")
        self.assertIn("no length", self.errors.pop().what)
        self.assertIs(self.curve(), self.drawn)

    def test_what_is_impossible_is_greyed_with_its_reason_and_explained_on_its_key(self) -> None:
        self.choose((), None)
        for key in ("delete", "pin", "jump", "type-value", "nudge-left"):
            action = self.window.action(key)
            self.assertFalse(action.isEnabled(), key)
            self.assertIn("Select points", action.toolTip(), key)
        self.key(Qt.Key.Key_Delete, widget=self.lane)
        self.assertIn("Select points", self.session.notices.hint)
        self.choose((), (4.0, 9.0))
        for key in ("delete", "pin", "jump", "type-value", "nudge-left"):
            self.assertTrue(self.window.action(key).isEnabled(), key)

    def test_nothing_changes_a_locked_lane(self) -> None:
        project = self.session.project
        for lane in list(project.lanes()):
            project = replacement.with_lane(project, replace(lane, locked=True, cycle=None))
        self.session.document.edit("Lock all", project)
        self.ask.yes = True
        self.choose((1, 2), (4.0, 9.0))
        modal = {
            "open",
            "new",
            "from-files",
            "quit",
            "demo",
            "find-action",
            "shortcuts",
            "guide",
            "lock",
            "remove-track",
            "remove-device",
            "undo",
            "redo",
        }
        kept = {x.id: (x.curve, x.layers, x.bypassed, x.takes) for x in project.lanes()}
        for row in ACTIONS:
            # Time itself is put in order in all lanes alike: what follows moves, locked or not.
            if row.id not in modal and not row.id.startswith(
                (
                    "step-",
                    "export",
                    "import",
                    "save",
                    "sound",
                    "bars-",
                    "section-",
                    "version-",
                    "collect",
                )
            ):
                self.do(row.id)
        self.do("record")
        self.do("stop")
        now = {x.id: (x.curve, x.layers, x.bypassed, x.takes) for x in self.session.project.lanes() if x.id in kept}
        self.assertEqual(now, kept)
        self.errors.clear()


class Menus(Hand):
    def menu(self, widget: Any, at: QPoint) -> QMenu:
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
        self.app.sendEvent(widget, event)
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        return menu

    def test_every_menu_is_made_of_the_table_and_greys_with_reasons(self) -> None:
        ids = {row.id for row in ACTIONS}
        for kind, rows in context_menus.MENUS.items():
            self.assertEqual(set(rows) - {context_menus.LINE} - ids, set(), kind)
        for row in ACTIONS:
            action = self.window.action(row.id)
            self.assertEqual(action.isEnabled(), not row.refused(self.studio), row.id)
            if not action.isEnabled():
                self.assertIn(row.refused(self.studio), action.toolTip())

    def test_what_is_pressed_is_selected_first(self) -> None:
        self.choose((4,), None)
        menu = self.menu(self.lane, self.spot(6.1, 0.5))
        self.assertEqual(self.session.points.chosen.tolist(), [1, 2])
        next(a for a in menu.actions() if a.text().replace("&", "") == "Shape: Hold").trigger()
        menu.close()
        self.assertEqual(np.flatnonzero(self.curve().shape[:-1] == 0).tolist(), [1])
        menu = self.menu(self.lane, self.spot(16.1, 0.8))
        self.assertEqual(self.session.points.chosen.tolist(), [4])
        next(a for a in menu.actions() if a.text().replace("&", "") == "Delete points").trigger()
        menu.close()
        self.assertNotIn(16.1, self.curve().beat)
        menu = self.menu(self.lane, self.spot(10.0, 0.95))
        next(a for a in menu.actions() if a.text().replace("&", "") == "Add point here").trigger()
        menu.close()
        self.assertIn(10.0, self.curve().beat)

    def test_they_open_on_all_that_can_be_pressed(self) -> None:
        window = self.window
        leaf = window.index.leaves["echo", "feedback"]
        window.index.tree.scrollToItem(leaf)
        self.wait()
        rows = (
            (window.index.tree.viewport(), window.index.tree.visualItemRect(leaf).center(), "parameter"),
            (window.ruler, QPoint(200, 30), "ruler"),
            (window.low_lanes, QPoint(200, 10), "other-lane"),
            (window.overview, QPoint(200, 40), "overview"),
            (window.bench.dials[0], QPoint(20, 20), "dial"),
        )  # fmt: skip
        for widget, at, kind in rows:
            menu = self.menu(widget, at)
            self.assertEqual(menu.objectName(), f"menu of a {kind}")
            menu.close()
            if kind == "parameter":
                self.assertEqual(self.session.focus.id, "echo.feedback", "its lane came up")

    def test_undo_brings_back_the_selection_and_the_lane(self) -> None:
        self.choose((1, 2), None)
        self.do("nudge-up")
        self.choose((5,), None)
        self.session.focus.on("horn.cutoff")
        self.do("undo")
        self.assertEqual(self.session.focus.id, "mallet.transpose", "out of view it comes up")
        self.assertEqual(self.session.points.chosen.tolist(), [1, 2])
        self.assertIn("Undone: Nudge 2 points", self.session.notices.done)
        self.do("redo")
        self.assertEqual(self.session.points.chosen.tolist(), [1, 2])
        shown = [lane.id for lane in self.session.project.lanes() if not lane.hidden]
        for action in ("hide-lane", "remove-lane"):
            self.session.focus.on(shown[4])
            self.do(action)
            self.assertEqual(self.session.focus.id, shown[5], "its neighbour")
            self.do("undo")
            self.assertEqual(self.session.focus.id, shown[4], "and back")


BAD = (
    "", "abc", "1..2", "--5", "nan", "inf", "-inf", "1e999", "9" * 400, "1/0", "0/4", "%", "%%", "12 parsecs",
    "(1)", "=2+2", "0x10", "1 2", ",", ".", "\u200b", "ten", "1/", "/4", "5 %%", "−", "+", "∞", "1,2,3", "bar",
)  # fmt: skip
EMPTY_IS = ("LFO: Rate at the end", "LFO: Depth at the end", "Pre-roll", "Return time", "Edge ramp", "Pre-roll")


class Fields(Hand):
    def test_thirty_bad_texts_in_every_field_there_is(self) -> None:
        """Each is refused in words under the field, or can be read; nothing changes or is mangled."""
        self.choose((1, 2), None)
        seen = 0
        for step in STEPS:
            self.do(step)
            for entry in self.window.findChildren(Entry):
                if (
                    not entry.isVisible()
                    or not entry.isEnabled()
                    or entry.accessibleName() in ("MIDI port", "Song name")  # any text will do
                ):
                    continue
                seen += 1
                good, project = entry.text(), self.session.project
                for text in BAD:
                    entry.setFocus()
                    entry.selectAll()
                    entry.insert(text)
                    self.key(Qt.Key.Key_Return, widget=entry)
                    if text == "" and (entry.accessibleName() in EMPTY_IS or "Points" in entry.accessibleName()):
                        continue
                    self.assertTrue(entry.property("fault"), f"{entry.accessibleName()}: {text!r}")
                    assert entry.words is not None
                    self.assertTrue(entry.words.isVisible() and len(entry.words.text()) > 8)
                    self.assertIs(self.session.project, project, f"{entry.accessibleName()}: {text!r}")
                self.key(Qt.Key.Key_Escape, widget=entry)
                if entry.accessibleName() not in EMPTY_IS:
                    self.assertEqual(entry.text(), good, entry.accessibleName())
                self.assertFalse(entry.words is not None and entry.words.isVisible())
        self.assertGreater(seen, 25)
        self.assertEqual(self.errors, [], "said under the field, not in a box")

    def test_enter_gives_the_keyboard_back_and_undo_is_the_projects(self) -> None:
        self.choose((1,), None)
        field = self.field("Value")
        for text, shown in (("7", "+7 st"), ("50 %", "0 st"), ("-2,5 st", "−2.5 st")):
            self.type_in("Value", text)
            self.assertFalse(field.property("fault"), text)
            self.assertTrue(self.lane.hasFocus())
            self.assertEqual(field.text().split(".")[0], shown.split(".")[0])
        field.setFocus()
        self.key(Qt.Key.Key_Z, CTRL, field)
        self.assertIn("Undone", self.session.notices.done)
        before = self.curve()
        QTest.mouseClick(self.lane, LEFT, Qt.KeyboardModifier.NoModifier, self.spot(10.0, 0.95))
        self.assertIs(self.curve(), before, "the press only took the keyboard")
        QTest.mouseClick(self.lane, LEFT, Qt.KeyboardModifier.NoModifier, self.spot(10.0, 0.95))
        self.assertEqual(len(self.curve()), len(before) + 1)

    def test_a_number_that_is_too_large_is_said_not_cut(self) -> None:
        self.do("step-shape")
        field: Any = next(e for e in self.window.findChildren(Entry) if e.accessibleName() == "By")
        self.type_in("By", "200")
        self.assertEqual((field.text(), bool(field.property("fault"))), ("200", True))
        self.assertIn("from −100 % to 100 %", field.words.text())
        self.window.rail.findChild(ShapePanel).choose("mirror")
        self.wait()
        left = [w for w in self.window.findChildren(RefusalLabel) if w.isVisible()]
        self.assertEqual(left, [], "the words go with their field")
        self.window.rail.findChild(ShapePanel).choose("lift")
        field = self.field("By")
        self.type_in("By", "20")
        self.assertEqual((field.text(), field.value()), ("20 %", 20.0))
        self.type_in("Position in bars, beats and ticks", "900")
        self.assertIn("beyond the end", self.field("Position in bars, beats and ticks").words.text())
        self.assertEqual(self.session.playhead.beat, 0.0)


class Modeless(Hand):
    def chips(self) -> list[str]:
        return [c.text() for c in self.window.head.modes.chips]

    def test_every_mode_is_shown_and_ends_by_a_press_or_esc(self) -> None:
        session = self.session
        begin = {
            "preview": lambda: session.preview.show(self.drawn),
            "learning": lambda: session.passes.learn("favourites"),
            "path": lambda: session.focus.draw_on_path("echo", "x"),
            "layer": lambda: self.do("layer-depth", "lantern-strip.pan"),
            "take": lambda: session.audition.play_takes((present(session.focus.id), self.drawn), ("take-1",)),
            "kept": self.with_kept,
            "version": self.with_version,
            "bypass-all": lambda: session.audition.compare("bypass"),
            "alone": lambda: session.audition.listen(alone="horn.cutoff"),
            "together": lambda: session.span.take_along(frozenset({"horn.cutoff"})),
            "tool": lambda: session.tools.choose("line"),
            "slot": self.with_slot,
            "loop": self.with_loop,
            "hidden": lambda: session.edit_lane("x", present(replace(present(session.lane), hidden=True))),
            "bypassed": lambda: self.do("bypass"),
            "locked": lambda: self.do("lock"),
        }
        self.assertEqual(set(begin), {mode.key for mode in MODES})
        for mode in MODES:
            session.focus.on("mallet.transpose")
            self.assertEqual(modes(session), [], mode.key)
            begin[mode.key]()
            if mode.key == "hidden":
                session.focus.on("mallet.transpose")
            self.wait()
            self.assertEqual(self.chips(), [f"{mode.word}  ×"], mode.key)
            if mode.by_escape:
                self.key(Qt.Key.Key_Escape, widget=self.lane)
                self.assertEqual(modes(session), [], mode.key)
                begin[mode.key]()
            chip = self.window.head.modes.findChildren(QToolButton)[-1]
            QTest.mouseClick(chip, LEFT)
            self.wait()
            self.assertEqual(self.chips(), [], mode.key)
        self.assertEqual(self.errors, [])

    def with_version(self) -> None:
        """Another version of the first section is heard."""
        if not self.session.project.section_spans()[0][0].versions:
            self.session.arranging.pick_section(0)
            self.do("version-new")
        self.session.audition.hear_version(0, 0)

    def test_a_word_that_is_pressed_leaves_a_locked_lane_as_it_is(self) -> None:
        self.do("bypass")
        self.do("lock")
        held = self.session.project
        bypassed = next(m for m in modes(self.session) if m.key == "bypassed")
        self.session.notices.run_guarded(lambda: bypassed.end(self.session))
        self.assertIs(self.session.project, held)
        self.assertIn("locked", self.errors.pop().what)

    def test_a_layer_is_stretched_to_the_span_with_its_depth(self) -> None:
        self.session.focus.on("lantern-strip.pan")
        before = present(self.session.lane).layers[0]
        self.session.span.choose((8.0, 28.0))
        self.do("layer-span")
        layer = present(self.session.lane).layers[0]
        self.assertEqual((layer.first, layer.last), (8.0, 28.0))
        share = np.linspace(0.02, 0.98, 40)
        was = present(before.amount_way).at(before.first + share * (present(before.last) - before.first))
        np.testing.assert_allclose(present(layer.amount_way).at(8.0 + 20.0 * share), was, atol=1e-9)

    def with_kept(self) -> None:
        self.session.audition.keep_version()
        self.session.audition.compare("kept")

    def with_loop(self) -> None:
        self.session.span.choose((0.0, 4.0))
        self.do("own-loop")
        self.session.playhead.go(9.0)

    def with_slot(self) -> None:
        from zolvek.core.curve.pattern import Pattern
        from zolvek.core.edits import lanes

        lane = self.session.lane
        made = replace(present(lane), slots=(Pattern("P", 4.0, curve([(0.0, 0.1), (4.0, 0.9)])),))
        self.session.edit_lane("Slots", lanes.with_switch(present(made), 0.0, 0))

    def test_bypassing_all_remembers_who_was(self) -> None:
        self.do("bypass")
        before = {x.id: x.bypassed for x in self.session.project.lanes()}
        self.do("bypass-all")
        self.assertTrue(all(x.bypassed for x in self.session.project.lanes()))
        self.do("bypass-all")
        self.assertEqual({x.id: x.bypassed for x in self.session.project.lanes()}, before)

    def test_a_pin_goes_with_its_point_and_an_off_grid_point_keeps_its_time(self) -> None:
        self.choose((2,), None)
        self.do("pin")
        self.drag((8.1, 0.6), (9.1, 0.7))
        (pinned,) = present(self.session.lane).pins
        self.assertIn(pinned, self.curve().beat)
        self.assertNotEqual(pinned, 8.1)
        self.do("undo")
        self.drag((12.1, 0.3), (12.12, 0.7))
        self.assertIn(12.1, self.curve().beat, "half a grid step was not gone")
        self.session.span.choose((4.0, 8.0))
        QTest.mouseClick(self.window.ruler, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(400, 30))
        self.assertEqual(self.session.span.beats, (4.0, 8.0), "placing the playhead keeps the span")

    def test_the_reach_of_a_fresh_lane_keeps_its_sound(self) -> None:
        self.session.touch("riser", "resonance")
        self.do("add-lane")
        lane = self.session.lane
        heard = float(played(present(lane), self.session.project).at(3.0))
        from zolvek.studio.commands.lanes import set_reach

        set_reach(self.session, 0.2, 0.7, False)
        self.assertAlmostEqual(
            float(played(present(self.session.lane), self.session.project).at(3.0)),
            heard,
            places=12,
        )

    def test_no_word_widens_the_window(self) -> None:
        self.do("bypass")
        self.session.tools.choose("line")
        self.session.audition.compare("bypass")
        self.session.audition.listen(alone="horn.cutoff")
        self.session.edit_lane("Name", present(replace(present(self.session.lane), name="Very long " * 50)))
        self.session.notices.say("x" * 600)
        self.session.notices.did("y" * 600)
        self.window.transport.note.setText("z" * 600)
        self.session.touch("horn", "cutoff")
        self.wait()
        least = self.window.minimumSizeHint()
        self.assertLessEqual((least.width(), least.height()), (1024, 700))
        self.window.resize(1024, 700)
        self.wait()
        self.assertEqual((self.window.width(), self.window.height()), (1024, 700))

    def test_a_point_of_a_low_lane_is_dragged_where_it_is(self) -> None:
        low, session = self.window.low_lanes, self.session
        self.view.show(0.0, 192.0)
        self.wait()
        lane, top, height = next(row for row in low._tops() if len(row[0].curve) > 3)
        index = 1
        inner = height - 13
        at = QPoint(
            round(64 + self.view.x(float(lane.curve.beat[index]))),
            round(top + 6 + (1.0 - float(lane.curve.value[index])) * inner),
        )
        focus = session.focus.id
        self.drag_on(low, at, at + QPoint(0, 8 if lane.curve.value[index] > 0.5 else -8))
        moved = session.project.lane(lane.id).curve
        self.assertNotEqual(moved.value[index], lane.curve.value[index])
        self.assertEqual((session.focus.id, len(moved)), (focus, len(lane.curve)))
        self.do("undo")
        self.assertEqual(session.project.lane(lane.id).curve, lane.curve)


class Guided(WindowTest):
    def test_the_first_curve_is_led_through_by_doing_it(self) -> None:
        window, guided = self.window, self.window.guided
        self.do("first-curve")
        self.assertTrue(window.lesson.isVisible() and window.lesson.frame.isVisible())
        self.assertEqual(guided.place, 0)
        dial = next(d for d in window.bench.dials if d.parameter.id == "decay")
        QTest.mouseClick(dial, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(40, 40))
        self.assertEqual(guided.place, 1)
        self.key(Qt.Key.Key_A)
        self.assertEqual(guided.place, 2)
        self.do("play")
        self.do("stop")
        self.assertEqual(guided.place, 3)
        self.view.show(0.0, 32.0)
        for beat, value in ((4.0, 0.8), (8.0, 0.2), (12.0, 0.9)):
            self.click(beat, value)
        self.assertEqual(guided.place, 4)
        self.lane.setFocus()
        QTest.keyPress(self.lane, Qt.Key.Key_B)
        self.drag((6.0, float(self.curve().at(6.0))), (6.0, 0.7))
        QTest.keyRelease(self.lane, Qt.Key.Key_B)
        self.assertEqual(guided.place, 5)
        self.session.span.choose((4.0, 12.0))
        self.key(Qt.Key.Key_R, CTRL)
        self.key(Qt.Key.Key_X, SHIFT)
        self.assertEqual(guided.place, 7)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(guided.place, 8)
        self.ask.path = self.folder / "first.mid"
        self.key(Qt.Key.Key_M, CTRL)
        self.until(lambda: guided.place == 9)
        sound = self.folder / "Stem.wav"
        soundfile.write(sound, 0.2 * np.sin(np.arange(96_000) / 30.0), 48_000)
        self.ask.paths, self.ask.when_unsaved = [sound], "discard"
        self.do("from-files")
        self.until(lambda: guided.place == 10)
        self.session.span.choose((0.0, 2.0))
        self.assertEqual(guided.place, 11)
        track = next(track for track in self.session.project.tracks if track.clips)
        self.session.touch(track.devices[-1].id, "level")
        self.do("add-lane")
        self.assertEqual(guided.place, 12)
        self.view.show(0.0, 4.0)
        self.click(0.5, 0.2)
        self.click(1.5, 0.7)
        self.assertEqual(guided.place, 13)
        self.until(lambda: self.studio.exports.working is None)  # the tempo of the stem was looked for
        self.ask.path = self.folder / "own.mid"
        self.key(Qt.Key.Key_M, CTRL)
        self.until(lambda: guided.place == -1)
        self.assertFalse(window.lesson.isVisible())
        self.show(build())
        self.do("first-curve")
        self.session.touch("horn", "cutoff")
        self.assertEqual(guided.place, 2, "it has a lane already")
        window.guided.begin()
        window.guided.skip()
        self.assertIn(guided.place, (1, 2))
        window.guided.leave()
        self.assertFalse(window.lesson.isVisible())
        self.assertTrue(self.session.settings.window.first_curve_done)


class Together(Hand):
    def test_lanes_swept_with_shift_are_worked_on_as_one(self) -> None:
        low, session = self.window.low_lanes, self.session
        self.view.show(0.0, 64.0)
        self.wait()
        (one, top, _), (two, below, _) = low._tops()[:2]
        x = [round(64 + self.view.x(b)) for b in (8.0, 24.0)]
        self.drag_on(low, QPoint(x[0], top + 20), QPoint(x[1], below + 20), SHIFT)
        self.assertEqual((session.span.also, session.span.beats), ({one.id, two.id}, (8.0, 24.0)))
        at = np.linspace(8.01, 23.99, 200)
        before = {key: session.project.lane(key).curve.at(at) for key in (one.id, two.id)}
        own = self.curve().at(at)
        self.do("step-shape")
        panel = next(p for p in self.window.rail.findChildren(ShapePanel))
        panel.choose("scale")
        panel._apply()
        np.testing.assert_allclose(self.curve().at(at), 0.5 * own, atol=1e-9)
        for key, values in before.items():
            np.testing.assert_allclose(session.project.lane(key).curve.at(at), 0.5 * values, atol=1e-9)
        self.assertIn("3 lanes together", session.notices.done)
        self.do("undo")
        self.assertIs(self.curve(), self.drawn, "one step")
        self.do("copy")
        self.assertIn("3 lanes", session.notices.hint)
        session.playhead.go(64.0)
        self.do("paste")
        for key, values in before.items():
            np.testing.assert_allclose(session.project.lane(key).curve.at(at + 56.0), values, atol=1e-9)
        self.key(Qt.Key.Key_Escape, widget=self.lane)
        self.assertEqual(session.span.also, frozenset())


class Repeats(WindowTest):
    def test_eight_of_these_on_lanes_marked_by_ctrl_click(self) -> None:
        session = self.session
        session.focus.on("horn.cutoff")
        rows = self.window.low_lanes
        marked = [lane.id for lane, _, _ in rows._tops()[:2]]
        for lane, top, height in rows._tops()[:2]:
            QTest.mouseClick(rows, LEFT, CTRL, QPoint(500, round(top + height / 2)))
            self.assertIn(lane.id, session.span.also)
        self.assertEqual(session.span.also, set(marked))
        session.span.choose((0.0, 2.0))
        session.points.choose(np.empty(0, np.intp))
        before = {key: session.project.lane(key).curve for key in ("horn.cutoff", *marked)}
        self.ask.value = 8.0
        self.key(Qt.Key.Key_R, CTRL | Qt.KeyboardModifier.ShiftModifier, self.lane)
        at = np.linspace(0.0, 2.0, 40, endpoint=False)
        for key, drawn in before.items():
            now = session.project.lane(key).curve
            for number in range(8):
                np.testing.assert_allclose(now.at(at + 2.0 * number), drawn.at(at), atol=1e-9)
            np.testing.assert_allclose(now.at([17.0, 40.0]), drawn.at([17.0, 40.0]), atol=1e-9)
        self.do("undo")
        self.assertTrue(all(session.project.lane(key).curve == drawn for key, drawn in before.items()))
        QTest.mouseClick(rows, LEFT, CTRL, QPoint(500, round(rows._tops()[0][1] + 8)))
        self.assertEqual(session.span.also, {marked[1]})
        self.assertEqual(self.errors, [])


class Keyboard(WindowTest):
    def test_a_whole_piece_of_work_without_the_mouse(self) -> None:
        """Choose a parameter, three exact points, a bend, a span repeated, MIDI exported."""
        session, lane = self.session, self.lane
        self.key(Qt.Key.Key_F, CTRL)
        search = self.window.index.search
        self.assertTrue(search.hasFocus())
        QTest.keyClicks(search, "riser resonance")
        self.key(Qt.Key.Key_Return, widget=search)
        self.assertEqual((session.shown.control, search.text()), (("riser", "resonance"), ""))
        self.assertTrue(lane.hasFocus(), "what was found is worked on")
        self.key(Qt.Key.Key_A)
        self.assertEqual(session.focus.id, "riser.resonance")
        for place, value in (("1", "10 %"), ("3", "80 %"), ("5", "20 %")):
            position = self.window.transport.position
            position.setFocus()
            position.selectAll()
            QTest.keyClicks(position, place)
            self.key(Qt.Key.Key_Return, widget=position)
            self.assertTrue(lane.hasFocus())
            self.key(Qt.Key.Key_Insert, widget=lane)
            self.key(Qt.Key.Key_Return, widget=lane)
            field = self.app.focusWidget()
            self.assertEqual(present(field).accessibleName(), "Value")
            QTest.keyClicks(field, value)
            self.key(Qt.Key.Key_Return, widget=field)
        lane_curve = self.curve()
        np.testing.assert_allclose(lane_curve.beat[:3], [0.0, 8.0, 16.0])
        np.testing.assert_allclose(lane_curve.value[:3], [0.1, 0.8, 0.2], atol=1e-9)
        self.key(Qt.Key.Key_Left, ALT, lane)
        self.key(Qt.Key.Key_Left, ALT | SHIFT, lane)
        self.assertEqual(session.points.chosen.tolist(), [0, 1])
        self.key(Qt.Key.Key_3, widget=lane)
        self.assertEqual(self.curve().shape[0], 2, "a bend")
        self.key(Qt.Key.Key_Escape, widget=lane)
        self.key(Qt.Key.Key_Home, widget=lane)
        session.playhead.go(0.0)
        self.key(Qt.Key.Key_U, widget=lane)
        for _ in range(4):
            self.key(Qt.Key.Key_Right, CTRL | SHIFT, lane)
        self.key(Qt.Key.Key_U, widget=lane)
        self.assertEqual(session.span.beats, (0.0, 16.0))
        self.key(Qt.Key.Key_R, CTRL, lane)
        np.testing.assert_allclose(self.curve().at([8.0, 24.0]), [0.8, 0.8], atol=1e-9)
        self.ask.path = self.folder / "keys.mid"
        self.key(Qt.Key.Key_M, CTRL, lane)
        self.until(lambda: present(self.ask.path).exists() and self.studio.exports.working is None)
        self.assertGreater(self.ask.path.stat().st_size, 1_000)
        self.assertEqual(self.errors, [])

    def test_keys_belong_to_what_has_the_keyboard(self) -> None:
        box = self.field("Grid value")
        box.setFocus()
        start = self.studio.player.playing
        self.key(Qt.Key.Key_Space, widget=box)
        self.assertEqual(self.studio.player.playing, start, "Space is the list's")
        box.hidePopup()
        button = self.window.rail.buttons["step-thin"]
        button.setFocus()
        self.key(Qt.Key.Key_Space, widget=button)
        self.assertIn("step-thin", self.window.rail.shown)
        self.assertFalse(self.studio.player.playing)
        self.do("step-patterns")
        names = self.field("Patterns in the library")
        names.setFocus()
        muted = self.session.project.tracks[0].muted
        self.key(Qt.Key.Key_M, widget=names)
        self.assertEqual(self.session.project.tracks[0].muted, muted, "typed to find a row")
        tree = self.window.index.tree
        tree.setCurrentItem(self.window.index.leaves["horn", "decay"])
        tree.setFocus()
        self.key(Qt.Key.Key_A, widget=tree)
        self.assertEqual(self.session.focus.id, "horn.decay", "letters find nothing in the index")
        self.lane.setFocus()
        self.key(Qt.Key.Key_Space, widget=self.lane)
        self.assertTrue(self.studio.player.playing)
        self.do("stop")
        self.assertTrue(all("&" in a.text() for a in present(self.window.menuBar()).actions()))
        self.assertTrue(issubclass(SeedEntry, Entry) and RefusalLabel is not None)


if __name__ == "__main__":
    unittest.main()
