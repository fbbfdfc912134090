# SPDX-License-Identifier: GPL-3.0-or-later
"""Drives a real window, offscreen, with real mouse and key events."""

from __future__ import annotations

import gc
import os
import sys
import tempfile
import traceback
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

from zolvek.core.curve.curve import Curve
from zolvek.core.model.project import Project

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="zolvek-test-")
os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"]
os.environ["XDG_STATE_HOME"] = os.environ["XDG_CONFIG_HOME"]

from PyQt6.QtCore import QPoint, QPointF, Qt, qInstallMessageHandler

from benchmarks.answers import Answers
from tests.studio.qtest import QTest
from zolvek.core.errors import ZolvekError
from zolvek.demo.night_regatta import build
from zolvek.studio.app.application import application, make_window
from zolvek.studio.session.settings import Settings

LEFT, NO_KEY = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
HARMLESS = (
    "propagateSizeHints",
    "XDG_RUNTIME_DIR",
    "PulseAudio",
    "FFmpeg",
    "pulse",
    "ALSA",
    "pipewire",
    "does not support raise()",
    "grabbing the keyboard",
)
qt_complaints: list[str] = []
kept: list[object] = []  # the application, from test to test
faults: list[str] = []  # exceptions in what Qt called


def _heard(kind: Any, context: Any, text: Any) -> None:
    if not any(word.lower() in text.lower() for word in HARMLESS):
        qt_complaints.append(text)


def _raised(kind: Any, error: Any, trace: Any) -> None:
    faults.append("".join(traceback.format_exception(kind, error, trace)))


class WindowTest(unittest.TestCase):
    """A window on the demo; errors that it would show, in a box or at its foot, are collected in `errors`."""

    def setUp(self) -> None:
        self.app = application()
        kept[:] = [self.app]  # else it would go with this test, and all widgets with it
        self.addCleanup(self._release)
        qInstallMessageHandler(_heard)
        qt_complaints.clear()
        faults.clear()
        self.addCleanup(setattr, sys, "excepthook", sys.excepthook)
        sys.excepthook = _raised
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.errors: list[ZolvekError] = []
        self.ask = Answers()
        self.window = make_window(build(), Settings(), ask=self.ask)
        self.window.__dict__["show_error"] = self.errors.append
        self.window.session.notices.notifier.listeners[:] = [self.errors.append]
        self.window.session.notices.refused.connect(self.errors.append)
        self.window.show()
        self.window.complete()
        self.studio, self.session = self.window.studio, self.window.session
        self.view = self.studio.view
        self.lane = self.window.focus_lane
        QTest.mouseMove(self.window, QPoint(1, 1))  # no key of an earlier test counts as held
        self.wait()

    def tearDown(self) -> None:
        self.ask.when_unsaved = "discard"
        self.assertTrue(self.window.close())
        self.window.deleteLater()
        self.wait()
        self.assertFalse(faults, "".join(faults))
        self.assertEqual(qt_complaints, [], "Qt complained")

    def _release(self) -> None:
        """Of the window nothing may be held: PyQt, which is not notified when Qt destroys parts of its
        own, would take new ones in their place for the old."""
        app = self.app
        for name in [name for name in vars(self) if not name.startswith("_")]:
            delattr(self, name)
        gc.collect()
        app.sendPostedEvents(None, 52)
        gc.collect()

    def wait(self, ms: int = 0) -> None:
        if ms:
            QTest.qWait(ms)
        self.app.processEvents()
        self.app.sendPostedEvents(None, 52)  # deferred deletes
        self.app.processEvents()

    def until(self, test: Callable[[], object], ms: int = 90_000) -> None:
        """Wait for what happens in the background."""
        for _ in range(ms // 10):
            if test():
                return
            self.wait(10)
        self.fail("it did not come to that")

    def spot(self, beat: float, value: float) -> QPoint:
        """Where a curve point of the focus lane is."""
        return self.lane.plot.point(beat, value).toPoint()

    def drag_on(self, widget: Any, start: QPoint, end: QPoint, keys: Any = NO_KEY, steps: int = 8) -> None:
        """Press, move in steps, release."""
        QTest.mouseMove(widget, start)
        QTest.mousePress(widget, LEFT, keys, start)
        for i in range(1, steps + 1):
            at = QPointF(start) + (QPointF(end) - QPointF(start)) * (i / steps)
            self.move_held(widget, at, keys)
        QTest.mouseRelease(widget, LEFT, keys, end)
        self.wait()

    def move_held(self, widget: Any, at: QPointF, keys: Any = NO_KEY) -> None:
        """A move with the button down, which QTest.mouseMove does not say."""
        from PyQt6.QtCore import QEvent
        from PyQt6.QtGui import QMouseEvent

        event = QMouseEvent(
            QEvent.Type.MouseMove,
            at,
            QPointF(widget.mapToGlobal(at)),
            Qt.MouseButton.NoButton,
            LEFT,
            keys,
        )
        self.app.sendEvent(widget, event)

    def drag(self, start: tuple[float, float], end: tuple[float, float], keys: Any = NO_KEY) -> None:
        """Drag on the focus lane between places given as beat and value."""
        self.drag_on(self.lane, self.spot(*start), self.spot(*end), keys)

    def click(self, beat: float, value: float, keys: Any = NO_KEY) -> None:
        QTest.mouseMove(self.lane, self.spot(beat, value))
        QTest.mouseClick(self.lane, LEFT, keys, self.spot(beat, value))
        self.wait()

    def key(self, key: Any, keys: Any = NO_KEY, widget: Any = None) -> None:
        QTest.keyClick(self.window if widget is None else widget, key, keys)
        self.wait()

    def show(self, project: Project, path: Any = None) -> None:
        """Another project in the window."""
        self.studio.player.stop()
        self.session.open(project, path)

    def do(self, action: str, lane: str | None = None) -> None:
        """A command, on another lane if one is named."""
        if lane is not None:
            self.session.focus.on(lane)
        self.window.action(action).trigger()
        self.wait()

    def curve(self) -> Curve:
        target = self.session.target
        assert target is not None
        return target.curve

    def field(self, name: str) -> Any:
        """A named entry, menu or spin box of the window."""
        from PyQt6.QtWidgets import QWidget

        return next(w for w in self.window.findChildren(QWidget) if w.accessibleName() == name)

    def type_in(self, name: str, text: str) -> None:
        entry = self.field(name)
        entry.setFocus()
        entry.selectAll()
        QTest.keyClicks(entry, text)
        QTest.keyClick(entry, Qt.Key.Key_Return)
        self.wait()
