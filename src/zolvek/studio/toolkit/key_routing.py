# SPDX-License-Identifier: GPL-3.0-or-later
"""Which keys belong to the widget that has the keyboard, and which to the window's actions."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QWidget,
)

TYPED_IN = (QLineEdit, QAbstractSpinBox)
CHOSEN_FROM = (QAbstractItemView, QComboBox)
LETTERS_ACT = "letters-act"  # a list in which letters find nothing, as it has a search field of its own
PLAIN = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier


class Keys(QObject):
    """Filters the events of the widget that has the keyboard: a key that it means something by is its
    own, so that no shortcut takes it."""

    def __init__(self, app: QApplication, parent: QObject) -> None:
        super().__init__(parent)
        self.typing = False  # the key that is pressed was meant for a field or a list, whether or not it took it
        app.focusChanged.connect(self._follow)

    def _follow(self, old: QWidget | None, new: QWidget | None) -> None:
        for widget in (old, new):
            if widget is not None:
                widget.removeEventFilter(self)
        if new is not None:
            new.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if (
            isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and isinstance(watched, QWidget)
        ):  # before it is done: a field may have given the keyboard back by the time the window gets the key
            self.typing = is_typing(watched, event)
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and isinstance(watched, QWidget)
        ):
            if undoes(event) and not being_typed(watched):
                event.ignore()  # the project's undo, not that of a text nobody has touched
                return True
            if its_own(watched, event):
                event.accept()
                return True
        return False


def its_own(widget: QWidget, event: QKeyEvent) -> bool:
    """Whether a key is the widget's: Space on what can be pressed or chosen from, and letters and digits
    where typing finds a row or writes."""
    plain = event.modifiers() in PLAIN
    if event.key() == Qt.Key.Key_Space and event.modifiers() == Qt.KeyboardModifier.NoModifier:
        return isinstance(widget, QAbstractButton | QAbstractItemView | QComboBox)
    typed = plain and event.text().isprintable() and bool(event.text().strip())
    return typed and isinstance(widget, CHOSEN_FROM + TYPED_IN) and not widget.property(LETTERS_ACT)


def is_typing(widget: QWidget, event: QKeyEvent) -> bool:
    """Whether a key that a widget did not take was meant for it all the same: a plain one in a field or a list."""
    plain = event.modifiers() in PLAIN and event.key() != Qt.Key.Key_Escape
    return plain and isinstance(widget, TYPED_IN + CHOSEN_FROM) and not widget.property(LETTERS_ACT)


def undoes(event: QKeyEvent) -> bool:
    """Whether a key event is undo or redo."""
    return event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)


def being_typed(widget: QWidget) -> bool:
    """Whether a text is being typed there, which has an undo of its own."""
    field = widget.lineEdit() if isinstance(widget, QAbstractSpinBox | QComboBox) else widget
    return isinstance(field, QLineEdit) and field.isModified()


def give_back(widget: QWidget) -> bool:
    """The keyboard goes from a field to the focus lane, where its window has one."""
    window = widget.window()
    lane = window.findChild(QWidget, FOCUS_LANE) if window is not None else None
    if lane is None:
        return False
    lane.setFocus(Qt.FocusReason.OtherFocusReason)
    return True


FOCUS_LANE = "focus-lane"  # the object name of the widget that fields give the keyboard back to


def go_on(areas: list[tuple[QWidget, QWidget | None]], direction: int) -> None:
    """The keyboard from the part of the window that has it to the next (1) or the previous (−1): each with
    the widget that takes it there."""
    here = QApplication.focusWidget()
    has = [here is not None and (here is a or a.isAncestorOf(here)) for a, _ in areas]
    at = has.index(True) if True in has else 1
    for step in range(1, len(areas) + 1):
        _, result = areas[(at + direction * step) % len(areas)]
        if result is not None and result.isVisible():
            result.setFocus(Qt.FocusReason.TabFocusReason)
            return
