# SPDX-License-Identifier: GPL-3.0-or-later
"""Small widgets that more than one panel uses."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from enum import StrEnum
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFormLayout,
    QGridLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)


def heading(text: str) -> QLabel:
    """A heading."""
    label = QLabel(text)
    label.setProperty("role", "heading")
    return label


def note(text: str = "") -> QLabel:
    """Quiet text that wraps."""
    label = QLabel(text)
    label.setProperty("role", "quiet")
    label.setWordWrap(True)
    return label


def field_label(text: str, field: QWidget | None = None) -> QLabel:
    """A label for a field, or for several below it."""
    label = QLabel(text)
    label.setProperty("role", "field")
    if field is not None:
        label.setBuddy(field)
    return label


def choice(rows: Iterable[tuple[str, object]], name: str, chosen: Callable[[object], object]) -> QComboBox:
    """A menu of (text, data); `chosen` is given the data a person picks."""
    box = QComboBox()
    box.setAccessibleName(name)
    # Long rows give way to the panel's width; they are whole in the list that opens.
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(6)
    for text, data in rows:
        box.addItem(text, _plain(data))
    box.activated.connect(lambda _: chosen(box.currentData()))
    return box


def searched(box: QComboBox) -> QComboBox:
    """A menu in which typing finds rows by any part of their text; what is no row gives way to the one that is
    chosen."""
    box.setEditable(True)
    box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
    completer, field = box.completer(), box.lineEdit()
    assert completer is not None and field is not None
    completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
    completer.setFilterMode(Qt.MatchFlag.MatchContains)
    completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
    field.setAccessibleName(box.accessibleName())
    field.editingFinished.connect(lambda: _settle(box))
    return box


def _settle(box: QComboBox) -> None:
    """What is typed and is no row gives way."""
    if box.findText(box.currentText()) < 0:
        box.setEditText(box.itemText(box.currentIndex()))


def _plain(data: object) -> object:
    """A menu finds its rows by the type of their data too, and an enumeration's text is none of its own."""
    return data.value if isinstance(data, StrEnum) else data


def pick(box: QComboBox, data: object) -> None:
    """Show a row of a menu without reporting anyone."""
    index = box.findData(_plain(data))
    if index != box.currentIndex():
        box.blockSignals(True)
        box.setCurrentIndex(index)
        box.blockSignals(False)


def button(text: str, pressed: Callable[[], object], main: bool = False, tip: str = "") -> QPushButton:
    """A push button with a command."""
    push_button = QPushButton(text)
    push_button.setProperty("main", main)
    push_button.setToolTip(tip)
    push_button.clicked.connect(lambda _: pressed())
    return push_button


class FieldForm(QFormLayout):
    """Labelled fields: a label names its field, also for who can't see both."""

    def addRow(self, *parts: Any) -> None:
        """See QFormLayout."""
        if len(parts) == 2 and isinstance(parts[0], QLabel) and isinstance(parts[1], QWidget):
            parts[0].setBuddy(parts[1])
        super().addRow(*parts)


def form() -> FieldForm:
    """A layout for labelled fields."""
    layout = FieldForm()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setHorizontalSpacing(8)
    layout.setVerticalSpacing(6)
    layout.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
    layout.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
    return layout


def column(parent: QWidget) -> QVBoxLayout:
    """A panel's layout."""
    layout = QVBoxLayout(parent)
    layout.setContentsMargins(12, 10, 12, 10)
    layout.setSpacing(8)
    return layout


def page_layout(page: QWidget) -> QVBoxLayout:
    """The layout of one of a panel's pages."""
    layout = QVBoxLayout(page)
    layout.setContentsMargins(0, 4, 0, 0)
    layout.setSpacing(5)
    return layout


class PageStack(QWidget):
    """Pages of which one is shown, and asks for room: those of the toolkit's own stack all do."""

    def __init__(self) -> None:
        super().__init__()
        self.pages: list[QWidget] = []
        self.room = QVBoxLayout(self)
        self.room.setContentsMargins(0, 0, 0, 0)

    def add(self, page: QWidget) -> None:
        """One page more, not shown."""
        page.hide()
        self.pages.append(page)
        self.room.addWidget(page)

    def show_only(self, index: int) -> None:
        """Show a page, and no other."""
        for number, page in enumerate(self.pages):
            page.setVisible(number == index)

    def currentWidget(self) -> QWidget | None:
        """The page that is shown."""
        return next((page for page in self.pages if not page.isHidden()), None)


class Pages(QWidget):
    """Pages under a row of buttons (or several rows, `across` to a row), one of which is shown."""

    def __init__(self, pages: Mapping[str, QWidget], across: int = 3) -> None:
        super().__init__()
        self.stack = PageStack()
        self.buttons: dict[str, QToolButton] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        grid = QGridLayout()
        grid.setSpacing(4)
        for index, (name, page) in enumerate(pages.items()):
            result = QToolButton()
            result.setText(name)
            result.setCheckable(True)
            result.setStyleSheet("padding: 4px 2px;")
            result.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            result.clicked.connect(lambda _, n=name: self.show_page(n))
            grid.addWidget(result, index // across, index % across)
            self.buttons[name] = result
            self.stack.add(page)
        layout.addLayout(grid)
        layout.addWidget(self.stack, 1)
        self.show_page(next(iter(pages)))

    def show_page(self, name: str) -> None:
        """Show a page by its name."""
        self.stack.show_only(list(self.buttons).index(name))
        for item, result in self.buttons.items():
            result.setChecked(item == name)


class ElidedLabel(QLabel):
    """A line of text that gives way: what does not fit ends in an ellipsis, whole in its tip."""

    def __init__(self, name: str, role: str = "quiet") -> None:
        super().__init__()
        self.whole = ""
        self.setProperty("role", role)
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        """Show a text, elided if it does not fit."""
        self.whole = text or ""
        self.setToolTip(self.whole)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        room = max(self.width(), 1)
        shown = self.fontMetrics().elidedText(self.whole, Qt.TextElideMode.ElideRight, room)
        super().setText(shown)
