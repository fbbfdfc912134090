# SPDX-License-Identifier: GPL-3.0-or-later
"""The window's player: starts and stops playback, and moves the playhead with what is heard."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.edits import sections
from zolvek.core.edits.monitoring import heard
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.studio.services.playback.count_in import CountIn
from zolvek.studio.session.session import Session

if TYPE_CHECKING:
    from zolvek.sound.playback.clock import Clock
    from zolvek.sound.playback.playback import Playback
    from zolvek.sound.playback.transport import Transport

TICK_MS = 16
LOOK_MS = 30  # between looks whether others has started or moved the song
JITTER_BEATS = 0.05  # beats that the clock may seem to go back by
STOP_TIMEOUT_S = 0.4  # seconds that stopping may take
ARRIVES, NEAR = (
    1.0,
    2.0,
)  # seconds that going elsewhere may take; beats that it is further on by then
RELOCATED_FROM_BEATS = 1e-3  # beats off from which another place is meant
TROUBLE_MS = 8_000


def compared_with(session: Session) -> Project | None:
    """What the project is compared with, rendered side by side once it has been asked for."""
    listening = session.audition.listening
    if session.audition.comparing == "bypass":
        return heard(session.project, replace(listening, bypass=True, alone=None))
    if session.audition.comparing == "trial" and session.audition.trial is not None:
        return heard(session.audition.trial, listening)
    if session.audition.comparing == "version" and session.audition.version is not None:
        return heard(sections.chosen(session.project, *session.audition.version), listening)
    if session.audition.kept is not None:
        return heard(session.audition.kept, listening)
    return None


def _same(state: tuple[object, ...], sent: tuple[object, ...]) -> bool:
    """Whether what is heard is what was sent: projects by themselves, the rest by what it says."""
    rows = zip(state, sent, strict=False)
    return len(state) == len(sent) and all(a is b or (not isinstance(a, Project) and a == b) for a, b in rows)


class Player(QObject):
    """Sound libraries are loaded when it first plays, not when the window opens."""

    changed = pyqtSignal()
    passed = pyqtSignal(float, float)  # from which beat to which it has played on
    stopped = pyqtSignal()
    lost = pyqtSignal(object, bool)  # ZolvekError of the worker, and whether another one continues
    begun = pyqtSignal(float)  # at which beat it begins, or goes on elsewhere

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.looping = False
        self.playback: Playback | None = None
        self.out: Transport | None = None
        self.made: Callable[[Playback], Transport] | None = None  # what it is to go through instead
        self.known = session.document.opened
        self.resting = 0.0  # until when a song that was stopped may still be seen to move
        self.sought: tuple[float, float] | None = None  # where it is to be, and until when that is awaited
        self.shown_beat = -1.0  # where a shared song stood at the last look
        self.began = 0.0
        self.gains = (1.0, 1.0)  # of the project and what it is compared with
        self.sent: tuple[object, ...] = ()  # what the playback was given last
        self.counting: CountIn | None = None  # while a count-in is heard
        self.trouble = ""  # what is to be read next to the transport, for a while
        self.calm = QTimer(self)
        self.calm.setSingleShot(True)
        self.calm.setInterval(TROUBLE_MS)
        self.calm.timeout.connect(lambda: self._say_trouble(""))
        self.lost.connect(self._lost)
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(self._tick)
        self.looking = QTimer(self)
        self.looking.setInterval(LOOK_MS)
        self.looking.timeout.connect(self._look)
        session.document.changed.connect(self._use)
        session.audition.changed.connect(self._use)
        session.held.changed.connect(self._hold)
        session.span.changed.connect(self._set_loop)
        session.playhead.changed.connect(self._moved)

    @property
    def playing(self) -> bool:
        """Whether the song plays."""
        return self.timer.isActive()

    @property
    def clock(self) -> Clock | None:
        """Where we are; None before anything has played."""
        return self.out.clock if self.out is not None else None

    @property
    def silent(self) -> bool:
        """Whether there is no sound device; known once it has played."""
        return self.out is not None and self.out.silent

    def levels(self) -> dict[str, float]:
        """Each track's highest sample in what is heard now."""
        return self.playback.levels if self.playback is not None and self.playing else {}

    def ready(self) -> Playback:
        """The playback, started if it is not."""
        if self.playback is None:
            from zolvek.sound.playback.playback import Playback

            self.playback = Playback(self.session.project)
            self.playback.on_loss = self.lost.emit
            self.sent = ()
            self._use()
            self._hold()
        if self.out is None:
            from zolvek.studio.services.playback.audio_output import AudioOut

            kept = self.session.settings.playback
            make = self.made or partial(AudioOut, parent=self, settings=kept, on_change=self.changed.emit)
            self.out = make(self.playback)
            self._set_loop()
        return self.playback

    def go_through(self, made: Callable[[Playback], Transport] | None) -> None:
        """Let the song be started, and its sound taken, by another transport from now on; None for the sound
        device of the machine."""
        self.stop()
        out, self.out, self.made = self.out, None, made
        if out is not None:
            out.close()
        self.shown_beat = -1.0
        if made is not None or out is not None:
            self.ready()
        self.watch(False)
        self.changed.emit()

    def watch(self, on: bool) -> None:
        """Look whether others start the song: wherever it is shared, and where a clock is followed."""
        (self.looking.start if on or self.made is not None else self.looking.stop)()

    def toggle(self) -> None:
        """Play or stop."""
        (self.stop if self.playing else self.play)()

    def play(self, count_in: int = 0) -> None:
        """Play from the playhead, after `count_in` clicks."""
        self.ready()
        assert self.out is not None
        self._use()
        span = self.session.span.beats
        beat = self.session.playhead.beat
        if self.looping and span and not span[0] <= beat < span[1]:
            beat = span[0]
        if beat >= self.session.project.length - 1e-6:
            beat = 0.0
        self._set_loop()
        if count_in and self.out.shared:
            self.session.notices.say("Playback begins at once; the sync leader counts in.")
        self.start_at(beat, count_in)

    def play_selection(self) -> None:
        """Play the selected span in a loop, from the chosen lead before it."""
        span = self.session.span.beats
        if span is None:
            raise ZolvekError("No span is selected.", remedy="Drag a span on the ruler.")
        self.set_looping(True)
        self.start_at(max(span[0] - self.session.settings.playback.pre_roll, 0.0))

    def start_at(self, beat: float, count_in: int = 0) -> None:
        """Play from a beat, after `count_in` clicks."""
        self.ready()
        assert self.out is not None
        self._use()
        self.session.playhead.go(beat)
        self.began = beat
        self.out.start(beat, count_in)
        counts = count_in and not self.out.shared
        self.counting = CountIn(self.session.project, beat, count_in) if counts else None
        self._await(beat)
        self.timer.start()
        self.begun.emit(beat)
        self.changed.emit()

    @property
    def clicks_left(self) -> int:
        """How many clicks of the count-in are still to come; 0 where there is none."""
        return self.counting.left if self.counting is not None else 0

    def stop(self) -> None:
        """Stop."""
        was = self.playing
        self.counting = None
        self.timer.stop()
        if self.out is not None and (was or not self.out.shared):
            self.out.stop()
            self.resting = time.monotonic() + STOP_TIMEOUT_S
        if was:
            self.stopped.emit()
        self.changed.emit()

    def go_back(self) -> None:
        """To where it last began; from there, to the start."""
        self.seek(self.began if self.session.playhead.beat > self.began + 1e-6 else 0.0)

    def seek(self, beat: float) -> None:
        """Go to a beat, also while playing."""
        self.session.playhead.go(beat)
        if self.playing:
            assert self.out is not None
            self.began = beat
            self.out.locate(beat)
            self._await(beat)
            self.begun.emit(beat)

    def _await(self, beat: float) -> None:
        """A transport that others share takes a while to be where it is sent: until then it is not listened to."""
        if self.out is not None and self.out.steered:
            self.sought = beat, time.monotonic() + ARRIVES

    def set_looping(self, on: bool) -> None:
        """Loop the selected span, or not."""
        self.looping = on
        self._set_loop()
        self.changed.emit()

    def close(self) -> None:
        """End playback."""
        self.stop()
        self.looking.stop()
        if self.out:
            self.out.close()
        if self.playback:
            self.playback.close()

    def _set_loop(self) -> None:
        if self.out is not None:
            span = self.session.span.beats or (0.0, self.session.project.length)
            self.out.set_loop(span if self.looping else None)

    def set_gains(self, gains: tuple[float, float]) -> None:
        """Gains of the project and of what it is compared with."""
        self.gains = gains
        self._use()

    def _use(self) -> None:
        """Give the playback what has changed: project, other version, which of them, metronome."""
        session, playback = self.session, self.playback
        if playback is None:
            return
        listening = session.audition.listening
        compared = session.audition.comparing, session.audition.version
        audition = session.audition
        state = (session.project, listening, audition.kept, audition.trial, compared, self.gains)
        if _same(state, self.sent):
            return
        before, self.sent = self.sent, state
        playback.use(heard(session.project, listening))
        if self.out is not None:
            self.out.edited()
        if not before or before[1:] != state[1:] or session.audition.comparing in ("bypass", "version"):
            playback.use_other(compared_with(self.session))
            playback.hear_other(bool(session.audition.comparing), self.gains)
            playback.use_metronome(session.audition.listening.metronome)

    def _hold(self) -> None:
        if self.playback is not None:
            self.playback.hold(self.session.held.values)

    def _lost(self, error: ZolvekError, goes_on: bool) -> None:
        """The sound process is gone: said next to the transport while another one continues, else in
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
            self._ended()
            return
        before, now = self.session.playhead.beat, clock.beat
        if self.clicks_left and self.counting is not None:
            self.counting.follow(now, self.playback is not None and self.playback.begun)
            self.changed.emit()
        if self.sought is not None:
            beat, end = self.sought
            if not beat - JITTER_BEATS <= now <= beat + NEAR and time.monotonic() < end:
                return
            self.sought = None
        if 0.0 < before - now < JITTER_BEATS:
            return
        self.session.playhead.go(now)
        if now > before:
            self.passed.emit(before, now)
        elif now < before:
            self.begun.emit(now)

    def _ended(self) -> None:
        """The song has stopped by itself, or others has stopped it."""
        if self.out is not None and self.out.shared:
            self.timer.stop()
            self.stopped.emit()
            self.changed.emit()
        else:
            self.stop()

    def _look(self) -> None:
        """What others have done to a song that is shared."""
        clock = self.clock
        if clock is None or self.out is None or self.playing or time.monotonic() < self.resting:
            return
        if clock.playing:
            self.began = self.shown_beat = clock.beat
            self.session.playhead.go(self.began)
            self.timer.start()
            self.begun.emit(self.began)
            self.changed.emit()
        elif self.out.shared:
            now = clock.beat
            if abs(now - self.shown_beat) > RELOCATED_FROM_BEATS:
                self.shown_beat = now
                self.session.playhead.go(now)

    def _moved(self) -> None:
        """The playhead has been put elsewhere while a song that is shared stands still: so are the others."""
        if self.out is None or self.playing or not self.out.shared:
            return
        if self.known is not self.session.document.opened:
            # Another project: it goes where the others are, not they where it begins.
            self.known, self.shown_beat = self.session.document.opened, -1.0
            return
        beat = self.session.playhead.beat
        if abs(beat - self.shown_beat) > RELOCATED_FROM_BEATS:
            self.shown_beat = beat
            self.out.locate(beat)
