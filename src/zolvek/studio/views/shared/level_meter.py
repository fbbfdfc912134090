# SPDX-License-Identifier: GPL-3.0-or-later
"""Level meters: what is heard now, and the highest level of the last moments."""

from __future__ import annotations

import math
import time

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes

FLOOR_DB = -60.0
FALL_DB = 26.0  # a second, after a peak
HOLD_SECONDS = 1.5
OVER = 0.999  # full scale, as samples say it
NARROWEST_PX, WIDEST_PX, TEXT_PX = 76, 132, 46  # of the whole, and of the level in words next to it


def height(peak: float) -> float:
    """0..1 of a meter's length for a highest sample, in dB from the floor."""
    if peak <= 0.0:
        return 0.0
    return min(max(1.0 - 20.0 * math.log10(peak) / FLOOR_DB, 0.0), 1.0)


class Ballistics:
    """A level that rises at once and falls slowly, with its peak held a while."""

    def __init__(self) -> None:
        self.level = self.held = 0.0
        self.held_at = self.seen_at = time.monotonic()

    def hear(self, peak: float) -> None:
        """Take in a level."""
        now = time.monotonic()
        fallen = FALL_DB * (now - self.seen_at)
        self.seen_at = now
        self.level = max(peak, self.level * 10.0 ** (-fallen / 20.0))
        if self.level < 1e-4:
            self.level = 0.0
        if peak >= self.held or now - self.held_at > HOLD_SECONDS:
            self.held, self.held_at = peak, now


class Meter(QWidget):
    """Left and right of the mix. A press forgets that it was over full scale."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sides = (Ballistics(), Ballistics())
        self.over = False
        self.setFixedHeight(24)
        self.setMinimumWidth(NARROWEST_PX)
        self.setMaximumWidth(WIDEST_PX)
        self.setAccessibleName("Level of the mix")
        self.setToolTip("Level of the mix, −60 dB to full scale, with peak hold. Click to reset.")
        session.look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(WIDEST_PX, 24)

    def hear(self, peaks: tuple[float, float]) -> None:
        """Show levels."""
        for side, peak in zip(self.sides, peaks, strict=True):
            side.hear(peak)
        self.over = self.over or max(peaks) >= OVER
        self.update()

    @property
    def quiet(self) -> bool:
        """Show silence."""
        return all(side.level == 0.0 and side.held == 0.0 for side in self.sides)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.over = False
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        width = float(self.width() - TEXT_PX)
        for row, side in enumerate(self.sides):
            area = QRectF(0, 5 + 8 * row, width, 6)
            painter.fillRect(area, themes.color(theme.hairline))
            level = QRectF(area.left(), area.top(), width * height(side.level), area.height())
            painter.fillRect(level, themes.color(theme.curve))
            if side.held > 0.0:
                at = width * height(side.held)
                painter.fillRect(
                    QRectF(max(at - 2.0, 0.0), area.top(), 2.0, area.height()),
                    themes.color(theme.ink),
                )
        if self.over:
            painter.fillRect(QRectF(width + 2, 5, 4, 14), themes.color(theme.selection))
        held = max(side.held for side in self.sides)
        text = f"{20 * math.log10(held):.0f} dB".replace("-", "−") if held > 1e-3 else "−∞ dB"
        painter.setPen(themes.color(theme.selection if self.over else theme.quiet))
        painter.setFont(themes.font(9.5))
        painter.drawText(
            QRectF(width + 8, 0, self.width() - width - 8, 24),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            text,
        )
