# SPDX-License-Identifier: GPL-3.0-or-later
"""The command finder knows the trade's words and what panels can do; preferences, history and about."""

from __future__ import annotations

import unittest
from typing import Any
from unittest import mock

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QDialogButtonBox, QLabel, QLineEdit, QMenu

from tests.present import present
from tests.studio.driver import WindowTest
from tests.studio.qtest import QTest
from zolvek.core.errors import ZolvekError
from zolvek.studio.actions.action_table import ACTIONS
from zolvek.studio.actions.command_search import SYNONYMS, matching
from zolvek.studio.actions.panel_entries import ENTRIES
from zolvek.studio.app import closing
from zolvek.studio.app.menu_letters import letters
from zolvek.studio.app.question_dialogs import TypedDialog
from zolvek.studio.session import settings as stored
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.dialogs import ReachDialog, RepeatDialog
from zolvek.studio.toolkit.fields import NumberEntry
from zolvek.studio.toolkit.text_size import desktop_percent, use_text_size
from zolvek.studio.views.windows.command_finder import Finder
from zolvek.studio.views.windows.preferences_dialog import PAGES, PreferencesDialog

# A word of the trade (common practice, no source), and a part of the text of what it must find among the first three.
WORDS = {
    "import": "Import", "export": "Export", "render": "Export audio", "bounce": "Export audio", "freeze": "Bake",
    "flatten": "Flatten", "commit": "Bake", "invert": "Invert", "reverse": "Reverse", "flip": "Reverse",
    "mirror": "Reverse", "transpose": "Notes up", "pitch": "Notes up", "quantize": "Quantise", "snap": "Snap",
    "swing": "Swing", "velocity": "velocity", "range": "Reach", "min": "Reach", "max": "Reach", "knob": "parameter",
    "control": "control", "audio": "audio", "MIDI learn": "controller", "sidechain": "Side-chain", "send": "send track",
    "return": "Return", "volume": "gain", "gain": "gain", "pan": "parameter", "mute": "Mute", "solo": "Solo",
    "tempo": "empo", "BPM": "empo", "time signature": "eter", "marker": "section", "section": "section",
    "loop": "Loop", "punch": "only in the span", "pre-roll": "Pre-roll", "click": "Metronome",
    "metronome": "Metronome", "comp": "take", "take": "take", "undo history": "history", "duplicate": "Duplicate",
    "delete": "Delete", "clear": "Clear", "reset": "default", "default": "default", "preset": "preset",
    "snapshot": "state", "compare": "Compare", "A/B": "Compare", "settings": "Preferences",
    "preferences": "Preferences", "device": "device", "latency": "Preferences", "buffer": "Preferences",
    "theme": "theme", "dark": "theme", "help": "guide", "shortcut": "shortcuts", "zoom": "Zoom", "follow": "Follow",
    "scrub": "Playhead", "envelope": "lane", "LFO": "LFO", "random": "Random", "ramp": "ramp", "step": "tep",
    "gate": "gate", "duck": "duck", "pump": "duck", "sweep": "ramp", "fade": "Fade",
}  # fmt: skip

NEEDS_PORTS = ("MIDI input", "MIDI output", "Send MIDI clock", "Time code")  # not shown on a machine without any


class Words(unittest.TestCase):
    def test_the_trades_words_find_what_they_mean(self) -> None:
        for word, text in WORDS.items():
            rows = matching(word)
            self.assertTrue(any(text in row.text for row in rows[:3]), f"{word}: {[row.text for row in rows[:6]]}")
        for word, no in (("pan", "span"), ("gain", "again"), ("ramp", "tramp")):
            for row in matching(word):
                words = f"{row.text} {row.tip}".lower().split()
                self.assertFalse(all(no in w for w in words if word in w) and any(word in w for w in words), row)

    def test_synonyms_mean_something_that_there_is(self) -> None:
        known = {row.id for row in ACTIONS} | {row.id for row in ENTRIES}
        for words, ids in SYNONYMS.items():
            self.assertEqual(set(ids) - known, set(), words)
        self.assertEqual(len(known), len(ACTIONS) + len(ENTRIES))


class InTheWindow(WindowTest):
    def test_every_entry_of_a_panel_brings_the_keyboard_to_it(self) -> None:
        for entry in ENTRIES:
            self.window.rail.show_entry(entry)
            self.wait()
            target = present(self.window.rail.target_of(entry))
            if not target.isVisible():
                self.assertIn(entry.target, NEEDS_PORTS)
                continue
            if target.isEnabled():
                self.assertTrue(target.hasFocus(), entry.id)
            if entry.option:
                assert isinstance(target, QComboBox)
                self.assertEqual(target.currentData(), entry.option)

    def test_a_screen_reader_hears_names_and_values(self) -> None:
        """Every field of every panel has a name and a label of its own; lane and dials say what they are at."""
        for step in self.window.rail.buttons:
            self.do(step)
            panel = present(self.window.rail.shown[step].widget())
            for field in (*panel.findChildren(QComboBox), *panel.findChildren(QLineEdit)):
                inside = isinstance(field.parentWidget(), QComboBox | QAbstractSpinBox)
                self.assertTrue(field.accessibleName() or inside, (step, type(field).__name__))
            labels = [label for label in panel.findChildren(QLabel) if label.property("role") == "field"]
            bare = [label.text() for label in labels if label.buddy() is None]
            self.assertLess(len(bare), 8, (step, bare))  # headings of groups
        self.session.focus.on("horn.cutoff")
        self.session.playhead.go(0.0)
        self.until(lambda: "240 Hz at 1.1.0" in self.lane.accessibleDescription())
        self.assertIn("Hull · Horn · Cutoff: 10 points, 20 Hz to 20 kHz", self.lane.accessibleDescription())
        dial = next(d for d in self.window.bench.dials if d.parameter.id == "cutoff")
        dial.setFocus()
        self.assertEqual(dial.accessibleName(), "Cutoff")
        self.assertIn("240 Hz", dial.accessibleDescription())
        before = dial.accessibleDescription()
        QTest.keyClick(dial, Qt.Key.Key_Up)
        self.until(lambda: dial.accessibleDescription() != before)

    def test_what_is_wrong_is_said_under_the_field_and_the_text_stays(self) -> None:
        used: list[str] = []

        def use(text: str) -> None:
            if text != "7/8":
                raise ZolvekError(f"“{text}” is not a meter.", remedy="Type one such as 4/4.")
            used.append(text)

        dialog = TypedDialog("Meter", "Such as 4/4:", "4/4", use, self.window)
        dialog.show()
        QTest.keyClicks(dialog.field, "odd")
        QTest.keyClick(dialog.field, Qt.Key.Key_Return)
        self.wait()
        self.assertTrue(dialog.isVisible())
        self.assertEqual(
            (dialog.field.text(), dialog.fault.text()), ("odd", "“odd” is not a meter. Type one such as 4/4.")
        )
        self.assertGreater(dialog.fault.geometry().top(), dialog.field.geometry().top())
        QTest.keyClicks(dialog.field, "7/8")
        QTest.keyClick(dialog.field, Qt.Key.Key_Return)
        self.wait()
        self.assertEqual((used, dialog.isVisible()), (["7/8"], False))
        lane = present(self.session.lane)
        reach = ReachDialog(self.session.project.parameter_of(lane.id), lane, self.window)
        reach.show()
        self.type_over(reach.low, "warm")
        self.assertTrue(reach.isVisible())
        self.assertTrue(reach.low.property("fault"))
        self.type_over(reach.low, "100 Hz")
        self.assertFalse(reach.isVisible())

    def type_over(self, field: QLineEdit, text: str) -> None:
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.wait()

    def test_a_letter_chooses_an_entry_of_an_open_menu(self) -> None:
        """Alt+letter opens a menu, and a letter does what it underlines; no two are the same in one menu."""
        bar = present(self.window.menuBar())
        for menu in bar.findChildren(QMenu):
            texts = [action.text().replace("&", "") for action in menu.actions() if not action.isSeparator()]
            dealt = [text[at].lower() for text, at in zip(texts, letters(texts), strict=True) if at >= 0]
            self.assertEqual(len(dealt), len(set(dealt)), menu.title())
            self.assertGreaterEqual(len(dealt), min(len(texts) - 1, 18), menu.title())
        menu = next(m for m in bar.findChildren(QMenu) if m.title() == "&Play")
        action = self.window.made.made["loop"]
        before = action.isChecked()
        menu.popup(QPoint(10, 10))
        self.wait()
        letter = action.text()[action.text().index("&") + 1]
        QTest.keyClicks(menu, letter)
        self.wait()
        self.assertEqual((action.isChecked(), action.text()), (not before, "Loop"))

    def test_numbers_of_dialogs_are_refused_under_their_fields(self) -> None:
        """Where they stand on a page that is not seen, it is shown."""
        preferences = PreferencesDialog(self.session.settings, [], self.window)
        preferences.show()
        entries = {field.accessibleName(): field for field in preferences.findChildren(NumberEntry)}
        count_in = entries["Count-in"]
        count_in.selectAll()
        QTest.keyClicks(count_in, "1000")
        ok = present(preferences.findChild(QDialogButtonBox)).buttons()[0]
        QTest.mouseClick(ok, Qt.MouseButton.LeftButton)
        self.wait()
        self.assertTrue(preferences.isVisible())
        self.assertTrue(count_in.isVisible(), "its page is shown")
        self.assertIn("out of range", present(count_in.words).text())
        self.type_over(count_in, "4")
        self.assertFalse(preferences.isVisible())
        self.assertEqual(preferences.apply(), set())
        repeat = RepeatDialog(self.session.position_of, self.window)
        repeat.show()
        self.type_over(repeat.until, "later")
        self.assertTrue(repeat.isVisible())
        self.assertTrue(repeat.until.property("fault"))
        repeat.close()

    def test_text_is_as_large_as_the_desktop_has_it_or_as_chosen(self) -> None:
        """Next to how it comes on that desktop, within what fits; a choice is used at once, and everywhere."""
        for points, desktop, percent in (
            (11.0, "ubuntu:GNOME", 100), (12.1, "GNOME", 110), (20.0, "KDE", 120), (8.0, "XFCE", 100),
            (13.0, "Harbour", 100), (-1.0, "GNOME", 100),
        ):  # fmt: skip
            self.assertEqual(desktop_percent(points, desktop), percent, (points, desktop))
        before = themes.font().pointSizeF()
        self.addCleanup(use_text_size, 100)

        def fill(dialog: Any) -> None:
            combo = next(c for c in dialog.findChildren(QComboBox) if c.accessibleName() == "Text size")
            combo.setCurrentIndex(combo.findText("120 %"))

        self.ask.fill, self.ask.accepts = fill, True
        self.do("preferences")
        self.assertAlmostEqual(themes.font().pointSizeF(), 1.2 * before)
        self.assertIn(f"font-size: {1.2 * 11:g}pt", self.app.styleSheet())
        self.assertLessEqual(self.window.minimumSizeHint().width(), 1024)

    def test_a_word_is_typed_and_done(self) -> None:
        chosen: list[str] = []

        def run(finder: Any) -> int:
            finder.show()
            QTest.keyClicks(finder.field, "pump")
            QTest.keyClick(finder.field, Qt.Key.Key_Down)
            QTest.keyClick(finder.field, Qt.Key.Key_Up)
            QTest.keyClick(finder.field, Qt.Key.Key_Return)
            chosen.append(finder.chosen)
            self.window.activateWindow()
            self.wait()
            return int(finder.result())

        with mock.patch.object(Finder, "exec", run):
            self.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier, self.lane)
        self.assertEqual(chosen, ["step-shape//Operation/stamp-duck"])
        self.assertEqual(present(QApplication.focusWidget()).accessibleName(), "Operation")
        self.assertEqual(self.errors, [])

    def test_preferences_hold_what_is_set_and_the_window_opens_as_it_was(self) -> None:
        settings = self.session.settings
        known = {f"{area}.{name}" for area, part in vars(settings).items() for name in vars(part)}
        rows = [row for page in PAGES.values() for row in page]
        self.assertEqual({row.path for row in rows} - known, set())

        def fill(dialog: Any) -> None:
            for name, text in (("Count-in", "2"), ("Buffer", "512"), ("Thinning of passes", "1.5 %")):
                entry = next(w for w in dialog.findChildren(QLineEdit) if w.accessibleName() == name)
                entry.setFocus()
                entry.selectAll()
                QTest.keyClicks(entry, text)
                QTest.keyClick(entry, Qt.Key.Key_Tab)

        with mock.patch.object(self.ask, "fill", fill):
            self.ask.accepts = False
            self.do("preferences")
            self.assertEqual((settings.recording.count_in, settings.playback.buffer_frames), (4, 1_024))
            self.ask.accepts = True
            self.do("preferences")
        self.assertEqual((settings.recording.count_in, settings.playback.buffer_frames), (2, 512))
        self.assertAlmostEqual(settings.recording.tolerance, 0.015)
        self.do("step-thin")
        self.window.resize(1_111, 777)
        closing.remember(self.window, self.window.rail.shown_step, settings.window)
        stored.save(settings)
        again = stored.load()
        self.assertEqual((again.window.width, again.window.height, again.window.panel), (1_111, 777, "step-thin"))
        self.assertEqual(again.playback.buffer_frames, 512)
        self.do("about")
        self.assertIn("About Zolvek", self.ask.asked)
        self.assertEqual(self.errors, [])

    def test_the_history_goes_to_any_step(self) -> None:
        held = [self.session.project]
        for beat in (1.0, 3.0, 5.0):
            self.session.playhead.go(beat + 0.25)
            self.do("add-point")
            held.append(self.session.project)
        here = self.session.document.history.here
        steps = self.session.document.history.steps
        for back in (3, 1, 0):
            number = here - back
            label = f"{number}. {steps[number].label}"
            self.ask.row = label if number != self.session.document.history.here else f"{label}  (now)"
            self.do("history")
            self.assertTrue(self.session.project == held[3 - back])


if __name__ == "__main__":
    unittest.main()
