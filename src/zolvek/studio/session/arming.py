# SPDX-License-Identifier: GPL-3.0-or-later
"""Arming: the armed lanes, the running pass, and what is learned."""

from __future__ import annotations

from typing import Protocol

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.arrays import Floats
from zolvek.studio.session.document import Document
from zolvek.studio.session.settings import Settings


class Hands(Protocol):
    """What is informed of the user's moves: positions 0..1 of parameters, and when they were made
    (time.perf_counter). True when it takes the move, so that nothing else does."""

    @property
    def recording(self) -> bool:
        """Whether a pass is recorded."""
        ...

    def missed(self, lane: str) -> None:
        """A lane that is not armed was moved in a pass."""
        ...

    def press(self, device: str, key: str, position: float, seconds: float | None) -> bool:
        """A control is held."""
        ...

    def move(self, device: str, key: str, position: float, seconds: float | None) -> bool:
        """A control moves; whether that is recorded."""
        ...

    def release(self, device: str, key: str, seconds: float | None) -> bool:
        """A control is released."""
        ...

    def live(self, lane: str, first: float, last: float) -> tuple[Floats, Floats]:
        """The positions of controls that are held now."""
        ...


class Passes(QObject):
    """`armed`: lanes that a pass writes; `hands` takes the moves of a pass; `recording`: one is
    going on; `learning`: "", "favourites" or "controls"."""

    changed = pyqtSignal()

    def __init__(self, document: Document, settings: Settings) -> None:
        super().__init__()
        self.document, self.settings, self.known = document, settings, document.opened
        self.hands: Hands | None = None
        self.armed: frozenset[str] = frozenset()
        self.learning = ""
        document.changed.connect(self._follow)

    @property
    def recording(self) -> bool:
        """Whether a pass is recorded."""
        return self.hands is not None and self.hands.recording

    def attach(self, hands: Hands) -> None:
        """Moves go to `hands` from now on."""
        self.hands = hands
        self.changed.emit()

    def notify(self) -> None:
        """Called by the hands when a pass begins or ends."""
        self.changed.emit()

    def arm(self, lane: str) -> None:
        """The lane among those that a pass writes, or no longer; never another one with it."""
        self.armed = self.armed ^ {lane}
        self.changed.emit()

    def disarm_all(self) -> None:
        """Disarm all lanes."""
        self.armed = frozenset()
        self.changed.emit()

    def set_mode(self, mode: str) -> None:
        """What a pass does: a key of core.movement.recording.passes.MODES."""
        self.settings.recording.mode = mode
        self.changed.emit()

    def learn(self, what: str) -> None:
        """Start or end learning."""
        self.learning = what
        self.changed.emit()

    def _follow(self) -> None:
        if self.known is not self.document.opened:
            self.known = self.document.opened
            self.learning = ""
            self.disarm_all()
            return
        gone = {lane for lane in self.armed if not self.document.project.has_lane(lane)}
        if gone:
            self.armed -= gone
            self.changed.emit()
