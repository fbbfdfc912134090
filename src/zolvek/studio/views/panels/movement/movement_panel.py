# SPDX-License-Identifier: GPL-3.0-or-later
"""The Movement panel: LFOs and randomness, seen before they are written, and layers."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QWidget

from zolvek.core.edits import layers
from zolvek.core.model.layer import Layer, LayerKind
from zolvek.core.records import replace
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import scope_words
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import Pages, column, heading, note
from zolvek.studio.views.panels.movement.generator_page import MakingPage
from zolvek.studio.views.panels.movement.humanise_page import HandPage
from zolvek.studio.views.panels.movement.layers_page import LayersPage, lane_to_change
from zolvek.studio.views.panels.movement.lfo_page import LfoPage
from zolvek.studio.views.panels.movement.random_page import RandomPage

# the page on which a kind of layer is made
MADE_ON: dict[str, str] = {LayerKind.LFO: "LFO", LayerKind.RANDOM: "Random"}


class MovementPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.session = session = studio.session
        self.adjusting: str | None = None  # the layer whose settings are on a page
        self.lfo, self.random, self.hand = LfoPage(studio), RandomPage(studio), HandPage(studio)
        self.making: dict[str, MakingPage] = {
            "LFO": self.lfo, "Random": self.random, "Humanise": self.hand,
        }  # fmt: skip
        self.layers = LayersPage(studio)
        self.layers.wanted.connect(self.add_layer)
        self.layers.adjusted.connect(self._adjust)
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Movement"))
        self.pages = Pages({**self.making, "Layers": self.layers}, across=2)
        layout.addWidget(self.pages, 1)
        for name, button in self.pages.buttons.items():
            button.clicked.connect(lambda _, n=name: self.show_page(n))
        self.counted = note()
        layout.addWidget(self.counted)
        for page in self.making.values():
            page.counted.connect(self.counted.setText)
            page.made.connect(lambda *result: session.notices.attempt(lambda: self._put(*result)))
        RefreshWhileShown(self, self.refresh, (session.focus.changed, session.document.changed, session.span.changed))
        self.show_page("LFO")

    def show_page(self, text: str) -> None:
        """Show a page by its name."""
        self.session.preview.show(None)
        self.pages.show_page(text)
        self.refresh()

    def refresh(self) -> None:
        """Show the lane's layers."""
        session = self.session
        lane = session.lane
        count = len(lane.layers) if lane else 0
        self.pages.buttons["Layers"].setText(f"Layers ({count})" if count else "Layers")
        if session.preview.curve is None:
            self.counted.setText(scope_words(session)[0])
        self.layers.show_lane(lane)

    def _put(self, kind: str, name: str, amount: float, movement: dict[str, Any]) -> None:
        """A new layer, or new settings for the one that is being adjusted. Raises ZolvekError when the
        lane can't be changed."""
        session, lane = self.session, lane_to_change(self.session)
        session.preview.show(None)
        first, last = session.span.beats or (0.0, None)
        old = lane.layer(self.adjusting) if self.adjusting else None
        self.adjusting = None
        if old is not None and old.kind == kind:
            layer = replace(old, amount=amount, name=name, **movement)
        else:
            layer = Layer(layers.free_layer_id(lane), kind, name, first, last, amount, **movement)
        session.document.edit(f"Layer: {name}", layers.with_layer(session.project, lane.id, layer))
        self.show_page("Layers")
        self.layers.choose(layer.id)

    def add_layer(self, kind: str) -> None:
        """A layer of a kind that is drawn, ready to be drawn on."""

        def work() -> None:
            self._put(kind, "", 0.5, {"curve": layers.rest_curve()})
            self.layers.draw_on()

        self.session.notices.attempt(work)

    def _adjust(self, layer: Layer) -> None:
        """The layer's settings on the page they came from; writing it as a layer changes this one."""
        page = MADE_ON.get(layer.kind)
        if page is not None:
            self.making[page].show_layer(layer)
            self.show_page(page)
        self.adjusting = layer.id
        self.counted.setText(f"“Add as layer” changes {layer.label}.")
