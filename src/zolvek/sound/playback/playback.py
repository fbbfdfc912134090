# SPDX-License-Identifier: GPL-3.0-or-later
"""Playback: starts and stops the process that renders, and knows what is heard now."""

from __future__ import annotations

import sys
import threading
import time
from collections import deque
from collections.abc import Callable

import numpy as np

from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project
from zolvek.sound.engine.renderer import RATE
from zolvek.sound.playback.pull_times import Pulls
from zolvek.sound.processes import sound_ring
from zolvek.sound.processes import worker_messages as messages
from zolvek.sound.processes.sound_ring import SoundReader, SoundRing
from zolvek.sound.processes.worker_process import WorkerProcess

# Seconds after which a busy thread lets another one in: the usual 5 ms, several times on the way
# of a chunk, is too long when the interface has its hands full.
THREAD_SECONDS = 0.0005
SPARE_WORKER_DELAY_S = 1.5  # seconds after which a spare worker is made: the one that plays comes first
MOST_LOSSES, LOSSES_WITHIN = 4, 30.0  # of workers, within seconds, after which playing stops


class Playback:
    """Start, stop and loop. The sound goes through `ring`, from which a device's process or `pull` takes it.

    Every public method may be called from any thread.
    """

    def __init__(self, project: Project, rate: int = RATE) -> None:
        self.rate = rate
        self.lock = threading.RLock()
        self.project = project
        self.ring = SoundRing.create()
        self.reader, self.taken = SoundReader(self.ring), sound_ring.TakenRows(self.ring)
        self.loop: tuple[float, float] | None = None
        self.other: Project | None = None
        self.hearing: tuple[bool, tuple[float, float]] = (False, (1.0, 1.0))
        self.held: tuple[tuple[str, float], ...] = ()
        self.metronome = False
        # The memory that the worker fills in place of the ring, and the class that does it.
        self.filling = ("", "")
        # Of what is ready: where in the count of all frames, levels of the tracks, peaks.
        self.shown: deque[tuple[int, dict[str, float], tuple[float, float]]] = deque()
        self.heard: tuple[dict[str, float], tuple[float, float]] = ({}, (0.0, 0.0))  # levels and peaks
        self.pulls = Pulls()
        self.wanted = False  # playing, as far as it has not come to its end
        self.first = 0.0  # the beat that the present play begins at
        self.number = 0  # of the present play; sound of earlier ones is left out
        self.worker: WorkerProcess | None = None
        self.spare: WorkerProcess | None = None  # takes over at once when the worker is lost
        self.closed = False
        self.losses: deque[float] = deque(maxlen=MOST_LOSSES)
        self.left_out: dict[str, str] = {}  # devices whose plugins are not run any more, and why
        self.on_loss: Callable[[ZolvekError, bool], None] | None = None

    @property
    def playing(self) -> bool:
        """Whether the song plays."""
        words = self.ring.words
        return self.wanted and words[sound_ring.STOPPED_SERIAL] != self.number

    @property
    def begun(self) -> bool:
        """Whether enough sound has come to begin."""
        return bool(self.ring.words[sound_ring.READY_SERIAL] == self.number)

    @property
    def beat(self) -> float:
        """The beat that is heard now."""
        ring = self.ring
        heard = ring.words[sound_ring.BEAT_SERIAL] == self.number
        return float(ring.reals[sound_ring.BEAT]) if heard else self.first

    @property
    def levels(self) -> dict[str, float]:
        """Each track's highest sample in what is heard now."""
        return self._heard_now()[0]

    @property
    def peaks(self) -> tuple[float, float]:
        """The highest samples left and right in what is heard now."""
        return self._heard_now()[1]

    def _heard_now(self) -> tuple[dict[str, float], tuple[float, float]]:
        if not self.filling[0]:
            self.set_heard(int(self.ring.words[sound_ring.READ]))
        return self.heard

    @property
    def dry(self) -> int:
        """How often sound was wanted in the middle of playing, and nothing was ready."""
        return int(self.ring.words[sound_ring.DRY])

    def warm_up(self) -> None:
        """Start the worker, so that the first play begins at once."""
        with self.lock:
            if self.worker is None and not self.closed:
                sys.setswitchinterval(THREAD_SECONDS)
                self.worker = WorkerProcess(self._taken, self._ended)
                self._brief(self.worker)

    def _brief(self, worker: WorkerProcess) -> None:
        """Say a worker all that it has to know."""
        worker.send(messages.UseRing(str(self.ring.path)))
        worker.send(messages.Use(self.project))
        worker.send(messages.Hold(self.held))
        worker.send(messages.LeaveOut(dict(self.left_out)))
        worker.send(messages.SetLoop(self.loop))
        worker.send(messages.UseOther(self.other))
        worker.send(messages.HearOther(*self.hearing))
        worker.send(messages.UseMetronome(self.metronome))

    def _soon_stand_by(self, careful: bool = False) -> None:
        later = threading.Timer(SPARE_WORKER_DELAY_S, self._stand_by, (careful,))
        later.daemon = True
        later.start()

    def _stand_by(self, careful: bool) -> None:
        """Start a spare worker, that has everything loaded when it is needed. A `careful` one runs no plugin
        before: one has brought the last spare down."""
        with self.lock:
            if self.spare is None and self.worker is not None and not self.closed:
                self.spare = WorkerProcess(self._taken, self._ended)
                devices = [d for track in self.project.tracks for d in track.devices]
                hosted = {d.id: "not yet" for d in devices if d.row.plugin is not None and careful}
                self.spare.send(messages.LeaveOut(hosted | self.left_out))
                self.spare.send(messages.Use(self.project))

    def play(self, beat: float, count_in: int = 0) -> None:
        """Play from `beat` on, after `count_in` clicks of the metronome."""
        self.warm_up()
        with self.lock:
            self._begin(beat)
            self._send(messages.Play(self.number, beat, self.rate, count_in))
            if self.spare is None:
                self._soon_stand_by()

    def _begin(self, beat: float) -> None:
        """The sound of a new play is wanted from here on."""
        words = self.ring.words
        self.number += 1
        self.first, self.wanted = beat, True
        self.pulls.begin(beat)
        self.shown.clear()
        words[sound_ring.SERIAL] = self.number
        words[sound_ring.PLAYING] = 1

    def stop(self) -> None:
        """Stop; what is ready is dropped."""
        with self.lock:
            self.first, self.wanted = self.beat, False
            self.ring.words[sound_ring.PLAYING] = 0
            self._send(messages.Stop())

    def use(self, project: Project) -> None:
        """Go on with an edited project: heard as soon as what is ready has been played."""
        with self.lock:
            self.project = project
            self._send(messages.Use(project))

    def use_other(self, project: Project | None) -> None:
        """Another version, rendered side by side to compare with; None ends it."""
        with self.lock:
            self.other = project
            if project is None:
                self.hearing = (False, (1.0, 1.0))
            self._send(messages.UseOther(project))

    def hold(self, held: tuple[tuple[str, float], ...]) -> None:
        """Lanes held at values 0..1 of their curves, in whatever is heard; () releases."""
        with self.lock:
            self.held = held
            self._send(messages.Hold(held))

    def key(self, track: str, pitch: int, velocity: float) -> None:
        """A key of a track's instrument down by hand, or up (no velocity)."""
        with self.lock:
            self._send(messages.Key(track, pitch, velocity))

    def hear_other(self, on: bool, gains: tuple[float, float] = (1.0, 1.0)) -> None:
        """Hear the other version, or the project again, each at its gain."""
        with self.lock:
            self.hearing = (on, gains)
            self._send(messages.HearOther(on, gains))

    def use_metronome(self, on: bool) -> None:
        """Switch the metronome on or off."""
        with self.lock:
            self.metronome = on
            self._send(messages.UseMetronome(on))

    def fill(self, path: str, filler: str = "") -> None:
        """Let the worker keep a memory filled with sound by itself, with the class that `filler` names as
        "module:class"; no path ends that."""
        with self.lock:
            self.filling = path, filler
            self.shown.clear()
        self.warm_up()
        self._send(messages.Fill(path, filler))
        if path and self.spare is None:
            self._soon_stand_by()

    def set_heard(self, count: int) -> None:
        """So many frames of what was filled have been heard: what is shown of them is shown now."""
        with self.lock:
            while self.shown and self.shown[0][0] <= count:
                self.heard = self.shown.popleft()[1:]

    def set_loop(self, span: tuple[float, float] | None) -> None:
        """Repeat a span of beats, without a gap; None goes on to the end."""
        with self.lock:
            self.loop = span if span and span[1] > span[0] else None
            self._send(messages.SetLoop(self.loop))

    def pull(self, frames: int, played: bool = False) -> np.ndarray:
        """The next sound, float32 (frames, 2), taken by this process itself: see `SoundReader.pull`."""
        return self.reader.pull(frames, played)

    def beat_at(self, seconds: float) -> float:
        """The beat that was heard at a time of time.perf_counter: counted from the last pull
        before it, so that neither the screen's nor the chunks' pace comes in."""
        with self.lock:  # to the end: a seek meanwhile would be undone by what was found before it
            rows = self.taken.of(self.number)
            return self.pulls.beat_at(rows, seconds, self.beat, self.project.tempo, self.loop)

    def close(self) -> None:
        """End the workers; well within two seconds, whatever they do."""
        with self.lock:
            workers = [item for item in (self.worker, self.spare) if item is not None]
            self.worker = self.spare = None
            self.wanted, self.closed = False, True
            self.ring.words[sound_ring.PLAYING] = 0
        for worker in workers:
            worker.close()
        self.ring.remove()

    def _send(self, command: messages.Command) -> None:
        if self.worker is not None:
            self.worker.send(command)

    def _taken(self, worker: WorkerProcess, report: messages.Report) -> None:
        if isinstance(report, messages.Trouble):
            self._say(worker, report)
        elif isinstance(report, messages.FillProgress) and report.shown is not None:
            with self.lock:
                if worker is self.worker and report.number in (0, self.number):
                    self.shown.append(report.shown)

    def _say(self, worker: WorkerProcess, report: messages.Trouble) -> None:
        """What a worker reports while it goes on."""
        device = report.device
        with self.lock:
            if worker is not self.worker or device in self.left_out:
                return
            if device and not self.project.has_device(device):
                return
            if device:
                self.left_out[device] = report.reason
            error = _trouble(self.project, report)
        if self.on_loss is not None:
            self.on_loss(error, True)

    def _ended(self, worker: WorkerProcess, reason: str) -> None:
        """A worker is lost: another one continues in its place; if that happens again and again,
        playing stops."""
        with self.lock:
            if worker is self.spare:
                self.spare = None
                if not self.closed and (self.playing or self.filling[0]):
                    self._soon_stand_by(careful=True)
                return
            if worker is not self.worker or self.closed:
                return
            blamed = self._blame(worker, reason)
            if blamed:
                self.losses.clear()  # it will not happen for the same reason again
            now = time.monotonic()
            often = len(self.losses) == MOST_LOSSES and now - self.losses[0] < LOSSES_WITHIN
            self.losses.append(now)
            playing, self.worker = self.playing or bool(self.filling[0]), None
            goes_on = playing and not often
            if goes_on:
                self.worker, self.spare = (
                    self.spare or WorkerProcess(self._taken, self._ended),
                    None,
                )
                self._brief(self.worker)
                if self.filling[0]:
                    self._send(messages.Fill(*self.filling))
                else:
                    self._begin(self.beat)
                    self._send(messages.Play(self.number, self.first, self.rate))
                self._soon_stand_by()
            elif playing:
                self.first, self.wanted = self.beat, False
                self.ring.words[sound_ring.PLAYING] = 0
        if playing and self.on_loss is not None:
            self.on_loss(blamed or _loss(reason, goes_on), goes_on)

    def _blame(self, worker: WorkerProcess, reason: str) -> ZolvekError | None:
        """What is said where a plugin brought the worker down; it is left out from now on."""
        device, phase = worker.culprit or ("", "")
        if not device or not self.project.has_device(device):
            return None
        name = self.project.device_track(device).device(device).name
        self.left_out[device] = f"it crashed the audio engine while {phase} ({reason})"
        return Failure(
            f"The audio engine restarted: {name} crashed while {phase} ({reason}). {name} is bypassed.",
            name,
            "Use Device ▸ Plugin ▸ Restart device to run it again.",
        )

    def try_again(self, device: str) -> None:
        """Run a device's plugin once more."""
        with self.lock:
            self.left_out.pop(device, None)
            self._send(messages.LeaveOut(dict(self.left_out)))
            # The spare is not given: it would run it too, and be lost at the same time.


def _trouble(project: Project, report: messages.Trouble) -> ZolvekError:
    """What is said of a device whose plugin does not run, or that is muted; or, without one, of sound that was not a
    number, or a mix that is muted."""
    device, reason = report.device, report.reason
    if not device:
        what = f"The mix is muted. {reason}." if report.muted else reason
        again = "Lower what drives it, then play again." if report.muted else "Bypass the device you changed last."
        return Failure(what, "playback", again)
    name = project.device_track(device).device(device).name
    if report.muted:
        return Failure(
            f"{name} is muted. {reason}.", name, "Lower what drives it, then use Device ▸ Plugin ▸ Restart device."
        )
    return Failure(
        f"The plugin {name} is not running and is bypassed.",
        reason,
        "Use Device ▸ Plugin ▸ Restart device to run it again.",
    )


def _loss(reason: str, goes_on: bool) -> ZolvekError:
    if goes_on:
        return Failure(
            f"The audio engine restarted ({reason}).",
            "playback",
        )
    return Failure(
        f"The audio engine keeps failing ({reason}).",
        "playback",
        "Bypass the device you added last, save, and play again.",
    )
