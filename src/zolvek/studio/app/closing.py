# SPDX-License-Identifier: GPL-3.0-or-later
"""What is asked and remembered when the window closes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QMainWindow

from zolvek.studio.services.context import Studio
from zolvek.studio.session.settings import WindowSettings

WAIT, STOP = "Wait, then quit", "Stop and quit"


def may_stop_work(studio: Studio, close: Callable[[], object]) -> bool:
    """Ask about an export or import that is running: wait for it and then `close`, stop it, or stay."""
    work = studio.exports.working
    if work is None:
        return True
    answer = studio.ask.pick("An export or import is still running.", "", (WAIT, STOP, "Cancel"))
    going = studio.exports.working is work
    if answer == WAIT and going:
        work.finished.connect(lambda: QTimer.singleShot(0, close))
    return answer == STOP or not going


def remember(window: QMainWindow, panel: str, settings: WindowSettings) -> None:
    """How the window is when it closes."""
    settings.maximised = window.isMaximized()
    if not window.isMaximized() and not window.isFullScreen():
        settings.width, settings.height = window.width(), window.height()
    settings.panel = panel
