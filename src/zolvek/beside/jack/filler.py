"""Keeps sound ready for the callbacks: takes what a playback renders into the memory that is shared, by song frame.

Where the song goes elsewhere the callbacks count up a serial, and wait until sound from there is ready.
"""

from __future__ import annotations

import threading
import time
from collections import deque

import numpy as np

from zolvek.beside.jack import slots as s
from zolvek.beside.jack.link import Link
from zolvek.core.document.beside import MIX, SIDES, ports_of
from zolvek.core.movement.recording import count_in_times
from zolvek.sound.playback import Chunk, Playback

PACE = 0.002  # seconds between looks
AHEAD = 4_800  # frames that are kept ready; more, where that was not enough
MOST_AHEAD = 24_000
LEAD = 0.15  # seconds from where the song is to where sound is begun that comes too late for it
PATIENCE = 1.5  # seconds after which the song goes on without sound
CALM = 0.3  # seconds without an edit after which sound is made ready anew
CHECKED = 0.25


class Filler:
    """Works from its making until it is closed."""

    def __init__(self, playback: Playback, link: Link) -> None:
        self.playback, self.link = playback, link
        self.words, self.memory = link.words, link.memory
        self.serial = 0  # that is being filled for
        self.begun = self.checked = 0.0
        self.ahead, self.missing = AHEAD, int(self.words[s.MISSING])
        self.count_in: tuple[float, int] | None = None  # beat, clicks
        self.stale = 0.0  # when it was edited last, until that is made ready
        # Where sound was written, and what is shown of it when it is heard.
        self.levels: deque[tuple[int, dict[str, float], tuple[float, float]]] = deque()
        self.running = True
        self.thread = threading.Thread(target=self._work, name="sound for the ports", daemon=True)
        self.thread.start()

    def start(self, beat: float, clicks: int = 0) -> None:
        """Play from `beat` on, after a count-in of clicks where the song moves by itself."""
        project = self.playback.project
        times = count_in_times(
            clicks, float(project.tempo.bpm(beat)), project.meter.meter_at(beat).unit
        )
        frames = round(float(times[-1]) * self.link.rate)
        self.count_in = (beat, clicks) if clicks else None
        self._freshen(0.0)
        self.link.start(beat, frames)

    def refill(self) -> None:
        """What is ready is out of date: the song rests, and was edited."""
        self.stale = time.monotonic()

    def _freshen(self, rest: float) -> None:
        """Ask for what is ready anew, once no edit has come for a while."""
        if self.stale and time.monotonic() - self.stale >= rest:
            self.stale = 0.0
            self.words[s.REFILL] += 1

    def close(self) -> None:
        self.running = False
        self.thread.join()
        self.playback.stop()

    def _work(self) -> None:
        while self.running:
            if not self.link.there:
                time.sleep(CHECKED)
                continue
            serial = int(self.words[s.WANTED_SERIAL])
            if serial != self.serial:
                self._begin(serial)
            elif not self._more():
                time.sleep(PACE)
            self._watch()

    def _begin(self, serial: int) -> None:
        words, playback = self.words, self.playback
        frame, rate = int(words[s.WANTED_FRAME]), self.link.rate
        playback.rate = rate
        clicks = 0
        if words[s.STATE] == s.ROLLING:
            frame = max(frame, int(words[s.FRAME]) + round(LEAD * rate))
        if self.count_in is not None:
            beat, clicks = self.count_in
            self.count_in = None
        else:
            beat = float(playback.project.tempo.beats(max(frame, 0) / rate))
        words[s.ENDED] = 0
        self.serial, self.begun = serial, time.monotonic()
        self.levels.clear()
        playback.play(beat, clicks)

    def _more(self) -> bool:
        """Write a chunk, where one is ready and wanted."""
        words = self.words
        held = int(words[s.SEGMENT_WRITTEN] - words[s.SEGMENT_READ])
        inside = int(self.written - words[s.SOUND_READ]) if held else 0
        if inside > max(self.ahead, 4 * int(words[s.BLOCK])) or held > s.SEGMENTS_HELD // 2:
            self._ready()
            return False
        chunk = self.playback.take()
        if chunk is None:
            ended = not self.playback.playing
            words[s.ENDED] = int(ended)
            if ended or time.monotonic() - self.begun > PATIENCE:
                self._ready()
            return False
        gone = words[s.STATE] == s.ROLLING and chunk.frame + len(chunk.sound) <= words[s.FRAME]
        if gone and self.playback.loop is None:  # the song has gone past it
            ahead = (int(words[s.FRAME]) / self.link.rate) + LEAD
            self.playback.play(float(self.playback.project.tempo.beats(ahead)))
            return False
        self._write(chunk)
        return True

    def _ready(self) -> None:
        self.words[s.READY_SERIAL] = self.serial

    @property
    def written(self) -> int:
        """Frames written in all."""
        words = self.words
        last = int(words[s.SEGMENT_WRITTEN]) - 1
        if last < 0:
            return int(words[s.SOUND_READ])
        begin, _, count, _ = self.memory.segments[last & (s.SEGMENTS_HELD - 1)].tolist()
        return begin + count

    def _write(self, chunk: Chunk) -> None:
        memory, words = self.memory, self.words
        begin, count = self.written, len(chunk.sound)
        first = begin & (s.RING - 1)
        rows = min(chunk.sound.shape[1], len(memory.sound))
        part = min(count, s.RING - first)
        memory.sound[:rows, first : first + part] = chunk.sound[:part, :rows].T
        if part < count:
            memory.sound[:rows, : count - part] = chunk.sound[part:, :rows].T
        row = memory.segments[int(words[s.SEGMENT_WRITTEN]) & (s.SEGMENTS_HELD - 1)]
        row[:] = begin, chunk.frame, count, self.serial
        words[s.SEGMENT_WRITTEN] += 1
        left, right = np.abs(chunk.sound[:, :2]).max(axis=0).tolist()
        self.levels.append((begin, chunk.levels, (left, right)))

    def _watch(self) -> None:
        """What is heard now, as levels; and whether what is kept ready was enough."""
        while self.levels and self.levels[0][0] <= self.words[s.SOUND_READ]:
            _, self.playback.levels, self.playback.peaks = self.levels.popleft()
        self._freshen(CALM)
        now = time.monotonic()
        if now - self.checked > CHECKED:
            self.checked = now
            missing = int(self.words[s.MISSING])
            if missing > self.missing and self.words[s.STATE] == s.ROLLING:
                self.ahead = min(self.ahead * 3 // 2, MOST_AHEAD)
            self.missing = missing
            self.playback.use_apart(self._tracks_wanted())

    def _tracks_wanted(self) -> bool:
        """Whether a track's own port leads anywhere."""
        own = {port.name for port in ports_of(self.playback.project) if port.kind == "sound"}
        own -= {f"{MIX} {side}" for side in SIDES}
        return any(name in own for name, _ in self.link.report.connections)
