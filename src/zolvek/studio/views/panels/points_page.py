# SPDX-License-Identifier: GPL-3.0-or-later
"""The table of points: exact values by keyboard, a row a point, the selection the same as the lane's.

A model, not widgets: a million rows cost nothing that is not seen. The selection is painted from the model, as a
million alternating rows would be too many ranges for the view.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QEvent, QModelIndex, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QMouseEvent
from PyQt6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QApplication,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QTableView,
    QWidget,
)

from zolvek.core.arrays import Ints
from zolvek.core.edits import point_table
from zolvek.core.edits.edit_scope import counted
from zolvek.core.edits.point_table import HEADERS, Column, Edited
from zolvek.core.edits.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.studio.commands import points
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import target
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.key_routing import give_back
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, note, page_layout
from zolvek.studio.views.panels.cell_editor import CellEditor

ROW_PX = 22
WIDTHS_PX = (58, 54, 48)  # of the columns but the last
OWN_KEYS = (
    QKeySequence.StandardKey.Copy, QKeySequence.StandardKey.Paste, QKeySequence.StandardKey.SelectAll,
    QKeySequence.StandardKey.Delete,
)  # fmt: skip
FILL = QKeySequence("Ctrl+D")


class PointModel(QAbstractTableModel):
    """The points of what is drawn on, or only the selected ones: `shown` are their numbers, None for all."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.drawn: Target | None = None
        self.only_selected = False
        self.shown: Ints | None = None
        self.chosen = np.empty(0, bool)

    def rebuild(self) -> None:
        """Show what is drawn on now. A table of as many rows stays the same one, in which a cell may be edited."""
        drawn, before = self.session.target, self.rowCount()
        shown = self.session.points.chosen if self.only_selected else None
        count = 0 if drawn is None else len(drawn.curve) if shown is None else len(shown)
        if count != before:
            self.beginResetModel()
        self.drawn, self.shown = drawn, shown
        self.mark()
        if count != before:
            self.endResetModel()
        elif count:
            self.dataChanged.emit(self.index(0, 0), self.index(count - 1, len(HEADERS) - 1))

    def mark(self) -> None:
        """Which points are selected."""
        count = len(self.drawn.curve) if self.drawn is not None else 0
        self.chosen = np.zeros(count, bool)
        selected = self.session.points.chosen
        self.chosen[selected[selected < count]] = True

    def point(self, row: int) -> int:
        """The number of the point in a row."""
        return row if self.shown is None else int(self.shown[row])

    def row(self, point: int) -> int:
        """The row of a point; that of the next one where it is not shown."""
        return point if self.shown is None else int(np.searchsorted(self.shown, point))

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """See Qt."""
        if self.drawn is None or (parent is not None and parent.isValid()):
            return 0
        return len(self.drawn.curve) if self.shown is None else len(self.shown)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """See Qt."""
        return len(HEADERS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """See Qt."""
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        return HEADERS[section] if orientation == Qt.Orientation.Horizontal else f"{self.point(section) + 1}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """See Qt."""
        if self.drawn is None or not index.isValid():
            return None
        point = self.point(index.row())
        if point >= len(self.drawn.curve):
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return point_table.cell_text(self.session.project, self.drawn, point, index.column())
        if role == Qt.ItemDataRole.AccessibleTextRole:
            text = point_table.cell_text(self.session.project, self.drawn, point, index.column())
            selected = ", selected" if self.chosen[point] else ""
            return f"{self.name(index)}: {text or 'none'}{selected}"
        theme = themes.THEMES[self.session.settings.window.theme]
        if role == Qt.ItemDataRole.BackgroundRole and self.chosen[point]:
            return themes.color(theme.wash)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """See Qt."""
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEditable

    def name(self, index: QModelIndex) -> str:
        """What a cell is called."""
        return f"{HEADERS[index.column()]} of point {self.point(index.row()) + 1}"

    def fault(self, index: QModelIndex, text: str) -> str:
        """What is wrong with a text for a cell, "" for nothing."""
        if text == self.data(index, Qt.ItemDataRole.EditRole):
            return ""
        try:
            cells = {(self.point(index.row()), index.column()): text}
            point_table.with_cells(self.session.project, target(self.session), cells)
        except ZolvekError as error:
            return f"{error.what} {error.remedy}".strip()
        return ""

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """What is typed, as one step; what can't be used, where the keyboard went elsewhere, is said at the foot."""
        text, now = str(value), self.data(index, Qt.ItemDataRole.EditRole)
        if text == now:
            return False
        point, where = self.point(index.row()), index.column()
        return self.edit(
            f"{HEADERS[where]} {text.strip()}",
            lambda drawn: point_table.with_cells(self.session.project, drawn, {(point, where): text}),
        )

    def edit(self, label: str, work: Callable[[Target], Edited]) -> bool:
        """Do an edit of what is drawn on; the selection goes with its points."""

        def done() -> None:
            result = work(target(self.session))
            chosen = self.session.points.chosen
            gone = dict(zip(result.rows.tolist(), result.where.tolist(), strict=True))
            still = np.array(sorted({gone.get(int(point), int(point)) for point in chosen}), np.intp)
            kept = result.where if chosen.size and set(chosen.tolist()) == set(result.rows.tolist()) else still
            self.session.edit_curve(label, result.curve, np.sort(kept), moved=(result.rows, result.where))

        return self.session.notices.attempt(done)


class PointView(QTableView):
    """The table: arrows walk it and select, Enter edits and goes down, Tab goes on, letters begin to type."""

    def __init__(self, session: Session, model: PointModel) -> None:
        super().__init__()
        self.session, self.points = session, model
        self.anchor = 0
        self.setModel(model)
        self.setItemDelegate(CellEditor(self, model.fault, model.name))
        self.setAccessibleName("Points")
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        triggers = QAbstractItemView.EditTrigger
        self.setEditTriggers(triggers.AnyKeyPressed | triggers.DoubleClicked | triggers.EditKeyPressed)
        self.setTabKeyNavigation(True)
        self.setWordWrap(False)
        side, head = self.verticalHeader(), self.horizontalHeader()
        assert side is not None and head is not None
        side.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        side.setDefaultSectionSize(ROW_PX)
        side.hide()
        for number, width in enumerate(WIDTHS_PX):
            head.resizeSection(number, width)
        head.setStretchLastSection(True)
        head.setMinimumSectionSize(30)
        for part in (self, head):
            part.setFont(themes.font(9.0))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)

    def choose(self, row: int, extend: bool = False, toggle: bool = False) -> None:
        """Select the point of a row, up to it from where the selection began, or it too. What a table of the selected
        points shows does not change under the cell that is walked to."""
        if self.points.only_selected:
            return
        point, chosen = self.points.point(row), self.session.points.chosen
        if extend:
            low, high = sorted((self.anchor, point))
            self.session.points.choose(np.arange(low, high + 1))
            return
        self.anchor = point
        self.session.points.choose(np.setxor1d(chosen, [point]) if toggle else np.array([point], np.intp))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        assert event is not None
        index = self.indexAt(event.position().toPoint())
        if index.isValid() and event.button() == Qt.MouseButton.LeftButton:
            held, keys = event.modifiers(), Qt.KeyboardModifier
            self.choose(index.row(), bool(held & keys.ShiftModifier), bool(held & keys.ControlModifier))

    def event(self, event: QEvent | None) -> bool:
        """The keys of a spreadsheet are the table's own."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self._own(event):
            event.accept()
            return True
        return super().event(event)

    def _own(self, event: QKeyEvent) -> bool:
        return any(event.matches(key) for key in OWN_KEYS) or QKeySequence(event.keyCombination()) == FILL

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        keys = QKeySequence.StandardKey
        if event.matches(keys.Copy):
            self.copy()
        elif event.matches(keys.Paste):
            self.paste()
        elif event.matches(keys.SelectAll):
            points.select_all(self.session)
        elif event.matches(keys.Delete):
            self.session.notices.attempt(lambda: points.delete(self.session))
        elif QKeySequence(event.keyCombination()) == FILL:
            self.fill_down()
        elif event.key() == Qt.Key.Key_Escape:
            give_back(self)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.currentIndex().isValid() and self.state() != QAbstractItemView.State.EditingState:
                self.edit(self.currentIndex())
        else:
            before = self.currentIndex().row()
            super().keyPressEvent(event)
            row = self.currentIndex().row()
            if row != before and row >= 0 and self.state() != QAbstractItemView.State.EditingState:
                self.choose(row, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def closeEditor(self, editor: QWidget | None, hint: QAbstractItemDelegate.EndEditHint) -> None:
        """Enter goes on to the cell below, as in a spreadsheet."""
        index = self.currentIndex()
        super().closeEditor(editor, hint)
        below = self.points.index(index.row() + 1, index.column())
        if hint == QAbstractItemDelegate.EndEditHint.SubmitModelCache and below.isValid():
            self.setCurrentIndex(below)
            self.choose(below.row())

    def _rows(self) -> list[int]:
        """The selected points, else that of the current row."""
        chosen = self.session.points.chosen.tolist()
        if not chosen and not self.currentIndex().isValid():
            raise ZolvekError("No point is selected.", remedy="Click a row first.")
        return chosen or [self.points.point(self.currentIndex().row())]

    def copy(self) -> None:
        """The selected rows, whole, as a spreadsheet takes them."""

        def work() -> None:
            rows = self._rows()
            text = point_table.as_text(self.session.project, target(self.session), rows, range(len(HEADERS)))
            clipboard = QApplication.clipboard()
            assert clipboard is not None
            clipboard.setText(text)
            self.session.notices.say(f"Copied {counted(len(rows), 'row')}.")

        self.session.notices.attempt(work)

    def paste(self) -> None:
        """Cells of a spreadsheet into those from the current one on."""
        clipboard, index = QApplication.clipboard(), self.currentIndex()
        text = clipboard.text() if clipboard is not None else ""
        first, where = max(index.row(), 0), max(index.column(), 0)

        def work(drawn: Target) -> Edited:
            cells = point_table.cells_of(text, first, where, self.points.rowCount())
            by_point = {(self.points.point(row), column): cell for (row, column), cell in cells.items()}
            return point_table.with_cells(self.session.project, drawn, by_point)

        self.points.edit("Paste into the table", work)

    def fill_down(self) -> None:
        """What is in the first selected row, in the same column of all selected ones."""
        where = max(self.currentIndex().column(), 0)
        self.points.edit(
            f"Fill {HEADERS[where].lower()} down",
            lambda drawn: point_table.filled_down(self.session.project, drawn, self._rows(), where),
        )

    def series(self, step: str) -> None:
        """From the first selected row on, each a step further."""
        where = max(self.currentIndex().column(), 0)
        self.points.edit(
            f"Series {step.strip()}",
            lambda drawn: point_table.in_series(self.session.project, drawn, self._rows(), where, step),
        )


class PointsPage(QWidget):
    """The table with what it says of itself; it follows what is drawn on while it is seen."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, session = studio, studio.session
        self.session = session
        self.model = PointModel(session)
        self.view = PointView(session, self.model)
        self.setFocusProxy(self.view)
        layout = page_layout(self)
        self.about = note()
        layout.addWidget(self.about)
        self.only = QCheckBox("Only selected points")
        self.only.toggled.connect(self._show_only)
        layout.addWidget(self.only)
        layout.addWidget(self.view, 1)
        line = QHBoxLayout()
        line.addWidget(
            button("Fill down", self.view.fill_down, tip="Copies the first selected row's cell down (Ctrl+D)")
        )
        line.addWidget(button("Series…", self._ask_series, tip="Steps on from the first selected row: +1 st, 1/8"))
        layout.addLayout(line)
        self.view.setToolTip("Enter edits and goes down, Tab goes on; copy and paste with any spreadsheet")
        RefreshWhileShown(self, self._follow, (session.document.changed, session.focus.changed))
        session.points.changed.connect(self._mark)
        session.look.changed.connect(self._mark)
        self._follow()

    def _follow(self) -> None:
        drawn = self.session.target
        held = self.model.drawn
        same = held is not None and drawn is not None and held.curve is drawn.curve and held[2:4] == drawn[2:4]
        if same and self.model.drawn is not None:
            self.model.drawn = drawn
            self._mark()
        elif self.isVisible():
            index = self.view.currentIndex()
            self.model.rebuild()
            self.view.setCurrentIndex(self.model.index(min(index.row(), self.model.rowCount() - 1), index.column()))
            self._say()

    def _mark(self) -> None:
        """The selection of the lane is that of the table."""
        if not self.isVisible():
            return
        if self.only.isChecked():
            self.model.rebuild()
        self.model.mark()
        chosen = self.session.points.chosen
        if chosen.size and not self.view.hasFocus():
            row = self.model.row(int(chosen[0]))
            self.view.setCurrentIndex(self.model.index(row, max(self.view.currentIndex().column(), 0)))
        viewport = self.view.viewport()
        assert viewport is not None
        viewport.update()
        self._say()

    def _say(self) -> None:
        drawn, count = self.session.target, int(self.session.points.chosen.size)
        if drawn is None:
            self.about.setText("There is no lane. Touch a control and press A.")
            return
        name = self.session.project.label_of(drawn.lane)
        self.about.setText(f"{name}: {counted(len(drawn.curve), 'point')}, {count:,} selected.")
        self.view.setAccessibleDescription(self.about.text())

    def _show_only(self, on: bool) -> None:
        self.model.only_selected = on
        self.model.rebuild()
        self._say()

    def _ask_series(self) -> None:
        column_now = self.view.currentIndex().column()
        drawn = self.session.target
        unit = drawn.parameter.unit if drawn is not None else ""
        example = "1/8" if column_now == Column.POSITION else f"+1 {unit}".strip()

        def use(step: str) -> None:
            self.view.series(step)

        self.studio.ask.typed("Series", "Each row further than the one before by:", example, use)
