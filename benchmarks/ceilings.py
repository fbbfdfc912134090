# SPDX-License-Identifier: GPL-3.0-or-later
"""What large things take, and what long use leaves behind: memory and time, each in a process of its own
where memory is measured."""

from __future__ import annotations

import gc
import json
import os
import resource
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from zolvek.sound.playback.playback import Playback

Row = tuple[str, float, str, str]
TWO_HOURS = 7_200.0


def grown(code: str, *arguments: str) -> tuple[float, float]:
    """Run code in a fresh process; the seconds that it took and the MB that it grew by beyond what its
    imports take (what comes before a line "# begin")."""
    before, _, work = code.partition("# begin\n")
    script = (
        f"import resource, sys, time\n{before}\n"
        "_peak = lambda: resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
        f"_before, _began = _peak(), time.perf_counter()\n{work}\n"
        "print(time.perf_counter() - _began, (_peak() - _before) / 1024)\n"
    )
    done = subprocess.run([sys.executable, "-c", script, *arguments], capture_output=True, text=True, check=True)
    seconds, megabytes = done.stdout.split()[-2:]
    return float(seconds), float(megabytes)


def measured() -> Iterator[Row]:
    """Two hours exported, an hour of sound, undo of a large lane, ten thousand lanes, large files."""
    from tests.projects import many_lanes, two_hours
    from zolvek.formats.project import project_file

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        long = project_file.save(two_hours(), folder / "long.zolvek")
        load = (
            "from zolvek.formats.midi import file_out as midi_out, report as midi_report\n"
            "from zolvek.formats.project import project_file\nproject = project_file.load(sys.argv[1])\n# begin\n"
        )
        for what, work in (
            ("report", "midi_report.report(project)"),
            ("MIDI", "midi_out.save(project, sys.argv[2])"),
        ):
            seconds, size = grown(load + work, str(long), str(folder / "long.mid"))
            yield f"two hours of the demo's lanes, {what}", seconds, "s", "at most 3"
            yield "    memory", size, "MB", "at most 300"
        import numpy as np
        import soundfile

        flac = folder / "hour.flac"
        minute = np.repeat((0.3 * np.sin(np.arange(44_100 * 60) * 0.05)).astype(np.float32)[:, None], 2, axis=1)
        with soundfile.SoundFile(flac, "w", 44_100, 2, subtype="PCM_16") as file:
            for _ in range(60):
                file.write(minute)
        seconds, size = grown(
            "from zolvek.formats.audio.streams import examine, stream\nimport soundfile\n"
            "from scipy.signal import resample_poly, firwin\n"
            "# begin\nexamine(sys.argv[1])\nmade = stream(sys.argv[1], 48_000)\n"
            "for first in range(0, made.frames, 480_000): made.read(first, 48_000)",
            str(flac),
        )
        yield (
            "an hour of FLAC looked through and played here and there",
            seconds,
            "s",
            "no limit set",
        )
        yield "    memory", size, "MB", "at most 150"
        seconds, size = grown(
            "from tests.core.test_history import large, moved\nfrom zolvek.core.history.history import History\n"
            "made = History.start(large())\n# begin\n"
            "for step in range(200): made = made.edited(moved(made.project, 5_000 * step, 0.25), 'Move')"
        )
        yield "200 edits of a lane of 1,000,000 points", seconds, "s", "no limit set"
        yield "    memory", size, "MB", "at most 512"
        for what, suffix, make, work in _large_files():
            path = folder / f"large{suffix}"
            make(path)
            seconds, size = grown(work, str(path))
            yield what, seconds, "s", "at most 5"
            yield "    memory", size, "MB", "at most 1024"
    yield from _many(many_lanes(10_000))


def _large_files() -> list[tuple[str, str, Callable[[Path], object], str]]:
    from zolvek.formats.midi import chunks as midi_chunks
    from zolvek.formats.tables import curve_csv

    def midi(path: Path) -> None:
        count = midi_chunks.MOST_EVENTS - 10
        body = b"".join(bytes((i % 5, 0xB0, 74, (i // 7) % 128)) for i in range(count)) + b"\0\xff\x2f\0"
        path.write_bytes(midi_chunks.header(1, 480) + midi_chunks.chunk(b"MTrk", body))

    def meters(path: Path) -> None:
        body = b"".join(
            midi_chunks.quantity(1_920) + midi_chunks.meta(midi_chunks.METER, bytes((3 + i % 5, 2, 24, 8)))
            for i in range(8_000)
        )
        path.write_bytes(midi_chunks.header(1, 480) + midi_chunks.chunk(b"MTrk", body + b"\0\xff\x2f\0"))

    def table(path: Path) -> None:
        rows = "".join(f"{i * 0.01!r},{(i % 97) / 97!r},line,0.0\r\n" for i in range(curve_csv.MOST_ROWS - 2))
        path.write_text("beat,value,shape,amount\r\n" + rows)

    into = "from zolvek.formats.midi import file_in as midi_in\n# begin\nmidi_in.as_project(midi_in.load(sys.argv[1]))"
    many = (
        "from zolvek.formats.midi import file_out as midi_out\nfrom zolvek.core.model.project import Project, Section\n"
    )
    many += "from zolvek.core.time.tempo import TempoMap, TempoPoint\n"
    return [
        ("the most MIDI events that are read, to lanes", ".mid", midi, into),
        ("8,000 meters read", ".mid", meters, into),
        (
            "the most rows of a curve's table that are read",
            ".csv",
            table,
            "from zolvek.formats.tables import curve_csv\n# begin\ncurve_csv.load(sys.argv[1])",
        ),
        (
            "200,000 markers to MIDI",
            ".none",
            lambda _: None,
            many + "project = Project(length=300000.0, sections=tuple(Section(float(i), 'x') for i in range(200000)))\n"
            "# begin\nmidi_out.encode(project)",
        ),
        (
            "300,000 tempos to MIDI",
            ".none",
            lambda _: None,
            many + "points = tuple(TempoPoint(float(i), 100.0 + i % 50) for i in range(300000))\n"
            "project = Project(length=310000.0, tempo=TempoMap(points))\n# begin\nmidi_out.encode(project)",
        ),
    ]


def _many(project: Any) -> Iterator[Row]:
    """A window on ten thousand lanes."""
    from benchmarks import hardness
    from benchmarks.answers import Answers
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.session.settings import Settings

    app = application()
    with tempfile.TemporaryDirectory() as name, hardness.unattended(Path(name), []):
        window = make_window(project, Settings(), ask=Answers())
        window.show()
        window.complete()
        app.processEvents()
        lanes = [lane.id for lane in project.lanes()]
        for what, work in (
            ("another focus", lambda: window.session.focus.on(lanes[-7])),
            ("a lane hidden", lambda: window.action("hide-lane").trigger()),
        ):
            began = time.perf_counter()
            work()
            app.processEvents()
            window.grab()
            yield f"10,000 lanes, {what}, painted", time.perf_counter() - began, "s", "at most 5"
        hardness.close(window)


def losses() -> Iterator[Row]:
    """Seconds from a worker's end to a word about it, and to sound going on; and that closing takes."""
    from zolvek.demo.night_regatta import build
    from zolvek.sound.playback.playback import Playback
    from zolvek.sound.playback.silent_clock import SilentClock

    for sign, word in ((signal.SIGKILL, "killed"), (signal.SIGSTOP, "stopped")):
        reported: list[float] = []
        playback = Playback(build())
        playback.on_loss = partial(_note, reported)
        clock = SilentClock(playback)
        clock.start()
        playback.play(8.0)
        _until(partial(_ready, playback))
        time.sleep(1.0)
        beat, began = playback.beat, time.perf_counter()
        os.kill(playback.worker.process.pid, sign)  # type: ignore[union-attr]  # it plays here
        _until(partial(_some, reported))
        _until(partial(_went_on, playback, beat))
        yield f"worker {word}: reported after", reported[0] - began, "s", "at most 2"
        yield "    sound goes on after", time.perf_counter() - began, "s", "at most 2"
        os.kill(playback.worker.process.pid, signal.SIGSTOP)  # type: ignore[union-attr]  # it plays here
        began = time.perf_counter()
        clock.close()
        playback.close()
        yield (
            "    closing, the worker standing still",
            time.perf_counter() - began,
            "s",
            "at most 2",
        )


def _note(reported: list[float], *_: object) -> None:
    reported.append(time.perf_counter())


def _some(reported: list[float]) -> bool:
    return bool(reported)


def _ready(playback: Playback) -> bool:
    """Whether it plays and a spare worker stands by."""
    return playback.spare is not None and playback.spare.woken and playback.beat > 8.1


def _went_on(playback: Playback, place: float) -> bool:
    return playback.begun and playback.beat > place + 0.2


def _until(test: Callable[[], object], seconds: float = 60.0) -> None:
    began = time.monotonic()
    while not test():
        if time.monotonic() - began > seconds:
            raise TimeoutError("it did not come to that")
        time.sleep(0.005)


def hours(count: float) -> Iterator[Row]:
    """Hours of playing in a loop, taken as fast as it is rendered, at a low rate; an edit a minute."""
    import numpy as np

    from zolvek.core.records import replace
    from zolvek.demo.night_regatta import build
    from zolvek.sound.playback.playback import Playback
    from zolvek.sound.processes import sound_ring

    project = replace(build(), name="0")
    rate = 6_000
    playback = Playback(project, rate)
    playback.set_loop((0.0, project.length))
    lost: list[object] = []
    playback.on_loss = lambda *reported: lost.append(reported)
    playback.play(0.0)
    frames, wrong, minute = 0, 0, 0
    sizes: list[tuple[float, float]] = []
    while frames < count * 3_600 * rate:
        words = playback.ring.words
        if not playback.begun or words[sound_ring.WRITTEN] - words[sound_ring.READ] < 480:
            time.sleep(0.001)
            continue
        sound = playback.pull(480)
        wrong += not np.isfinite(sound).all() or bool(np.abs(sound).max() > 1.0)
        frames += len(sound)
        if frames // (60 * rate) > minute:
            minute = frames // (60 * rate)
            playback.use(replace(project, name=str(minute)))
            if minute in (30, 60 * int(count) - 1):
                gc.collect()
                worker = playback.worker.process.pid  # type: ignore[union-attr]  # it plays here
                sizes.append((_memory(os.getpid()), _memory(worker)))
    playback.close()
    yield f"stretches of {count:g} hours played that were not sound", wrong, "", "none"
    yield "    workers lost", len(lost), "", "none"
    if len(sizes) == 2:
        yield (
            "    grown after the first half hour, here",
            sizes[1][0] - sizes[0][0],
            "MB",
            "at most 20",
        )
        yield "    and in the worker", sizes[1][1] - sizes[0][1], "MB", "at most 40"


def _memory(process: int) -> float:
    """What a process holds in memory now, in MB (proc(5), statm)."""
    pages = int(Path(f"/proc/{process}/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6


WINDOWS = """
import gc, json, sys, threading
from pathlib import Path
from benchmarks import hardness
from benchmarks.ceilings import _memory
from zolvek.demo.night_regatta import build
from zolvek.studio.app.application import application
from zolvek.studio.session.settings import Settings
from benchmarks.answers import Answers
from zolvek.studio.app.application import make_window
from zolvek.studio.app.window import Window
import os
app, faults, sizes = application(), [], []
with hardness.unattended(Path(sys.argv[1]), faults):
    for number in range(int(sys.argv[2])):
        window = make_window(build(), Settings(), ask=Answers())
        window.show()
        window.complete()
        app.processEvents()
        if number % 10 == 0:
            window.studio.player.play()
            app.processEvents()
        hardness.take_apart(window)
        del window
        gc.collect()
        if number in (50, int(sys.argv[2]) - 1):
            sizes.append(_memory(os.getpid()))
handles = len(list(Path("/proc/self/fd").iterdir()))
print(json.dumps([len(faults), sizes, threading.active_count(), handles]), flush=True)
os._exit(0)
"""


def windows(count: int) -> Iterator[Row]:
    """Windows opened and closed one after another in one process."""
    with tempfile.TemporaryDirectory() as name:
        done = subprocess.run(
            [sys.executable, "-c", WINDOWS, name, str(count)],
            capture_output=True,
            text=True,
            check=True,
        )
    faults, sizes, threads, files = json.loads(done.stdout.splitlines()[-1])
    yield f"faults in {count} windows, one after another", faults, "", "none"
    yield "    grown from the 50th to the last", sizes[1] - sizes[0], "MB", "at most 150"
    yield "    threads at the end", threads, "", "at most 8"
    yield "    open files at the end", files, "", "at most 60"
