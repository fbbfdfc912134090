"""The Layers page of the Movement panel: a lane's layers, in the order they are applied."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Lane
from zolvek.core.movement import layering
from zolvek.core.records import replace
from zolvek.core.value.units import read
from zolvek.studio.commands.movement import share_layer
from zolvek.studio.commands.scope import with_own
from zolvek.studio.context import Studio
from zolvek.studio.session import Session
from zolvek.studio.widgets import Entry, button, choice, field_label, page_layout, pick

LAYER = Qt.ItemDataRole.UserRole


def lane_to_change(session: Session) -> Lane:
    """The focus lane. Raises ZolvekError when there is none, or it is locked."""
    lane = session.lane
    if lane is None:
        raise ZolvekError("There is no lane to work on.", remedy="Touch a control and press A.")
    if lane.locked:
        raise ZolvekError("The lane is locked.", remedy="Unlock it first.")
    return lane


class LayersPage(QWidget):
    """`wanted` tells the kind of a new layer that is drawn, `adjusted` a layer whose settings are
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
        self.list.itemChanged.connect(self._toggle)
        self.list.currentItemChanged.connect(lambda *_: self._show_layer())
        layout.addWidget(self.list, 1)
        self.amount = Entry("Amount of the layer", self._type_amount, "−200 to 200 %")
        line = QHBoxLayout()
        line.addWidget(field_label("Amount"))
        line.addWidget(self.amount, 1)
        self.solo = QCheckBox("Solo")
        self.solo.clicked.connect(lambda on: self._change("Solo the layer", solo=on))
        line.addWidget(self.solo)
        layout.addLayout(line)
        self.draw = button(
            "Draw on it", self.draw_on, tip="All the tools of Draw and Shape, on this layer"
        )
        self.draw.setCheckable(True)
        for row in (
            (("+ Offset", lambda: self.wanted.emit("offset"), "A curve added to the base"),
             ("+ Scale", lambda: self.wanted.emit("scale"), "A curve that the base is multiplied by")),
            (("Earlier", lambda: self._move(-1), "Applied earlier"), ("Later", lambda: self._move(1), "Applied later")),
            (("Adjust", self._adjust, "Its settings on the page they came from"), ("Remove", self._remove, "")),
            (("Share…", self._share, "The same movement on another lane, with an amount of its own"), (None, None, "")),
            (("Bake it", lambda: self._bake(False), "Written into the base as points"),
             ("Bake all", lambda: self._bake(True), "All layers, over the selected span or all")),
        ):  # fmt: skip
            line = QHBoxLayout()
            for text, work, tip in row:
                line.addWidget(
                    self.draw
                    if text is None or work is None
                    else button(text, work, text == "Bake all", tip)
                )
            layout.addLayout(line)
        self.edge = choice([("Beyond the reach: clip", False), ("Beyond the reach: fit", True)], "At the reach's edge",
                           self._set_fit)  # fmt: skip
        layout.addWidget(self.edge)
        self.tolerance = Entry(
            "Tolerance of baking", lambda text: read(text, "%") is not None, "Of the lane's height"
        )
        self.tolerance.setText("0.2 %")
        line = QHBoxLayout()
        line.addWidget(field_label("Bake within"))
        line.addWidget(self.tolerance, 1)
        layout.addLayout(line)

    def show_lane(self, lane: Any) -> None:
        chosen = self.chosen
        self.list.blockSignals(True)
        self.list.clear()
        for layer in lane.layers if lane else ():
            drawing = "   (drawn on)" if layer.id == self.session.focus.layer else ""
            solo = "   solo" if layer.solo else ""
            shared = "   shared" if layer.shared else ""
            text = f"{layer.label}  {100 * layer.amount:+.0f} %{solo}{shared}{drawing}".replace(
                "-", "−"
            )
            item = QListWidgetItem(text)
            item.setData(LAYER, layer.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if layer.on else Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.blockSignals(False)
        self.choose(chosen)
        if lane is not None:
            pick(self.edge, lane.fit)
        self._show_layer()

    @property
    def chosen(self) -> str | None:
        item = self.list.currentItem()
        return item.data(LAYER) if item else None

    def choose(self, key: str | None) -> None:
        rows = [self.list.item(i) for i in range(self.list.count())]
        for place, item in enumerate(rows):
            if item is not None and (
                item.data(LAYER) == key or (key is None and place == len(rows) - 1)
            ):
                self.list.setCurrentRow(place)

    @property
    def layer(self) -> Layer | None:
        lane = self.session.lane
        return next((x for x in lane.layers if x.id == self.chosen), None) if lane else None

    def _show_layer(self) -> None:
        layer = self.layer
        for widget in (self.amount, self.solo):
            widget.setEnabled(layer is not None)
        drawable = layer is not None and layer.curve is not None
        self.draw.setEnabled(drawable)
        self.draw.setChecked(
            drawable and layer is not None and self.session.focus.layer == layer.id
        )
        if layer is not None:
            self.amount.show_text(f"{100 * layer.amount:+.1f} %".replace("-", "−"))
            self.solo.setChecked(layer.solo)

    def _change(self, label: str, **changes: Any) -> None:
        def work() -> None:
            lane, layer = lane_to_change(self.session), self.layer
            if layer is not None:
                project = layering.with_layer(
                    self.session.project, lane.id, replace(layer, **changes)
                )
                self.session.document.edit(label, project)

        self.session.notices.try_to(work)

    def _toggle(self, item: QListWidgetItem) -> None:
        self.list.setCurrentItem(item)
        on = item.checkState() == Qt.CheckState.Checked
        self._change("Layer on" if on else "Layer off", on=on)

    def _type_amount(self, text: str) -> bool:
        number = read(text, "%")
        if number is None or not abs(number) <= 200.0:
            return False
        self._change(f"Layer at {text}", amount=number / 100.0)
        return True

    def _move(self, by: int) -> None:
        lane, layer = self.session.lane, self.layer
        if lane is not None and layer is not None:
            self.session.document.edit(
                "Move the layer",
                with_own(self.session, layering.moved_layer(lane, layer.id, by)),
            )

    def _remove(self) -> None:
        lane, layer = self.session.lane, self.layer
        if lane is not None and layer is not None:
            made = layering.without_layer(lane, layer.id)
            self.session.document.edit(
                f"Remove the layer {layer.label}", with_own(self.session, made)
            )

    def draw_on(self) -> None:
        layer = self.layer
        if layer is not None and layer.curve is not None:
            self.session.focus.draw_on_layer(
                None if self.session.focus.layer == layer.id else layer.id
            )
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
            made = with_own(self.session, replace(lane, fit=bool(fit)))
            self.session.document.edit(
                "Fit layers into the reach" if fit else "Clip layers at the reach", made
            )

    def _share(self) -> None:
        """Ask for another lane and an amount there."""
        layer = self.layer
        if layer is not None:
            share_layer(self.studio, layer.id)

    def _bake(self, everything: bool) -> None:
        def work() -> None:
            session, lane = self.session, lane_to_change(self.session)
            chosen = None if everything or self.layer is None else [self.layer.id]
            tolerance = (read(self.tolerance.text(), "%") or 0.2) / 100.0
            done = layering.baked(lane, session.project.tempo, session.project.length, chosen, session.span.beats,
                                min(max(tolerance, 1e-5), 0.5))  # fmt: skip
            session.focus.draw_on_layer(None)
            session.document.edit(
                "Bake all layers" if everything else "Bake the layer",
                with_own(session, done),
            )
            session.notices.say(f"Baked into {len(done.curve)} points.")

        self.session.notices.try_to(work)
