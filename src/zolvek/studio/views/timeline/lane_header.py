# SPDX-License-Identifier: GPL-3.0-or-later
"""The header over the ruler: what the focus lane drives, and the state it is in."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from zolvek.core.edits.lanes import is_linked
from zolvek.studio.commands.lanes import change
from zolvek.studio.commands.modes import Mode, modes
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.inline_field import InPlace
from zolvek.studio.toolkit.widgets import ElidedLabel
from zolvek.studio.views.shared.action_buttons import ActionButton


class Modes(QWidget):
    """What makes an edit unheard, unseen or other than usual, a word each; a press ends it."""

    changed = pyqtSignal()

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.session = session = studio.session
        self.keys: list[str] = []
        self.chips: list[QToolButton] = []
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(4)
        self.row.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)
        self.row.addStretch(1)
        self.setMinimumWidth(1)
        for part in (
            session.focus, session.document, session.passes, session.preview, session.audition,
            session.tools, session.playhead, session.span,
        ):  # fmt: skip
            part.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the modes that are on."""
        result = modes(self.session)
        keys = [mode.key for mode in result]
        if keys == self.keys:
            return
        self.keys = keys
        for chip in self.chips:
            self.row.removeWidget(chip)
            chip.hide()
            chip.deleteLater()
        self.chips = [self._chip(mode) for mode in result]
        for chip in self.chips:
            self.row.insertWidget(self.row.count() - 1, chip)
        self.changed.emit()
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """As many as there is room for, the first ones first; no word widens the window."""
        room = self.width()
        for chip in self.chips:
            room -= chip.sizeHint().width() + self.row.spacing()
            chip.setVisible(room >= 0)

    def _chip(self, mode: Mode) -> QToolButton:
        chip = QToolButton()
        chip.setProperty("mode", True)
        chip.setText(f"{mode.word}  ×")
        chip.setAccessibleName(f"End {mode.word}")
        chip.setToolTip(f"{mode.tip}. Click to end.")
        chip.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        chip.clicked.connect(lambda _: self.session.notices.attempt(lambda: mode.end(self.session)))
        return chip


class Head(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.session = session = studio.session
        self.name = ElidedLabel("What the focus lane drives", "heading")
        self.name.setToolTip("Double-click to rename the lane")
        self.name.installEventFilter(self)
        self.field = InPlace(self)
        self.modes = Modes(studio)
        self.note = ElidedLabel("Reach, points and state of the lane")
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 2, 4, 2)
        row.addWidget(self.name, 2)
        row.addWidget(self.note, 3)
        row.addWidget(self.modes, 4)
        self.modes.changed.connect(self._give_room)
        self._give_room()
        for text, key in (("Arm", "arm"), ("Bypass", "bypass")):
            row.addWidget(ActionButton(text, studio.action(key)))
        for part in (session.focus, session.document, session.passes):
            part.changed.connect(self.refresh)
        self.refresh()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A double press on the name: another one is typed there."""
        if event is None or event.type() != QEvent.Type.MouseButtonDblClick:
            return False
        lane = self.session.lane
        if lane is not None:
            area = QRectF(self.name.geometry()).adjusted(-4, 3, 0, -3)
            self.field.ask(
                area,
                "Name of the lane",
                lane.name,
                lambda text: change(self.session, "Rename lane", name=" ".join(text.split())),
            )
            return True
        return False

    def _give_room(self) -> None:
        self.note.setVisible(not self.modes.keys)
        self.modes.setVisible(bool(self.modes.keys))

    def refresh(self) -> None:
        """Show the lane's name and state."""
        session, lane, target = self.session, self.session.lane, self.session.target
        if lane is None or target is None:
            self.name.setText("No lane")
            self.note.setText("")
            return
        self.name.setText(session.project.label_of(lane.id))
        low, high = (target.parameter.text(end) for end in target.reach)
        count = len(target.curve)
        points = "1 point" if count == 1 else f"{count} points"
        layers = len(lane.layers)
        words = (
            "armed" if lane.id in session.passes.armed else "",
            "relative" if lane.relative else "",
            "linked" if is_linked(session.project, lane.id) else "",
            "lane loop" if lane.cycle else "",
            f"{layers} layer" + ("s" if layers > 1 else "") if layers else "",
            f"drawing on {target.aside}" if target.aside else "",
        )
        self.note.setText(", ".join([f"{low} to {high}", points, *filter(None, words)]))
