"""Playback: renders ahead on a thread, hands out sound, and knows what is heard now."""

from __future__ import annotations

import threading
from collections import deque
from dataclasses import dataclass

import numpy as np

from zolvek.core.project import Project
from zolvek.sound.renderer import RATE, Renderer

CHUNK = 1_024  # frames rendered at a time
AHEAD = 3 * CHUNK  # frames kept ready: with the sink's own, well under 150 ms


@dataclass
class Chunk:
    """Rendered sound, float32 (frames, 2), the beat and the beats a frame it stands for."""

    sound: np.ndarray
    beat: float
    last: float


class Playback:
    """Start, stop and loop; `pull` is what an audio sink or the silent clock calls.

    Every public method may be called from any thread.
    """

    def __init__(self, project: Project, rate: int = RATE) -> None:
        self.rate = rate
        self.lock = threading.Condition()
        self.project = project
        self.renderer: Renderer | None = None
        self.ready: deque[Chunk] = deque()
        self.used = 0  # frames taken from the first chunk
        self.loop: tuple[float, float] | None = None
        self.playing = self.closing = False
        self.dry = 0  # times a sink asked and nothing was ready
        self.beat = 0.0
        self.peak = 0.0
        self.thread: threading.Thread | None = None

    def play(self, beat: float) -> None:
        """Play from `beat` on."""
        with self.lock:
            self.ready.clear()
            self.used, self.beat = 0, beat
            self.renderer = Renderer(self.project, self.rate)
            self.renderer.seek(beat)
            self.playing = True
            if self.thread is None:
                self.thread = threading.Thread(target=self._work, name="playback", daemon=True)
                self.thread.start()
            self.lock.notify_all()

    def stop(self) -> None:
        with self.lock:
            self.playing = False
            self.ready.clear()

    def use(self, project: Project) -> None:
        """Go on with an edited project: heard as soon as what is ready has been played."""
        with self.lock:
            self.project = project

    def set_loop(self, span: tuple[float, float] | None) -> None:
        """Repeat a span of beats, without a gap; None goes on to the end."""
        with self.lock:
            self.loop = span if span and span[1] > span[0] else None

    def pull(self, frames: int) -> np.ndarray:
        """The next sound, float32 (frames, 2); silence where nothing is ready."""
        out = np.zeros((frames, 2), np.float32)
        with self.lock:
            filled = 0
            while filled < frames and self.ready:
                chunk = self.ready[0]
                count = min(frames - filled, len(chunk.sound) - self.used)
                out[filled : filled + count] = chunk.sound[self.used : self.used + count]
                filled, self.used = filled + count, self.used + count
                self.beat = chunk.beat + (chunk.last - chunk.beat) * self.used / len(chunk.sound)
                if self.used == len(chunk.sound):
                    self.ready.popleft()
                    self.used = 0
            if self.playing and filled < frames:
                ended = self.loop is None and self.beat >= self.project.length - 1e-6
                self.playing = not ended
                self.dry += not ended
            self.lock.notify_all()
        self.peak = float(np.abs(out).max()) if frames else 0.0
        return out

    def close(self) -> None:
        """End the thread."""
        with self.lock:
            self.closing = True
            self.lock.notify_all()
        if self.thread is not None:
            self.thread.join()

    def _waiting(self) -> bool:
        ready = sum(len(chunk.sound) for chunk in self.ready) - self.used
        return not self.closing and (not self.playing or ready >= AHEAD or self._at_end())

    def _at_end(self) -> bool:
        assert self.renderer is not None
        return self.loop is None and self.renderer.beat >= self.project.length

    def _work(self) -> None:
        while True:
            with self.lock:
                while self._waiting():
                    self.lock.wait()
                if self.closing:
                    return
                renderer, project, loop = self.renderer, self.project, self.loop
            assert renderer is not None
            chunk = self._next(renderer, project, loop)
            with self.lock:
                # Started anew in the meantime: what was rendered belongs to the old place.
                if renderer is self.renderer and self.playing:
                    self.ready.append(chunk)
                    self.lock.notify_all()

    def _next(
        self, renderer: Renderer, project: Project, loop: tuple[float, float] | None
    ) -> Chunk:
        if project is not renderer.project:
            renderer.use(project)
        end = project.length if loop is None or renderer.beat >= loop[1] else loop[1]
        if loop is not None and abs(renderer.frame - renderer.frame_of(loop[1])) < 1:
            renderer.seek(loop[0])
            end = loop[1]
        left = renderer.frame_of(end) - renderer.frame
        beat = renderer.beat
        sound = renderer.render(max(min(CHUNK, left), 1))
        clipped = np.clip(sound, -1.0, 1.0).T.astype(np.float32)
        return Chunk(np.ascontiguousarray(clipped), beat, renderer.beat)
