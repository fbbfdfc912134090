"""The index: every parameter by track and device, with a search field and marks."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import (
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from zolvek.core.project import Lane
from zolvek.studio import theme as themes
from zolvek.studio.lanes.painting import diamond
from zolvek.studio.session import Session

TARGET = Qt.ItemDataRole.UserRole  # (device, parameter) of a leaf
MARK = Qt.ItemDataRole.UserRole + 1  # "on", "bypassed", "hidden" or ""
WORDS = {
    "on": "automated",
    "bypassed": "automated, bypassed",
    "hidden": "automated, hidden",
    "": "",
}


def mark_of(lane: Lane | None) -> str:
    if lane is None:
        return ""
    return "bypassed" if lane.bypassed else "hidden" if lane.hidden else "on"


class Marks(QStyledItemDelegate):
    """Draws a diamond at the right of what is automated: filled, hollow when bypassed,
    dotted when hidden. Shape tells it, not colour alone."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        assert painter is not None
        super().paint(painter, option, index)
        mark = index.data(MARK)
        if not mark:
            return
        theme = themes.THEMES[self.session.settings.theme]
        at = QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = painter.pen()
        pen.setColor(themes.color(theme.curve))
        pen.setWidthF(1.4)
        if mark == "hidden":
            pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.setBrush(themes.color(theme.curve) if mark == "on" else themes.color(theme.sheet))
        painter.drawPolygon(diamond(at.right() - 11, at.center().y(), 4.0))
        painter.restore()


class IndexPanel(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find a parameter")
        self.search.setAccessibleName("Find a parameter")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._filter)
        self.search.returnPressed.connect(self._take_first)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setIndentation(12)
        self.tree.setUniformRowHeights(True)
        self.tree.setAccessibleName("Tracks, devices and parameters")
        self.tree.setItemDelegate(Marks(session, self.tree))
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.currentItemChanged.connect(self._touch)
        self.tree.itemDoubleClicked.connect(lambda *_: self.session.add_touched_lane())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 4, 4, 4)
        layout.setSpacing(6)
        layout.addWidget(self.search)
        layout.addWidget(self.tree)
        self.leaves: dict[tuple[str, str], QTreeWidgetItem] = {}
        self.shape: object = None
        self.lanes: object = None
        session.project_changed.connect(self.refresh)
        session.focus_changed.connect(self._show_focus)
        session.touched.connect(self._show_touched)
        self.refresh()

    def refresh(self) -> None:
        """Show the project's devices; the tree is built anew only when they are others."""
        project = self.session.project
        lanes = [(lane.device, lane.parameter, mark_of(lane)) for lane in project.lanes()]
        shape = tuple(
            (t.id, t.name, tuple((d.id, d.name) for d in t.devices)) for t in project.tracks
        )
        if shape != self.shape:
            self.shape, self.lanes = shape, None
            self._build()
        if lanes == self.lanes:
            return
        self.lanes = lanes
        for track in project.tracks:
            for lane_key, item in self.leaves.items():
                if any(device.id == lane_key[0] for device in track.devices):
                    self._mark(item, mark_of(track.lane_on(*lane_key)))
        for top in range(self.tree.topLevelItemCount()):
            item = self.tree.topLevelItem(top)
            if item is not None:
                self._mark_above(item)

    def _build(self) -> None:
        self.tree.blockSignals(True)
        self.tree.clear()
        self.leaves.clear()
        for track in self.session.project.tracks:
            head = QTreeWidgetItem([track.name])
            head.setFont(0, themes.font(9.5, themes.QFont.Weight.DemiBold))
            self.tree.addTopLevelItem(head)
            for device in track.devices:
                group = QTreeWidgetItem([device.name])
                head.addChild(group)
                for parameter in device.parameters:
                    leaf = QTreeWidgetItem([parameter.name])
                    leaf.setData(0, TARGET, (device.id, parameter.id))
                    group.addChild(leaf)
                    self.leaves[device.id, parameter.id] = leaf
            head.setExpanded(True)
        self.tree.blockSignals(False)
        self._show_focus()

    def _mark(self, item: QTreeWidgetItem, mark: str) -> None:
        if item.data(0, MARK) != mark:
            item.setData(0, MARK, mark)
            item.setToolTip(0, f"{item.text(0)}: {WORDS[mark]}" if mark else item.text(0))

    def _mark_above(self, item: QTreeWidgetItem) -> str:
        """A branch bears the strongest mark below it."""
        below = [self._mark_above(item.child(i)) for i in range(item.childCount())]  # type: ignore[arg-type]
        if not item.childCount():
            return item.data(0, MARK) or ""
        mark = next((m for m in ("on", "bypassed", "hidden") if m in below), "")
        self._mark(item, mark)
        return mark

    def _filter(self, text: str) -> None:
        """Show the leaves of which every word is in track, device, group or name."""
        words = text.lower().split()
        project = self.session.project
        for track in project.tracks:
            for device in track.devices:
                shown = False
                for parameter in device.parameters:
                    named = f"{track.name} {device.name} {parameter.group} {parameter.name}".lower()
                    fits = all(word in named for word in words)
                    leaf = self.leaves[device.id, parameter.id]
                    leaf.setHidden(not fits)
                    shown |= fits
                group = leaf.parent()
                if group is not None:
                    group.setHidden(not shown)
                    group.setExpanded(bool(words) and shown)
        if not words:
            self._show_focus()

    def _take_first(self) -> None:
        for leaf in self.leaves.values():
            if not leaf.isHidden():
                self.tree.setCurrentItem(leaf)
                self.tree.setFocus()
                return

    def _touch(self, item: QTreeWidgetItem | None) -> None:
        target = item.data(0, TARGET) if item else None
        if target:
            self.session.touch(*target)

    def _show(self, target: tuple[str, str] | None) -> None:
        leaf = self.leaves.get(target) if target else None
        if leaf is not None and leaf is not self.tree.currentItem():
            self.tree.blockSignals(True)
            self.tree.setCurrentItem(leaf)
            self.tree.scrollToItem(leaf)
            self.tree.blockSignals(False)

    def _show_focus(self) -> None:
        lane = self.session.lane
        self._show((lane.device, lane.parameter) if lane else None)

    def _show_touched(self) -> None:
        self._show(self.session.touch_target)
