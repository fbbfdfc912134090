# SPDX-License-Identifier: GPL-3.0-or-later
"""The Record panel: a stand-in controller, what its controls move, and real ports."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import (
    QAbstractSlider,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from zolvek.core.edits import controller_mappings
from zolvek.studio.services.context import Studio
from zolvek.studio.services.io.midi_io import MidiIO
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.cancel_keys import CancelKeys
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import Pages, button, column, heading, note, page_layout
from zolvek.studio.views.panels.record.take_pages import RecordPage, TakesPage
from zolvek.studio.views.shared.dial import draw_ring

CONTROL = Qt.ItemDataRole.UserRole
TRAVEL_PX = 110.0  # pixels of a drag from end to end
STEPS = 127  # as a controller counts them


class ControllerDial(QAbstractSlider):
    """A dial of the stand-in controller: drag, wheel or arrow keys; Esc cancels a drag. A slider of the toolkit's that
    paints itself, so that assistive tools have its value."""

    def __init__(self, session: Session, midi_io: MidiIO, which: str) -> None:
        super().__init__()
        self.session, self.midi_io, self.which = session, midi_io, which
        self.position = 0.5
        self.start: tuple[float, float] | None = None
        self.keys = CancelKeys(self, self.cancel)
        self.setRange(0, STEPS)
        self.setValue(round(STEPS * self.position))
        self.valueChanged.connect(lambda value: self.set(value / STEPS))
        self.setFixedSize(QSize(48, 48))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(controller_mappings.control_name(which))
        self.setToolTip(f"{controller_mappings.control_name(which)}: drag, wheel or arrow keys")

    def set(self, position: float) -> None:
        """Turn the dial."""
        self.position = min(max(position, 0.0), 1.0)
        blocked = self.blockSignals(True)
        self.setValue(round(STEPS * self.position))
        self.blockSignals(blocked)
        self.midi_io.move(self.which, self.position)
        self.update()

    def cancel(self) -> None:
        """The drag is undone: the dial is where it was."""
        if self.start is not None:
            position, self.start = self.start[1], None
            self.set(position)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        used = controller_mappings.target_of(self.session.project, self.which) is not None
        ink = theme.curve if used else theme.quiet
        draw_ring(painter, theme, QPointF(24, 21), 14, self.position, ink)
        painter.setFont(themes.font(9.5))
        painter.setPen(themes.color(theme.ink if used else theme.quiet))
        number = self.which.rpartition("-")[2]
        painter.drawText(QRectF(0, 33, 48, 14), Qt.AlignmentFlag.AlignCenter, number)
        if self.hasFocus():
            painter.setPen(QPen(themes.color(theme.curve), 1.0, Qt.PenStyle.DotLine))
            painter.drawRect(QRectF(0.5, 0.5, 47, 47))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.start = event.position().y(), self.position
        self.keys.begin()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.start is not None:
            self.set(self.start[1] + (self.start[0] - event.position().y()) / TRAVEL_PX)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.keys.end()
        self.start = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.set(self.position + event.angleDelta().y() / 120.0 * 0.02)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        ways = {Qt.Key.Key_Up: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Left: -1}
        if event.key() in ways:
            self.set(self.position + 0.02 * ways[Qt.Key(event.key())])
        else:
            event.ignore()


class ControllerPad(QWidget):
    """Two controls at once: across and up."""

    def __init__(self, session: Session, midi_io: MidiIO) -> None:
        super().__init__()
        self.session, self.midi_io = session, midi_io
        self.at = QPointF(0.5, 0.5)
        self.setMinimumHeight(84)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Pad")
        self.setToolTip("Pad: drag across and up; arrow keys too")

    def set(self, x: float, y: float) -> None:
        """Move the pad."""
        new = QPointF(min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0))
        old, self.at = self.at, new
        if new.x() != old.x():
            self.midi_io.move("pad-x", new.x())
        if new.y() != old.y():
            self.midi_io.move("pad-y", new.y())
        self.update()

    def _take(self, event: QMouseEvent) -> None:
        at = event.position()
        self.set(at.x() / max(self.width(), 1), 1.0 - at.y() / max(self.height(), 1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._take(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons():
            self._take(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        ways = {
            Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1),
            Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Left: (-1, 0),
        }  # fmt: skip
        if event.key() in ways:
            x, y = ways[Qt.Key(event.key())]
            self.set(self.at.x() + 0.02 * x, self.at.y() + 0.02 * y)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        area = QRectF(0.5, 0.5, self.width() - 1, self.height() - 1)
        painter.fillRect(area, themes.color(theme.sheet))
        painter.setPen(QPen(themes.color(theme.bar_line), 1.0))
        painter.drawRect(area)
        x = self.at.x() * self.width()
        y = (1.0 - self.at.y()) * self.height()
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(themes.color(theme.curve), 1.6))
        painter.setBrush(themes.color(theme.curve, 0.2))
        painter.drawEllipse(QPointF(x, y), 7, 7)


class ControllerPage(QWidget):
    """The stand-in controller, and what controls move."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session, actions = studio.session, studio.action
        self.studio = studio
        self.session = session
        self.midi_io: MidiIO = studio.midi_io
        layout = page_layout(self)
        grid = QGridLayout()
        grid.setSpacing(2)
        self.dials = [ControllerDial(session, self.midi_io, item.id) for item in controller_mappings.DIALS]
        for index, dial in enumerate(self.dials):
            grid.addWidget(dial, index // 4, index % 4)
        layout.addLayout(grid)
        self.buttons = []
        row = QHBoxLayout()
        row.setSpacing(2)
        for item in controller_mappings.BUTTONS:
            result = button(item.id.rpartition("-")[2], lambda: None, tip=item.name)
            result.setCheckable(True)
            result.setAccessibleName(item.name)
            result.setStyleSheet("padding: 2px 0;")
            result.setMinimumWidth(20)
            result.toggled.connect(lambda on, w=item.id: self.midi_io.move(w, float(on)))
            row.addWidget(result)
            self.buttons.append(result)
        layout.addLayout(row)
        self.pad = ControllerPad(session, self.midi_io)
        layout.addWidget(self.pad)
        learn = actions("learn-controls")
        self.learn = button(learn.text(), learn.trigger, tip=learn.toolTip())
        self.learn.setCheckable(True)
        layout.addWidget(self.learn)
        self.said = note()
        layout.addWidget(self.said)
        self.list = QListWidget()
        self.list.setAccessibleName("Controller mappings")
        self.list.setMinimumHeight(54)
        layout.addWidget(self.list, 1)
        line = QHBoxLayout()
        line.addWidget(button("Unmap", self._unmap, tip="Removes the mapping of the selected control"))
        monitor = actions("monitor")
        line.addWidget(button("MIDI monitor…", monitor.trigger, tip=monitor.toolTip()))
        layout.addLayout(line)
        RefreshWhileShown(self, self.refresh, (session.document.changed, session.passes.changed))
        self.midi_io.control_moved.connect(lambda _: self._say())
        self.refresh()

    def refresh(self) -> None:
        """Show the mappings."""
        project = self.session.project
        rows = []
        for mapping in project.mappings:
            device = project.device_track(mapping.device).device(mapping.device)
            name = f"{device.name} · {device.parameter(mapping.parameter).name}"
            rows.append((f"{controller_mappings.control_name(mapping.control)}: {name}", mapping.control))
        items = [self.list.item(i) for i in range(self.list.count())]
        if rows != [(item.text(), item.data(CONTROL)) for item in items if item is not None]:
            self.list.clear()
            for text, which in rows:
                item = QListWidgetItem(text)
                item.setData(CONTROL, which)
                self.list.addItem(item)
        self.learn.setChecked(self.session.passes.learning == "controls")
        self._say()
        for dial in self.dials:
            dial.update()

    def _say(self) -> None:
        if self.session.passes.learning != "controls":
            self.said.setText("Click Learn, move a control, then touch a dial on the bench.")
        elif self.midi_io.last_control:
            moved = controller_mappings.control_name(self.midi_io.last_control)
            self.said.setText(f"{moved} detected. Now touch the dial to move with it.")
        else:
            self.said.setText("Move a control, here or on your controller.")

    def _unmap(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            which = item.data(CONTROL)
            project = controller_mappings.unmapped(self.session.project, which)
            self.session.document.edit(f"Unmap {controller_mappings.control_name(which)}", project)


class RecordPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Record"))
        self.controller = ControllerPage(studio)
        self.pages = Pages(
            {
                "Record": RecordPage(studio),
                "Takes": TakesPage(studio),
                "Controller": self.controller,
            },
            across=3,
        )
        layout.addWidget(self.pages, 1)
        self.show_page = self.pages.show_page
        session.passes.changed.connect(
            lambda: self.show_page("Controller") if session.passes.learning == "controls" else None
        )
