"""The window's player: starts and stops playback, and moves the playhead with what is heard."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.document import sections
from zolvek.core.document.listening import heard
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.studio.session import Session

if TYPE_CHECKING:
    from zolvek.sound.clock import Clock
    from zolvek.sound.playback import Playback
    from zolvek.studio.bench.audio import AudioOut

TICK_MS = 16
TROUBLE_MS = 8_000


class Player(QObject):
    """Sound libraries are loaded when it first plays, not when the window opens."""

    changed = pyqtSignal()
    passed = pyqtSignal(float, float)  # from which beat to which it has played on
    stopped = pyqtSignal()
    lost = pyqtSignal(object, bool)  # ZolvekError of the worker, and whether another one goes on
    begun = pyqtSignal(float)  # at which beat it begins, or goes on elsewhere

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.looping = False
        self.playback: Playback | None = None
        self.out: AudioOut | None = None
        self.began = 0.0
        self.gains = (1.0, 1.0)  # of the project and what it is compared with
        self.sent: tuple[object, ...] = ()  # what the playback was given last
        self.trouble = ""  # what is to be read beside the transport, for a while
        self.calm = QTimer(self)
        self.calm.setSingleShot(True)
        self.calm.setInterval(TROUBLE_MS)
        self.calm.timeout.connect(lambda: self._say_trouble(""))
        self.lost.connect(self._lost)
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(self._tick)
        session.document.changed.connect(self._use)
        session.hearing.changed.connect(self._use)
        session.held.changed.connect(self._hold)
        session.span.changed.connect(self._set_loop)

    @property
    def playing(self) -> bool:
        return self.timer.isActive()

    @property
    def clock(self) -> Clock | None:
        """Where we are; None before anything has played."""
        return self.playback

    @property
    def silent(self) -> bool:
        """Whether there is no sound device; known once it has played."""
        return self.out is not None and self.out.silent

    def levels(self) -> dict[str, float]:
        """Each track's highest sample in what is heard now."""
        return self.playback.levels if self.playback is not None and self.playing else {}

    def ready(self) -> Playback:
        if self.playback is None:
            from zolvek.sound.playback import Playback
            from zolvek.studio.bench.audio import AudioOut

            self.playback = Playback(self.session.project)
            self.playback.on_loss = self.lost.emit
            self.out = AudioOut(self.playback, self)
            self.sent = ()
            self._use()
            self._hold()
        return self.playback

    def toggle(self) -> None:
        if self.playing:
            self.stop()
        else:
            self.play()

    def play(self, count_in: int = 0) -> None:
        """Play from the playhead, after `count_in` clicks."""
        playback = self.ready()
        self._use()
        span = self.session.span.beats
        place = self.session.playhead.beat
        if self.looping and span and not span[0] <= place < span[1]:
            place = span[0]
        if place >= self.session.project.length - 1e-6:
            place = 0.0
        self.began = place
        self._set_loop()
        playback.play(place, count_in)
        self.timer.start()
        self.begun.emit(place)
        self.changed.emit()

    def play_selection(self) -> None:
        """Play the selected span in a loop, from the chosen lead before it."""
        span = self.session.span.beats
        if span is None:
            raise ZolvekError("Nothing is selected to play.", remedy="Drag a span on the ruler.")
        self.set_looping(True)
        self.began = max(span[0] - self.session.settings.lead, 0.0)
        self.session.playhead.go(self.began)
        playback = self.ready()
        self._use()
        playback.play(self.began)
        self.timer.start()
        self.begun.emit(self.began)
        self.changed.emit()

    def stop(self) -> None:
        was = self.playing
        self.timer.stop()
        if self.playback:
            self.playback.stop()
        if was:
            self.stopped.emit()
        self.changed.emit()

    def go_back(self) -> None:
        """To where it last began; from there, to the start."""
        self.seek(self.began if self.session.playhead.beat > self.began + 1e-6 else 0.0)

    def seek(self, beat: float) -> None:
        self.session.playhead.go(beat)
        if self.playing:
            assert self.playback is not None
            self.began = beat
            self.playback.play(beat)
            self.begun.emit(beat)

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
            span = self.session.span.beats or (0.0, self.session.project.length)
            self.playback.set_loop(span if self.looping else None)

    def set_gains(self, gains: tuple[float, float]) -> None:
        """Gains of the project and of what it is compared with."""
        self.gains = gains
        self._use()

    def other(self) -> Project | None:
        """What the project is compared with, rendered side by side once it has been asked for."""
        session = self.session
        listening = session.hearing.listening
        if session.hearing.comparing == "bypass":
            return heard(session.project, replace(listening, bypass=True, alone=None))
        if session.hearing.comparing == "version" and session.hearing.version is not None:
            return heard(sections.chosen(session.project, *session.hearing.version), listening)
        if session.hearing.kept is not None:
            return heard(session.hearing.kept, listening)
        return None

    def _use(self) -> None:
        """Give the playback what has changed: project, other version, which of them, metronome."""
        session, playback = self.session, self.playback
        if playback is None:
            return
        listening = session.hearing.listening
        state = (
            session.project,
            listening,
            session.hearing.kept,
            (session.hearing.comparing, session.hearing.version),
            self.gains,
        )
        if len(self.sent) == len(state) and all(
            a is b or (not isinstance(a, Project) and a == b)
            for a, b in zip(state, self.sent, strict=True)
        ):
            return
        before, self.sent = self.sent, state
        playback.use(heard(session.project, listening))
        if (
            not before
            or before[1:] != state[1:]
            or session.hearing.comparing in ("bypass", "version")
        ):
            playback.use_other(self.other())
            playback.hear_other(bool(session.hearing.comparing), self.gains)
            playback.use_metronome(session.hearing.listening.metronome)

    def _hold(self) -> None:
        if self.playback is not None:
            self.playback.hold(self.session.held.values)

    def _lost(self, error: ZolvekError, goes_on: bool) -> None:
        """The sound process is gone: said beside the transport while another one goes on, else in
        full."""
        if goes_on:
            self._say_trouble(error.what)
        else:
            self.stop()
            self.session.notices.report(error)

    def _say_trouble(self, text: str) -> None:
        self.trouble = text
        if text:
            self.calm.start()
        self.changed.emit()

    def _tick(self) -> None:
        clock = self.clock
        if clock is None or not clock.playing:
            self.stop()
            return
        before, now = self.session.playhead.beat, clock.beat
        self.session.playhead.go(now)
        if now > before:
            self.passed.emit(before, now)
        elif now < before:
            self.begun.emit(now)
