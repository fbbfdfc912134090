# SPDX-License-Identifier: GPL-3.0-or-later
"""How rows of the index are drawn: marks of what is automated, mute and solo, levels."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from zolvek.core.edits.lanes import is_linked
from zolvek.core.model.project import Lane, Project
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.curve_painting import diamond
from zolvek.studio.views.index.index_tree import TRACK
from zolvek.studio.views.shared.level_meter import height

Levels = Callable[[], dict[str, float]]
MARK = Qt.ItemDataRole.UserRole + 1  # "on", "bypassed", "hidden" or ""
STATES = Qt.ItemDataRole.UserRole + 5  # what else is so of a lane: a tuple of "locked" and "linked"
INK = Qt.ItemDataRole.UserRole + 4  # the number of a lane's colour
LETTERS = (("M", 50), ("S", 32))  # mute and solo, so many pixels from the right


def mark_of(lane: Lane | None) -> str:
    """The mark of a parameter: how it is automated."""
    if lane is None:
        return ""
    return "bypassed" if lane.bypassed else "hidden" if lane.hidden else "on"


def _padlock(painter: QPainter, at: QPointF, ink: QColor) -> None:
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(ink, 1.3))
    painter.drawArc(QRectF(at.x() - 2.5, at.y() - 5.0, 5.0, 6.5), 0, 180 * 16)
    painter.fillRect(QRectF(at.x() - 4.0, at.y() - 1.5, 8.0, 5.5), ink)
    painter.restore()


def _rings(painter: QPainter, at: QPointF, ink: QColor) -> None:
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(ink, 1.3))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for side in (-1.8, 1.8):
        painter.drawEllipse(at + QPointF(side, 0.0), 2.8, 2.8)
    painter.restore()


GLYPHS = {"locked": _padlock, "linked": _rings}


def states_of(project: Project, lane: Lane | None) -> tuple[str, ...]:
    """What else is to be seen of a lane."""
    if lane is None:
        return ()
    return (*(["locked"] if lane.locked else []), *(["linked"] if is_linked(project, lane.id) else []))


class Marks(QStyledItemDelegate):
    """Draws a diamond at the right of what is automated: filled, hollow when bypassed,
    dotted when hidden. Shape says it, not colour alone."""

    def __init__(self, session: Session, levels: Levels, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.levels = session, levels

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Paint a row with its mark."""
        assert painter is not None
        super().paint(painter, option, index)
        mark, track = index.data(MARK), index.data(TRACK)
        states = index.data(STATES) or ()
        theme = themes.THEMES[self.session.settings.window.theme]
        at = QRectF(option.rect)
        if track:
            self._letters(painter, theme, at, track)
        if not mark:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = painter.pen()
        inks = themes.LANE_INKS[theme.key]
        ink = themes.color(inks[(index.data(INK) or 0) % len(inks)])
        pen.setColor(ink)
        pen.setWidthF(1.4)
        if mark == "hidden":
            pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.setBrush(ink if mark == "on" else themes.color(theme.sheet))
        painter.drawPolygon(diamond(at.right() - 11, at.center().y(), 4.0))
        painter.restore()
        for place, state in enumerate(states):
            GLYPHS[state](painter, QPointF(at.right() - 26 - 14 * place, at.center().y()), themes.color(theme.quiet))

    def _letters(self, painter: QPainter, theme: themes.Theme, at: QRectF, track: str) -> None:
        """M and S, framed when they are on, and how loud the track is as a line below."""
        project = self.session.project
        muted = next((t.muted for t in project.tracks if t.id == track), False)
        on = {"M": muted, "S": track in self.session.audition.listening.solo}
        painter.save()
        painter.setFont(themes.font(9.5, themes.QFont.Weight.DemiBold))
        for letter, away in LETTERS:
            area = QRectF(at.right() - away - 8, at.center().y() - 7, 16, 14)
            if on[letter]:
                painter.fillRect(area, themes.color(theme.selection if letter == "M" else theme.curve))
            painter.setPen(themes.color(theme.sheet if on[letter] else theme.quiet))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, letter)
        level = height(self.levels().get(track, 0.0))
        if level > 0.0:
            line = QRectF(at.left(), at.bottom() - 2, (at.width() - 4) * level, 2)
            painter.fillRect(line, themes.color(theme.curve))
        painter.restore()
