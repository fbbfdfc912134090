# SPDX-License-Identifier: GPL-3.0-or-later
"""Faults of the program: in the middle of painting, and from outside; the window lives, work is kept."""

from __future__ import annotations

import ast
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

# Raises in the paint event of every widget class that has one, one after another, and says for each
# which messages came up; at the end the window still takes an edit.
PAINTING = """
import inspect, json, sys
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget
from zolvek.studio.app import application as starting
from zolvek.studio.app.faults import Faults
application, window = starting.start(None)
Faults(window).begin()
window.complete()
window.studio.player.ready()
reports = []
def shut():
    box = application.activeModalWidget()
    if isinstance(box, QMessageBox):
        reports.append(box.text())
        box.reject()
shutter = QTimer()
shutter.timeout.connect(shut)
shutter.start(5)
def pump(rounds=12):
    import time
    for _ in range(rounds):
        application.processEvents()
        time.sleep(0.005)
for row in ("devices", "draw", "shape", "patterns", "movement", "perform", "connect", "thin", "morph", "listen",
            "export"):
    window.action("step-" + row).trigger()
    pump(2)
window.monitor()
window.guide()
pump()
classes = sorted({type(w) for w in [window, *window.findChildren(QWidget)]
                  if "paintEvent" in type(w).__dict__ and type(w).__module__.startswith("zolvek")},
                 key=lambda c: c.__name__)
found = {}
for number, cls in enumerate(classes):
    own = cls.paintEvent
    def broken(self, event, name=cls.__name__):
        painter = QPainter(self)
        painter.save()
        raise RuntimeError("in " + name)
    # A place of its own: each of these is another fault.
    code = broken.__code__.replace(co_firstlineno=1000 * (number + 1))
    broken.__code__ = code
    cls.paintEvent = broken
    before = len(reports)
    for widget in window.findChildren(cls):
        widget.setMinimumSize(8, 8)
        widget.show()
        for _ in range(3):
            widget.repaint() if widget.isVisible() else widget.grab()
            pump(3)
    pump()
    cls.paintEvent = own
    found[cls.__name__] = reports[before:]
window.session.tools.choose("line")
edited = window.session.tools.tool == "line"
print(json.dumps({"found": found, "edited": edited}), flush=True)
import os
window.studio.player.close()
os._exit(0)
"""


def painters() -> set[str]:
    """The classes of the window that paint themselves, by its source."""
    result = set()
    for path in (Path(__file__).parents[2] / "src" / "zolvek" / "studio").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef) and any(
                isinstance(each, ast.FunctionDef) and each.name == "paintEvent" for each in node.body
            ):
                result.add(node.name)
    return result


def surroundings(folder: str) -> dict[str, str]:
    own = {f"XDG_{kind}_HOME": folder for kind in ("CONFIG", "DATA", "STATE", "CACHE")}
    return {**os.environ, **own, "QT_QPA_PLATFORM": "offscreen"}


class Painting(unittest.TestCase):
    def test_a_fault_in_any_paint_event_is_reported_once_and_the_window_lives(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            done = subprocess.run(
                [sys.executable, "-c", PAINTING], capture_output=True, text=True, check=False,
                env=surroundings(folder), timeout=240,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr[-3_000:])
            reports = json.loads(done.stdout.splitlines()[-1])
            self.assertTrue(reports["edited"])
            self.assertEqual(set(reports["found"]), painters())
            for name, messages in reports["found"].items():
                self.assertEqual(messages, [f"Something went wrong inside Zolvek: in {name}."], name)
            self.assertTrue(list(Path(folder).glob("**/reports/*.txt")))


class Interrupted(unittest.TestCase):
    def test_ctrl_c_in_the_terminal_closes_in_order_and_keeps_unsaved_work(self) -> None:
        """Through the program's own command, with an edit that is not saved."""
        code = """
import sys
from PyQt6.QtCore import QTimer
from zolvek.studio.app import window as windows
own = windows.Window.warm_up
def warm_up(self):
    own(self)
    self.action("add-track")
    from zolvek.core.records import replace
    self.session.document.edit("Name", replace(self.session.project, name="Unsaved"))
    print("ready", flush=True)
windows.Window.warm_up = warm_up
from zolvek.studio.app.application import run
sys.exit(run(None))
"""
        for sign in (signal.SIGINT, signal.SIGTERM):
            with tempfile.TemporaryDirectory() as folder:
                going = subprocess.Popen(
                    [sys.executable, "-c", code], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
                    env=surroundings(folder),
                )  # fmt: skip
                assert going.stdout is not None
                self.assertEqual(going.stdout.readline(), "ready\n")
                time.sleep(0.3)
                going.send_signal(sign)
                _, errors = going.communicate(timeout=20)
                self.assertEqual(going.returncode, 128 + sign, errors)
                self.assertNotIn("Traceback", errors)
                kept = list(Path(folder).glob("**/recovery/*.json"))
                self.assertEqual(len(kept), 1)
                self.assertIn('"Unsaved"', kept[0].read_text())


if __name__ == "__main__":
    unittest.main()
