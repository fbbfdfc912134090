# SPDX-License-Identifier: GPL-3.0-or-later
"""The sound behind the focus lane: asked for in the background, kept until the sound changes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from zolvek.core.model.project import Lane, Project, Track
from zolvek.core.same import Same
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.outline import polygon
from zolvek.studio.toolkit.theme import Theme, color
from zolvek.studio.toolkit.viewport import Viewport

if TYPE_CHECKING:
    from zolvek.sound.analysis.backdrop import Backdrop

BACKDROP_JOB = "zolvek.sound.analysis.backdrop:job"
LATER_MS = 700  # after the last change, so that a drag is not interrupted by it
DARKEST = 0.34  # opacity of the loudest shade
LOWEST, HIGHEST = 20.0, 20_000.0  # Hz of a spectrogram's bottom and top row


class Backdrops(QObject):
    """Pictures of tracks' sounds. `begin` starts the asking: the first picture of the window
    does not wait for it."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.background = Background(self)
        self.background.done.connect(self._take)
        self.background.failed.connect(lambda _: self._forget())
        self.later = QTimer(self)
        self.later.setSingleShot(True)
        self.later.setInterval(LATER_MS)
        self.later.timeout.connect(self._ask)
        self.kept: dict[tuple[str, str], tuple[object, Backdrop]] = {}
        self.asked: tuple[tuple[str, str], object] | None = None
        self.begun = False
        self.opened = session.document.opened  # whose sounds these are
        session.document.changed.connect(self._follow)

    def _follow(self) -> None:
        """Another project's tracks may have the same names."""
        if self.opened is not self.session.document.opened:
            self.opened = self.session.document.opened
            self.kept.clear()
            self.asked = None
            self.background.cancel()
            self.changed.emit()

    def begin(self) -> None:
        """Ask for pictures from now on."""
        if not self.begun:
            self.begun = True
            self.session.document.changed.connect(self.later.start)
            self.session.focus.changed.connect(self.later.start)
            self.later.start()

    def set_kind(self, kind: str) -> None:
        """Use another kind of backdrop."""
        self.session.settings.window.backdrop = kind
        if self.begun:
            self.later.start()
        self.changed.emit()

    def shown(self) -> Backdrop | None:
        """What is known of the focus lane's track, even if its sound has changed since."""
        session = self.session
        if session.focus.id is None or session.settings.window.backdrop == "off":
            return None
        track = session.project.track_of(session.focus.id)
        cached = self.kept.get((track.id, session.settings.window.backdrop))
        return cached[1] if cached and cached[1].length == session.project.length else None

    def _state(self, project: Project, track: Track) -> object:
        """What the track's sound depends on."""
        sources = list(project.tracks) if track.takes_sends else [track]
        return (*(Same(source) for source in sources), project.tempo, project.length)

    def _ask(self) -> None:
        session = self.session
        kind = session.settings.window.backdrop
        if session.focus.id is None or kind == "off":
            return
        if session.document.history.gesture is not None:
            self.later.start()
            return
        project = session.project
        track = project.track_of(session.focus.id)
        key, state = (track.id, kind), self._state(project, track)
        cached = self.kept.get(key)
        if (cached and cached[0] == state) or self.asked == (key, state):
            return
        self.asked = (key, state)
        self.background.start(BACKDROP_JOB, project, track.id, kind)

    def _take(self, made: Backdrop) -> None:
        if self.asked:
            key, state = self.asked
            self.kept[key] = (state, made)
            self.asked = None
            self.changed.emit()
        self._ask()

    def _forget(self) -> None:
        self.asked = None

    def close(self) -> None:
        """End the work."""
        self.later.stop()
        self.background.close()


def draw_backdrop(
    painter: QPainter,
    backdrop: Backdrop,
    lane: Lane,
    hertz: tuple[float, float] | None,
    view: Viewport,
    plot: QRectF,
    theme: Theme,
) -> None:
    """The part of the picture that is in view. `hertz`: the frequencies of the lane's bottom and
    top, where it has such; the spectrogram then has the lane's own scale."""
    painter.save()
    painter.setClipRect(plot)
    if backdrop.kind == "waveform":
        _draw_waveform(painter, backdrop, view, plot, theme)
    else:
        _draw_spectrogram(painter, backdrop, hertz, view, plot, theme)
    painter.restore()


def _draw_waveform(painter: QPainter, backdrop: Backdrop, view: Viewport, plot: QRectF, theme: Theme) -> None:
    columns = backdrop.picture.shape[1]
    edges = (view.first + np.arange(view.width + 1) * view.beats / view.width) / backdrop.length
    starts = np.clip((edges * columns).astype(np.intp), 0, columns - 1)
    low = np.minimum.reduceat(backdrop.picture[0], starts)[:-1]
    high = np.maximum.reduceat(backdrop.picture[1], starts)[:-1]
    most = max(float(np.abs(backdrop.picture).max()), 1e-3)
    x = plot.left() + np.arange(view.width) + 0.5
    middle, half = plot.center().y(), 0.46 * plot.height() / most
    painter.setPen(color(theme.ink, 0.0))
    painter.setBrush(color(theme.ink, 0.13))
    outline = polygon(
        np.concatenate((x, x[::-1])),
        np.concatenate((middle - half * high, (middle - half * low)[::-1])),
    )
    painter.drawPolygon(outline)


def _draw_spectrogram(
    painter: QPainter,
    backdrop: Backdrop,
    hertz: tuple[float, float] | None,
    view: Viewport,
    plot: QRectF,
    theme: Theme,
) -> None:
    rows, columns = backdrop.picture.shape
    shades = np.ascontiguousarray(backdrop.picture)
    image = QImage(shades.tobytes(), columns, rows, columns, QImage.Format.Format_Indexed8)
    ink = color(theme.ink)
    image.setColorTable(
        [
            (int(255 * DARKEST * (i / 255.0) ** 1.4) << 24) | (ink.red() << 16) | (ink.green() << 8) | ink.blue()
            for i in range(256)
        ]
    )
    octaves = np.log2(HIGHEST / LOWEST)
    low, high = hertz or (LOWEST, HIGHEST)
    top, bottom = (float(rows * (1.0 - np.log2(f / LOWEST) / octaves)) for f in (high, low))
    left = view.first / backdrop.length * columns
    right = view.last / backdrop.length * columns
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    area = plot
    if top > bottom:  # the lane's reach is turned over
        painter.translate(0, plot.top() + plot.bottom())
        painter.scale(1.0, -1.0)
        top, bottom = bottom, top
        area = QRectF(QPointF(plot.left(), plot.top()), plot.size())
    painter.drawImage(area, image, QRectF(left, top, right - left, bottom - top))
