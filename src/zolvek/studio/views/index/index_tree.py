# SPDX-License-Identifier: GPL-3.0-or-later
"""The index's tree: its rows can be renamed where they stand, and tracks and devices dragged in order."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent, QKeyEvent
from PyQt6.QtWidgets import QTreeWidget, QTreeWidgetItem

from zolvek.studio.toolkit.key_routing import LETTERS_ACT

TRACK = Qt.ItemDataRole.UserRole + 2  # the id of a track's own row
DEVICE = Qt.ItemDataRole.UserRole + 3  # the id of a device's own row
WALKING = {
    Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Home, Qt.Key.Key_End,
    Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Space, Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Asterisk,
}  # fmt: skip
Moved = Callable[[str, str], object]


class Tree(QTreeWidget):
    """Letters act here as they do on the lane: what is looked for is typed into the field above.
    `track_dropped` is given a track and its new place among all, `device_dropped` a device, the track it
    comes to and its place there; `deleted`: Delete was pressed on the current row."""

    chosen = pyqtSignal(QTreeWidgetItem)  # Enter was pressed on it

    def __init__(
        self,
        track_dropped: Callable[[str, int], object],
        device_dropped: Callable[[str, str, int], object],
        deleted: Callable[[], object],
    ) -> None:
        super().__init__()
        self.track_dropped, self.device_dropped, self.deleted = track_dropped, device_dropped, deleted
        self.setProperty(LETTERS_ACT, True)
        self.setEditTriggers(QTreeWidget.EditTrigger.NoEditTriggers)
        self.setDragDropMode(QTreeWidget.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        item = self.currentItem()
        typing = self.state() == QTreeWidget.State.EditingState
        if item is not None and not typing and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(item)
        elif item is not None and not typing and event.key() == Qt.Key.Key_Delete and not event.modifiers():
            self.deleted()
        elif typing or event.key() in WALKING:
            super().keyPressEvent(event)
        else:
            event.ignore()  # for the window, which says why a command can't be done now

    def keyboardSearch(self, search: str | None) -> None:
        pass

    def prepare(self, item: QTreeWidgetItem) -> None:
        """What can be done with a row of a track, a device or neither."""
        key = item.data(0, TRACK) or item.data(0, DEVICE)
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDropEnabled
        if key:
            flags |= Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsDragEnabled
        item.setFlags(flags)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Rows are not moved here: the project is, and they follow it."""
        if event is None:
            return
        held = self.currentItem()
        over = self.itemAt(event.position().toPoint())
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        if held is None or over is None:
            return
        above = self.dropIndicatorPosition() == QTreeWidget.DropIndicatorPosition.AboveItem
        head = over
        while (parent := head.parent()) is not None:
            head = parent
        track = held.data(0, TRACK)
        if track:
            places = [self.topLevelItem(i) for i in range(self.topLevelItemCount())]
            to = places.index(head) + (0 if above and over is head else 1)
            to -= places.index(held) < to
            self.track_dropped(track, to)
        elif held.data(0, DEVICE):
            chain = [head.child(i) for i in range(head.childCount())]
            group = over
            while group is not head and group.parent() is not head:
                group = group.parent()  # type: ignore[assignment]  # its head is above it
            to = len(chain) if group is head else chain.index(group) + (0 if above else 1)
            if held in chain:
                to -= chain.index(held) < to
            self.device_dropped(held.data(0, DEVICE), str(head.data(0, TRACK)), to)
