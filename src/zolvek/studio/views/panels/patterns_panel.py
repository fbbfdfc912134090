# SPDX-License-Identifier: GPL-3.0-or-later
"""The Patterns panel: the library with thumbnails, and the slots of the focus lane."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from zolvek.core.model.project import Pattern
from zolvek.studio.commands import patterns
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.curve_painting import draw_curve
from zolvek.studio.toolkit.fields import Search
from zolvek.studio.toolkit.inline_field import RowName
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.toolkit.widgets import button, column, field_label, heading, note
from zolvek.studio.views.shared.action_buttons import ActionButton, action_buttons

THUMBNAIL = QSize(64, 26)
NAME = Qt.ItemDataRole.UserRole
LIBRARY_BUTTONS = (
    (("Save selection…", "pattern-save"), ("Place", "pattern-place")),
    (("Delete", "pattern-delete"), ("Undo", "pattern-undo")),
)


class PatternsPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        layout = column(self)
        layout.addWidget(heading("Patterns"))
        self.search = Search("Find a pattern")
        self.search.textChanged.connect(lambda _: self._list())
        layout.addWidget(self.search)
        self.list = QListWidget()
        self.list.setIconSize(THUMBNAIL)
        self.list.setMinimumHeight(150)
        self.list.setAccessibleName("Patterns in the library")
        self.list.itemActivated.connect(lambda _: studio.action("pattern-place").trigger())
        self.list.currentItemChanged.connect(self._pick)
        studio.show.context_menu(self.list, lambda _: "pattern" if self.list.currentItem() else "")
        layout.addWidget(self.list, 1)
        self.fault = note()
        self.fault.setProperty("role", "fault")
        layout.addWidget(self.fault)
        self.naming = RowName(self.list, lambda text: patterns.rename_to(session, text))
        layout.addWidget(button("Rename", self._rename, tip="Edits the name in the list"))
        layout.addLayout(action_buttons(studio, LIBRARY_BUTTONS))
        layout.addWidget(note("Place fills the selected span, or places it once at the playhead."))
        layout.addWidget(field_label("Slots of this lane"))
        self.slots = QListWidget()
        self.slots.setMaximumHeight(96)
        self.slots.setAccessibleName("Slots of the focus lane")
        self.slots.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout.addWidget(self.slots)
        line = QHBoxLayout()
        line.addWidget(ActionButton("Add to slots", studio.action("slot-add")))
        line.addWidget(button("Play here", self.play_here, tip="Plays the slot in the section at the playhead"))
        layout.addLayout(line)
        line = QHBoxLayout()
        for text, direction in (("Up", -1), ("Down", 1), ("Remove", 0)):
            line.addWidget(button(text, partial(self._change_slot, direction)))
        layout.addLayout(line)
        RefreshWhileShown(self, self._show_slots, (session.focus.changed, session.document.changed))
        session.look.changed.connect(self._list)
        session.shelf.changed.connect(self._show)
        self.reload()
        self._show_slots()

    def _rename(self) -> None:
        if self.session.picked.pattern is not None:
            self.naming.begin("Name of the pattern", self.session.picked.pattern)

    def reload(self) -> None:
        """Read the library again; files that can't be read are named and left out."""
        self.session.shelf.reload()

    def _show(self) -> None:
        faults = self.session.shelf.faults
        self.fault.setText("\n".join(f"Left out: {fault}" for fault in faults))
        self.fault.setVisible(bool(faults))
        self._list()

    @property
    def found(self) -> list[Pattern]:
        """The patterns that the search finds."""
        return self.session.shelf.found

    def _pick(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.session.picked.pick_pattern(item.data(NAME))

    def _list(self) -> None:
        words = self.search.text().lower().split()
        self.list.blockSignals(True)
        self.list.clear()
        for pattern in self.found:
            if all(word in pattern.name.lower() for word in words):
                beats = f"{pattern.length:g} beats"
                item = QListWidgetItem(self._icon(pattern), f"{pattern.name}\n{beats}")
                item.setData(NAME, pattern.name)
                self.list.addItem(item)
                if pattern.name == self.session.picked.pattern:
                    self.list.setCurrentItem(item)
        self.list.blockSignals(False)

    def _icon(self, pattern: Pattern) -> QIcon:
        theme = themes.THEMES[self.session.settings.window.theme]
        pixmap = QPixmap(THUMBNAIL)
        pixmap.fill(themes.color(theme.raised))
        view = Viewport(pattern.length)
        view.set_width(THUMBNAIL.width())
        painter = QPainter(pixmap)
        area = QRectF(0, 3, THUMBNAIL.width(), THUMBNAIL.height() - 6)
        draw_curve(painter, pattern.curve, view, area, theme.curve, 1.3)
        painter.end()
        return QIcon(pixmap)

    def save_as(self, name: str) -> None:
        """Keep the scope of the focus lane in the library."""
        self.session.notices.attempt(lambda: patterns.save_as(self.studio, name))

    def _show_slots(self) -> None:
        lane = self.session.lane
        row = self.slots.currentRow()
        self.slots.clear()
        if lane is None:
            return
        starts = {s.beat: s.slot for s in lane.switches}
        for slot, name in [(-1, "Own curve"), *enumerate(p.name for p in lane.slots)]:
            bars = [str(self.session.project.meter.bar_at(b)) for b, s in starts.items() if s == slot]
            where = f", from bar {', '.join(bars)}" if bars else ""
            item = QListWidgetItem(f"{name}{where}")
            item.setData(Qt.ItemDataRole.UserRole, slot)
            self.slots.addItem(item)
        self.slots.setCurrentRow(min(max(row, 0), self.slots.count() - 1))

    def _change_slot(self, direction: int) -> None:
        """The chosen slot further up or down, or (0) gone."""
        item = self.slots.currentItem()
        slot = int(item.data(Qt.ItemDataRole.UserRole)) if item is not None else -1
        if slot >= 0:
            self.session.notices.attempt(lambda: patterns.change_slot(self.session, slot, direction))
            self.slots.setCurrentRow(min(max(slot + direction, 0) + 1, self.slots.count() - 1))

    def play_here(self) -> None:
        """The chosen slot plays in the section at the playhead."""
        item = self.slots.currentItem()
        if item is not None:
            slot = int(item.data(Qt.ItemDataRole.UserRole))
            self.session.notices.attempt(lambda: patterns.play_slot_here(self.session, slot))
