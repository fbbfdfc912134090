"""The playback worker: a process of its own that renders ahead, so that neither the window nor
the sound waits for the other. Run as `python -m zolvek.sound.worker`.

It reads pickled commands from its standard input and writes pickled chunks to its standard
output. A command is a name and its arguments, a row of `Worker.COMMANDS`; a chunk is the number
of the play it belongs to, the beats it begins and ends at, and its sound.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import queue
import sys
import threading
from typing import Any, BinaryIO

import numpy as np

from zolvek.core.project import Project
from zolvek.sound.renderer import Renderer

CHUNK = 1_024  # frames rendered at a time


class Worker:
    """Renders chunk after chunk while it plays and has been asked for more."""

    def __init__(self, out: BinaryIO) -> None:
        self.out = out
        self.project = Project()
        self.renderer: Renderer | None = None
        self.loop: tuple[float, float] | None = None
        self.play_number = self.wanted = self.rate = 0
        self.closing = self.warm = False

    def use(self, project: Project) -> None:
        self.project = project
        if not self.warm:
            # Libraries and sound files are loaded now, not when somebody waits for the first note.
            self.warm = True
            Renderer(project).render(64)

    def play(self, number: int, beat: float, rate: int, wanted: int) -> None:
        self.play_number, self.wanted = number, wanted
        self.renderer = Renderer(self.project, rate)
        self.renderer.seek(beat)

    def more(self, number: int, count: int) -> None:
        if number == self.play_number:
            self.wanted += count

    def set_loop(self, span: tuple[float, float] | None) -> None:
        self.loop = span

    def stop(self) -> None:
        self.renderer = None

    def close(self) -> None:
        self.closing = True

    COMMANDS = ("use", "play", "more", "set_loop", "stop", "close")

    @property
    def busy(self) -> bool:
        """Whether there is a chunk to render."""
        if self.renderer is None or self.wanted <= 0:
            return False
        return self.loop is not None or self.renderer.beat < self.project.length - 1e-9

    def render(self) -> None:
        """Render and write the next chunk; a chunk ends where the loop does."""
        renderer, loop = self.renderer, self.loop
        assert renderer is not None
        if self.project is not renderer.project:
            renderer.use(self.project)
        if loop is not None and abs(renderer.frame - renderer.frame_of(loop[1])) < 1:
            renderer.seek(loop[0])
        inside = loop is not None and renderer.beat < loop[1]
        end = loop[1] if loop is not None and inside else self.project.length
        beat = renderer.beat
        frames = max(min(CHUNK, renderer.frame_of(end) - renderer.frame), 1)
        sound = np.clip(renderer.render(frames), -1.0, 1.0).T.astype(np.float32)
        self.wanted -= 1
        chunk = (self.play_number, beat, renderer.beat, np.ascontiguousarray(sound))
        pickle.dump(chunk, self.out, protocol=pickle.HIGHEST_PROTOCOL)
        self.out.flush()


def run(source: BinaryIO, out: BinaryIO) -> None:
    """Work until the source ends or says so."""
    commands: queue.Queue[tuple[str, tuple[Any, ...]]] = queue.Queue()

    def read() -> None:
        try:
            while True:
                commands.put(pickle.load(source))
        except (EOFError, OSError, pickle.UnpicklingError):
            commands.put(("close", ()))

    threading.Thread(target=read, daemon=True).start()
    worker = Worker(out)
    while not worker.closing:
        try:
            name, arguments = commands.get(block=not worker.busy)
        except queue.Empty:
            worker.render()
            continue
        if name in Worker.COMMANDS:
            getattr(worker, name)(*arguments)


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt):
        run(sys.stdin.buffer, sys.stdout.buffer)
    # At once: the thread that waits for the next command would hold the interpreter's end up.
    os._exit(0)
