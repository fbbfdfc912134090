# SPDX-License-Identifier: GPL-3.0-or-later
"""The start screen, shown without a file: recent projects, a new one, one from files, and the demo."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.curve.construction import curve
from zolvek.formats.project import templates
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.curve_painting import draw_curve
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.toolkit.widgets import field_label, heading, note

WIDTH, HEIGHT = 760, 480
ENTRY_HEIGHT_PX = 50  # pixels of a way to begin
MOST_RECENT, MOST_TEMPLATES = 6, 4
DRAWN = curve([(0.0, 0.08), (3.0, 0.12, "bend", -0.6), (9.0, 0.86), (9.0, 0.3, "waves", 3),
               (12.0, 0.55, "s-curve", 0.3), (16.0, 0.92)])  # fmt: skip


class StartChoice(QPushButton):
    """A way to begin: what it is called, and under it what it gives."""

    def __init__(self, text: str, about: str, pressed: Callable[[], object]) -> None:
        super().__init__()
        self.setAccessibleName(text)
        self.setAccessibleDescription(about)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(ENTRY_HEIGHT_PX)
        self.setStyleSheet(f"QPushButton {{ padding: 0; min-height: {ENTRY_HEIGHT_PX - 2}px; }}")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 6, 12, 6)
        layout.setSpacing(0)
        name, description = QLabel(text), QLabel(about)
        name.setFont(themes.font(10.5, themes.QFont.Weight.DemiBold))
        description.setProperty("role", "quiet")
        for label in (name, description):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            layout.addWidget(label)
        description.setMinimumWidth(1)
        self.clicked.connect(lambda _: pressed())


class BeginningSheet(QWidget):
    """Lies over everything in the window until something is chosen, another project is opened, or Esc is
    pressed."""

    left = pyqtSignal()

    def __init__(self, studio: Studio, over: QWidget) -> None:
        super().__init__(over)
        self.studio = studio
        self.setAccessibleName("Start screen")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.card = QFrame(self)
        self.card.setProperty("beginning", True)
        outer = QVBoxLayout(self.card)
        outer.setContentsMargins(32, 24, 32, 20)
        outer.setSpacing(14)
        title = QLabel("What do you want to automate?")
        title.setFont(themes.font(17, themes.QFont.Weight.Medium))
        outer.addWidget(title)
        line = QHBoxLayout()
        line.setSpacing(28)
        self.recent, self.ways = QVBoxLayout(), QVBoxLayout()
        for column in (self.recent, self.ways):
            column.setSpacing(7)
            line.addLayout(column, 1)
        outer.addLayout(line, 1)
        outer.addWidget(
            note(
                "Or drop audio files, MIDI files, a project or device descriptions anywhere here. Each becomes a track "
                "that starts at bar 1."
            )
        )
        self.opened = studio.session.document.opened
        studio.session.document.changed.connect(self._follow)
        over.installEventFilter(self)
        self.hide()

    def come(self) -> None:
        """Show the start screen."""
        self._fill()
        self.opened = self.studio.session.document.opened
        self._lie()
        self.show()
        self.raise_()
        first = self.card.findChild(QPushButton)
        (first or self).setFocus(Qt.FocusReason.OtherFocusReason)

    def _fill(self) -> None:
        for column in (self.recent, self.ways):
            while column.count():
                item = column.takeAt(0)
                widget = item.widget() if item is not None else None
                if widget is not None:
                    widget.setParent(None)
                    widget.deleteLater()
        files = self.studio.files
        self.recent.addWidget(heading("Recent"))
        names = self.studio.session.settings.files.recent[:MOST_RECENT]
        for name in names:
            path = Path(name)
            self.recent.addWidget(StartChoice(path.stem, _about(path), partial(files.open_path, path)))
        if not names:
            self.recent.addWidget(note("Nothing yet. Projects that you save appear here."))
        self.recent.addStretch(1)
        self.ways.addWidget(heading("Start"))
        rows = (
            ("New", "120 BPM, 4/4, 32 bars, a synth and an audio track", files.new),
            (
                "From files…",
                "Makes a track of each audio file, MIDI file or device",
                files.from_files,
            ),
            ("Open…", "A project, or a collected .zip", files.open),
            ("The demo", "Night Regatta, a song that uses everything", files.open_demo),
        )
        for text, about, pressed in rows:
            self.ways.addWidget(StartChoice(text, about, pressed))
        kept = templates.names()[:MOST_TEMPLATES]
        if kept:
            self.ways.addWidget(field_label("From a template"))
            for name in kept:
                button = QPushButton(name)
                button.clicked.connect(partial(self._begin_from, name))
                self.ways.addWidget(button)
        self.ways.addStretch(1)

    def _begin_from(self, name: str) -> None:
        self.studio.session.notices.run_guarded(lambda: self.studio.files.begin_from(name))

    def _follow(self) -> None:
        """Something has been opened: the sheet goes."""
        if self.studio.session.document.opened is not self.opened:
            self.leave()

    def leave(self) -> None:
        """Hide the start screen."""
        if self.isVisible():
            self.hide()
            self.left.emit()

    def _lie(self) -> None:
        over = self.parentWidget()
        assert over is not None
        self.setGeometry(over.rect())
        width, height = min(WIDTH, self.width() - 24), min(HEIGHT, self.height() - 24)
        self.card.setGeometry((self.width() - width) // 2, (self.height() - height) // 2, width, height)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize and self.isVisible():
            self._lie()
        return False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The desk, with the lines of a sheet of our own on it: one rises and arrives."""
        painter = QPainter(self)
        theme = themes.THEMES[self.studio.session.settings.window.theme]
        painter.fillRect(self.rect(), themes.color(theme.desk))
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        for x in range(0, self.width(), 48):
            painter.drawLine(x, 0, x, self.height())
        for y in range(0, self.height(), 48):
            painter.drawLine(0, y, self.width(), y)
        view = Viewport(16.0)
        view.set_width(self.width() - 64)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_curve(painter, DRAWN, view, QRectF(0, 30, self.width(), self.height() - 60), theme.curve, 2.0)


def _about(path: Path) -> str:
    """Where a project is, and when it was changed."""
    try:
        when = time.strftime("%d %B %Y, %H:%M", time.localtime(path.stat().st_mtime)).lstrip("0")
    except OSError:
        return f"File not found: {path.parent}"
    home = str(Path.home()) if Path.home() != Path("/") else "~none~"
    return f"{when} · {str(path.parent).replace(home, '~')}"
