# SPDX-License-Identifier: GPL-3.0-or-later
"""The index: every parameter by track and device, with a search field and marks."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import (
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.errors import ZolvekError
from zolvek.studio.commands import names
from zolvek.studio.commands.controls import add_touched_lane, touch
from zolvek.studio.commands.devices import mute_track, solo_track
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import key_routing
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.fields import Search
from zolvek.studio.toolkit.widgets import note
from zolvek.studio.views.index.index_marks import INK, LETTERS, MARK, STATES, Levels, Marks, mark_of, states_of
from zolvek.studio.views.index.index_search import show_matching
from zolvek.studio.views.index.index_tree import DEVICE, TRACK, Tree

MANY, CROWD = 9, 20  # parameters from which on they stand in groups, and those are closed
TARGET = Qt.ItemDataRole.UserRole  # (device, parameter) of a leaf
REMOVING = {"parameter": "remove-lane", "device": "remove-device", "track": "remove-track"}  # the action of each row
WORDS = {
    "on": "automated",
    "bypassed": "automated, bypassed",
    "hidden": "automated, hidden",
    "": "",
}


class IndexPanel(QWidget):
    """`levels` says each track's highest sample in what is heard now; `remove` does the action of an id."""

    def __init__(self, session: Session, levels: Levels, remove: Callable[[str], object]) -> None:
        super().__init__()
        self.remove = remove
        self.session, self.levels = session, levels
        self.heard: dict[str, float] = {}
        self.search = Search("Find a parameter")
        self.search.textChanged.connect(self._filter)
        self.search.returnPressed.connect(self._take_first)
        self.tree = Tree(
            lambda *where: session.notices.attempt(lambda: names.move_track(session, *where)),
            lambda *where: session.notices.attempt(lambda: names.move_device(session, *where)),
            self._delete,
        )
        self.tree.setHeaderHidden(True)
        self.tree.setIndentation(12)
        self.tree.setUniformRowHeights(True)
        self.tree.setAccessibleName("Tracks, devices and parameters")
        viewport = self.tree.viewport()
        assert viewport is not None
        viewport.installEventFilter(self)
        self.tree.setItemDelegate(Marks(session, levels, self.tree))
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.currentItemChanged.connect(self._choose)
        self.tree.itemClicked.connect(self._clicked)
        self.tree.chosen.connect(self._clicked)
        self.tree.itemDoubleClicked.connect(self._double_click)
        self.tree.itemChanged.connect(self._typed)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 4, 4, 4)
        layout.setSpacing(6)
        self.missed = note()
        self.missed.hide()
        layout.addWidget(self.search)
        layout.addWidget(self.missed)
        layout.addWidget(self.tree)
        self.leaves: dict[tuple[str, str], QTreeWidgetItem] = {}
        self.shape: object = None
        self.lanes: object = None
        self.muted: list[bool] = []
        self.choosing = False
        session.document.changed.connect(self.refresh)
        session.focus.changed.connect(self._show_focus)
        session.shown.changed.connect(self._show_touched)
        session.audition.changed.connect(self._update_heads)
        session.playhead.changed.connect(self._hear)
        self.refresh()

    def begin_search(self) -> None:
        """Go to the search field."""
        self.search.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.search.selectAll()

    def refresh(self) -> None:
        """Show the project's devices; the tree is built again only when they are others."""
        project = self.session.project
        lanes = [(x.device, x.parameter, mark_of(x), x.colour, states_of(project, x)) for x in project.lanes()]
        shape = tuple(
            (t.id, t.name, tuple((d.id, d.name, d.favourites, d.row) for d in t.devices)) for t in project.tracks
        )
        muted = [track.muted for track in project.tracks]
        if muted != self.muted:
            self.muted = muted
            self._update_heads()
        if shape != self.shape:
            self.shape, self.lanes = shape, None
            self._build()
        if lanes == self.lanes:
            return
        self.lanes = lanes
        for (device, parameter), item in self.leaves.items():
            lane = project.device_track(device).lane_on(device, parameter)
            if lane is not None and item.data(0, INK) != lane.colour:
                item.setData(0, INK, lane.colour)
            states = states_of(project, lane)
            if tuple(item.data(0, STATES) or ()) != states:
                item.setData(0, STATES, states)
            self._mark(item, mark_of(lane))
            if lane is not None:
                item.setToolTip(0, f"{item.text(0)}: {', '.join((WORDS[mark_of(lane)], *states))}")
        for top in range(self.tree.topLevelItemCount()):
            head = self.tree.topLevelItem(top)
            if head is not None:
                self._mark_above(head)

    def _build(self) -> None:
        self.tree.blockSignals(True)
        self.tree.clear()
        self.leaves.clear()
        for track in self.session.project.tracks:
            head = QTreeWidgetItem([track.name])
            head.setFont(0, themes.font(9.5, themes.QFont.Weight.DemiBold))
            head.setData(0, TRACK, track.id)
            self.tree.prepare(head)
            self.tree.addTopLevelItem(head)
            for device in track.devices:
                group = QTreeWidgetItem([device.name])
                group.setData(0, DEVICE, device.id)
                self.tree.prepare(group)
                head.addChild(group)
                grouped: dict[str, QTreeWidgetItem] = {}
                plugin = device.row.plugin
                hidden = plugin.hidden if plugin is not None else ()
                for parameter in device.favourites_first:
                    if parameter.id in hidden and parameter.id not in device.favourites:
                        continue  # it is marked as not for show
                    leaf = QTreeWidgetItem([parameter.name])
                    leaf.setData(0, TARGET, (device.id, parameter.id))
                    self.leaves[device.id, parameter.id] = leaf
                    if parameter.id in device.favourites or len(device.parameters) < MANY:
                        group.addChild(leaf)
                        continue
                    under = grouped.get(parameter.group)
                    if under is None:
                        under = grouped[parameter.group] = QTreeWidgetItem([parameter.group])
                        group.addChild(under)
                        under.setExpanded(len(device.parameters) < CROWD)
                    under.addChild(leaf)
            head.setExpanded(True)
        self.tree.blockSignals(False)
        self._show_focus()

    def _mark(self, item: QTreeWidgetItem, mark: str) -> None:
        if item.data(0, MARK) != mark:
            item.setData(0, MARK, mark)
            item.setToolTip(0, f"{item.text(0)}: {WORDS[mark]}" if mark else item.text(0))

    def _mark_above(self, item: QTreeWidgetItem) -> str:
        """A branch bears the strongest mark below it."""
        below = [self._mark_above(item.child(i)) for i in range(item.childCount())]  # type: ignore[arg-type]  # i is below the count
        if not item.childCount():
            return item.data(0, MARK) or ""
        mark = next((m for m in ("on", "bypassed", "hidden") if m in below), "")
        self._mark(item, mark)
        return mark

    def _filter(self, text: str) -> None:
        """Show the parameters that match, and say where none does."""
        count = show_matching(self.session.project, self.leaves, text)
        self.missed.setText(f"Nothing matches “{text.strip()}”. Esc shows everything.")
        self.missed.setVisible(not count and bool(text.strip()))
        if not text.strip():
            self._show_focus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A press on a letter of a track's row is for that letter, not for the row."""
        if isinstance(event, QMouseEvent) and event.type() == QEvent.Type.MouseButtonPress:
            at = event.position().toPoint()
            item = self.tree.itemAt(at)
            track = item.data(0, TRACK) if item else None
            if item is not None and track:
                right = self.tree.visualItemRect(item).right()
                for letter, away in LETTERS:
                    if abs(right - away - at.x()) <= 9:
                        self._letter(track, letter)
                        return True
        return super().eventFilter(watched, event)

    def menu_kind(self, at: QPoint | None) -> str:
        """Select the row, and say what it is of."""
        item = self.tree.currentItem() if at is None else self.tree.itemAt(at)
        if item is None:
            return ""
        self.tree.setCurrentItem(item)
        return self._choose(item)

    def _choose(self, item: QTreeWidgetItem | None) -> str:
        """Show what a row is of: its parameter, device or track. Returns which of these it is; "" for a group."""
        if item is None:
            return ""
        target, track, device = item.data(0, TARGET), item.data(0, TRACK), item.data(0, DEVICE)
        self.choosing = True  # the row stays where it is
        try:
            if target:
                touch(self.session, *target)
                return "parameter"
            if track or device:
                self._focus_on(track, device)
                if track:
                    self.session.shown.show_track(track)
                else:
                    self.session.shown.show(device)
            return "track" if track else "device" if device else ""
        finally:
            self.choosing = False

    def _clicked(self, item: QTreeWidgetItem) -> None:
        """What a row is of is worked on: the keyboard goes to the lane."""
        if self._choose(item):
            key_routing.give_back(self)

    def _delete(self) -> None:
        """Remove what the current row is of."""
        item, session = self.tree.currentItem(), self.session
        kind = self._choose(item)
        if kind == "parameter" and item is not None:
            device, key = item.data(0, TARGET)
            lane = session.project.device_track(device).lane_on(device, key)
            if lane is None:
                session.notices.refuse(ZolvekError(f"{item.text(0)} has no lane."))
                return
            session.focus.on(lane.id)
        if kind:
            self.remove(REMOVING[kind])

    def _focus_on(self, track: str | None, device: str | None) -> None:
        """A lane of the track or the device comes up, so that what its menu does is done there."""
        project, now = self.session.project, self.session.lane
        this_track = (
            next(item for item in project.tracks if item.id == track) if track else project.device_track(str(device))
        )
        lanes = [x for x in this_track.lanes if device is None or x.device == device]
        if lanes and (now is None or all(x.id != now.id for x in lanes)):
            self.session.focus.on(lanes[0].id)

    def _letter(self, track: str, letter: str) -> None:
        owner = next(item for item in self.session.project.tracks if item.id == track)
        (mute_track if letter == "M" else solo_track)(self.session, owner)

    def _update_heads(self) -> None:
        viewport = self.tree.viewport()
        for row in range(self.tree.topLevelItemCount()):
            item = self.tree.topLevelItem(row)
            if item is not None and viewport is not None:
                viewport.update(self.tree.visualItemRect(item))

    def _double_click(self, item: QTreeWidgetItem) -> None:
        """On a parameter: its lane. On a track or a device: its name, to be typed there."""
        if item.data(0, TARGET):
            add_touched_lane(self.session)
        else:
            self.rename(item)

    def rename(self, item: QTreeWidgetItem | None = None) -> None:
        """Type another name where the row of a track or a device stands; else the current one."""
        item = self.tree.currentItem() if item is None else item
        if item is not None and (item.data(0, TRACK) or item.data(0, DEVICE)):
            self.tree.setCurrentItem(item)
            self.tree.scrollToItem(item)
            self.tree.editItem(item, 0)

    def _typed(self, item: QTreeWidgetItem) -> None:
        track, device, text = item.data(0, TRACK), item.data(0, DEVICE), item.text(0)
        session = self.session
        if not (track or device) or text == names.name_of(session, track, device):
            return
        if not session.notices.attempt(lambda: names.rename(session, track, device, text)):
            self.tree.blockSignals(True)
            item.setText(0, names.name_of(session, track, device))
            self.tree.blockSignals(False)

    def row_of(self, track: str | None, device: str | None) -> QTreeWidgetItem | None:
        """The row of a track, or of a device."""
        for top in range(self.tree.topLevelItemCount()):
            head = self.tree.topLevelItem(top)
            for item in (head, *(head.child(i) for i in range(head.childCount()))) if head else ():
                if item is not None and (
                    (track and item.data(0, TRACK) == track) or (device and item.data(0, DEVICE) == device)
                ):
                    return item
        return None

    def _hear(self) -> None:
        levels = self.levels()
        if levels != self.heard:
            self.heard = dict(levels)
            self._update_heads()

    def _take_first(self) -> None:
        for leaf in self.leaves.values():
            if not leaf.isHidden():
                self.search.clear()  # what was looked for has been found
                self.tree.setCurrentItem(leaf)
                self._clicked(leaf)
                return

    def _show(self, row: QTreeWidgetItem | None) -> None:
        if row is not None and row is not self.tree.currentItem() and not self.choosing:
            self.tree.blockSignals(True)
            self.tree.setCurrentItem(row)
            self.tree.scrollToItem(row)
            self.tree.blockSignals(False)

    def _show_focus(self) -> None:
        lane = self.session.lane
        self._show(self.leaves.get((lane.device, lane.parameter)) if lane else None)

    def _show_touched(self) -> None:
        shown = self.session.shown
        if shown.control:
            self._show(self.leaves.get(shown.control))
        elif shown.picked_track:
            self._show(self.row_of(shown.picked_track, None))
        elif shown.picked and (self.session.lane is None or self.session.lane.device != shown.picked):
            self._show(self.row_of(None, shown.picked))
