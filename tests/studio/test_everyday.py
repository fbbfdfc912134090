# SPDX-License-Identifier: GPL-3.0-or-later
"""Sixty everyday tasks in the real window: what is done, with how many presses, and what must be so.

A step is a word and what it is about. Counted are presses of keys and buttons, clicks and drags; a text
that is typed counts as one, and Enter as another. Steps that begin with @ prepare and count nothing.
"""

from __future__ import annotations

import unittest
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QPushButton, QToolButton

from tests.present import present
from tests.studio.driver import LEFT, NO_KEY, WindowTest
from tests.studio.qtest import QTest
from zolvek.core.curve.construction import curve
from zolvek.core.curve.shapes import BENT, HOLD
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.demo.night_regatta import build
from zolvek.studio.actions.action_table import ACTIONS

BY_ID = {row.id: row for row in ACTIONS}
SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
FRESH = "@lane riser.resonance; @view 0 64"
DRAWN = "@focus mallet.transpose; @view 0 32; @draw 0 0.2, 4 0.4, 8 0.6, 12 0.3, 16 0.8, 20 0.5"


class Task(NamedTuple):
    what: str
    steps: str
    presses: int
    so: Callable[[Everyday], bool]


def real_value(test: Any, point: int) -> float:
    """The value of a point of the focus lane in the unit of its parameter."""
    target = present(test.session.target)
    return float(target.parameter.value(target.to_position(test.curve().value[point])))


def near(value: Any, wanted: Any, within: float = 1e-6) -> bool:
    return abs(float(value) - wanted) <= within


def at(t: Everyday, beat: float) -> float:
    return float(t.curve().at(beat))


TASKS = (
    # --- the five whose presses are counted for themselves ---
    Task("a sweep over 8 bars with a bend", f"{FRESH}; click 0 0.1; click 32 0.9; bend 16 0.3", 3,
         lambda t: near(at(t, 32.0), 0.9, 0.02) and BENT in t.curve().shape and near(at(t, 16.0), 0.3, 0.03)),
    Task("a gate at 1/8, repeated, then twice as fast",
         f"{FRESH}; span 0 4; do step-shape; pick Operation=stamp-gate; type Rate=1/8; button Apply; do repeat; "
         "do twice-as-fast", 9,
         lambda t: near(played(present(t.session.lane), t.session.project).at(16.6), played(present(t.session.lane),
             t.session.project).at(12.6), 0.01)),
    Task("an LFO over 8 bars, upside down on a second lane",
         "@focus echo.feedback; span 0 32; do step-movement; type LFO: Rate=2 bars; button Write; low 0; tick Invert; "
         "button Write", 8,
         lambda t: len(t.curve()) > 8 and t.session.focus.id != "echo.feedback"),
    Task("a morph from A to B to C",
         "@device echo; do step-morph; button Store; dial feedback 60; button Store; dial mix 40; button Store; span 0 "
         "64; button Morph; button Through all", 9,
         lambda t: len([s for s in t.session.project.states if s.name.startswith("State")]) >= 3),
    Task("a pass thinned and bent", "@focus echo.mix; @dense; do step-thin; type Thinning tolerance=2 %; button Apply; "
                                    "segment 3; do shape-bend", 6,
         lambda t: len(t.curve()) < 40 and BENT in t.curve().shape),
    # --- choosing and starting ---
    Task("a control found by its name", "do find-parameter; keys decay; key Return", 3,
        lambda t: present(t.session.shown.control)[1] == "decay"),
    Task("a lane for it", "@touch horn decay; do add-lane", 1,
        lambda t: t.session.focus.id == "horn.decay" and len(t.curve()) == 1),
    Task("a lane brought up by its dial", "@device horn; dial cutoff 0", 1,
        lambda t: t.session.focus.id == "horn.cutoff"),
    Task("the next lane", "@focus horn.cutoff; do lane-down", 1, lambda t: t.session.focus.id == "horn.resonance"),
    Task("a lane below made the focus", "@focus horn.cutoff; low 0", 1,
        lambda t: t.session.focus.id == "horn.resonance"),
    Task("a lane named", "@focus horn.cutoff; @say Opening; do name-lane", 2,
        lambda t: present(t.session.lane).name == "Opening"),
    Task("a lane in another colour", "@focus horn.cutoff; do colour", 2, lambda t: present(t.session.lane).colour == 1),
    Task("the reach typed", f"{FRESH}; click 8 0.9; do to-dial", 2, lambda t: True),
    # --- points ---
    Task("a point added", f"{DRAWN}; click 10 0.9", 1, lambda t: 10.0 in t.curve().beat),
    Task("a point moved", f"{DRAWN}; drag 8 0.6 10 0.7", 1, lambda t: 10.0 in t.curve().beat),
    Task("a point deleted", f"{DRAWN}; click 8 0.6; key Del", 2, lambda t: 8.0 not in t.curve().beat),
    Task("an exact value", f"{DRAWN}; click 8 0.6; key Return; keys +7 st; key Return", 4,
         lambda t: near(present(t.session.target).to_position(t.curve().value[2]),
             present(t.session.target).parameter.parse("+7 st"), 1e-9)),
    Task("a value by percent of the travel", f"{DRAWN}; click 8 0.6; type Value=25 %", 3,
        lambda t: near(real_value(t, 2), -12.0, 0.51)),
    Task("an exact place", f"{DRAWN}; click 8 0.6; type Position=3.3", 3, lambda t: 10.0 in t.curve().beat),
    Task("a whole bar lifted", f"{DRAWN}; span 4 13; do nudge-up", 2, lambda t: at(t, 4.0) > 0.4 and near(at(t, 16.0),
        0.8)),
    Task("two points chosen with a box", f"{DRAWN}; drag 3 0.95 9 0.05 Shift", 1,
        lambda t: t.session.points.chosen.tolist() == [1, 2]),
    Task("all points chosen", f"{DRAWN}; do select-all", 1, lambda t: t.session.points.chosen.size == 6),
    Task("points one grid step later", f"{DRAWN}; click 8 0.6; do nudge-right", 2, lambda t: 8.25 in t.curve().beat),
    Task("a jump made", f"{DRAWN}; click 8 0.6; do jump", 2, lambda t: (t.curve().beat == 8.0).sum() == 2),
    Task("a value taken from the dial", f"{DRAWN}; click 8 0.6; do from-dial", 2, lambda t: near(t.curve().value[2],
        0.5)),
    Task("a pin", f"{DRAWN}; click 8 0.6; do pin", 2, lambda t: present(t.session.lane).pins == (8.0,)),
    Task("a point by its menu", f"{DRAWN}; menu 8 0.6 Delete points", 2, lambda t: 8.0 not in t.curve().beat),
    Task("points by value", f"{DRAWN}; @say 0 st to +12 st; do select-band", 2,
        lambda t: t.session.points.chosen.size == 2),
    # --- shapes and grid ---
    Task("a hold on one segment", f"{DRAWN}; menu 6 0.5 Shape: Hold", 2,
        lambda t: t.curve().shape.tolist()[1] == HOLD and (t.curve().shape[:-1] == HOLD).sum() == 1),
    Task("an S-curve on a span", f"{DRAWN}; span 4 12; do shape-s-curve", 2,
        lambda t: (t.curve().shape == 3).sum() == 2),
    Task("quantised", f"{DRAWN}; @nudge 0.1; do quantise", 1, lambda t: np.allclose(t.curve().beat % 0.25, 0.0)),
    Task("a finer grid", f"{DRAWN}; do finer", 1, lambda t: t.session.tools.grid.division == 32),
    Task("no grid", f"{DRAWN}; do snap; drag 8 0.6 8.6 0.6", 2, lambda t: not np.allclose(t.curve().beat % 0.25, 0.0)),
    Task("a freehand stroke", f"{FRESH}; do tool-freehand; drag 4 0.2 20 0.9", 2,
        lambda t: len(t.curve()) >= 3 and at(t, 19.0) > 0.7),
    Task("a stamp", f"{FRESH}; do tool-stamp; drag 4 0.2 20 0.9", 2, lambda t: len(t.curve()) > 3),
    Task("back to points", f"{FRESH}; do tool-stamp; key Esc; click 4 0.5", 3, lambda t: 4.0 in t.curve().beat),
    # --- spans ---
    Task("copied and pasted", f"{DRAWN}; span 4 12; do copy; @go 40; do paste", 3, lambda t: near(at(t, 44.0), at(t,
        8.0), 1e-9)),
    Task("duplicated", f"{DRAWN}; span 4 12; do duplicate", 2, lambda t: near(at(t, 16.0), 0.6, 1e-9)),
    Task("repeated to the section's end", f"{DRAWN}; span 0 16; do repeat", 2, lambda t: near(at(t, 20.0), 0.4, 1e-9)),
    Task("a span cut", f"{DRAWN}; span 4 12; do cut", 2, lambda t: 8.0 not in t.curve().beat),
    Task("tilted", f"{DRAWN}; span 0 16; do step-shape; pick Operation=tilt; button Apply", 5, lambda t: at(t,
        15.9) > 0.9),
    Task("mirrored in time", f"{DRAWN}; span 0 16; do step-shape; pick Operation=mirror; button Apply", 5,
        lambda t: near(at(t, 12.0), 0.4, 1e-9)),
    Task("seen before it is done, and cancelled", f"{DRAWN}; do step-shape; button Preview; key Esc", 3,
        lambda t: t.session.preview.curve is None and len(t.curve()) == 6),
    Task("several lanes scaled as one", f"{DRAWN}; sweep 4 12; do step-shape; pick Operation=scale; button Apply", 5,
        lambda t: "lanes together" in t.session.notices.done),
    Task("the lane's own loop", f"{DRAWN}; span 0 8; do own-loop", 2, lambda t: near(played(present(t.session.lane),
        t.session.project).curve.at(12.0), 0.4, 1e-9)),
    # --- movement ---
    Task("an LFO as a layer", "@focus echo.mix; do step-movement; type LFO: Rate=1/2; button Add as layer", 4,
        lambda t: present(t.session.lane).layers[-1].kind == "lfo"),
    Task("its depth drawn through zero", "@focus lantern-strip.pan; do layer-depth; click 8 0.9; click 40 0.1", 4,
        lambda t: present(t.session.lane).layers[-1].amount_way is not None),
    Task("a layer baked", "@focus lantern-strip.pan; do layer-bake", 2,
        lambda t: not present(t.session.lane).layers and len(t.curve()) > 8),
    Task("drawn around where the control stands", "@focus echo.mix; do relative; dial mix 20", 2,
        lambda t: present(t.session.lane).relative),
    # --- lanes ---
    Task("bypassed", "@focus horn.cutoff; do bypass", 1, lambda t: present(t.session.lane).bypassed),
    Task("applied again by its word", "@focus horn.cutoff; do bypass; chip", 2,
        lambda t: not present(t.session.lane).bypassed),
    Task("hidden, its neighbour next", "@focus horn.cutoff; do hide-lane", 1,
        lambda t: t.session.focus.id == "horn.resonance"),
    Task("locked against a slip", f"{DRAWN}; do lock; drag 8 0.6 10 0.9", 2, lambda t: 8.0 in t.curve().beat),
    Task("removed and brought back", "@focus horn.cutoff; do remove-lane; do undo", 3,
        lambda t: t.session.focus.id == "horn.cutoff"),
    Task("a device's bypass automated", "@touch echo bypass; do add-lane; click 16 0.9", 2,
        lambda t: t.curve().shape[0] == HOLD and at(t, 8.0) == 0.0),
    # --- listening ---
    Task("heard", "do play; do play", 2, lambda t: not t.studio.player.playing),
    Task("without automation, and back", "do compare-bypass; key Esc", 2, lambda t: t.session.audition.comparing == ""),
    Task("an earlier version brought back", f"{DRAWN}; do keep-version; key Ctrl+A; key Del; do bring-back", 5,
        lambda t: len(t.curve()) == 6),
    Task("only this lane", "@focus horn.cutoff; do hear-alone", 1,
        lambda t: t.session.audition.listening.alone == "horn.cutoff"),
    Task("a track muted", "@device horn; do mute", 1, lambda t: t.session.project.tracks[0].muted),
    # --- the last ---
    Task("five steps taken back", f"{DRAWN}; click 1 0.5; click 2 0.5; click 3 0.5; do undo; do undo; do undo", 6,
        lambda t: len(t.curve()) == 6),
    Task("exported as MIDI", "@say-path walk.mid; do export-midi", 1, lambda t: t.written("walk.mid")),
)  # fmt: skip


class Everyday(WindowTest):
    def written(self, name: str) -> bool:
        self.until(lambda: self.studio.exports.working is None and (self.folder / name).exists())
        return (self.folder / name).stat().st_size > 100

    def test_sixty_tasks(self) -> None:
        self.assertGreaterEqual(len(TASKS), 60)
        for task in TASKS:
            with self.subTest(task.what):
                self.show(build())
                self.session.tools.choose("points")
                self.session.tools.set_grid(on=True, division=16, kind="straight")
                self.session.audition.listen(alone=None)
                self.lane.setFocus()
                self.presses = 0
                for step in task.steps.split("; "):
                    self.step(step.strip())
                    self.wait()
                self.assertTrue(task.so(self), task.what)
                self.assertEqual(self.presses, task.presses, task.what)
                self.assertEqual(self.errors, [], task.what)

    def step(self, step: str) -> None:
        word, _, about = step.partition(" ")
        if word.startswith("@"):
            getattr(self, "set_" + word[1:].replace("-", "_"))(about)
            return
        self.presses += 1
        getattr(self, "on_" + word)(about)

    # --- what prepares ---

    def set_focus(self, lane: str) -> None:
        self.session.focus.on(lane)

    def set_lane(self, key: str) -> None:
        device, parameter = key.split(".")
        self.session.touch(device, parameter)
        self.do("add-lane")

    def set_view(self, ends: str) -> None:
        first, last = map(float, ends.split())
        self.view.show(first, last - first)

    def set_draw(self, rows: str) -> None:
        self.session.edit_curve(
            "Draw",
            curve([(float(b), float(v)) for b, v in (row.split() for row in rows.split(", "))]),
        )
        self.session.points.choose(np.empty(0, np.intp))

    def set_nudge(self, by: str) -> None:
        self.session.edit_curve("Off", self.curve().having(beat=self.curve().beat + float(by)))

    def set_dense(self, _: str) -> None:
        beats = np.linspace(0.0, 100.0, 1_500)
        rows = list(zip(beats.tolist(), (0.5 + 0.3 * np.sin(beats / 9.0)).tolist(), strict=True))
        self.session.edit_curve("Dense", curve(rows))
        self.view.show(0.0, 110.0)

    def set_touch(self, names: str) -> None:
        device, parameter = names.split()
        self.session.touch(device, parameter)

    def set_device(self, key: str) -> None:
        self.session.shown.show(key)

    def set_go(self, beat: str) -> None:
        self.session.playhead.go(float(beat))

    def set_say(self, words: str) -> None:
        self.ask.words = words

    def set_say_path(self, name: str) -> None:
        self.ask.path = self.folder / name

    # --- what is done ---

    def on_click(self, where: str) -> None:
        self.click(*map(float, where.split()[:2]))

    def on_drag(self, where: str) -> None:
        a, b, c, d, *keys = where.split()
        self.drag((float(a), float(b)), (float(c), float(d)), SHIFT if keys else NO_KEY)

    def on_bend(self, where: str) -> None:
        beat, value = map(float, where.split())
        QTest.keyPress(self.lane, Qt.Key.Key_B)
        self.drag((beat, at(self, beat)), (beat, value))
        QTest.keyRelease(self.lane, Qt.Key.Key_B)

    def on_segment(self, number: str) -> None:
        beats = self.curve().beat
        middle = 0.5 * float(beats[int(number)] + beats[int(number) + 1])
        self.click(middle, at(self, middle))

    def on_span(self, ends: str) -> None:
        x = [round(64 + self.view.x(float(end))) for end in ends.split()]
        self.drag_on(self.window.ruler, QPoint(x[0], 35), QPoint(x[1], 35))

    def on_sweep(self, ends: str) -> None:
        x = [round(64 + self.view.x(float(end))) for end in ends.split()]
        self.drag_on(self.window.low_lanes, QPoint(x[0], 20), QPoint(x[1], 60), SHIFT)

    def on_low(self, row: str) -> None:
        at = QPoint(600, int(row) * 46 + 4)
        QTest.mouseClick(self.window.low_lanes, LEFT, NO_KEY, at)

    def on_key(self, keys: str) -> None:
        combination = QKeySequence(keys)[0]
        widget = self.app.focusWidget() or self.lane
        self.key(combination.key(), combination.keyboardModifiers(), widget)

    def on_keys(self, text: str) -> None:
        QTest.keyClicks(self.app.focusWidget(), text)

    def on_do(self, action: str) -> None:
        """By its key where it has one; else by its menu, which is a press more."""
        row = BY_ID[action]
        if row.keys:
            self.lane.setFocus()
            self.on_key(row.keys)
        else:
            self.presses += 1
            self.do(action)

    def on_type(self, words: str) -> None:
        self.presses += 1
        self.type_in(*words.split("=", 1))

    def on_pick(self, words: str) -> None:
        """A row of a menu: opened, and chosen."""
        self.presses += 1
        name, data = words.split("=", 1)
        box = self.field(name)
        assert isinstance(box, QComboBox)
        box.setCurrentIndex(box.findData(data))
        box.activated.emit(box.currentIndex())

    def on_button(self, text: str) -> None:
        panel = self.window.rail.panels.currentWidget()
        kinds = (
            *present(panel).findChildren(QPushButton),
            *present(panel).findChildren(QToolButton),
        )
        found = [b for b in kinds if b.isVisible() and b.text().startswith(text.rstrip("…"))]
        QTest.mouseClick(found[0], LEFT)

    def on_tick(self, text: str) -> None:
        panel = self.window.rail.panels.currentWidget()
        next(b for b in present(panel).findChildren(QCheckBox) if b.text() == text).click()

    def on_dial(self, words: str) -> None:
        key, up = words.split()
        dial = next(d for d in self.window.bench.dials if d.parameter.id == key)
        middle = QPoint(dial.width() // 2, dial.height() // 2)
        self.drag_on(dial, middle, middle - QPoint(0, int(up)))

    def on_chip(self, _: str) -> None:
        QTest.mouseClick(self.window.head.modes.findChildren(QToolButton)[-1], LEFT)

    def on_menu(self, words: str) -> None:
        self.presses += 1
        beat, value, text = words.split(" ", 2)
        place = self.spot(float(beat), float(value))
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, self.lane.mapToGlobal(place))
        self.app.sendEvent(self.lane, event)
        menu = QApplication.activePopupWidget()
        next(a for a in present(menu).actions() if a.text().replace("&", "") == text).trigger()
        present(menu).close()
        self.window.activateWindow()


if __name__ == "__main__":
    unittest.main()
