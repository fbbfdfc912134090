# SPDX-License-Identifier: GPL-3.0-or-later
"""The Layers page of the Movement panel: a lane's layers, in the order they are applied."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import LAYER_KINDS, Layer
from zolvek.core.model.project import Lane
from zolvek.core.records import replace
from zolvek.core.value.number_entry import number_of
from zolvek.studio.commands import layers
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import with_own
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.fields import Entry
from zolvek.studio.toolkit.widgets import button, choice, field_label, page_layout, pick
from zolvek.studio.views.shared.action_buttons import action_buttons

LAYER = Qt.ItemDataRole.UserRole
LAYER_BUTTONS = (
    (("Draw", "layer-draw"), ("Depth", "layer-depth"), ("Rate", "layer-rate")),
    (("Bake", "layer-bake"), ("Bake all", "bake-all"), ("Remove", "layer-remove")),
)


def lane_to_change(session: Session) -> Lane:
    """The focus lane. Raises ZolvekError when there is none, or it is locked."""
    lane = session.lane
    if lane is None:
        raise ZolvekError("There is no lane to work on.", remedy="Touch a control and press A.")
    if lane.locked:
        raise ZolvekError("The lane is locked.", remedy="Unlock it first.")
    return lane


class LayersPage(QWidget):
    """`wanted` gives the kind of a new layer that is drawn, `adjusted` a layer whose settings are
    to be changed where they were made."""

    wanted = pyqtSignal(str)
    adjusted = pyqtSignal(object)  # Layer

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        layout = page_layout(self)
        self.list = QListWidget()
        self.list.setAccessibleName("Layers of the lane")
        self.list.setMinimumHeight(96)
        self.list.setToolTip("Right-click a layer to rename, move, fit or share it")
        self.list.itemChanged.connect(self._toggle)
        self.list.currentItemChanged.connect(self._pick)
        studio.show.context_menu(self.list, lambda _: "layer" if self.list.currentItem() else "")
        layout.addWidget(self.list, 1)
        self.amount = Entry("Depth of the layer", self._type_amount, "−200 to 200 %")
        line = QHBoxLayout()
        line.addWidget(field_label("Depth", self.amount))
        line.addWidget(self.amount, 1)
        self.solo = QCheckBox("Solo")
        self.solo.clicked.connect(lambda on: self._change("Solo the layer", solo=on))
        line.addWidget(self.solo)
        layout.addLayout(line)
        line = QHBoxLayout()
        for text, kind, tip in (
            ("+ Offset", "offset", "Adds a curve to the base"),
            ("+ Scale", "scale", "Multiplies the base by a curve"),
        ):
            line.addWidget(button(text, partial(self.wanted.emit, kind), tip=tip))
        line.addWidget(button("Adjust", self._adjust, tip="Opens its settings"))
        layout.addLayout(line)
        layout.addLayout(action_buttons(studio, LAYER_BUTTONS))
        self.edge = choice(
            [("Beyond the reach: clip", False), ("Beyond the reach: fit", True)],
            "At the edge of the reach",
            self._set_fit,
        )
        layout.addWidget(self.edge)
        self.tolerance = Entry("Baking tolerance", self._type_tolerance, "Of the lane's height")
        self.tolerance.show_text(f"{100 * session.settings.editing.bake_tolerance:g} %")
        line = QHBoxLayout()
        line.addWidget(field_label("Tolerance", self.tolerance))
        line.addWidget(self.tolerance, 1)
        layout.addLayout(line)

    def show_lane(self, lane: Any) -> None:
        """Show a lane's layers."""
        self.list.blockSignals(True)
        self.list.clear()
        for layer in lane.layers if lane else ():
            item = QListWidgetItem(self._words(layer))
            item.setData(LAYER, layer.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if layer.on else Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.blockSignals(False)
        self._show_picked()
        if lane is not None:
            pick(self.edge, lane.fit)
        self._show_layer()

    def _words(self, layer: Layer) -> str:
        """Its name and kind, span and depth, and its states."""
        session = self.session
        text = session.project.meter.text
        kind = LAYER_KINDS[layer.kind][0]
        name = f"{layer.name} ({kind})" if layer.name and layer.name != kind else kind
        last = session.project.length if layer.last is None else layer.last
        whole = layer.first <= 0.0 and layer.last is None
        span = "whole lane" if whole else f"{text(layer.first)} to {text(last)}"
        drawn = ", drawn" if layer.amount_way is not None else ""
        states = (
            "solo" if layer.solo else "",
            "shared" if layer.shared else "",
            "editing" if layer.id == session.focus.layer else "",
        )
        depth = f"{100 * layer.amount:+.0f} %{drawn}".replace("-", "−")
        return f"{name}  {depth}\n{', '.join([span, *filter(None, states)])}"

    def _pick(self, item: QListWidgetItem | None) -> None:
        self.session.picked.pick_layer(item.data(LAYER) if item is not None else None)
        self._show_layer()

    def choose(self, key: str | None) -> None:
        """Select a layer."""
        self.session.picked.pick_layer(key)
        self._show_picked()

    def _show_picked(self) -> None:
        layer = self.session.picked.layer
        rows = [self.list.item(i) for i in range(self.list.count())]
        for index, item in enumerate(rows):
            if item is not None and layer is not None and item.data(LAYER) == layer.id:
                self.list.setCurrentRow(index)

    @property
    def layer(self) -> Layer | None:
        """The selected layer."""
        return self.session.picked.layer

    def _show_layer(self) -> None:
        layer = self.layer
        for widget in (self.amount, self.solo):
            widget.setEnabled(layer is not None)
        if layer is not None:
            self.amount.show_text(f"{100 * layer.amount:+.1f} %".replace("-", "−"))
            self.solo.setChecked(layer.solo)

    def _type_tolerance(self, text: str) -> None:
        number = number_of(text, "%", 0.001, 20.0, "Tolerance")
        self.session.settings.editing.bake_tolerance = number / 100.0

    def _change(self, label: str, **changes: Any) -> None:
        self.session.notices.attempt(lambda: layers.change(self.session, label, **changes))

    def _toggle(self, item: QListWidgetItem) -> None:
        self.list.setCurrentItem(item)
        self.session.notices.attempt(lambda: layers.toggle(self.session))

    def _type_amount(self, text: str) -> None:
        number = number_of(text, "%", -200.0, 200.0, "Depth of the layer")
        layers.change(self.session, f"Layer at {number:g} %", amount=number / 100.0)

    def draw_on(self) -> None:
        """Draw on the layer, or on the base again."""
        self.session.notices.attempt(lambda: layers.draw_on(self.session))
        self.show_lane(self.session.lane)

    def _adjust(self) -> None:
        layer = self.layer
        if layer is not None and layer.lfo is None and layer.random is None:
            self.draw_on()
        elif layer is not None:
            self.adjusted.emit(layer)

    def _set_fit(self, fit: object) -> None:
        lane = self.session.lane
        if lane is not None and lane.fit != fit:
            result = with_own(self.session, replace(lane, fit=bool(fit)))
            self.session.document.edit("Fit layers into the reach" if fit else "Clip layers at the reach", result)
