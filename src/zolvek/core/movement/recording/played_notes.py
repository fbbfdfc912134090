# SPDX-License-Identifier: GPL-3.0-or-later
"""Notes that are played: keys that go down and up, as notes; and the computer's keys as a keyboard's."""

from __future__ import annotations

from zolvek.core.limits import LIMITS
from zolvek.core.model.source import Note

SHORTEST = 1.0 / 64.0  # beats
# A row of letters as the white keys from C on, the one above as the black ones (common practice, no
# source).
LETTERS = {letter: place for place, letter in enumerate("awsedftgyhujkolp")}


def pitch_of(letter: str, octave: int) -> int | None:
    """The MIDI pitch of a letter, C of `octave` being "a" (C4 is 60); None for another letter, or one
    beyond the pitches there are."""
    semitone = LETTERS.get(letter.lower())
    pitch = 12 * (octave + 1) + semitone if semitone is not None else -1
    return pitch if LIMITS["pitch"].holds(pitch) else None


class PlayedNotes:
    """What has been played in a pass. Beats may go back, where a loop does."""

    def __init__(self) -> None:
        self.notes: list[Note] = []
        self.down: dict[int, tuple[float, float]] = {}  # pitch -> beat and strength

    def press(self, pitch: int, strength: float, beat: float) -> None:
        """A key down at a beat, with a velocity 0..1."""
        self.let_up(pitch, beat)
        self.down[pitch] = beat, strength

    def let_up(self, pitch: int, beat: float, loop_end: float | None = None) -> None:
        """The key up: its note is whole. One held over a loop's end ends there."""
        held = self.down.pop(pitch, None)
        if held is None:
            return
        first, strength = held
        if beat < first:
            beat = loop_end if loop_end is not None and loop_end > first else first
        self.notes.append(Note(first, max(beat - first, SHORTEST), pitch, min(max(strength, 0.0), 1.0)))

    def finish(self, beat: float) -> list[Note]:
        """All keys up: what has been played."""
        for pitch in list(self.down):
            self.let_up(pitch, beat)
        return self.notes
