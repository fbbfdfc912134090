# SPDX-License-Identifier: GPL-3.0-or-later
"""What a track plays by itself: notes for its instrument, and clips."""

from __future__ import annotations

from pathlib import PurePath

from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Beat, Gain, Length, Pitch, Seconds, Share
from zolvek.core.records import Record


class Note(Record, frozen=True):
    """A note of a stand-in synth: start and length in beats, MIDI pitch, strength 0..1."""

    beat: Beat
    length: Length
    pitch: Pitch
    strength: Share = 0.8


SHORTEST_CLIP_S = 0.001  # seconds
SHIPPED = "shipped:"  # before the names of sounds that come with the program


class Clip(Record, frozen=True):
    """A block of a sound file from `beat` on; `file` is a path, or "shipped:NAME" for one that comes
    with the program.

    It plays `seconds` of the file (None: to its end) from second `start` on, fading in and out. Until
    beat `loop_until` it repeats them, the first time from `turn` seconds within them on.
    """

    beat: Beat
    file: str
    gain_db: Gain = 0.0
    loop_until: Beat | None = None  # None plays it once
    start: Seconds = 0.0
    seconds: Seconds | None = None
    turn: Seconds = 0.0
    fade_in: Seconds = 0.0
    fade_out: Seconds = 0.0

    def __post_init__(self) -> None:
        if self.seconds is not None and self.seconds < SHORTEST_CLIP_S:
            raise ZolvekError("The clip is too short.", PurePath(self.file).name, "Keep more of it.")
        if self.loop_until is not None and not self.loop_until > self.beat:
            raise ZolvekError("The clip ends before it begins.", PurePath(self.file).name, "Set a later end.")
