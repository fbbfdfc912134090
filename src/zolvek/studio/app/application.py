# SPDX-License-Identifier: GPL-3.0-or-later
"""Starts the application: fonts, theme, window."""

from __future__ import annotations

import os
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLoggingCategory, Qt, QTimer, QtMsgType, qInstallMessageHandler
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from zolvek.core.model.project import Project
from zolvek.storage.shipped_files import ASSETS
from zolvek.storage.sweeping import sweep
from zolvek.studio.app import garbage_collection
from zolvek.studio.app.faults import Faults
from zolvek.studio.app.interruption import Interruption
from zolvek.studio.services.tasks import thread_work
from zolvek.studio.session import settings as stored
from zolvek.studio.session.asking import Ask
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.text_size import SMALLEST, use_text_size

if TYPE_CHECKING:
    from zolvek.studio.app.window import Window

ID = "org.zolvek.Zolvek"  # of the desktop entry and its icon
FIRST_PICTURE_MS = 20  # what waits for it
SETTLED_MS = 1_500  # after which nothing more is loaded for the first picture's sake


def application(theme: str = "vellum", text_percent: int = SMALLEST) -> QApplication:
    """The Qt application with fonts and theme, made once."""
    existing = QApplication.instance()
    # The style is an argument, as setting it later would make the usual one for nothing first.
    words = ["zolvek", "-style", "Fusion"]
    if isinstance(existing, QApplication):
        app = existing
    else:
        app = QApplication(words)
        garbage_collection.keep_to_this_thread(app)
    # What the media libraries lack (video, mostly) is no concern of a producer's terminal.
    QLoggingCategory.setFilterRules("qt.multimedia.*=false")
    app.setApplicationName("zolvek")
    app.setApplicationDisplayName("Zolvek")
    app.setDesktopFileName(ID)
    themes.load_fonts()
    use_text_size(text_percent)
    chosen = themes.THEMES.get(theme, themes.THEMES["vellum"])
    app.setPalette(themes.palette(chosen))
    app.setStyleSheet(themes.style_sheet(chosen))
    return app


def follow_desktop(app: QApplication, settings: stored.Settings) -> bool:
    """Take the desktop's light or dark preference, where it says one and it is to be followed. Returns whether the
    theme is another one now."""
    hints = app.styleHints()
    themes_of = {Qt.ColorScheme.Dark: "lamp", Qt.ColorScheme.Light: "vellum"}
    wanted = themes_of.get(hints.colorScheme()) if hints is not None and settings.window.follow_desktop else None
    if wanted is None or wanted == settings.window.theme:
        return False
    settings.window.theme = wanted
    return True


def desktop_icon() -> QIcon:
    """The program's icon as the desktop's theme has it, else its own."""
    return QIcon.fromTheme(ID, QIcon(str(ASSETS / "desktop" / f"{ID}.svg")))


def first_project(path: Path | None) -> Project:
    """The project that a start opens: of a file, or an empty one."""
    if path is None:
        from zolvek.core.edits.new_project import fresh

        return fresh()
    from zolvek.formats.project import project_file

    return project_file.load(path)


def make_window(
    project: Project, settings: stored.Settings, path: Path | None = None, ask: Ask | None = None
) -> Window:
    """A window on a project, with all that works for it; `ask` stands in for its questions."""
    from zolvek.studio.app.question_dialogs import WindowAsks
    from zolvek.studio.app.window import Window
    from zolvek.studio.services.context import Studio

    asks = ask or WindowAsks()
    window = Window(Studio(project, settings, asks, path))
    asks.over = window
    return window


def start(path: Path | None, demo: bool = False) -> tuple[QApplication, Window]:
    """The application and its shown window: on a project, on the demo, or on the sheet that asks."""
    settings = stored.load()
    if settings.window.theme not in themes.THEMES:
        settings.window.theme = "vellum"
    app = application(settings.window.theme, settings.window.text_percent)
    if follow_desktop(app, settings):
        themes.put_on(themes.THEMES[settings.window.theme])
    if path is not None:
        settings.add_recent(path)
    if demo:
        from zolvek.demo.night_regatta import build
    window = make_window(build() if demo else first_project(path), settings, path)

    def follow(_: object) -> None:
        if follow_desktop(app, settings):
            window.session.look.changed.emit()

    hints = app.styleHints()
    if hints is not None:
        hints.colorSchemeChanged.connect(follow)
    window.show()
    if path is None and not demo:
        window.beginning()
    return app, window


def keep_toolkit_quiet() -> None:
    """What the toolkit and its plugins say of displays and sound servers is of no use in a producer's terminal; what
    ends the program is still said. ZOLVEK_VERBOSE=1 shows all of it."""
    if os.environ.get("ZOLVEK_VERBOSE"):
        return

    def say(kind: QtMsgType, _: object, text: str | None) -> None:
        if kind in (QtMsgType.QtCriticalMsg, QtMsgType.QtFatalMsg):
            print(f"zolvek: {text}", file=sys.stderr)

    qInstallMessageHandler(say)


def run(path: Path | None, demo: bool = False) -> int:
    """Open the window on a project, on the demo, or on the sheet that asks; returns the exit status."""
    keep_toolkit_quiet()
    app, window = start(path, demo)
    Faults(window).begin()
    Interruption(app, window)
    QTimer.singleShot(FIRST_PICTURE_MS, window.warm_up)
    QTimer.singleShot(SETTLED_MS, lambda: app.setWindowIcon(desktop_icon()))
    QTimer.singleShot(SETTLED_MS, garbage_collection.set_aside)
    QTimer.singleShot(SETTLED_MS, lambda: threading.Thread(target=sweep, daemon=True).start())
    status = app.exec()
    if any(thread.isRunning() for thread in thread_work.ABANDONED):
        sys.stdout.flush()
        os._exit(status)  # they would hold the end up, and nothing of them is wanted
    return status
