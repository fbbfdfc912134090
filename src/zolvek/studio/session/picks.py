# SPDX-License-Identifier: GPL-3.0-or-later
"""What is selected in lists: a take and a layer of the focus lane, a pattern of the library."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.model.layer import Layer
from zolvek.core.model.take import Take
from zolvek.studio.session.document import Document
from zolvek.studio.session.focus import Focus


class Picks(QObject):
    """`pattern`: the name of one. Of takes and layers the last one counts until another is picked."""

    changed = pyqtSignal()

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.focus = focus
        self.take_id: str | None = None
        self.layer_id: str | None = None
        self.pattern: str | None = None
        document.changed.connect(self._follow)
        focus.changed.connect(self._follow)

    @property
    def take(self) -> Take | None:
        """The selected take, else the last one."""
        lane = self.focus.lane
        takes = lane.takes if lane is not None else ()
        return next((x for x in takes if x.id == self.take_id), takes[-1] if takes else None)

    @property
    def layer(self) -> Layer | None:
        """The selected layer, else the last one."""
        lane = self.focus.lane
        layers = lane.layers if lane is not None else ()
        return next((x for x in layers if x.id == self.layer_id), layers[-1] if layers else None)

    def pick_take(self, key: str | None) -> None:
        """Select a take."""
        if key != self.take_id:
            self.take_id = key
            self.changed.emit()

    def pick_layer(self, key: str | None) -> None:
        """Select a layer."""
        if key != self.layer_id:
            self.layer_id = key
            self.changed.emit()

    def pick_pattern(self, name: str | None) -> None:
        """Select a pattern."""
        if name != self.pattern:
            self.pattern = name
            self.changed.emit()

    def _follow(self) -> None:
        """What no longer exist is not picked."""
        lane = self.focus.lane
        if lane is None or all(x.id != self.take_id for x in lane.takes):
            self.pick_take(None)
        if lane is None or all(x.id != self.layer_id for x in lane.layers):
            self.pick_layer(None)
