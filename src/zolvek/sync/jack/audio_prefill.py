# SPDX-License-Identifier: GPL-3.0-or-later
"""Keeps sound ready for the callbacks, in the process that renders it, so that a busy window does no harm.

Where the song goes elsewhere the callbacks count up a serial, and wait until sound from there is ready.
"""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from zolvek.core.model.project import Project
from zolvek.core.time.tempo import TempoMap
from zolvek.sync.jack import shared_layout as s
from zolvek.sync.jack.port_memory import PortMemory
from zolvek.sync.timeline.song_timeline import tempo_key, tempo_table

AHEAD_FRAMES = 4_800  # frames that are kept ready; more, where that was not enough
MOST_AHEAD = 24_000
LEAD_S = 0.1  # seconds from where the song is to where sound is begun that comes too late for it
CHECKED = 0.25


class Renders(Protocol):
    """The worker of sound.processes.render_worker, as far as it is needed here."""

    project: Project
    renderer: Any
    apart: bool
    loop: tuple[float, float] | None

    def play(self, number: int, beat: float, rate: int, count_in: int = 0) -> None:
        """Begin play `number` at a beat."""
        ...

    @property
    def ended(self) -> bool:
        """Whether the song has ended."""
        ...

    def chunk(self) -> tuple[int, float, float, np.ndarray, dict[str, float]]:
        """The next chunk: song frame, first and last beat, sound (frames, channels), levels."""
        ...


class AudioPrefill:
    """One memory that is kept filled, from its beginning to its end."""

    def __init__(self, path: str) -> None:
        self.memory = PortMemory(Path(path))
        self.words = self.memory.words
        self.serial = 0  # that is being filled for
        self.checked = 0.0
        self.tempo: TempoMap | None = None
        self.tempo_key = 0
        self.ahead, self.missing = AHEAD_FRAMES, int(self.words[s.MISSING])

    @property
    def rate(self) -> int:
        """The server's sample rate in Hz."""
        return int(self.words[s.RATE])

    @property
    def due(self) -> bool:
        """Whether there is something to do now."""
        words = self.words
        if not self.rate or not words[s.TABLE] or not words[s.SOUND_WANTED]:
            return False  # nothing is rendered that no port leads away
        if int(words[s.WANTED_SERIAL]) != self.serial:
            return True
        return not words[s.ENDED] and self._room

    @property
    def _room(self) -> bool:
        words = self.words
        held = int(words[s.SEGMENT_WRITTEN] - words[s.SEGMENT_READ])
        inside = self.written - int(words[s.SOUND_READ]) if held else 0
        return inside <= max(self.ahead, 4 * int(words[s.BLOCK])) and held < s.SEGMENTS_HELD // 2

    def work(self, worker: Renders) -> tuple[Any, ...] | None:
        """Begin elsewhere, or write a chunk: then what is shown of it when it is heard is given back: where in the
        count of all that is written it begins, the tracks' levels, and the peaks left and right."""
        words, serial = self.words, int(self.words[s.WANTED_SERIAL])
        worker.apart = bool(words[s.SOUND_APART])
        if serial != self.serial:
            self._begin(worker, serial)
            return None
        if worker.renderer is None:
            return None
        if worker.ended:
            words[s.ENDED] = 1
            words[s.READY_SERIAL] = serial
            return None
        frame, _, _, sound, levels = worker.chunk()
        tempo = self._tempo_key(worker.project)
        gone = words[s.STATE] == s.ROLLING and frame + len(sound) <= words[s.FRAME] and tempo == words[s.TEMPO_KEY]
        if gone and worker.loop is None:  # the song has gone past it
            worker.renderer.seek(self._beat(worker, int(words[s.FRAME]) + LEAD_S * self.rate))
            return None
        begin = self._write(frame, sound, tempo)
        if not self._room:
            words[s.READY_SERIAL] = serial
        self._watch()
        left, right = np.abs(sound[:, :2]).max(axis=0).tolist()
        return begin, levels, (left, right)

    def _tempo_key(self, project: Project) -> int:
        """Of the project's tempo table."""
        if self.tempo is not project.tempo:
            self.tempo, self.tempo_key = project.tempo, tempo_key(tempo_table(project))
        return self.tempo_key

    def _beat(self, worker: Renders, frame: float) -> float:
        return float(worker.project.tempo.beats(max(frame, 0.0) / self.rate))

    def _begin(self, worker: Renders, serial: int) -> None:
        words = self.words
        frame, clicks = int(words[s.WANTED_FRAME]), 0
        if words[s.STATE] == s.ROLLING:
            frame = max(frame, int(words[s.FRAME]) + round(LEAD_S * self.rate))
        elif frame < words[s.QUIET_UNTIL]:  # a count-in goes before it
            frame, clicks = int(words[s.QUIET_UNTIL]), int(words[s.CLICKS])
        words[s.ENDED] = 0
        self.serial = serial
        worker.play(0, self._beat(worker, frame), self.rate, clicks)

    @property
    def written(self) -> int:
        """Frames written in all."""
        words = self.words
        last = int(words[s.SEGMENT_WRITTEN]) - 1
        if last < 0:
            return int(words[s.SOUND_READ])
        row = self.memory.segments[last & (s.SEGMENTS_HELD - 1)]
        return int(row["begin"] + row["count"])

    def _write(self, frame: int, sound: np.ndarray, tempo: int) -> int:
        memory, words = self.memory, self.words
        begin, count = self.written, len(sound)
        first = begin & (s.RING_FRAMES - 1)
        rows = min(sound.shape[1], len(memory.sound))
        part = min(count, s.RING_FRAMES - first)
        memory.sound[:rows, first : first + part] = sound[:part, :rows].T
        if part < count:
            memory.sound[:rows, : count - part] = sound[part:, :rows].T
        memory.segments[int(words[s.SEGMENT_WRITTEN]) & (s.SEGMENTS_HELD - 1)] = (
            begin,
            frame,
            count,
            self.serial,
            tempo,
        )
        words[s.SEGMENT_WRITTEN] += 1
        return begin

    def _watch(self) -> None:
        """Whether what is kept ready was enough."""
        now = time.monotonic()
        if now - self.checked > CHECKED:
            self.checked = now
            missing = int(self.words[s.MISSING])
            if missing > self.missing and self.words[s.STATE] == s.ROLLING:
                self.ahead = min(self.ahead * 3 // 2, MOST_AHEAD)
            self.missing = missing
