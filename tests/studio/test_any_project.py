# SPDX-License-Identifier: GPL-3.0-or-later
"""A walk over every page, panel, dialog and command of the window, on every kind of project: nothing
raises, and what can't be done says so."""

from __future__ import annotations

import gc
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QPoint, Qt

from benchmarks import hardness
from benchmarks.answers import Answers
from tests.projects import PROJECTS
from tests.studio import driver
from tests.studio.qtest import QTest
from zolvek.core.errors import ZolvekError
from zolvek.studio.actions.action_table import ACTIONS, MENUS
from zolvek.studio.app.application import application, make_window
from zolvek.studio.app.window import Window
from zolvek.studio.session.settings import Settings

LEAVING = {"quit", "new", "demo", "open"}
WHOLE = {"empty", "no lanes", "no sections", "an ordinary MIDI file"}
HEAVY = {
    "1,000 lanes",
    "two hours",
    "the longest",
}  # a part of the walk is enough for the size of it


class ProjectWalk(unittest.TestCase):
    """One walk; each class below takes it on a project of its own, so that they run side by side."""

    def settle(self, window: Window) -> None:
        """Until what goes on in the background has ended."""
        for _ in range(3_000):
            if window.studio.exports.working is None:
                return
            hardness.wait(10)
        self.fail("an export never ended")

    def walk(self, name: str) -> None:
        faults: list[str] = []
        errors: list[ZolvekError] = []
        answers = Answers()
        app = application()
        driver.kept[:] = [app]
        with (
            tempfile.TemporaryDirectory() as temporary,
            hardness.unattended(Path(temporary), faults),
        ):
            window = make_window(PROJECTS[name](Path(temporary)), Settings(), ask=answers)
            window.session.notices.notifier.listeners[:] = [errors.append]
            window.show()
            window.complete()
            session = window.session

            def look(window: Window = window) -> None:
                window.grab()
                app.processEvents()
                self.assertEqual(faults, [], f"{name}: {doing}")

            doing = "first picture"
            look()
            for row in ACTIONS if name in WHOLE or name in HEAVY else ():
                if row.id.startswith("step-"):
                    doing = row.id
                    window.action(row.id).trigger()
                    look()
            for widget in (window.ruler, window.overview, window.focus_lane, window.low_lanes):
                doing = f"mouse on {type(widget).__name__}"
                for spot in (
                    QPoint(2, 2),
                    QPoint(widget.width() // 2, max(widget.height() // 2, 1)),
                ):
                    QTest.mouseMove(widget, spot)
                    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=spot)
                    QTest.mouseDClick(widget, Qt.MouseButton.LeftButton, pos=spot)
                look()
            lanes = [lane.id for lane in session.project.lanes()]
            session.focus.on(lanes[-1] if lanes else None)
            session.span.choose((0.0, min(4.0, session.project.length)))
            light = [key for key in MENUS if name not in HEAVY or key in ("View", "Help", "Play")]
            left = LEAVING if name == "empty" else LEAVING | {"theme"}  # slow, and the same everywhere
            rows = [row for key in light for row in MENUS[key] if row.id not in left]
            if name not in WHOLE:  # every third command, others on the next project
                rows = rows[list(PROJECTS).index(name) % 3 :: 3]
            asking: set[str] = set()
            for accepts in (False, True):
                # Every question is first refused, then answered: with a word, a number, a file name.
                answers.accepts = answers.yes = accepts
                answers.words, answers.value = ("13", 0.5) if accepts else (None, None)
                answers.path = Path(temporary) / "name" if accepts else None
                if accepts and name in HEAVY:
                    break
                for row in rows:
                    # The second time what has asked something, and switches, which go back.
                    if accepts and not (row.id in asking or (row.checked and row.id != "theme")):
                        continue
                    doing = f"{row.id}, answered" if accepts else row.id
                    questions = len(answers.asked)
                    window.action(row.id).trigger()
                    if len(answers.asked) > questions:
                        asking.add(row.id)
                    if window.studio.player.playing:
                        window.studio.player.stop()
                    app.processEvents()
                    self.assertEqual(faults, [], f"{name}: {doing}")
                doing = "after all commands"
                self.settle(window)
                look()
            hardness.take_apart(window)
            del window, session
            gc.collect()
            app.processEvents()
        self.assertEqual(faults, [], name)
        mute = [error for error in errors if not (error.what and (error.remedy or error.where))]
        self.assertEqual([str(error) for error in mute], [], f"{name}: messages without a remedy")


class EmptyProject(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("empty")


class BareTrack(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("a track without devices")


class NoLanes(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("no lanes")


class NoSections(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("no sections")


class NoNotes(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("no notes")


class OneBar(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("one bar")


class ShortestSong(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("the shortest")


class LongestSong(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("the longest")


class OddSections(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("sections far away and on one beat")


class ExtremeTempo(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("tempo and meter at their extremes")


class ExtremeNotes(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("one note of each end")


class OrdinaryMidiFile(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("an ordinary MIDI file")


class ThousandLanes(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("1,000 lanes")


class TwoHours(ProjectWalk):
    def test_walk(self) -> None:
        self.walk("two hours")


class AllProjects(unittest.TestCase):
    def test_every_kind_of_project_is_walked(self) -> None:
        walked: list[str] = []
        for walk in ProjectWalk.__subclasses__():
            with mock.patch.object(walk, "walk", lambda _, name: walked.append(name)):
                walk("test_walk").debug()
        self.assertEqual(sorted(walked), sorted(PROJECTS))


if __name__ == "__main__":
    unittest.main()
