# SPDX-License-Identifier: GPL-3.0-or-later
"""A desktop citizen: assistive tools, the keyboard, and the desktop's own files."""

from __future__ import annotations

import configparser
import gc
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import unittest
import weakref
import xml.etree.ElementTree as xml
from collections.abc import Iterator
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QScrollBar,
    QTextEdit,
    QWidget,
)

from tests.present import present
from tests.studio.driver import WindowTest
from tests.studio.qtest import QTest
from zolvek.cli import desktop_entry, shell_help
from zolvek.cli.main import zolvek
from zolvek.demo.night_regatta import build
from zolvek.formats.project import project_file

CONTROLS = (QAbstractButton, QLineEdit, QComboBox, QAbstractSpinBox, QAbstractItemView, QTextEdit, QAbstractSlider)


PARTS_OF = (QAbstractSpinBox, QComboBox, QAbstractItemView, QLineEdit)  # these name their parts


def ancestors(widget: QWidget) -> Iterator[QObject]:
    parent = widget.parent()
    while parent is not None:
        yield parent
        parent = parent.parent()


def nameless(root: QWidget) -> list[str]:
    """Controls that a screen reader could not name, and widgets that take keys and have no name."""
    result = []
    for widget in root.findChildren(QWidget):
        inside = any(isinstance(ancestor, PARTS_OF) for ancestor in ancestors(widget))
        if isinstance(widget, QScrollBar) or inside or widget.objectName().startswith("qt_"):
            continue
        takes_keys = widget.focusPolicy() != Qt.FocusPolicy.NoFocus and type(widget).__module__.startswith("zolvek")
        if not (isinstance(widget, CONTROLS) or takes_keys):
            continue
        text = widget.text() if isinstance(widget, QAbstractButton) else ""
        if not (widget.accessibleName() or text):
            result.append(f"{type(widget).__name__} {widget.toolTip()[:40]} in {type(widget.parent()).__name__}")
    return result


def _litter(count: int) -> list[list[int]]:
    """What makes Python search for dead cycles, where it may."""
    return [[number] for number in range(count)]


class Desktop(WindowTest):
    def test_every_control_has_a_name_for_assistive_tools(self) -> None:
        for key in self.window.rail.buttons:
            self.do(key)
        self.do("monitor")
        self.assertEqual("\n".join(nameless(self.window)), "")
        for key, action in self.window.made.made.items():
            self.assertTrue(action.text() and action.statusTip(), key)
        present(self.window.monitor_window).close()

    def test_dead_cycles_are_taken_apart_on_the_interfaces_thread_alone(self) -> None:
        """Whatever other threads do meanwhile: a widget that dies in one of them takes the
        program along."""
        widget, found = QWidget(), []
        widget.__dict__["itself"] = widget
        weakref.finalize(widget, lambda: found.append(threading.current_thread()))
        del widget
        other = threading.Thread(target=_litter, args=(200_000,))
        other.start()
        other.join()
        self.assertEqual(found, [])
        self.addCleanup(gc.set_threshold, *gc.get_threshold())
        gc.set_threshold(1, 1, 1)  # all of it is due
        self.until(lambda: bool(found), 20_000)
        self.assertEqual(found, [threading.main_thread()])

    def test_a_sweep_is_drawn_and_saved_by_keys_alone(self) -> None:
        """Find the control, add its lane, type points, save: no mouse."""
        target = self.folder / "keys.zolvek"
        self.key(Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
        field = QApplication.focusWidget()
        self.assertIs(field, self.window.index.search)
        QTest.keyClicks(field, "noise level")
        self.key(Qt.Key.Key_Return, widget=field)
        self.key(Qt.Key.Key_Escape, widget=field)
        self.do("add-lane")
        lane = self.session.lane
        self.assertEqual(present(lane).parameter, "noise")
        self.lane.setFocus()
        self.key(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier, self.lane)
        before = self.curve()
        self.key(Qt.Key.Key_Up, widget=self.lane)
        self.assertNotEqual(self.curve(), before, "arrow keys move what is selected")
        with mock.patch.object(self.studio.files, "save_as", lambda: self.studio.files.save_to(target)):
            self.key(Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
        self.assertTrue(target.is_file())


class Entries(unittest.TestCase):
    def test_the_desktops_files_are_right_by_its_own_validators(self) -> None:
        """Desktop Entry, Shared MIME Info, AppStream: those validators that are installed, and the
        rules that matter here in any case."""
        with tempfile.TemporaryDirectory() as name:
            done = desktop_entry.install(name, zolvek)
            self.assertEqual(len(done), 8)
            for shell, (_, where) in shell_help.SHELLS.items():
                script = Path(name, where).read_text()
                self.assertIn("_ZOLVEK_COMPLETE", script, shell)
                if shutil.which(shell):
                    read = subprocess.run([shell, "-n", str(Path(name, where))], capture_output=True, check=False)
                    self.assertEqual(read.returncode, 0, shell)
            page = Path(name, shell_help.MANUAL).read_text()
            for known in ("render", "collect", "play", "curve"):
                self.assertIn(f".B {known} ", page)
            self.assertEqual([line for line in page.splitlines() if line.startswith("'")], [])
            words = {"COMP_WORDS": "zolvek col", "COMP_CWORD": "1", "_ZOLVEK_COMPLETE": "bash_complete"}
            asked = subprocess.run(
                [sys.executable, "-m", "zolvek"], capture_output=True, text=True, check=False,
                env={**os.environ, **words, "PYTHONPATH": os.pathsep.join(sys.path)},
            )  # fmt: skip
            self.assertEqual(asked.stdout.split(), ["plain,collect"])
            entry = Path(name, "applications", f"{desktop_entry.ID}.desktop")
            parsed = configparser.ConfigParser(interpolation=None)
            parsed.optionxform = str  # type: ignore[assignment]  # keys as they are written
            parsed.read(entry)
            keys = parsed["Desktop Entry"]
            self.assertEqual((keys["Type"], keys["Icon"]), ("Application", desktop_entry.ID))
            self.assertTrue(keys["Exec"].endswith("open %f"))
            self.assertTrue(shutil.which(keys["TryExec"]), "what it starts is there")
            kind = xml.parse(Path(name, "mime", "packages", f"{desktop_entry.ID}.xml")).getroot()[0]
            self.assertEqual(f"{kind.get('type')};", keys["MimeType"])
            metainfo = Path(name, "metainfo", f"{desktop_entry.ID}.metainfo.xml")
            self.assertEqual(xml.parse(metainfo).getroot().findtext("id"), desktop_entry.ID)
            for command in (
                ["desktop-file-validate", str(entry)],
                ["appstreamcli", "validate", "--no-net", str(metainfo)],
            ):
                if shutil.which(command[0]):
                    checked = subprocess.run(command, capture_output=True, text=True, check=False)
                    self.assertEqual(checked.returncode, 0, checked.stdout + checked.stderr)
            self.assertEqual(len(desktop_entry.remove(name)), 8)
            self.assertFalse(entry.exists())

    def test_a_picture_is_drawn_without_a_window(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            project, picture = Path(name, "demo.zolvek"), Path(name, "lanes.png")
            project_file.save(build(), project)
            env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "QT_QPA_PLATFORM")}
            words = ["picture", str(project), "-o", str(picture), "--lane", "horn.cutoff"]
            subprocess.run([sys.executable, "-m", "zolvek", *words], env=env, capture_output=True, check=True)
            image = QImage(str(picture))
            self.assertEqual(image.width(), 1_920)
            inks = {image.pixelColor(x, 200).name() for x in range(200, 1_900)}
            self.assertGreater(len(inks), 3, "paper, bar lines and the curve")

    def test_it_comes_up_at_twice_the_scale(self) -> None:
        code = (
            "from zolvek.studio.app.application import start; a, w = start(None); w.complete(); a.processEvents(); "
            "print(w.grab().devicePixelRatio(), w.minimumSizeHint().width())"
        )
        for scale in ("1.25", "2"):
            env = {**os.environ, "QT_SCALE_FACTOR": scale, "QT_QPA_PLATFORM": "offscreen"}
            said = subprocess.run(
                [sys.executable, "-c", code], env=env, capture_output=True, text=True, check=True
            ).stdout.split()
            self.assertEqual(float(said[0]), float(scale))
            self.assertLessEqual(int(said[1]), 1280, "the window fits as before")


if __name__ == "__main__":
    unittest.main()
