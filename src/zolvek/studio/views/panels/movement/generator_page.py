# SPDX-License-Identifier: GPL-3.0-or-later
"""What the pages of the Movement panel that make movement have in common: it is seen before it is
written, and written as one step or put on as a layer."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zolvek.core.curve.curve import Curve
from zolvek.core.model.layer import Layer
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import scope
from zolvek.studio.session.session import NONE_CHOSEN
from zolvek.studio.toolkit.fields import SeedEntry
from zolvek.studio.toolkit.widgets import button, field_label, page_layout


class MakingPage(QWidget):
    """A page says by `made` what is to become a layer: kind, name, amount, and the movement by the name
    of a layer's field. `counted`: what is said of a preview."""

    made = pyqtSignal(str, str, float, dict)
    counted = pyqtSignal(str)

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        self.room: QVBoxLayout = page_layout(self)
        self.seeds: list[SeedEntry] = []

    # --- what a page says ---

    @property
    def label(self) -> str:
        """What writing it is called."""
        raise NotImplementedError

    def result(self) -> Curve:
        """The curve as it would be. Raises ZolvekError when that can't be made."""
        raise NotImplementedError

    def may_write(self) -> bool:
        """Whether it may be written; asks where that would be rash."""
        return True

    def written(self) -> None:
        """It has been written."""

    def show_layer(self, layer: Layer) -> None:
        """The settings of a layer that was made here."""
        raise NotImplementedError

    # --- what all do ---

    @property
    def span(self) -> tuple[float, float]:
        """The span that is written to."""
        first, last, _ = scope(self.session)
        return first, min(last, max(self.session.project.length, first + 1e-3))

    def finish(self, as_layer: Callable[[], None] | None) -> None:
        """At the foot: preview, write, and put on as a layer."""
        line = QHBoxLayout()
        line.addWidget(
            button(
                "Preview",
                self.preview,
                tip="Shows it over the current curve, and plays it during playback",
            )
        )
        line.addWidget(button("Write", self.write, True, "Writes it to the lane as points"))
        self.room.addLayout(line)
        if as_layer is not None:
            self.room.addWidget(
                button(
                    "Add as layer",
                    partial(self._put_on, as_layer),
                    tip="Adds it as a layer, adjustable until baked",
                )
            )
        self.room.addStretch(1)

    def seed_row(self, entry: SeedEntry) -> QWidget:
        """The seed: shown, typed, or rolled again."""

        def roll() -> None:
            entry.roll()
            self.changed(True)

        self.seeds.append(entry)
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(field_label("Seed", entry))
        line.addWidget(entry, 1)
        line.addWidget(button("New seed", roll, tip="New seed"))
        return row

    def _renew(self) -> object:
        """Where it is written, with another seed than elsewhere."""
        situation = (self.session.document.opened, self.session.focus.id, self.span)
        for entry in self.seeds:
            entry.renew(situation)
        return situation

    def _put_on(self, as_layer: Callable[[], None]) -> None:
        def work() -> None:
            self._renew()
            as_layer()
            for entry in self.seeds:
                entry.used = object()  # the next layer is another one wherever it is put

        self.session.notices.attempt(work)

    def changed(self, always: bool = False, *_: Any) -> None:
        """A setting has changed: the preview follows."""
        if self.isVisible() or always is True:
            self.preview()

    def preview(self) -> bool:
        """Show the movement as a preview."""

        def work() -> None:
            self._renew()
            result = self.result()
            self.session.preview.show(result)
            inside = (result.beat >= self.span[0]) & (result.beat <= self.span[1])
            self.counted.emit(f"{int(inside.sum())} points. Esc cancels.")

        return self.session.notices.attempt(work)

    def write(self) -> None:
        """Write the movement into the lane."""

        def work() -> None:
            situation = self._renew()
            if self.may_write():
                result = self.result()
                self.session.preview.show(None)
                self.session.edit_curve(self.label, result, NONE_CHOSEN)
                self.written()
                for entry in self.seeds:
                    entry.used = situation

        self.session.notices.attempt(work)
