# SPDX-License-Identifier: GPL-3.0-or-later
"""Fields that are typed into: one mechanism for reading, refusing in words, and giving the keyboard
back."""

from __future__ import annotations

import re
from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QHideEvent, QKeyEvent
from PyQt6.QtWidgets import QLabel, QLineEdit, QTabWidget, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.core.movement.movement_settings import new_seed
from zolvek.core.value.number_entry import number_of, whole_of, words
from zolvek.studio.toolkit.key_routing import give_back

SEED = re.compile(r"[0-9]{1,18}")
LEAST_WIDTH = 190  # of the words under a field


class RefusalLabel(QLabel):
    """What is wrong, under the field, over whatever is there."""

    def __init__(self, field: QWidget) -> None:
        super().__init__(field.window())
        self.setProperty("role", "refused")
        self.setWordWrap(True)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def show_under(self, field: QWidget, text: str) -> None:
        """Show a text under a field."""
        window = field.window()
        if window is None:
            return
        if self.parentWidget() is not window:
            self.setParent(window)
        width = min(max(field.width(), LEAST_WIDTH), window.width() - 8)
        self.setText(text)
        self.setFixedWidth(width)
        self.adjustSize()
        at = field.mapTo(window, QPoint(0, field.height() + 2))
        x = min(max(at.x(), 4), window.width() - width - 4)
        below = at.y() + self.height() <= window.height() - 2
        y = at.y() if below else at.y() - field.height() - self.height() - 4
        self.move(x, y)
        self.show()
        self.raise_()


class Entry(QLineEdit):
    """A field that is read when Enter is pressed: `typed` is given the text, and raises ZolvekError (or
    returns False) where it can't be taken, which is said under the field. Taken, it gives the keyboard
    back; Esc leaves what was there."""

    def __init__(self, name: str, typed: Callable[[str], object], tip: str = "") -> None:
        super().__init__()
        self.typed, self.tip = typed, tip
        self.good = ""  # what was there before a user typed
        self.words: RefusalLabel | None = None
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.returnPressed.connect(self._take)
        self.textEdited.connect(lambda _: self.refuse(""))

    def _take(self) -> None:
        if self.read():
            give_back(self)

    def read(self) -> bool:
        """Take what is there, or say what is wrong with it. Returns whether it was taken."""
        text = self.text()
        self.setModified(False)  # so that what is read may be shown as it is written
        try:
            fault = "" if self.typed(text) is not False else self._unread(text)
        except ZolvekError as error:
            fault = f"{error.what} {error.remedy}".strip()
        self.refuse(fault)
        if fault:
            self.setModified(True)
            self.selectAll()
        else:
            self.good = self.text()
        return not fault

    def _unread(self, text: str) -> str:
        return f"“{text}” can't be read. {self.tip}".strip()

    def refuse(self, fault: str) -> None:
        """Say what is wrong with what is typed; "" when nothing is."""
        if fault:
            if self.words is None:
                self.words = RefusalLabel(self)
                self.destroyed.connect(self.words.deleteLater)  # they are the window's, not its own
            self.words.show_under(self, fault)
        elif self.words is not None:
            self.words.hide()
        self.setAccessibleDescription(fault)
        if bool(self.property("fault")) != bool(fault):
            self.setProperty("fault", bool(fault))
            style = self.style()
            if style is not None:
                style.unpolish(self)
                style.polish(self)

    def setText(self, text: str | None) -> None:
        """Show a text as accepted."""
        super().setText(text)
        self.good = self.text()
        self.setModified(False)

    def show_text(self, text: str) -> None:
        """Show `text` unless a user is typing here."""
        if not (self.hasFocus() and self.isModified()):
            self.setText(text)
            self.refuse("")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() != Qt.Key.Key_Escape:
            super().keyPressEvent(event)
            window = self.window()
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and window is not None:
                event.setAccepted(window.inherits("QMainWindow"))  # a dialog's Enter accepts it
            return
        self.setText(self.good)
        self.refuse("")
        if not give_back(self):
            event.ignore()  # a dialog's Esc closes it

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        if self.words is not None:
            self.words.hide()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        if self.words is not None:
            self.words.hide()


def read_all(over: QWidget) -> bool:
    """Read the fields of a dialog; the first that can't be read is shown and says why. Returns whether all could be."""
    for field in over.findChildren(Entry):
        if field.isEnabled() and not field.read():
            page = field.parentWidget()
            while page is not None and page is not over:
                pages = page.parentWidget()
                tabs = pages.parentWidget() if pages is not None else None
                if isinstance(tabs, QTabWidget):
                    tabs.setCurrentWidget(page)
                page = pages
            field.setFocus()
            return False
    return True


class NumberEntry(Entry):
    """A number with a unit, from `low` to `high`. Up and down change it by `step`; below the lowest it
    can stand for something else, in words (`special`)."""

    valueChanged = pyqtSignal(float)

    def __init__(
        self,
        name: str,
        low: float,
        high: float,
        value: float,
        unit: str = "",
        decimals: int = 2,
        step: float = 1.0,
        special: str = "",
        changed: Callable[[float], object] | None = None,
    ) -> None:
        super().__init__(name, self._typed)
        self.low, self.high, self.unit = low, high, unit
        self.decimals, self.step, self.special = decimals, step, special
        self.number = value
        self.tip = f"From {words(low, unit, decimals)} to {words(high, unit, decimals)}"
        self.setToolTip(self.tip)
        self.setText(self._shown(value))
        self.editingFinished.connect(self._leave)
        if changed is not None:
            self.valueChanged.connect(changed)

    def _shown(self, number: float) -> str:
        if self.special and number == self.low:
            return self.special
        return words(number, self.unit, self.decimals)

    def _read(self, text: str) -> float:
        if self.special and text.strip().lower() in (self.special, ""):
            return self.low
        read = whole_of if self.decimals == 0 else number_of
        return read(text, self.unit, self.low, self.high, self.accessibleName())

    def _typed(self, text: str) -> None:
        self.setValue(self._read(text))

    def _leave(self) -> None:
        """What was typed counts when the field is left, if it can be read."""
        if self.isModified() and not self.property("fault"):
            try:
                self.setValue(self._read(self.text()))
            except ZolvekError as error:
                self.refuse(f"{error.what} {error.remedy}")

    def value(self) -> float:
        """What is there. Raises ZolvekError where it can't be read."""
        return self._read(self.text()) if self.isModified() else self.number

    def setValue(self, number: float) -> None:
        """Show a number as accepted."""
        number = min(max(float(number), self.low), self.high)
        changed = number != self.number
        self.number = number
        self.setText(self._shown(number))
        self.refuse("")
        if changed:
            self.valueChanged.emit(number)

    def set_range(self, low: float, high: float) -> None:
        """Use other limits."""
        self.low, self.high = low, high
        self.tip = f"From {words(low, self.unit)} to {words(high, self.unit)}"
        self.setToolTip(self.tip)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        direction = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        if direction:
            self.setValue(self.number + direction * self.step)
        else:
            super().keyPressEvent(event)


class SeedEntry(Entry):
    """The seed of something random: a new one at each place it is used at, unless one was typed; `changed`
    is given then."""

    def __init__(self, name: str, changed: Callable[[], object] = lambda: None) -> None:
        self.own = False  # typed by a person, who means to have it again
        self.used: object = None  # where it was written

        def taken(text: str) -> None:
            seed_of(text, name)
            self.own = True
            changed()

        super().__init__(name, taken, "The same seed gives the same curve")
        self.roll()

    def roll(self) -> None:
        """Take a new seed."""
        self.setText(str(new_seed()))
        self.own, self.used = False, None

    def keep(self, seed: int) -> None:
        """Show one that something has already."""
        self.setText(str(seed))
        self.own, self.used = False, None

    def renew(self, situation: object) -> None:
        """Another one, where it was written elsewhere and nobody typed it."""
        if self.used not in (None, situation) and not self.own:
            self.roll()

    def seed(self) -> int:
        """Raises ZolvekError when it is none."""
        return seed_of(self.text(), self.accessibleName())


def seed_of(text: str, name: str) -> int:
    """The seed of a text. Raises ZolvekError for other texts."""
    clean = text.strip()
    if SEED.fullmatch(clean) is None:
        raise ZolvekError(f"“{text}” is not a seed.", name, "Type up to 18 digits, such as 1.")
    return int(clean)


class Search(QLineEdit):
    """A field in which something is looked for: Esc forgets it and gives the keyboard back."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setPlaceholderText(name)
        self.setAccessibleName(name)
        self.setClearButtonEnabled(True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and (self.text() or give_back(self)):
            self.clear()
            give_back(self)
        else:
            super().keyPressEvent(event)
