# SPDX-License-Identifier: GPL-3.0-or-later
"""The playback worker: a process of its own that renders ahead, so that neither the window nor
the sound waits for the other. Run as `python -m zolvek.sound.processes.render_worker`.

It reads commands from its standard input and writes signs of life to its standard output (`worker_messages`); sound
goes through memory (`sound_ring`). Where tracks are wanted by themselves, theirs follow in a chunk's columns, left and
right of each.

There may be another version of the project, to compare: both are rendered side by side, and going
from one to the other is a short cross-fade at the same place.
"""

from __future__ import annotations

import contextlib
import gc
import os
import pickle
import queue
import sys
import threading
import time
from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

import numpy as np
from msgspec.structs import astuple

from zolvek.core.arrays import Floats
from zolvek.core.edits.monitoring import Listening, heard
from zolvek.core.model.project import Project
from zolvek.sound.engine.device_registry import LEFT_OUT
from zolvek.sound.engine.metronome import clicks, count_in_clicks
from zolvek.sound.engine.renderer import Renderer
from zolvek.sound.hosting.plugin import work_mark
from zolvek.sound.processes import worker_messages as messages
from zolvek.sound.processes.framing import Receiver
from zolvek.sound.processes.sound_ring import SoundRing, SoundWriter
from zolvek.sound.processes.worker_messages import ALIVE_EVERY_S, Command, Report
from zolvek.sound.signal.automation import Block
from zolvek.storage.python_process import own_output

IDLE_POLL_S = 0.002  # seconds between looks whether sound is wanted
CHUNK_FRAMES = 1_344  # frames rendered at a time: shorter ones cost more in all
RING_CHUNK_FRAMES = 960  # the same for a sound device: longer ones would let an edit wait
FADE_SECONDS = 0.015  # from one version to the other
VERSIONS_APART_BEATS = 0.02  # beats that the versions may drift apart, by their tempos


# Of what is ready: where in the count of all frames it begins, levels of the tracks, peaks left and right.
Shown = tuple[int, dict[str, float], tuple[float, float]]


class RenderedChunk(NamedTuple):
    """A chunk: the song frame and the beat it begins at, the beat it ends at, its sound (frames, channels) and the
    tracks' levels."""

    frame: int
    beat: float
    last: float
    sound: np.ndarray
    levels: dict[str, float]


class Worker:
    """Renders chunk after chunk while it plays and more is wanted."""

    def __init__(self, out: BinaryIO) -> None:
        self.out, self.giving = out, threading.Lock()
        self.given = self.project = Project()  # as it was sent, and with the held lanes held
        self.given_other: Project | None = None
        self.held: tuple[tuple[str, float], ...] = ()
        self.renderer: Renderer | None = None
        self.rested: Renderer | None = None  # the last one, whose plugins can go on in the next
        self.other: Project | None = None
        self.other_renderer: Renderer | None = None
        self.share = self.wanted_share = 0.0  # of the other version in what is heard
        self.gains = (1.0, 1.0)  # of the two versions, for equal loudness
        self.metronome = False
        self.apart = False  # tracks are wanted by themselves too
        self.counting: Floats = np.zeros(0)  # a count-in, and how much of it has been given
        self.counted = 0
        self.discard = 0  # frames that come before what has been asked for: devices are late
        self.loop: tuple[float, float] | None = None
        self.play_number = 0
        self.writer: SoundWriter | None = None  # into the ring
        self.closing = self.warm = False
        self.filling: Any = None  # what `Fill` names
        self.shown = 0.0  # when something of it was given last
        self.reported: set[str] = set()  # devices of which has been said that they are not run
        self.muted: set[tuple[str, str]] = set()  # and those that are muted, with the reason

    def use(self, project: Project) -> None:
        """Render another project from now on."""
        self.given = project
        self.hold(self.held)
        if not self.warm:
            # Libraries and sound files are loaded now, not when a user waits for the first note.
            self.warm = True
            Renderer(project).render(64)
            # They stay to the end: a search for dead cycles that went through them again and
            # again would take the time of two chunks.
            gc.collect()
            gc.freeze()

    def use_other(self, project: Project | None) -> None:
        """Another version to compare with; None ends it."""
        self.given_other = project
        self.hold(self.held)
        if project is None:
            self.other_renderer, self.share, self.wanted_share = None, 0.0, 0.0

    def hold(self, held: tuple[tuple[str, float], ...]) -> None:
        """Lanes held at values of their curves, in both versions."""
        self.held = held
        self.project = heard(self.given, Listening(held=held))
        self.other = self.given_other and heard(self.given_other, Listening(held=held))

    def hear_other(self, on: bool, gains: tuple[float, float]) -> None:
        """Hear the other version or the project, each at its gain."""
        self.wanted_share = float(on)
        self.gains = gains

    def use_metronome(self, on: bool) -> None:
        """Switch the metronome on or off."""
        self.metronome = on

    def use_ring(self, path: str) -> None:
        """Where the sound of plays goes."""
        self.writer = SoundWriter(SoundRing(Path(path)))

    def play(self, number: int, beat: float, rate: int, count_in: int = 0) -> None:
        """`count_in`: clicks, beats of the meter at `beat`, before it begins."""
        self.play_number = number
        if self.writer is not None:
            self.writer.begin(number)
        self.renderer = Renderer(self.project, rate, before=self.renderer or self.rested)
        self.rested = None
        self.muted = {row for row in self.muted if row[0]}  # the mix is tried again
        self.renderer.seek(beat)
        self.discard = self.renderer.prepare()
        self.other_renderer, self.share = None, self.wanted_share
        self.counted, self.counting = 0, count_in_clicks(self.project, beat, rate, count_in)

    def key(self, track: str, pitch: int, velocity: float) -> None:
        """A key down by hand; with no velocity, up."""
        if self.renderer is not None and velocity > 0.0:
            self.renderer.press(track, pitch, velocity)
        elif self.renderer is not None:
            self.renderer.let_up(track, pitch)

    def set_loop(self, span: tuple[float, float] | None) -> None:
        """Loop a span of beats, or None."""
        self.loop = span

    def stop(self) -> None:
        """Stop; plugins are kept for the next play."""
        self.rested = self.renderer or self.rested
        self.renderer = None

    def leave_out(self, devices: dict[str, str]) -> None:
        """Sound bypasses these devices' plugins, and why; all others are run."""
        LEFT_OUT.clear()
        LEFT_OUT.update(devices)
        self.reported = set(devices)
        for renderer in (self.renderer, self.other_renderer, self.rested):
            if renderer is not None:
                renderer.units.keep(set())
                renderer.guard.clear()
        self.muted.clear()

    def close(self) -> None:
        """End after this command."""
        self.closing = True

    @property
    def busy(self) -> bool:
        """Whether there is a chunk to render."""
        writer = self.writer
        return self.renderer is not None and writer is not None and writer.room and not self.ended

    @property
    def ended(self) -> bool:
        """Whether what plays has come to the project's end."""
        beat = self.renderer.heard[1] if self.renderer is not None else 0.0
        counted = self.counted >= len(self.counting)
        return counted and self.loop is None and beat >= self.project.length - 1e-9

    def render(self) -> Shown | None:
        """Write the next chunk, as long as more is wanted; returns what is shown of it when it is heard."""
        writer = self.writer
        if self.renderer is None or writer is None:
            return None
        shown = None
        if self.busy:
            _, beat, last, sound, levels = self.chunk(RING_CHUNK_FRAMES)
            left, right = np.abs(sound[:, :2]).max(axis=0).tolist()
            shown = writer.write(beat, last, sound), levels, (left, right)
        writer.update(self.ended)
        return shown

    def chunk(self, longest: int = CHUNK_FRAMES) -> RenderedChunk:
        """The next chunk: the song frame and the beat it begins at, the beat it ends at, its sound and the tracks'
        levels. It ends where the loop does."""
        renderer, loop = self.renderer, self.loop
        assert renderer is not None
        if self.counted < len(self.counting):
            part = self.counting[self.counted : self.counted + longest]
            frame = renderer.frame - (len(self.counting) - self.counted)
            self.counted += len(part)
            sound = np.repeat(part[:, None], 2, axis=1).astype(np.float32)
            return RenderedChunk(frame, renderer.beat, renderer.beat, sound, {})
        while self.discard > 0:
            self.discard -= self._stretch(renderer, loop, min(self.discard, CHUNK_FRAMES)).shape[1]
        reserve = renderer.reserve
        if renderer.project is not self.project:
            renderer.use(self.project)
        self._turn(renderer, loop)
        first, beat = renderer.heard
        frames = renderer.unbroken(longest)
        if loop is None:
            frames = max(min(frames, renderer.frame_of(self.project.length) - first), 1)
        mix = self._stretch(renderer, loop, frames)
        frames = mix.shape[1]
        if self.metronome:
            beats = self.project.tempo.beats((first + np.arange(frames)) / renderer.rate)
            mix = mix + clicks(self.project.tempo, self.project.meter, Block(beats, renderer.rate))
        columns = [np.clip(mix, -1.0, 1.0)]
        if self.apart:
            silent = np.zeros_like(mix)
            columns += [renderer.kept.get(track.id, silent) for track in renderer.project.tracks]
        sound = np.ascontiguousarray(np.concatenate(columns).T, np.float32)
        last = float(self.project.tempo.beats((first + frames) / renderer.rate))
        # A plugin that has become later on the way: all that comes from here on is as much later.
        self.discard += renderer.reserve - reserve
        return RenderedChunk(first, beat, last, sound, dict(renderer.levels))

    def _stretch(self, renderer: Renderer, loop: tuple[float, float] | None, frames: int) -> Floats:
        """The next frames, or as many as there are up to the loop's end, where it goes back."""
        if self.project is not renderer.project:
            renderer.use(self.project)
        self._turn(renderer, loop)
        if loop is not None and renderer.beat < loop[1]:
            frames = max(min(frames, renderer.frame_of(loop[1]) - renderer.frame), 1)
        renderer.keeps = self.apart
        mix = self._compared(renderer, frames, renderer.beat)
        renderer.units.impatient = True
        return mix

    def _turn(self, renderer: Renderer, loop: tuple[float, float] | None) -> None:
        """Back to the loop's start, at its end."""
        if loop is not None and abs(renderer.frame - renderer.frame_of(loop[1])) < 1:
            renderer.seek(loop[0], goes_on=True)

    def fill(self, path: str, filler: str) -> None:
        """Keep the memory of a file filled with sound, where and when it asks for it; "" ends that."""
        self.stop()
        module, _, name = filler.partition(":")
        self.filling = getattr(import_module(module), name)(path) if path else None

    def report(self) -> None:
        """Say which plugins are not run that should be, and what came out that is not sound; each once."""
        for device, reason in [row for row in LEFT_OUT.items() if row[0] not in self.reported]:
            self.reported.add(device)
            self._give(messages.Trouble(device, reason))
        for renderer in (self.renderer, self.other_renderer):
            for device, reason in renderer.guard.muted.items() if renderer is not None else ():
                if (device, reason) not in self.muted:
                    self.muted.add((device, reason))
                    self._give(messages.Trouble(device, reason, True))
            if renderer is not None and renderer.faults:
                renderer.faults = 0
                if "" not in self.reported:
                    self.reported.add("")
                    self._give(messages.Trouble("", "The audio had invalid numbers and is silent there."))

    def work(self) -> None:
        """What there is to do while no command has come."""
        if self.filling is None:
            number, shown = self.play_number, self.render()
        else:
            number, shown = 0, self.filling.work(self) if self.filling.due else None
        self.report()
        now = time.monotonic()
        if shown is not None or now - self.shown > ALIVE_EVERY_S:
            self.shown = now
            self._give(messages.FillProgress(shown, number))

    @property
    def patience(self) -> float | None:
        """Seconds to wait for a command; None until one comes."""
        if self.filling is not None:
            return 0.0 if self.filling.due else IDLE_POLL_S
        if self.renderer is None:
            return None
        return 0.0 if self.busy else IDLE_POLL_S

    def _give(self, report: Report) -> None:
        data = pickle.dumps(report, protocol=pickle.HIGHEST_PROTOCOL)
        with self.giving:
            self.out.write(data)
            self.out.flush()

    def live(self) -> None:
        """Show that it lives, from a thread of its own, until nobody reads any more."""
        with contextlib.suppress(OSError, ValueError):
            while True:
                self._give(messages.Alive())
                time.sleep(ALIVE_EVERY_S)

    def _compared(self, renderer: Renderer, frames: int, beat: float) -> Floats:
        """The next frames of what is heard: one version, the other, or between them."""
        if self.other is None:
            return renderer.render(frames)
        if self.other_renderer is None:
            self.other_renderer = Renderer(self.other, renderer.rate)
        other = self.other_renderer
        if other.project is not self.other:
            other.use(self.other)
        if abs(other.beat - beat) > VERSIONS_APART_BEATS:
            other.seek(beat)
        other.reserve = renderer.reserve = max(other.reserve, renderer.reserve)
        first, second = renderer.render(frames), other.render(frames)
        step = 1.0 / (FADE_SECONDS * renderer.rate)
        fade = np.arange(1, frames + 1) * step
        if self.wanted_share >= self.share:
            share = np.minimum(self.share + fade, self.wanted_share)
        else:
            share = np.maximum(self.share - fade, self.wanted_share)
        self.share = float(share[-1])
        return self.gains[0] * first * (1.0 - share) + self.gains[1] * second * share


def run(source: BinaryIO, out: BinaryIO) -> None:
    """Work until the source ends or says so."""
    commands: queue.Queue[Command] = queue.Queue()
    receiver = Receiver(source)

    def read() -> None:
        try:
            while True:
                commands.put(receiver.receive())
        except (EOFError, OSError, pickle.UnpicklingError):
            commands.put(messages.Close())

    threading.Thread(target=read, daemon=True).start()
    worker = Worker(out)
    threading.Thread(target=worker.live, daemon=True).start()
    try:
        _serve(worker, commands)
    except BrokenPipeError:
        raise
    except Exception as error:  # a fault of ours, or of a device's: said there, not lost here
        worker._give(messages.WorkerFailure(f"{type(error).__name__}: {error}"))
        raise


# What a worker does for each command: its fields are the arguments.
HANDLERS: dict[type[Command], Callable[..., None]] = {
    messages.Use: Worker.use,
    messages.UseOther: Worker.use_other,
    messages.Hold: Worker.hold,
    messages.LeaveOut: Worker.leave_out,
    messages.HearOther: Worker.hear_other,
    messages.UseMetronome: Worker.use_metronome,
    messages.Fill: Worker.fill,
    messages.UseRing: Worker.use_ring,
    messages.Play: Worker.play,
    messages.Key: Worker.key,
    messages.SetLoop: Worker.set_loop,
    messages.Stop: Worker.stop,
    messages.Close: Worker.close,
}


def _serve(worker: Worker, commands: queue.Queue[Command]) -> None:
    while not worker.closing:
        patience = worker.patience
        try:
            waiting = [commands.get(patience != 0.0, patience)]
        except queue.Empty:
            worker.work()
            continue
        while not commands.empty():
            waiting.append(commands.get())
        latest = {type(command): index for index, command in enumerate(waiting)}
        for index, command in enumerate(waiting):
            # Of several projects that have come meanwhile only the last is made ready.
            if not isinstance(command, messages.STATES) or latest[type(command)] == index:
                HANDLERS[type(command)](worker, *astuple(command))


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt):
        work_mark.begin()
        run(sys.stdin.buffer, own_output())
    # At once: the thread that waits for the next command would hold the interpreter's end up.
    os._exit(0)
