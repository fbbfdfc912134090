"""The window's player: starts and stops playback, and moves the playhead with what is heard."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.studio.session import Session

if TYPE_CHECKING:
    from zolvek.sound.playback import Playback
    from zolvek.studio.bench.audio import AudioOut

TICK_MS = 16


class Player(QObject):
    """Sound libraries are loaded when it first plays, not when the window opens."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.looping = False
        self.playback: Playback | None = None
        self.out: AudioOut | None = None
        self.began = 0.0
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(self._tick)
        session.project_changed.connect(self._use)
        session.span_changed.connect(self._set_loop)

    @property
    def playing(self) -> bool:
        return self.timer.isActive()

    @property
    def silent(self) -> bool:
        """Whether there is no sound device; known once it has played."""
        return self.out is not None and self.out.silent

    def ready(self) -> Playback:
        if self.playback is None:
            from zolvek.sound.playback import Playback
            from zolvek.studio.bench.audio import AudioOut

            self.playback = Playback(self.session.project)
            self.out = AudioOut(self.playback, self)
        return self.playback

    def toggle(self) -> None:
        if self.playing:
            self.stop()
        else:
            self.play()

    def play(self) -> None:
        playback = self.ready()
        playback.use(self.session.project)
        span = self.session.span
        place = self.session.place
        if self.looping and span and not span[0] <= place < span[1]:
            place = span[0]
        if place >= self.session.project.length - 1e-6:
            place = 0.0
        self.began = place
        self._set_loop()
        playback.play(place)
        self.timer.start()
        self.changed.emit()

    def stop(self) -> None:
        self.timer.stop()
        if self.playback:
            self.playback.stop()
        self.changed.emit()

    def go_back(self) -> None:
        """To where it last began; from there, to the start."""
        self.seek(self.began if self.session.place > self.began + 1e-6 else 0.0)

    def seek(self, beat: float) -> None:
        self.session.set_place(beat)
        if self.playing:
            assert self.playback is not None
            self.began = beat
            self.playback.play(beat)

    def set_looping(self, on: bool) -> None:
        self.looping = on
        self._set_loop()
        self.changed.emit()

    def close(self) -> None:
        self.stop()
        if self.out:
            self.out.close()
        if self.playback:
            self.playback.close()

    def _set_loop(self) -> None:
        if self.playback:
            span = self.session.span or (0.0, self.session.project.length)
            self.playback.set_loop(span if self.looping else None)

    def _use(self) -> None:
        if self.playback:
            self.playback.use(self.session.project)

    def _tick(self) -> None:
        assert self.playback is not None
        if not self.playback.playing:
            self.stop()
            return
        self.session.set_place(self.playback.beat)
