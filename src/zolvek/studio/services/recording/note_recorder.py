# SPDX-License-Identifier: GPL-3.0-or-later
"""Records notes from a controller's keys or the computer's, after a count-in."""

from __future__ import annotations

import time
from functools import partial

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication

from zolvek.core.edits import notes
from zolvek.core.edits.edit_scope import counted
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.recording.played_notes import LETTERS, PlayedNotes, pitch_of
from zolvek.core.records import replace
from zolvek.studio.services.io.midi_io import MidiIO
from zolvek.studio.services.playback.player import Player
from zolvek.studio.session.chosen import shown_track
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.key_routing import TYPED_IN

STRENGTH = 0.8  # of the computer's keys
LOWEST, HIGHEST = -1, 8  # octaves


class NoteRecorder(QObject):
    """While it records, letters are keys, and Up and Down go from octave to octave. What is played is
    heard, and is one step when the transport stops."""

    changed = pyqtSignal()

    def __init__(self, session: Session, player: Player, midi_io: MidiIO) -> None:
        super().__init__()
        self.session, self.player = session, player
        self.recording = False
        self.octave = 3
        self.track = ""
        self.start = 0.0
        self.played = PlayedNotes()
        self.letters: dict[int, int] = {}  # keys of the computer that are down, and their pitches
        midi_io.key_moved.connect(self._key)
        player.stopped.connect(self.finish)

    def toggle(self) -> None:
        """Start or stop recording notes."""
        if self.recording:
            self.player.stop()
        else:
            self.begin()

    def begin(self) -> None:
        """Play on from the playhead after a count-in, and take down what is played for the shown track.
        Raises ZolvekError where it has no instrument."""
        session = self.session
        if session.passes.hands is not None and session.passes.hands.recording:
            raise ZolvekError("A pass is being recorded.", remedy="Stop it first.")
        track = shown_track(session)
        notes.need_instrument(track)
        self.player.stop()
        self.track, self.played, self.letters = track.id, PlayedNotes(), {}
        self.start = session.playhead.beat
        self.recording = True
        app = QApplication.instance()
        if app is not None:
            app.installEventFilter(self)
        self.player.play(session.settings.recording.count_in)
        session.notices.say("Recording notes. Letters are keys, Up and Down change the octave, Space stops.")
        self.changed.emit()
        session.passes.notify()

    def finish(self) -> None:
        """What was played, on the track as one step."""
        if not self.recording:
            return
        self.recording = False
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self)
        session, project = self.session, self.session.project
        found = [n for n in self.played.finish(session.playhead.beat) if n.beat >= self.start - 1e-9]
        if found and any(track.id == self.track for track in project.tracks):
            result, chosen = notes.recorded(project, self.track, found)
            if session.settings.recording.quantise_notes:
                grid = replace(session.tools.grid, on=True)
                result, chosen = notes.quantised(result, self.track, chosen, grid)
            select = partial(session.arranging.place_notes, self.track, chosen)
            session.document.edit(f"Record {counted(len(found), 'note')}", result, select=select)
        else:
            session.notices.say("No notes were played.")
        self.changed.emit()
        session.passes.notify()

    def press(self, pitch: int, strength: float, seconds: float) -> None:
        """A key down at a time of perf_counter."""
        playback, clock = self.player.playback, self.player.clock
        if not self.recording or clock is None or playback is None:
            return
        playback.key(self.track, pitch, strength)
        self.played.press(pitch, strength, clock.beat_at(seconds))

    def let_up(self, pitch: int, seconds: float) -> None:
        """A key up."""
        playback, clock = self.player.playback, self.player.clock
        if not self.recording or clock is None or playback is None:
            return
        playback.key(self.track, pitch, 0.0)
        span = self.session.span.beats
        end = (span[1] if span else self.session.project.length) if self.player.looping else None
        self.played.let_up(pitch, clock.beat_at(seconds), end)

    def _key(self, pitch: int, strength: float, seconds: float) -> None:
        if strength > 0.0:
            self.press(pitch, strength, seconds)
        else:
            self.let_up(pitch, seconds)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Letters are keys, unless a user types into a field."""
        kinds = QEvent.Type
        if not isinstance(event, QKeyEvent) or isinstance(QApplication.focusWidget(), TYPED_IN):
            return False
        plain = event.modifiers() == Qt.KeyboardModifier.NoModifier
        letter = chr(event.key()).lower() if 65 <= event.key() <= 90 else ""
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()), 0)
        if not plain or not (letter in LETTERS or step):
            return False
        if event.type() == kinds.ShortcutOverride:
            event.accept()
            return True
        if event.isAutoRepeat():
            return True
        if event.type() == kinds.KeyPress and step:
            self.octave = min(max(self.octave + step, LOWEST), HIGHEST)
            self.session.notices.say(f"The A key is now C{self.octave}.")
        elif event.type() == kinds.KeyPress:
            pitch = pitch_of(letter, self.octave)
            if pitch is not None and event.key() not in self.letters:
                self.letters[event.key()] = pitch
                self.press(pitch, STRENGTH, time.perf_counter())
        elif event.type() == kinds.KeyRelease and event.key() in self.letters:
            self.let_up(self.letters.pop(event.key()), time.perf_counter())
        return event.type() in (kinds.KeyPress, kinds.KeyRelease)
