# SPDX-License-Identifier: GPL-3.0-or-later
"""Takes as rows under the focus lane, on its time axis: drag across one to choose from it."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QGroupBox, QScrollArea

from zolvek.core.model.take import Take
from zolvek.studio.commands.takes import choose
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import curve_painting
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.shared.description import Description
from zolvek.studio.views.shared.spoken_texts import described_takes
from zolvek.studio.views.timeline.drag import Drag, Dragging, Pointer, keys_of, snapped
from zolvek.studio.views.timeline.focus_lane import SCALE

ROW, MOST_ROWS = 34, 4
HINT = "Drag across a take to use that span for the lane · click to select the take"


class ChoiceDrag(Drag):
    """A span of a take that is chosen."""

    def __init__(self, session: Session, take: Take, beat: float) -> None:
        self.session, self.take, self.first, self.last = session, take, beat, beat

    @property
    def span(self) -> tuple[float, float]:
        """From the earlier beat to the later one."""
        return min(self.first, self.last), max(self.first, self.last)

    def update(self, pointer: Pointer) -> None:
        """Up to the pointer."""
        self.last = snapped(self.session, pointer.beat, pointer.keys)

    def finish(self) -> None:
        """Choose the span of the take."""
        low, high = self.span
        if high > low:
            choose(self.session, self.take.id, low, high)


class TakesView(QGroupBox):
    """One strip a take, the newest first; what is chosen of it has a wash and a bar above, and what is
    heard a bar before its name."""

    fitted = pyqtSignal()

    def __init__(self, session: Session, view: Viewport) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.dragging = Dragging(session, view, self)
        self.setMouseTracking(True)
        self.setAccessibleName("Takes of the focus lane")
        changes = session.document.changed, session.focus.changed
        Description(self, lambda: described_takes(session, self.takes), *changes)
        for signal in (session.document.changed, session.focus.changed, session.passes.changed):
            signal.connect(self._fit)
        for signal in (
            session.look.changed, session.playhead.changed, session.audition.changed, view.changed,
        ):  # fmt: skip
            signal.connect(self.update)
        self._fit()

    @property
    def takes(self) -> list[Take]:
        """The takes that are shown."""
        lane = self.session.lane
        return list(reversed(lane.takes)) if lane is not None else []

    def _fit(self) -> None:
        count = len(self.takes)
        self.setFixedHeight(max(count, 1) * ROW)
        self.fitted.emit()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(400, ROW)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        painter.fillRect(self.rect(), themes.color(theme.desk))
        lane = self.session.lane
        for row, take in enumerate(self.takes):
            area = QRectF(SCALE, row * ROW + 1, self.width() - SCALE, ROW - 3)
            painter.fillRect(area, themes.color(theme.sheet))
            left = max(SCALE + self.view.x(take.first), SCALE)
            right = min(SCALE + self.view.x(take.last), self.width())
            inner = QRectF(left, area.top(), max(right - left, 0), area.height())
            for choice in lane.comp.choices if lane is not None and lane.comp else ():
                if choice.take == take.id:
                    self._mark(painter, theme, area, choice.first, choice.last)
            drag = self.dragging.drag
            if isinstance(drag, ChoiceDrag) and drag.take.id == take.id:
                low, high = drag.span
                self._mark(painter, theme, area, low, high)
            painter.save()
            painter.setClipRect(inner)
            inks = themes.LANE_INKS[theme.key]
            ink = theme.ghost if take.muted else inks[take.colour % len(inks)]
            curve_painting.draw_curve(painter, take.curve, self.view, area.adjusted(0, 4, 0, -4), ink, 1.3)
            painter.restore()
            stars = "  " + "★" * take.rating if take.rating else ""
            muted = "  (muted)" if take.muted else ""
            if take.id in self.session.audition.takes:
                painter.fillRect(QRectF(0, area.top(), 3, area.height()), themes.color(theme.selection))
            painter.setPen(themes.color(theme.quiet))
            painter.setFont(themes.font(9.5))
            label = QRectF(2, area.top(), SCALE - 6, area.height())
            painter.drawText(label, Qt.AlignmentFlag.AlignVCenter, f"{take.name}{stars}{muted}")
        x = SCALE + self.view.x(self.session.playhead.beat)
        if x >= SCALE:
            curve_painting.draw_playhead(painter, x, QRectF(self.rect()), theme)

    def _mark(self, painter: QPainter, theme: themes.Theme, area: QRectF, first: float, last: float) -> None:
        left, right = (min(max(SCALE + self.view.x(b), SCALE), self.width()) for b in (first, last))
        painter.fillRect(QRectF(left, area.top(), right - left, area.height()), themes.color(theme.wash))
        painter.setPen(QPen(themes.color(theme.selection), 2.0))
        painter.drawLine(QPointF(left, area.top() + 1), QPointF(right, area.top() + 1))

    def _take_at(self, y: float) -> Take | None:
        row = int(y // ROW)
        return self.takes[row] if 0 <= row < len(self.takes) else None

    def menu_kind(self, at: QPoint | None) -> str:
        """The kind of its context menu."""
        take = self._take_at(at.y()) if at is not None else None
        if take is not None:
            self.session.picked.pick_take(take.id)
        return "take" if take is not None or at is None else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        take = self._take_at(event.position().y())
        if take is not None and event.button() == Qt.MouseButton.LeftButton:
            self.session.picked.pick_take(take.id)
            at = event.position()
            beat = snapped(self.session, self.view.beat(at.x() - SCALE), keys_of(event))
            self.dragging.begin(at, lambda: ChoiceDrag(self.session, take, beat))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.session.notices.hover(HINT)
        self.dragging.update(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        clicked = self.dragging.finish()
        if isinstance(clicked, ChoiceDrag):
            self.session.span.choose((clicked.take.first, clicked.take.last))
        self.update()


class TakesArea(QScrollArea):
    """The takes, a few of which are seen at once; not there where there are none."""

    def __init__(self, takes: TakesView) -> None:
        super().__init__()
        self.takes = takes
        self.setAccessibleName("Takes, a few at once")
        self.setWidget(takes)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)  # the wheel scrolls
        takes.fitted.connect(self._fit)
        self._fit()

    def _fit(self) -> None:
        count = len(self.takes.takes)
        self.setVisible(bool(count))
        self.setFixedHeight(min(max(count, 1), MOST_ROWS) * ROW)
