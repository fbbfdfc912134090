"""Playback: hands out sound that a worker process renders ahead, and knows what is heard now."""

from __future__ import annotations

import pickle
import subprocess
import sys
import threading
from collections import deque
from dataclasses import dataclass

import numpy as np

from zolvek.core.project import Project
from zolvek.sound.renderer import RATE

AHEAD = 4  # chunks kept ready: with the sink's own, well under 150 ms


@dataclass
class Chunk:
    """Rendered sound, float32 (frames, 2), and the beats at which it begins and ends."""

    sound: np.ndarray
    beat: float
    last: float


class Playback:
    """Start, stop and loop; `pull` is what an audio sink or the silent clock calls.

    Every public method may be called from any thread.
    """

    def __init__(self, project: Project, rate: int = RATE) -> None:
        self.rate = rate
        self.lock = threading.RLock()
        self.project = project
        self.ready: deque[Chunk] = deque()
        self.used = 0  # frames taken from the first chunk
        self.loop: tuple[float, float] | None = None
        self.playing = False
        self.dry = 0  # times a sink asked in the midst of playing and nothing was ready
        self.beat = 0.0
        self.number = 0  # of the present play; chunks of earlier ones are dropped
        self.begun = False  # the first chunk of it has come
        self.process: subprocess.Popen[bytes] | None = None
        self.outbox: deque[tuple[str, tuple[object, ...]]] = deque()
        self.news = threading.Event()
        self.threads: list[threading.Thread] = []

    def warm_up(self) -> None:
        """Start the worker, so that the first play begins at once."""
        with self.lock:
            if self.process is not None and self.process.poll() is None:
                return
            self.process = subprocess.Popen(
                [sys.executable, "-m", "zolvek.sound.worker"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
            )
            self.threads = [
                threading.Thread(target=work, args=(self.process,), name=name, daemon=True)
                for work, name in ((self._read, "playback in"), (self._write, "playback out"))
            ]
            self.outbox.clear()
            self._send("use", self.project)
            self._send("set_loop", self.loop)
            for thread in self.threads:
                thread.start()

    def play(self, beat: float) -> None:
        """Play from `beat` on."""
        self.warm_up()
        with self.lock:
            self.ready.clear()
            self.used, self.beat, self.begun = 0, beat, False
            self.number += 1
            self.playing = True
            self._send("play", self.number, beat, self.rate, AHEAD)

    def stop(self) -> None:
        with self.lock:
            self.playing = False
            self.ready.clear()
            self._send("stop")

    def use(self, project: Project) -> None:
        """Go on with an edited project: heard as soon as what is ready has been played."""
        with self.lock:
            self.project = project
            self._send("use", project)

    def set_loop(self, span: tuple[float, float] | None) -> None:
        """Repeat a span of beats, without a gap; None goes on to the end."""
        with self.lock:
            self.loop = span if span and span[1] > span[0] else None
            self._send("set_loop", self.loop)

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
                    self._send("more", self.number, 1)
            if self.playing and filled < frames:
                ended = self.loop is None and self.beat >= self.project.length - 1e-6
                self.playing = not ended
                self.dry += self.begun and not ended
        return out

    def close(self) -> None:
        """End the worker."""
        with self.lock:
            process, self.playing = self.process, False
            self._send("close")
        if process is None:
            return
        for thread in self.threads:
            thread.join(timeout=5.0)
        try:
            process.wait(timeout=5.0)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
        for stream in (process.stdin, process.stdout):
            if stream is not None:
                stream.close()
        self.process = None

    def _send(self, name: str, *arguments: object) -> None:
        """Put a command in the outbox; a later project takes the place of one not yet sent."""
        if self.process is None:
            return
        if name == "use":
            kept = [row for row in self.outbox if row[0] != "use"]
            self.outbox.clear()
            self.outbox.extend(kept)
            self.outbox.appendleft((name, arguments))
        else:
            self.outbox.append((name, arguments))
        self.news.set()

    def _write(self, process: subprocess.Popen[bytes]) -> None:
        assert process.stdin is not None
        try:
            while True:
                self.news.wait()
                with self.lock:
                    rows = list(self.outbox)
                    self.outbox.clear()
                    self.news.clear()
                for row in rows:
                    pickle.dump(row, process.stdin, protocol=pickle.HIGHEST_PROTOCOL)
                process.stdin.flush()
                if any(name == "close" for name, _ in rows):
                    return
        except (OSError, ValueError):
            return  # the worker is gone: the next play starts another

    def _read(self, process: subprocess.Popen[bytes]) -> None:
        assert process.stdout is not None
        try:
            while True:
                number, beat, last, sound = pickle.load(process.stdout)
                with self.lock:
                    if number == self.number and self.playing:
                        self.ready.append(Chunk(sound, beat, last))
                        self.begun = True
        except (EOFError, OSError, ValueError, pickle.UnpicklingError):
            with self.lock:
                self.playing = False
