# SPDX-License-Identifier: GPL-3.0-or-later
"""The bench: the dials of the focused device, turning as the curve plays."""

from __future__ import annotations

from itertools import takewhile

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.model.project import Device
from zolvek.studio.commands.controls import add_touched_lane, can_add_lane, driven
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import ElidedLabel
from zolvek.studio.views.bench.dial_choice import MOST, Choice, DialChoice, chosen_dials, group_with, names_in
from zolvek.studio.views.shared.dial import HEIGHT, WIDTH, Dial

REMEMBERED = 16  # controls that were touched last, which keep their dials
DRIVEN = ("from-dial", "bypass", "arm", "dial-type")


class Bench(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, session = studio, studio.session
        self.session = session
        self.asked: object = None  # device, favourites, choice: what its dials follow from
        self.shown: object = None  # and which dials these are
        self.touched: list[tuple[str, str]] = []  # the last ones first
        self.brought_up = True  # the control touched last is in view
        self.bringing = QTimer(self)
        self.bringing.setSingleShot(True)
        self.bringing.timeout.connect(self._bring_up)
        self.dials: list[Dial] = []
        self.heading = ElidedLabel("The device whose dials are shown", "heading")
        self.heading.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.offer = ElidedLabel("Commands for the touched control")
        self.offer.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.add = QPushButton("Add a lane (A)")
        self.add.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.add.clicked.connect(lambda: add_touched_lane(session))
        self.head = QWidget()  # the window sets it next to the transport
        top = QHBoxLayout(self.head)
        top.setContentsMargins(12, 4, 12, 4)
        self.learn = QToolButton()
        self.learn.setDefaultAction(studio.action("learn-favourites"))
        self.learn.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        top.addWidget(self.offer, 1)
        # What a control offers whose lane drives it.
        self.driven = QToolButton()
        self.driven.setText("Driven by its lane")
        self.driven.setAccessibleName("Commands for a control that its lane drives")
        self.driven.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.driven.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        offers = QMenu(self.driven)
        offers.addActions([studio.action(key) for key in DRIVEN])
        self.driven.setMenu(offers)
        for widget in (self.add, self.driven, self.learn):
            top.addWidget(widget)
        top.addWidget(self.heading, 1)
        self._lay_out_dials()
        session.focus.changed.connect(self.refresh)
        session.shown.changed.connect(self.refresh)
        session.document.changed.connect(self.refresh)
        session.passes.changed.connect(self._offer)
        session.passes.changed.connect(lambda: [dial.update() for dial in self.dials])
        session.held.changed.connect(self.update_dials)
        session.look.changed.connect(self.update_dials)
        session.playhead.changed.connect(self.update_dials)
        self.refresh()

    def _lay_out_dials(self) -> None:
        """The row of dials, and what chooses among many."""
        self.row = QWidget()
        self.row_layout = QHBoxLayout(self.row)
        self.row_layout.setContentsMargins(8, 0, 8, 0)
        self.row_layout.setSpacing(4)
        self.choice = DialChoice()
        self.choice.changed.connect(self.refresh)
        self.choices: dict[str, Choice] = {}  # by device, as it was left
        self.chosen_for: str | None = None
        self.nothing = QLabel("No control of this device has these words.")
        self.nothing.setProperty("quiet", True)
        self.area = scroll = QScrollArea()
        scroll.setWidget(self.row)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setFixedHeight(HEIGHT + 4)  # the same for every device: nothing moves when another is shown
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        row = QHBoxLayout()
        row.setSpacing(0)
        row.addWidget(self.choice)
        row.addWidget(self.nothing)
        row.addWidget(scroll, 1)
        layout.addLayout(row)

    def refresh(self) -> None:
        """Show the session's device."""
        session = self.session
        device = session.shown.device
        asked: tuple[object, ...] = ()
        if device is not None:
            this_device = session.project.device_track(device).device(device)
            self._remember()
            if self.chosen_for != device or not self.brought_up:
                self._choose(this_device)
            choice = self.choice.choice
            asked = device, this_device.name, this_device.favourites, this_device.row, choice, self._kept(this_device)
        if asked != self.asked:  # an edit of something else costs nothing here
            self.asked = asked
            self._show(device)
        if not self.brought_up:
            self.brought_up = True
            self.bringing.start()  # new dials have their places then
        self._offer()
        self.update_dials()

    def _remember(self) -> None:
        control = self.session.shown.control
        if control is not None and control not in self.touched[:1]:
            rest = [item for item in self.touched if item != control]
            self.touched = [control, *rest][:REMEMBERED]
            self.brought_up = False

    def _choose(self, device: Device) -> None:
        """The choice as it was left for this device; a control that is touched elsewhere brings its group up."""
        if self.chosen_for != device.id:
            if self.chosen_for is not None:
                self.choices[self.chosen_for] = self.choice.choice
            self.chosen_for = device.id
            self.choice.take(self.choices.get(device.id, Choice()))
        control = self.session.shown.control
        touched = control[1] if control is not None and control[0] == device.id and not self.brought_up else ""
        offered = chosen_dials(device, self.choice.choice, self._kept(device)) if touched else []
        if touched and all(parameter.id != touched for parameter in offered):
            self.choice.take(Choice(group_with(device, touched)))

    def _bring_up(self) -> None:
        """The dial of the control touched last is scrolled to."""
        dial = self.first_dial()
        if dial is not None and (dial.device, dial.parameter.id) == self.session.shown.control:
            self.area.ensureWidgetVisible(dial, WIDTH, 0)

    def _kept(self, own: Device) -> tuple[str, ...]:
        """Those of many parameters that have dials in any case: the favourites, those that were touched last or have
        lanes."""
        track = self.session.project.device_track(own.id)
        driven = [lane.parameter for lane in track.lanes if lane.device == own.id]
        touched = [key for device, key in self.touched if device == own.id]
        return tuple(sorted(list(dict.fromkeys([*own.favourites, *touched, *driven]))[:MOST]))

    def _show(self, device: str | None) -> None:
        own = self.session.project.device_track(device).device(device) if device is not None else None
        self.choice.offer(own)
        offered = chosen_dials(own, self.choice.choice, self._kept(own)) if own is not None else []
        if own is None:
            self.heading.setText("No device")
        else:
            self.heading.setText(f"{self.session.project.device_track(own.id).name} · {own.name}")
        self.nothing.setVisible(not offered and bool(self.choice.choice.words))
        shown = (own.id, own.name, own.favourites, own.row, self.choice.choice) if own is not None else ()
        if (shown, offered) == self.shown:
            return
        self.shown = shown, offered
        for dial in self.dials:
            dial.hide()  # its device may be gone before it is
            dial.deleteLater()
        self.dials = []
        while self.row_layout.count():
            taken = self.row_layout.takeAt(0)
            rule = taken.widget() if taken else None
            if isinstance(rule, QFrame):
                rule.deleteLater()
        if own is None:
            return
        favourites = sum(1 for _ in takewhile(lambda p: p.id in own.favourites, offered))
        for index, (parameter, name) in enumerate(zip(offered, names_in(offered, self.choice.choice), strict=True)):
            if index and index == favourites:
                self.row_layout.addWidget(_upright())
            dial = Dial(self.session, self.studio.ask, own.id, parameter, name)
            self.dials.append(dial)
            self.studio.show.context_menu(dial, dial.menu_kind)
            self.row_layout.addWidget(dial)
        self.row_layout.addStretch(1)
        self.row.setMinimumWidth(len(self.dials) * (WIDTH + 4) + 16)

    def first_dial(self) -> Dial | None:
        """Where the keyboard begins: the touched control's, else the first."""
        control = self.session.shown.control
        touched = (d for d in self.dials if control == (d.device, d.parameter.id))
        return next(touched, next(iter(self.dials), None))

    def _offer(self) -> None:
        offered = can_add_lane(self.session)
        self.add.setVisible(offered)
        target = self.session.shown.control
        text = ""
        if self.session.passes.learning == "favourites":
            text = "Touch a control to make it a favourite, or again to remove it."
        elif offered and target:
            device = self.session.project.device_track(target[0]).device(target[0])
            text = f"{device.parameter(target[1]).name} has no lane yet."
        self.offer.setText(text)
        self.offer.setVisible(bool(text))
        is_driven = bool(driven(self.session)) and self.session.passes.learning == ""
        self.driven.setVisible(is_driven)
        self.learn.setVisible(not is_driven and not offered)

    def update_dials(self) -> None:
        """Show the values that are heard now."""
        for dial in self.dials:
            dial.refresh()


def _upright() -> QFrame:
    """Between the favourites and the other dials."""
    rule = QFrame()
    rule.setProperty("rule", True)
    rule.setFixedSize(1, HEIGHT - 16)
    return rule
