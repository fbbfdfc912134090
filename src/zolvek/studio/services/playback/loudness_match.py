# SPDX-License-Identifier: GPL-3.0-or-later
"""Comparison at equal loudness: both measured in the background, the louder one turned down."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.errors import ZolvekError
from zolvek.studio.services.playback.player import Player, compared_with
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.session.session import Session

LOUDNESS_JOB = "zolvek.sound.jobs.loudness_comparison:job"
AGAIN_MS = 800  # after which edits have come to rest
LONGEST_BEATS = 64.0  # beats that are measured


class EqualLoudness(QObject):
    """`given`: what came of the last measurement, in words."""

    changed = pyqtSignal()

    def __init__(self, session: Session, player: Player) -> None:
        super().__init__()
        self.session, self.player = session, player
        self.message = ""
        self.compared: object = None
        self.background = Background(self)
        self.background.done.connect(self._measured)
        self.background.failed.connect(self._failed)
        self.again = QTimer(self)
        self.again.setSingleShot(True)
        self.again.setInterval(AGAIN_MS)
        self.again.timeout.connect(self.measure)
        session.document.changed.connect(self._later)
        session.audition.changed.connect(self._other)

    def match(self, on: bool) -> None:
        """Measure both versions."""
        self.session.audition.match(on)
        self.measure()

    def measure(self) -> None:
        """Both, over the selected span, or four bars from the playhead on."""
        session = self.session
        other = compared_with(self.session)
        if not session.audition.match_loudness or other is None:
            self._set_message("")
            self.player.set_gains((1.0, 1.0))
            return
        first, last = session.span.beats or (session.playhead.beat, session.playhead.beat + 16.0)
        last = min(last, first + LONGEST_BEATS, session.project.length)
        self._set_message("Measuring the loudness…")
        span = max(min(first, last - 1), 0), last
        self.background.start(LOUDNESS_JOB, session.project, other, span)

    def _later(self) -> None:
        if self.session.audition.match_loudness and self.session.audition.comparing:
            self.again.start()

    def _other(self) -> None:
        """What is compared is another one."""
        audition = self.session.audition
        now = audition.comparing, audition.version, audition.kept
        if now != self.compared:
            self.compared = now
            if audition.match_loudness and audition.comparing:
                self.measure()

    def _measured(self, found: tuple[float, float]) -> None:
        from zolvek.sound.signal.mixing import matching_gains

        self.player.set_gains(matching_gains(*found))
        one, other = (f"{level:.1f} LUFS".replace("-", "−") for level in found)
        self._set_message(f"This: {one}, the other: {other}. The louder one is turned down.")

    def _failed(self, error: ZolvekError) -> None:
        self._set_message("")
        self.session.notices.report(error)

    def _set_message(self, text: str) -> None:
        self.message = text
        self.changed.emit()

    def close(self) -> None:
        """End the measurement."""
        self.again.stop()
        self.background.close()
