"""The Patterns panel: the library with thumbnails, and the slots of the focus lane."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from zolvek.core.curve import spans
from zolvek.core.document import lanes
from zolvek.core.model.project import Pattern
from zolvek.core.movement.playing import filled
from zolvek.core.records import replace
from zolvek.formats import pattern_library
from zolvek.studio import theme as themes
from zolvek.studio.commands.scope import scope, target
from zolvek.studio.context import Studio
from zolvek.studio.lanes.painting import draw_curve
from zolvek.studio.session import NONE_CHOSEN
from zolvek.studio.viewport import Viewport
from zolvek.studio.widgets import button, column, field_label, heading, note

THUMBNAIL = QSize(64, 26)


class PatternsPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        self.found: list[Pattern] = []
        layout = column(self)
        layout.addWidget(heading("Patterns"))
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find a pattern")
        self.search.setAccessibleName("Find a pattern")
        self.search.textChanged.connect(lambda _: self._list())
        layout.addWidget(self.search)
        self.list = QListWidget()
        self.list.setIconSize(THUMBNAIL)
        self.list.setMinimumHeight(150)
        self.list.setAccessibleName("Patterns in the library")
        self.list.itemActivated.connect(lambda _: self.place())
        layout.addWidget(self.list, 1)
        self.fault = note()
        self.fault.setProperty("role", "fault")
        layout.addWidget(self.fault)
        for row in (
            (("Save selection…", self.save, True), ("Place", self.place, False)),
            (("Rename…", self.rename, False), ("Delete", self.delete, False)),
        ):
            line = QHBoxLayout()
            for text, work, main in row:
                line.addWidget(button(text, work, main))
            layout.addLayout(line)
        layout.addWidget(note("Place fills the selected span, or puts it once at the playhead."))
        layout.addWidget(field_label("Slots of this lane"))
        self.slots = QListWidget()
        self.slots.setMaximumHeight(96)
        self.slots.setAccessibleName("Slots of the focus lane")
        self.slots.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout.addWidget(self.slots)
        line = QHBoxLayout()
        line.addWidget(button("Add to slots", self.add_slot))
        line.addWidget(button("Play here", self.play_here, tip="In the section at the playhead"))
        layout.addLayout(line)
        session.focus.changed.connect(self._show_slots)
        session.document.changed.connect(self._show_slots)
        session.look.changed.connect(self._list)
        self.reload()
        self._show_slots()

    def reload(self) -> None:
        """Read the library anew; files that can't be read are named and left out."""
        self.found, faults = pattern_library.load_all()
        self.fault.setText("\n".join(f"Left out: {fault}" for fault in faults))
        self.fault.setVisible(bool(faults))
        self._list()

    def _list(self) -> None:
        words = self.search.text().lower().split()
        self.list.clear()
        for pattern in self.found:
            if all(word in pattern.name.lower() for word in words):
                beats = f"{pattern.length:g} beats"
                item = QListWidgetItem(self._icon(pattern), f"{pattern.name}\n{beats}")
                item.setData(Qt.ItemDataRole.UserRole, pattern.name)
                self.list.addItem(item)

    def _icon(self, pattern: Pattern) -> QIcon:
        theme = themes.THEMES[self.session.settings.theme]
        pixmap = QPixmap(THUMBNAIL)
        pixmap.fill(themes.color(theme.raised))
        view = Viewport(pattern.length)
        view.set_width(THUMBNAIL.width())
        painter = QPainter(pixmap)
        area = QRectF(0, 3, THUMBNAIL.width(), THUMBNAIL.height() - 6)
        draw_curve(painter, pattern.curve, view, area, theme.curve, 1.3)
        painter.end()
        return QIcon(pixmap)

    @property
    def chosen(self) -> Pattern | None:
        item = self.list.currentItem()
        name = item.data(Qt.ItemDataRole.UserRole) if item else None
        return next((p for p in self.found if p.name == name), None)

    def save(self) -> None:
        name = self.studio.ask.text("Save as a pattern", "Name:")
        if name is not None:
            self.save_as(name)

    def save_as(self, name: str) -> None:
        """Keep the scope of the focus lane in the library."""

        def work() -> None:
            curve = target(self.session).curve
            first, last, _ = scope(self.session)
            piece = spans.piece(curve, first, last)
            pattern_library.save(Pattern(name.strip(), last - first, piece))
            self.reload()

        self.session.notices.try_to(work)

    def place(self) -> None:
        pattern, session = self.chosen, self.session
        if pattern is None:
            return

        def work() -> None:
            curve = target(session).curve
            first, last = session.span.beats or (
                session.playhead.beat,
                session.playhead.beat + pattern.length,
            )
            put = filled(pattern, last - first)
            session.edit_curve(
                f"Place {pattern.name}", spans.splice(curve, first, put), NONE_CHOSEN
            )

        session.notices.try_to(work)

    def rename(self) -> None:
        pattern = self.chosen
        if pattern is None:
            return
        name = self.studio.ask.text("Rename the pattern", "Name:", pattern.name)
        if name is not None and name.strip() != pattern.name:
            self.session.notices.try_to(lambda: pattern_library.rename(pattern.name, name.strip()))
            self.reload()

    def delete(self) -> None:
        pattern = self.chosen
        if pattern is not None:
            pattern_library.delete(pattern.name)
            self.session.notices.say(f"Deleted the pattern {pattern.name} from the library.")
            self.reload()

    def _show_slots(self) -> None:
        lane = self.session.lane
        row = self.slots.currentRow()
        self.slots.clear()
        if lane is None:
            return
        starts = {s.beat: s.slot for s in lane.switches}
        for slot, name in [(-1, "Own curve"), *enumerate(p.name for p in lane.slots)]:
            bars = [
                str(self.session.project.meter.bar_at(b)) for b, s in starts.items() if s == slot
            ]
            where = f", from bar {', '.join(bars)}" if bars else ""
            item = QListWidgetItem(f"{name}{where}")
            item.setData(Qt.ItemDataRole.UserRole, slot)
            self.slots.addItem(item)
        self.slots.setCurrentRow(min(max(row, 0), self.slots.count() - 1))

    def add_slot(self) -> None:
        pattern, lane = self.chosen, self.session.lane
        if pattern is not None and lane is not None:
            self.session.edit_lane(
                f"Add {pattern.name} to the slots", replace(lane, slots=(*lane.slots, pattern))
            )

    def play_here(self) -> None:
        """The chosen slot plays in the section at the playhead."""
        lane, item = self.session.lane, self.slots.currentItem()
        if lane is None or item is None:
            return
        slot, project = int(item.data(Qt.ItemDataRole.UserRole)), self.session.project
        first, last = project.section_at(self.session.playhead.beat)
        before = next((s.slot for s in reversed(lane.switches) if s.beat <= last), -1)
        changed = lanes.with_switch(lane, first, slot)
        if last < project.length and all(s.beat != last for s in changed.switches):
            changed = lanes.with_switch(changed, last, before)
        self.session.edit_lane("Switch the slot for this section", changed)
