# SPDX-License-Identifier: GPL-3.0-or-later
"""Scrubbing: the song is heard where the playhead is dragged to."""

from __future__ import annotations

import time

from PyQt6.QtCore import QObject, QTimer

from zolvek.studio.services.playback.player import Player

RELOCATE_EVERY_S = 0.06  # while the pointer moves: between two places that are heard
REST_MS = 160  # without a move, after which nothing is heard


class Scrubber(QObject):
    """A stopped song is heard from each place on until the pointer rests; one that plays goes on from there. A
    transport that others share is only moved."""

    def __init__(self, player: Player) -> None:
        super().__init__(player)
        self.player = player
        self.active = self.goes_on = False
        self.beat = self.began = self.relocated = 0.0
        self.rest = QTimer(self)
        self.rest.setSingleShot(True)
        self.rest.setInterval(REST_MS)
        self.rest.timeout.connect(self._stop)

    def to(self, beat: float) -> None:
        """The playhead is dragged to a beat."""
        player = self.player
        if not self.active:
            self.active, self.began, self.relocated = True, player.began, 0.0
            self.goes_on = player.playing
        self.beat = beat
        now = time.monotonic()
        if self.goes_on or (player.out is not None and player.out.shared):
            player.seek(beat)
        elif now - self.relocated >= RELOCATE_EVERY_S:
            self.relocated = now
            player.start_at(beat)
            self.rest.start()
        else:
            player.session.playhead.go(beat)
            self.rest.start()

    def end(self) -> None:
        """The playhead is released."""
        self.active = False
        if not self.goes_on:
            self._stop()
            self.player.began = self.began

    def _stop(self) -> None:
        self.rest.stop()
        if self.player.playing and not self.goes_on:
            self.player.stop()
        self.player.session.playhead.go(self.beat)
