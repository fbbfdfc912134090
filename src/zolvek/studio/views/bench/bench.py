# SPDX-License-Identifier: GPL-3.0-or-later
"""The bench: the dials of the focused device, turning as the curve plays."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.model.project import Device
from zolvek.core.value.parameter import Parameter
from zolvek.studio.commands.controls import add_touched_lane, can_add_lane, driven
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import ElidedLabel
from zolvek.studio.views.shared.dial import HEIGHT, WIDTH, Dial

MOST = 64  # dials at once: plugins have hundreds of parameters, the others are found in the index
REMEMBERED = 16  # controls that were touched last, which keep their dials
DRIVEN = ("from-dial", "bypass", "arm", "dial-type")


class Bench(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, session = studio, studio.session
        self.session = session
        self.shown: object = None  # device, name, favourites, which dials
        self.touched: list[tuple[str, str]] = []  # the last ones first
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
        self.row = QWidget()
        self.row_layout = QHBoxLayout(self.row)
        self.row_layout.setContentsMargins(8, 0, 8, 0)
        self.row_layout.setSpacing(4)
        self.more = QPushButton()
        self.more.setToolTip("Find it by name in the index; touch it there to see its dial here")
        self.more.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.more.clicked.connect(lambda: studio.show.search())
        scroll = QScrollArea()
        scroll.setWidget(self.row)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setFixedHeight(HEIGHT + 4)  # the same for every device: nothing moves when another is shown
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(scroll)
        session.focus.changed.connect(self.refresh)
        session.shown.changed.connect(self.refresh)
        session.document.changed.connect(self.refresh)
        session.passes.changed.connect(self._offer)
        session.passes.changed.connect(lambda: [dial.update() for dial in self.dials])
        session.held.changed.connect(self.update_dials)
        session.look.changed.connect(self.update_dials)
        session.playhead.changed.connect(self.update_dials)
        self.refresh()

    def refresh(self) -> None:
        """Show the session's device."""
        session = self.session
        device = session.shown.device
        shown = None
        if device is not None:
            this_device = session.project.device_track(device).device(device)
            self._remember()
            shown = (device, this_device.name, this_device.favourites, this_device.row, self._offered(this_device))
        if shown != self.shown:
            self.shown = shown
            self._show(device)
        self._offer()
        self.update_dials()

    def _remember(self) -> None:
        control = self.session.shown.control
        if control is not None and control not in self.touched[:1]:
            rest = [item for item in self.touched if item != control]
            self.touched = [control, *rest][:REMEMBERED]

    def _offered(self, own: Device) -> tuple[Parameter, ...]:
        """The parameters that have dials: all; of many, besides the favourites, those that were touched last
        or have lanes, and then the first ones that are meant for show."""
        every = own.favourites_first
        hidden = set(own.row.plugin.hidden) if own.row.plugin is not None else set()
        kept = {key for device, key in self.touched if device == own.id} | set(own.favourites)
        track = self.session.project.device_track(own.id)
        driven = [lane.parameter for lane in track.lanes if lane.device == own.id]
        kept.update(driven[: max(MOST - len(kept), 0)] if len(every) > MOST else driven)
        room = MOST - len(kept)
        for parameter in every:
            if room <= 0:
                break
            if parameter.id not in kept and parameter.id not in hidden:
                kept.add(parameter.id)
                room -= 1
        return tuple(parameter for parameter in every if parameter.id in kept)

    def _show(self, device: str | None) -> None:
        for dial in self.dials:
            dial.hide()  # its device may be gone before it is
            dial.deleteLater()
        self.dials = []
        while self.row_layout.count():
            taken = self.row_layout.takeAt(0)
            rule = taken.widget() if taken else None
            if isinstance(rule, QFrame):
                rule.deleteLater()
        if device is None:
            self.heading.setText("No device")
            return
        track = self.session.project.device_track(device)
        this_device = track.device(device)
        self.heading.setText(f"{track.name} · {this_device.name}")
        offered = self._offered(this_device)
        for index, parameter in enumerate(offered):
            if index and index == len(this_device.favourites):
                self.row_layout.addWidget(_upright())
            dial = Dial(self.session, self.studio.ask, device, parameter)
            self.dials.append(dial)
            self.studio.show.context_menu(dial, dial.menu_kind)
            self.row_layout.addWidget(dial)
        hidden = this_device.row.plugin.hidden if this_device.row.plugin is not None else ()
        more = len({p.id for p in this_device.parameters} - {p.id for p in offered} - set(hidden))
        if more:
            self.more.setText(f"{more} more")
            self.row_layout.addWidget(self.more)
        self.more.setVisible(bool(more))
        self.row_layout.addStretch(1)
        width = len(self.dials) * (WIDTH + 4) + 16
        self.row.setMinimumWidth(width + (self.more.sizeHint().width() + 8 if more else 0))

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
